package rendered

import (
	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

var loadedByScript = &check.Check{
	Name: "loaded-by-script", Family: "rendered", Severity: problem.Note,
	Title: "scripts bring in what no element of the page's text names",
	Doc: `What a script loads is invisible in the page source. The finding names the chain that led to
it. It is no mistake by itself; it is what to know before anything is taken out. Reported by an
audit with --browser only.`,
	Bad: "-- site/visit/index.html --\n<script src=\"/js/box.js\" defer></script>\n-- site/js/box.js --\nbox();\n" +
		"-- rendered.json --\n" +
		"{\"path\":\"/visit/\",\"screen\":\"1280x800\",\"requests\":[{\"target\":\"/visit/\"}," +
		"{\"target\":\"/js/box.js\",\"kind\":\"script\",\"status\":200,\"asked\":{\"by\":\"page\"," +
		"\"request\":-1}},{\"target\":\"https://chat.example/chat.js\",\"party\":\"third\",\"kind\":\"script\"," +
		"\"status\":200,\"asked\":{\"by\":\"script\",\"request\":1}}]}",
	Good: "-- site/visit/index.html --\n<script src=\"/js/box.js\" defer></script>\n-- site/js/box.js --\nbox();\n" +
		"-- rendered.json --\n" +
		"{\"path\":\"/visit/\",\"screen\":\"1280x800\",\"requests\":[{\"target\":\"/visit/\"}," +
		"{\"target\":\"/js/box.js\",\"kind\":\"script\",\"status\":200,\"asked\":{\"by\":\"page\"," +
		"\"request\":-1}}]}",
	Page: func(p *check.Pass) {
		for _, r := range p.Visits() {
			for i := 1; i < len(r.Requests); i++ {
				x := &r.Requests[i]
				if x.Asked.By == "script" &&
					(x.Kind == "script" || x.Kind == "style" || x.Kind == "frame" || x.Party == "third") &&
					!p.TextNames(x.Target) {
					by := check.AskedBy(r, i)
					p.AtTarget("", x.Item, x.Target+by,
						"know it before anything is taken out; an item can name it: found: {url: …}")
				}
			}
		}
	},
}
