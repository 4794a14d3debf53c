package rendered

import (
	"fmt"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/pageload"
	"yellowgate/internal/core/problem"
)

var popupStaysShut = &check.Check{
	Name: "popup-stays-shut", Family: "rendered", Severity: problem.Error,
	Title: "a popup does not open by what opens it",
	Doc: `The browser went to the popup's fragment, clicked on what its open: names, scrolled, left the page
with the pointer, or let its time pass, and the popup stayed shut: a script of the page stops the
event, a policy blocks the runtime, or something takes it out. Reported by an audit with --browser
only. With --network, what opens by itself is not tried, since the page is loaded again for it.`,
	Bad: "-- site/visit/index.html --\n<p>x</p>\n-- rendered.json --\n" +
		"{\"path\":\"/visit/\",\"screen\":\"1280x800\",\"requests\":[{\"target\":\"/visit/\"}]," +
		"\"popups\":[{\"id\":\"letter\",\"item\":\"letter\",\"way\":\"fragment\",\"with\":\"letter\"}]}",
	Good: "-- site/visit/index.html --\n<p>x</p>\n-- rendered.json --\n" +
		"{\"path\":\"/visit/\",\"screen\":\"1280x800\",\"requests\":[{\"target\":\"/visit/\"}]," +
		"\"popups\":[{\"id\":\"letter\",\"item\":\"letter\",\"way\":\"fragment\",\"with\":\"letter\"," +
		"\"opened\":true,\"closed\":true}]}",
	Page: func(p *check.Pass) {
		eachPopup(p, func(x pageload.Popup) {
			if x.Opened {
				return
			}
			how := map[string]string{"fragment": "at #" + x.With, "click": "by a click on " + x.With,
				"after": "by itself after " + x.With + " s", "scroll": "by scrolling to " + x.With + " %",
				"leaving": "when the pointer leaves the page"}[x.Way]
			reportDialog(p, x, fmt.Sprintf("the popup %s does not open %s", x.ID, how),
				"look at the mistakes of the page, and for what stops the event or blocks the popup's runtime")
		})
	},
}

var popupTraps = &check.Check{
	Name: "popup-traps", Family: "rendered", Severity: problem.Error,
	Title: "a popup cannot be closed by the keyboard",
	Doc: `The popup opened, and neither Escape nor Enter on its closing button closed it (WCAG 2.1, success
criterion 2.1.2: no keyboard trap): a script stops the key, or opens the popup again. Reported by an
audit with --browser only.`,
	Bad: "-- site/visit/index.html --\n<p>x</p>\n-- rendered.json --\n" +
		"{\"path\":\"/visit/\",\"screen\":\"1280x800\",\"requests\":[{\"target\":\"/visit/\"}]," +
		"\"popups\":[{\"id\":\"letter\",\"item\":\"letter\",\"way\":\"fragment\",\"with\":\"letter\"," +
		"\"opened\":true}]}",
	Good: popupStaysShut.Good,
	Page: func(p *check.Pass) {
		eachPopup(p, func(x pageload.Popup) {
			if x.Opened && !x.Closed {
				reportDialog(p, x, fmt.Sprintf("neither Escape nor a closing button closes the popup %s", x.ID),
					"let the browser close it: look for what stops the key, or opens it again")
			}
		})
	},
}

// eachPopup visits the popups that were tried.
func eachPopup(p *check.Pass, visit func(pageload.Popup)) {
	for _, r := range p.Visits() {
		for _, x := range r.Popups {
			visit(x)
		}
	}
}

// reportDialog reports at the popup's dialog in the text.
func reportDialog(p *check.Pass, x pageload.Popup, message, remedy string) {
	line, column := 1, 1
	for e := range p.All() {
		if e.Tag == "dialog" && x.Item != "" && e.Item == x.Item && e.Line > 0 {
			line, column = e.Line, e.Column
			break
		}
	}
	p.Once(line, column, x.Item, message, remedy)
}
