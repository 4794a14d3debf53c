package gate

import (
	"fmt"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/itemmatch"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/verdict"
)

var repeatedItem = &check.Check{
	Name: "repeated-item", Family: "gate", Severity: problem.Error,
	Title: "an item is on the page more than once",
	Doc: `The gate puts an item on a page once. Two copies mostly mean that the source page
brings one of its own, or that an output served as a source without its marks. A
script that runs twice counts twice. Give the item found: a matcher for the copy
in the source.`,
	Bad: "-- yellowgate.yaml --\nitems:\n  booking: {script: /js/booking.js, pages: all}\n" +
		"-- site/visit/index.html --\n<script src=\"/js/booking.js\"></script>",
	Good: "-- yellowgate.yaml --\nitems:\n" +
		"  booking: {replaces: {url: /js/booking.js}, script: /js/booking.js, pages: all}\n" +
		"-- site/visit/index.html --\n<script src=\"/js/booking.js\"></script>",
	Page: func(p *check.Pass) {
		check.EachItem(p, func(v *verdict.Verdict, have *itemmatch.Presence) {
			if !v.In {
				return
			}
			remedy := "take the others out of the source, or let the item find them"
			for _, m := range have.ExtraMarks {
				p.AtOccurrence(m, v.Item.Name,
					fmt.Sprintf("item %q is on the page once more than the gate puts it there (%s)", v.Item.Name,
						check.Rule(v)), "run yellowgate apply")
			}
			for i := range have.Parts {
				pp := &have.Parts[i]
				if o := unmarked(pp.Surplus); o != nil || len(pp.Surplus) > 0 && len(have.ExtraMarks) == 0 {
					if o == nil {
						o = &pp.Surplus[0]
					}
					p.AtOccurrence(*o, v.Item.Name,
						fmt.Sprintf(
							"item %q is on the page more than once: %s stands there %s, and the gate writes %d",
							v.Item.Name, check.PartName(pp.Part), times(len(pp.At)+len(pp.Surplus)), pp.Wanted),
						remedy)
				}
			}
			for _, o := range have.Doubled {
				p.AtOccurrence(o, v.Item.Name,
					fmt.Sprintf("item %q is on the page more than once: the source page has this element less often",
						v.Item.Name), "run yellowgate apply")
			}
		})
	},
}

func times(n int) string {
	switch n {
	case 1:
		return "once"
	case 2:
		return "twice"
	}
	return fmt.Sprintf("%d times", n)
}
