package checks

import (
	"fmt"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/verdict"
)

var repeatedItem = &Check{
	Name: "repeated-item", Family: "gate", Severity: gatefile.Error,
	Title: "an item is on the page more than once",
	Doc: `The gate puts an item on a page once. Two copies mostly mean that the source page
brings one of its own, or that an output served as a source without its marks. A
script that runs twice counts twice. Give the item found: a matcher for the copy
in the source.`,
	Bad:  "<script src=\"/js/booking.js\" defer></script> … <script src=\"/js/booking.js\"></script>",
	Good: "<script src=\"/js/booking.js\" defer></script>",
	Page: func(p *Pass) {
		eachItem(p, func(v *verdict.Verdict, have *Presence) {
			if n := have.Copies(); v.In && n > 1 && len(have.Parts) > 0 {
				pp := &have.Parts[0]
				p.Report(pp.Line, pp.Column, v.Item.Name, fmt.Sprintf("item %q is on the page %d times", v.Item.Name, n*max(pp.Wanted, 1)), "take the others out of the source, or let the item find them")
			}
		})
	},
}
