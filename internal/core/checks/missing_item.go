package checks

import (
	"fmt"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/verdict"
)

var missingItem = &Check{
	Name: "missing-item", Family: "gate", Severity: gatefile.Error,
	Title: "an item that is in on the page is not there, or not whole",
	Doc: `The gate lets the item in on this page, and the page does not have it. Mostly the
gate file was changed and not applied, or something else wrote the page since. An
item of found parts alone may be absent: in means that it may stay. Apply, and look
again.`,
	Bad:  "items:\n  visit-counter: {code-file: code/visit-counter.html, pages: all}\n(and a page without it)",
	Good: "<!--yg:visit-counter-->…<!--/yg:visit-counter-->",
	Page: func(p *Pass) {
		eachItem(p, func(v *verdict.Verdict, have *Presence) {
			if !v.In {
				return
			}
			for i := range have.Parts {
				pp := &have.Parts[i]
				if !pp.Known || pp.Copies >= pp.Wanted {
					continue // what was not put for want of a place is no-such-place
				}
				line, col := p.headAt()
				what := fmt.Sprintf("item %q is in here (%s), and the page has not %s", v.Item.Name, rule(v), partName(pp.Part))
				if have.Copies() == 0 && len(have.Parts) == 1 {
					what = fmt.Sprintf("item %q is in here (%s), and the page does not have it", v.Item.Name, rule(v))
				}
				p.Report(line, col, v.Item.Name, what, "run yellowgate apply")
			}
			if v.Item.Popup() != nil && p.Gated.Gate.File.Site.Marks && p.Gated.runtimes == 0 && have.Copies() > 0 {
				line, col := p.where(have)
				p.Report(line, col, v.Item.Name, fmt.Sprintf("the popup of item %q is here, and the page has not the script that opens it", v.Item.Name), "run yellowgate apply")
			}
		})
	},
}
