package loading

import (
	"fmt"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

var overBudget = &check.Check{
	Name: "over-budget", Family: "loading", Severity: problem.Error,
	Title: "the page is heavier than its budget",
	Doc: `The gate file sets budgets for such pages, and this one is over: it loads more
requests, more bytes, more that blocks or more third parties than was agreed. What only a
browser measures (wire, requests-made, paint, shift, blocking-time) counts with --browser. What
is over is measured again, alone, until two visits agree, three times at most; the middle one
counts.`,
	Bad: "-- yellowgate.yaml --\nbudgets: [{pages: all, scripts: 1 kB}]\n-- site/js/site.js --\n" +
		"/* of 1,200 bytes */\n-- site/visit/index.html --\n<script src=\"/js/site.js\" defer></script>",
	Good: "-- yellowgate.yaml --\nbudgets: [{pages: all, scripts: 2 kB}]\n-- site/js/site.js --\n" +
		"/* of 1,200 bytes */\n-- site/visit/index.html --\n<script src=\"/js/site.js\" defer></script>",
	Page: func(p *check.Pass) {
		if p.Gated == nil {
			return
		}
		for _, b := range p.Gated.Gate.File.Budgets {
			if !check.Chosen(b.Pages, p.Gated.Result) {
				continue
			}
			cost := costOf(p)
			for _, l := range b.Limits {
				have := cost[l.Key]
				for _, r := range p.Visits() { // the worst of the screens
					have = max(have, r.Measure(l.Key))
				}
				if have > l.Most && l.Measured() {
					p.Once(1, 1, "",
						fmt.Sprintf("%s: %s, and the budget is %s (%s)", l.Key, l.Say(have), l.Say(l.Most), l.Pos),
						"yellowgate show "+p.Path+" --browser lists what came, and when").Of(l.Key)
				} else if have > l.Most {
					line, col := p.HeadAt()
					p.Report(line, col, "",
						fmt.Sprintf("%s: %s, and the budget is %s (%s)", l.Key, l.Say(have), l.Say(l.Most), l.Pos),
						"let something in only where it is needed; yellowgate show "+p.Path+
							" lists what weighs").Of(l.Key)
				}
			}
		}
	},
}

// costOf are what the page costs a visitor, by the keys of a budget: bytes of
// scripts, of styles and of all with the page itself; blocking resources, requests,
// hosts of third parties.
func costOf(p *check.Pass) map[string]int {
	c := p.Cost()
	return map[string]int{
		"total":   p.Bytes + c.Loaded,
		"scripts": c.Scripts, "styles": c.Styles, "requests": c.Requests, "blocking": c.Blocking,
		"third-parties": c.ThirdParties,
	}
}
