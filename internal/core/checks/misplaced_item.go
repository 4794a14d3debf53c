package checks

import (
	"fmt"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/verdict"
)

var misplacedItem = &Check{
	Name: "misplaced-item", Family: "gate", Severity: gatefile.Error,
	Title: "an item is in the wrong half of the page",
	Doc: `The item's place is in the head and a browser has it in the body, or the other way
round. Mostly the head is broken above it, or something moved it. A tag that asks to
stand as high in the head as possible may count nothing in the body.`,
	Bad:  "items:\n  verify: {code: <meta name=…>, place: head-end}\n(and the page has it in the body)",
	Good: "(the page has it in the head)",
	Page: func(p *Pass) {
		eachItem(p, func(v *verdict.Verdict, have *Presence) {
			if !v.In {
				return
			}
			for i := range have.Parts {
				pp := &have.Parts[i]
				want := areaOf(pp.Place.Name)
				if pp.Part.Kind == gatefile.Classes || want == "" || pp.Copies == 0 || pp.Area == want {
					continue
				}
				p.Report(pp.Line, pp.Column, v.Item.Name, fmt.Sprintf("item %q belongs into the %s (%s), and a browser has %s in the %s", v.Item.Name, want, pp.Place.Name, partName(pp.Part), pp.Area),
					"look for what ends the head early (broken-head), then run yellowgate apply")
			}
			place := v.Item.FoundPlace()
			for _, n := range have.Found {
				if place == nil || n < 0 || areaOf(place.Name) == "" || areaOf(place.Name) == p.Elements[n].Area {
					continue
				}
				p.At(&p.Elements[n], fmt.Sprintf("item %q belongs into the %s (%s), and a browser has this %s of it in the %s", v.Item.Name, areaOf(place.Name), place.Name, p.Elements[n].Tag, p.Elements[n].Area), "run yellowgate apply")
			}
		})
	},
}

func areaOf(place string) string {
	switch place {
	case gatefile.HeadStart, gatefile.HeadEnd:
		return "head"
	case gatefile.BodyStart, gatefile.BodyEnd:
		return "body"
	}
	return ""
}
