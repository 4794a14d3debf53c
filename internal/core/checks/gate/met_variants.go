package gate

import (
	"fmt"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

var metVariants = &check.Check{
	Name: "met-variants", Family: "gate", Severity: problem.Error,
	Title: "two variants that must never meet are both on the page",
	Doc: `The gate file says with not-with that the two items must never be on one page, and
this page has both. Two versions of one script mostly undo each other's work. Keep
one of them out of the page, or take the copy out that something else writes.`,
	Bad: "-- yellowgate.yaml --\nitems:\n" +
		"  plain-map: {found: {url: /js/map.js}, pages: none, not-with: [sky-map]}\n" +
		"  sky-map: {found: {url: /js/sky-map.js}, pages: all}\n-- site/visit/index.html --\n<p>Visit us.</p>\n" +
		"-- public/visit/index.html, later --\n<script src=\"/js/map.js\" defer></script>\n" +
		"<script src=\"/js/sky-map.js\" defer></script>",
	Good: "-- yellowgate.yaml --\nitems:\n" +
		"  plain-map: {found: {url: /js/map.js}, pages: none, not-with: [sky-map]}\n" +
		"  sky-map: {found: {url: /js/sky-map.js}, pages: all}\n-- site/visit/index.html --\n" +
		"<script src=\"/js/sky-map.js\" defer></script>",
	Page: func(p *check.Pass) {
		if p.Gated == nil {
			return
		}
		told := map[[2]int]bool{}
		p.Gated.Gate.Plan.Variants(func(a, b int, line problem.Position) {
			if told[[2]int{b, a}] || p.Gated.Items[a].Copies() == 0 || p.Gated.Items[b].Copies() == 0 {
				return
			}
			told[[2]int{a, b}] = true
			items := p.Gated.Gate.File.Items
			l, c := whereStated(p, &p.Gated.Items[b])
			p.Report(l, c, items[b].Name,
				fmt.Sprintf("items %q and %q must never meet (%s), and the page has both", items[a].Name,
					items[b].Name, line), "keep one of them out of this page")
		})
	},
}
