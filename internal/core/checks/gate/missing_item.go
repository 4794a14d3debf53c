package gate

import (
	"fmt"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/itemmatch"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/verdict"
	"yellowgate/internal/core/wording"
)

var missingItem = &check.Check{
	Name: "missing-item", Family: "gate", Severity: problem.Error, Says: check.Missing,
	Title: "an item that is in on the page is not there, or not whole",
	Doc: `The gate lets the item in on this page, and the page does not have it. Mostly the
gate file was changed and not applied, or something else wrote the page since. An
item of found parts alone may be absent: in means that it may stay. Apply, and look
again.`,
	Bad: "-- yellowgate.yaml --\nitems:\n  visit-counter: {code: <script>count();</script>, pages: all}\n" +
		"-- site/visit/index.html --\n<p>Visit us.</p>\n-- public/visit/index.html, later --\n<p>Visit us.</p>",
	Good: "-- yellowgate.yaml --\nitems:\n  visit-counter: {code: <script>count();</script>, pages: all}\n" +
		"-- site/visit/index.html --\n<p>Visit us.</p>",
	Page: func(p *check.Pass) {
		check.EachItem(p, func(v *verdict.Verdict, have *itemmatch.Presence) {
			if !v.In {
				return
			}
			for i := range have.Parts {
				pp := &have.Parts[i]
				if !pp.Known || pp.Lacking == 0 {
					continue // what was not put for want of a place is no-such-place
				}
				line, col := p.HeadAt()
				what := fmt.Sprintf("item %q is in here (%s), and the page does not have %s", v.Item.Name,
					check.Rule(v), check.PartName(pp.Part))
				switch {
				case have.Copies() == 0 && len(have.Parts) == 1 && pp.Wanted == 1:
					what = fmt.Sprintf("item %q is in here (%s), and the page does not have it", v.Item.Name,
						check.Rule(v))
				case pp.Wanted > pp.Lacking:
					what = fmt.Sprintf("item %q is in here (%s), and the page lacks %d of %d copies of %s",
						v.Item.Name, check.Rule(v), pp.Lacking, pp.Wanted, check.PartName(pp.Part))
				}
				p.Report(line, col, v.Item.Name, what, "run yellowgate apply")
			}
			for _, gone := range have.Gone {
				line, col := p.HeadAt()
				p.Report(line, col, v.Item.Name,
					fmt.Sprintf(
						"item %q is in here (%s), and the page lacks an element of it that the source has: %s",
						v.Item.Name, check.Rule(v), wording.Cut(gone.Text, 80)), "run yellowgate apply")
			}
			if v.Item.Popup() != nil && p.Gated.Runtimes == 0 && p.Gated.RuntimeDiffers == nil && have.Copies() > 0 {
				line, col := whereStated(p, have)
				p.Report(line, col, v.Item.Name,
					fmt.Sprintf("the popup of item %q is here, and the script that opens it is not", v.Item.Name),
					"run yellowgate apply")
			}
		})
	},
}
