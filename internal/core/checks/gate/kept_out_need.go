package gate

import (
	"fmt"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/itemmatch"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/verdict"
)

var keptOutNeed = &check.Check{
	Name: "kept-out-need", Family: "gate", Severity: problem.Error,
	Title: "an item is in, and an item that it needs is not there",
	Doc: `A need is kept out here by except, per-page or disabled, or it is found parts alone
and the page has none of them: what needs it will not work. Let the need in on this
page, or keep the item out of it.`,
	Bad: "-- yellowgate.yaml --\nitems:\n  slides: {script: /js/slides.js, needs: [domkit], pages: all}\n" +
		"  domkit: {script: /js/domkit.js}\n-- site/visit/index.html --\n<p>Visit us.</p>\n" +
		"-- yellowgate.yaml, later --\nitems:\n  slides: {script: /js/slides.js, needs: [domkit], pages: all}\n" +
		"  domkit: {script: /js/domkit.js, pages: all, except: /visit/}",
	Good: "-- yellowgate.yaml --\nitems:\n  slides: {script: /js/slides.js, needs: [domkit], pages: all}\n" +
		"  domkit: {script: /js/domkit.js}\n-- site/visit/index.html --\n<p>Visit us.</p>",
	Page: func(p *check.Pass) {
		check.EachItem(p, func(v *verdict.Verdict, have *itemmatch.Presence) {
			if !v.In || have.Copies() == 0 {
				return
			}
			for _, need := range v.Item.Needs {
				n := p.Gated.Number(need.Value)
				if n < 0 {
					continue
				}
				w := &p.Gated.Result.Verdicts[n]
				there := p.Gated.Items[n].Copies() > 0
				line, col := whereStated(p, have)
				switch {
				case !w.In: // whether the page still has it or not: the gate file contradicts itself
					has := "which is not"
					if there {
						has = "which the gate keeps out"
					}
					p.Report(line, col, v.Item.Name,
						fmt.Sprintf("item %q is here and needs %q, %s (%s, %s)", v.Item.Name, need.Value, has,
							w.Reason, check.Rule(w)),
						fmt.Sprintf("let %q in on this page, or keep %q out of it", need.Value, v.Item.Name))
				case !there && w.Item.FoundOnly() && len(p.Gated.Items[n].Gone) == 0: // else missing-item tells it
					p.Report(line, col, v.Item.Name,
						fmt.Sprintf(
							"item %q is here and needs %q, which is not: it is found parts alone, and the source page has none",
							v.Item.Name, need.Value),
						fmt.Sprintf("give %q a script or code of its own, or keep %q out of this page", need.Value,
							v.Item.Name))
				}
			}
		})
	},
}

// whereStated is the place of an item on the page.
func whereStated(p *check.Pass, have *itemmatch.Presence) (line, column int) {
	for i := range have.Parts {
		if o := have.Parts[i].First(); o != nil {
			return p.Locate(o.Start)
		}
	}
	for _, n := range have.Found {
		if n >= 0 {
			return p.Elements[n].Line, p.Elements[n].Column
		}
	}
	return p.HeadAt()
}
