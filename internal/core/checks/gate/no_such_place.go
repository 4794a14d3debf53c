package gate

import (
	"fmt"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/itemmatch"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/verdict"
)

var noSuchPlace = &check.Check{
	Name: "no-such-place", Family: "gate", Severity: problem.Error,
	Title: "the place of an item is not on the page",
	Doc: `The item goes to an element that a selector names, and the page has no such element,
so the item is not there. Let it in only where the element is, with has(SELECTOR),
or give it a place that every page has.`,
	Bad: "-- yellowgate.yaml --\nitems:\n" +
		"  notice: {code: <p>Open late</p>, place: {before: form.contact}, pages: all}\n" +
		"-- site/contact/index.html --\n<form class=\"contact\"></form>\n-- site/visit/index.html --\n" +
		"<p>Visit us.</p>",
	Good: "-- yellowgate.yaml --\nitems:\n" +
		"  notice: {code: <p>Open late</p>, place: {before: form.contact}, pages: has(form.contact)}\n" +
		"-- site/contact/index.html --\n<form class=\"contact\"></form>\n-- site/visit/index.html --\n" +
		"<p>Visit us.</p>",
	Page: func(p *check.Pass) {
		check.EachItem(p, func(v *verdict.Verdict, have *itemmatch.Presence) {
			if !v.In {
				return
			}
			told := map[string]bool{}
			report := func(place *gatefile.Place) {
				if place == nil || place.Selector == nil || told[place.Selector.String()] ||
					len(p.Gated.Result.Matches(place.Selector)) > 0 {
					return
				}
				told[place.Selector.String()] = true
				line, col := p.HeadAt()
				p.Report(line, col, v.Item.Name,
					fmt.Sprintf("item %q is in here, and the page has nothing that matches %q, where it goes",
						v.Item.Name, place.Selector),
					"let it in only where that is: has("+place.Selector.String()+")")
			}
			for _, part := range v.Item.Parts {
				place := v.Item.PlaceOf(part)
				report(&place)
			}
			if len(have.Found) > 0 {
				report(v.Item.FoundPlace())
			}
		})
	},
}
