package rendered

import (
	"fmt"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

// coveredShare is the share of the screen from which on a dialog covers the page.
const coveredShare = 0.3

var coversThePage = &check.Check{
	Name: "covers-the-page", Family: "rendered", Severity: problem.Warning,
	Title: "something that no item of the gate opens covers the page once it has loaded",
	Doc: `A dialog is open that blocks the whole page (it is modal), or one, a popover, a fixed box or a frame takes
up a third of the screen and more, over something of the page: mostly a consent banner, an offer or a chat of somebody else. Visitors must close it before
they can read. Reported by an audit with --browser only; popups of items that are in are meant.`,
	Bad: "-- site/visit/index.html --\n<p>x</p>\n-- rendered.json --\n" +
		"{\"path\":\"/visit/\",\"screen\":\"1280x800\",\"requests\":[{\"target\":\"/visit/\"}]," +
		"\"dialogs\":[{\"id\":\"ask\",\"covers\":0.1,\"modal\":true}]}",
	Good: "-- site/visit/index.html --\n<p>x</p>\n-- rendered.json --\n" +
		"{\"path\":\"/visit/\",\"screen\":\"1280x800\",\"requests\":[{\"target\":\"/visit/\"}]," +
		"\"dialogs\":[{\"id\":\"hint\",\"covers\":0.1}]}",
	Page: func(p *check.Pass) {
		for _, r := range p.Visits() {
			for _, d := range r.Dialogs {
				if p.IsIn(d.Item) || !d.Modal && d.Covers < coveredShare {
					continue
				}
				name, item, by := "a dialog", d.Item, ""
				if d.Is != "" {
					name = d.Is
				} else if d.ID != "" {
					name = "the dialog " + d.ID
				}
				for i := range r.Elements {
					if e := &r.Elements[i]; e.Tag == "dialog" && e.What == d.ID && e.Came == "script" {
						item, by = e.Item, ", put in by "+r.Places(e.By)
						break
					}
				}
				if p.IsIn(item) {
					continue
				}
				what := fmt.Sprintf("%s covers %.0f %% of the screen", name, d.Covers*100)
				if d.Modal {
					what = name + " stands before the page, and nothing else can be used until it is closed"
				}
				p.Once(1, 1, item, what+by, "take out what opens it, or let it open later")
			}
		}
	},
}
