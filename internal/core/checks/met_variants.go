package checks

import (
	"fmt"

	"yellowgate/internal/core/gatefile"
)

var metVariants = &Check{
	Name: "met-variants", Family: "gate", Severity: gatefile.Error,
	Title: "two variants that must never meet are both on the page",
	Doc: `The gate file says with not-with that the two items must never be on one page, and
this page has both. Two versions of one script mostly undo each other's work. Keep
one of them out of the page, or take the copy out that something else writes.`,
	Bad:  "items:\n  plain-map: {script: /js/map.js, not-with: sky-map, pages: all}\n  sky-map: {script: /js/sky-map.js, pages: /sky-tonight/}",
	Good: "items:\n  plain-map: {script: /js/map.js, not-with: sky-map, pages: all, except: /sky-tonight/}\n  sky-map: {script: /js/sky-map.js, pages: /sky-tonight/}",
	Page: func(p *Pass) {
		if p.Gated == nil {
			return
		}
		told := map[[2]int]bool{}
		p.Gated.Gate.Plan.Variants(func(a, b int, line gatefile.Position) {
			if told[[2]int{b, a}] || p.Gated.Items[a].Copies() == 0 || p.Gated.Items[b].Copies() == 0 {
				return
			}
			told[[2]int{a, b}] = true
			items := p.Gated.Gate.File.Items
			l, c := p.where(&p.Gated.Items[b])
			p.Report(l, c, items[b].Name, fmt.Sprintf("items %q and %q must never meet (%s), and the page has both", items[a].Name, items[b].Name, line),
				"keep one of them out of this page")
		})
	},
}
