package checks

import (
	"fmt"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/verdict"
)

var leakedItem = &Check{
	Name: "leaked-item", Family: "gate", Severity: gatefile.Error,
	Title: "an item that is out on the page is there",
	Doc: `The gate keeps the item out of this page, and the page has it, or a part of it. Where
it is a tracking tag or a popup, visitors get what they should not. If the source
page has it too, give the item found: a matcher for it, and it is taken out.`,
	Bad:  "items:\n  booking: {script: /js/booking.js, pages: /book/**}\n(and /js/booking.js on /visit/)",
	Good: "(no /js/booking.js on /visit/)",
	Page: func(p *Pass) {
		eachItem(p, func(v *verdict.Verdict, have *Presence) {
			for _, n := range have.Replaced {
				line, col := p.headAt()
				if n >= 0 {
					line, col = p.Elements[n].Line, p.Elements[n].Column
				}
				p.Report(line, col, v.Item.Name, fmt.Sprintf("item %q stands in for this, and it is on the page all the same", v.Item.Name), "run yellowgate apply")
			}
			if v.In {
				return
			}
			remedy := "run yellowgate apply; if the source page has it, give the item found with a matcher"
			for i := range have.Parts {
				if pp := &have.Parts[i]; pp.Copies > 0 && !claimedByIn(p, v, pp) {
					p.Report(pp.Line, pp.Column, v.Item.Name, fmt.Sprintf("item %q is out here (%s, %s), and the page has %s", v.Item.Name, v.Reason, rule(v), partName(pp.Part)), remedy)
				}
			}
			for _, n := range have.Found {
				if n < 0 {
					line, col := p.headAt()
					p.Report(line, col, v.Item.Name, fmt.Sprintf("item %q is out here (%s, %s), and the page has an element it is found by", v.Item.Name, v.Reason, rule(v)), remedy)
					continue
				}
				e := &p.Elements[n]
				p.At(e, fmt.Sprintf("item %q is out here (%s, %s), and the page has this %s of it", v.Item.Name, v.Reason, rule(v), e.Tag), remedy)
			}
		})
	},
}

// claimedByIn reports whether another item that is in brings the same URL.
func claimedByIn(p *Pass, v *verdict.Verdict, pp *PartPresence) bool {
	if !pp.Part.Kind.Tagged() {
		return false
	}
	for i := range p.Gated.Result.Verdicts {
		w := &p.Gated.Result.Verdicts[i]
		if !w.In || w.Item == v.Item {
			continue
		}
		for _, other := range w.Item.Parts {
			if other.Kind == pp.Part.Kind && other.Text == pp.Part.Text {
				return true
			}
		}
	}
	return false
}
