package gate

import (
	"fmt"
	"slices"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/itemmatch"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/verdict"
)

var misplacedItem = &check.Check{
	Name: "misplaced-item", Family: "gate", Severity: problem.Error,
	Title: "an item is in the wrong half of the page",
	Doc: `The item's place is in the head and a browser has it in the body, or the other way
round. Mostly the head is broken above it, or something moved it. A tag that asks to
stand as high in the head as possible may count nothing in the body.`,
	Bad: "-- yellowgate.yaml --\nitems:\n" +
		"  verify: {code: <meta name=\"verify\" content=\"tern\">, place: head-end, pages: all}\n" +
		"-- site/visit/index.html --\n<p>Visit us.</p>\n-- public/visit/index.html, later --\n<p>Visit us.</p>\n" +
		"<!--yg:verify--><meta name=\"verify\" content=\"tern\"><!--/yg:verify-->",
	Good: "-- yellowgate.yaml --\nitems:\n" +
		"  verify: {code: <meta name=\"verify\" content=\"tern\">, place: head-end, pages: all}\n" +
		"-- site/visit/index.html --\n<p>Visit us.</p>",
	Page: func(p *check.Pass) {
		check.EachItem(p, func(v *verdict.Verdict, have *itemmatch.Presence) {
			if !v.In {
				return
			}
			for i := range have.Parts {
				pp := &have.Parts[i]
				if pp.Part.Kind == gatefile.Classes {
					continue
				}
				belongs := map[string]int{} // by area: copies that belong there and are not there
				for _, a := range pp.Areas {
					belongs[a]++
				}
				var astray []itemmatch.Occurrence
				for _, o := range slices.Concat(pp.At, pp.Differs) {
					if belongs[o.Area] > 0 {
						belongs[o.Area]--
					} else {
						astray = append(astray, o)
					}
				}
				for _, o := range astray {
					want := other(o.Area)
					if belongs[want] == 0 {
						continue
					}
					belongs[want]--
					p.AtOccurrence(o, v.Item.Name,
						fmt.Sprintf("item %q belongs into the %s (%s), and a browser has %s in the %s", v.Item.Name,
							want, pp.Place.String(), check.PartName(pp.Part), o.Area), misplacedRemedy)
				}
			}
			place := "where its source page has it"
			if f := v.Item.FoundPlace(); f != nil {
				place = f.String()
			}
			for _, o := range have.Displaced {
				p.AtOccurrence(o.Occurrence, v.Item.Name,
					fmt.Sprintf("item %q belongs into the %s (%s), and a browser has this element of it in the %s",
						v.Item.Name, o.Area, place, o.Occurrence.Area), misplacedRemedy)
			}
		})
	},
}

const misplacedRemedy = "look for what ends the head early (broken-head), then run yellowgate apply"

// other is the other half of a page.
func other(area string) string {
	if area == "head" {
		return "body"
	}
	return "head"
}
