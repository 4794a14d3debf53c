package gate

import (
	"fmt"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/itemmatch"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/verdict"
)

var itemDiffers = &check.Check{
	Name: "item-differs", Family: "gate", Severity: problem.Error, Says: check.Differs,
	Title: "an item is on the page, and it is not what the gate writes there",
	Doc: `The page has the item, recognised by its mark, its URL or its elements, and its text, a
value in it or an attribute differs from what the gate file gives it on this page. Mostly
the output was edited by hand, or the gate file was changed and not applied. White
space, quoting, character references and the order of attributes do not count. Make the
change in the gate file, and apply.`,
	Bad: "-- yellowgate.yaml --\nitems:\n  visit-counter: {code: '<script>count(\"all\");</script>', pages: all}\n" +
		"-- site/visit/index.html --\n<p>Visit us.</p>\n-- public/visit/index.html, later --\n<p>Visit us.</p>\n" +
		"<!--yg:visit-counter--><script>count(\"none\");</script><!--/yg:visit-counter-->",
	Good: "-- yellowgate.yaml --\nitems:\n  visit-counter: {code: '<script>count(\"all\");</script>', pages: all}\n" +
		"-- site/visit/index.html --\n<p>Visit us.</p>\n-- public/visit/index.html, later --\n<p>Visit us.</p>\n" +
		"<!--yg:visit-counter--><script>count('all');</script><!--/yg:visit-counter-->",
	Page: func(p *check.Pass) {
		remedy := "make the change in the gate file, then run yellowgate apply"
		check.EachItem(p, func(v *verdict.Verdict, have *itemmatch.Presence) {
			if !v.In {
				return
			}
			for i := range have.Parts {
				pp := &have.Parts[i]
				for _, o := range pp.Differs {
					p.AtOccurrence(o, v.Item.Name,
						fmt.Sprintf("item %q is here (%s), and %s is not what the gate writes on this page",
							v.Item.Name, check.Rule(v), check.PartName(pp.Part)), remedy)
				}
			}
			for _, o := range have.Altered {
				p.AtOccurrence(o, v.Item.Name,
					fmt.Sprintf(
						"the marked region of item %q holds more than the gate writes there, or in another order",
						v.Item.Name), remedy)
			}
			for _, o := range have.Changed {
				p.AtOccurrence(o, v.Item.Name,
					fmt.Sprintf(
						"item %q is found here (%s), and this element of it is not as the source page and the gate have it",
						v.Item.Name, check.Rule(v)),
					"make the change in the source page or in the gate file, then run yellowgate apply")
			}
			if o := p.Gated.RuntimeDiffers; o != nil && v.Item.Popup() != nil && have.Copies() > 0 {
				p.AtOccurrence(*o, v.Item.Name,
					fmt.Sprintf(
						"the popup of item %q is here, and the script that opens it is not the one that the gate writes",
						v.Item.Name), "run yellowgate apply")
			}
		})
	},
}
