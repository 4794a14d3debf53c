package checks

import (
	"fmt"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/verdict"
)

var keptOutNeed = &Check{
	Name: "kept-out-need", Family: "gate", Severity: gatefile.Error,
	Title: "an item is in, and an item that it needs is not there",
	Doc: `A need is kept out here by except, per-page or disabled, or it is found parts alone
and the page has none of them: what needs it will not work. Let the need in on this
page, or keep the item out of it.`,
	Bad:  "items:\n  slides: {script: /js/slides.js, needs: [domkit], pages: /}\n  domkit: {script: /js/domkit.js, pages: all, except: /}",
	Good: "items:\n  slides: {script: /js/slides.js, needs: [domkit], pages: /}\n  domkit: {script: /js/domkit.js}",
	Page: func(p *Pass) {
		eachItem(p, func(v *verdict.Verdict, have *Presence) {
			if !v.In || have.Copies() == 0 {
				return
			}
			for _, need := range v.Item.Needs {
				n := p.Gated.number(need.Value)
				if n < 0 || p.Gated.Items[n].Copies() > 0 {
					continue
				}
				w := &p.Gated.Result.Verdicts[n]
				if w.In && !w.Item.FoundOnly() {
					continue // missing-item tells it
				}
				line, col := p.where(have)
				p.Report(line, col, v.Item.Name, fmt.Sprintf("item %q is here and needs %q, which is not (%s, %s)", v.Item.Name, need.Value, w.Reason, rule(w)),
					fmt.Sprintf("let %q in on this page, or keep %q out of it", need.Value, v.Item.Name))
			}
		})
	},
}

// where is the place of an item on the page.
func (p *Pass) where(have *Presence) (line, column int) {
	for i := range have.Parts {
		if have.Parts[i].Line > 0 {
			return have.Parts[i].Line, have.Parts[i].Column
		}
	}
	for _, n := range have.Found {
		if n >= 0 {
			return p.Elements[n].Line, p.Elements[n].Column
		}
	}
	return p.headAt()
}
