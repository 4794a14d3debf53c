package rendered

import (
	"fmt"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/pageload"
	"yellowgate/internal/core/problem"
)

var runtimeLeak = &check.Check{
	Name: "runtime-leak", Family: "rendered", Severity: problem.Error, Says: check.Leaked,
	Title: "an item that is out here is brought in by a script",
	Doc: `The page's text does not have the item, and the gate says that it is out; a script puts it in or
still requests its files, mostly a tag container or a loader. The finding names the
chain that leads to it. Keep that script out of the page, or change its settings. Reported
by an audit with --browser only.`,
	Bad: "-- yellowgate.yaml --\nitems:\n  counter: {found: {url: /js/counter.js}, pages: /}\n" +
		"-- site/visit/index.html --\n<script src=\"/js/box.js\" defer></script>\n-- site/js/box.js --\nbox();\n" +
		"-- site/js/counter.js --\ncount();\n-- rendered.json --\n" +
		"{\"path\":\"/visit/\",\"screen\":\"1280x800\",\"requests\":[{\"target\":\"/visit/\"}," +
		"{\"target\":\"/js/box.js\",\"status\":200,\"asked\":{\"by\":\"page\",\"request\":-1}}," +
		"{\"target\":\"/js/counter.js\",\"status\":200,\"item\":\"counter\",\"asked\":{\"by\":\"script\"," +
		"\"request\":1}}]}",
	Good: "-- yellowgate.yaml --\nitems:\n  counter: {found: {url: /js/counter.js}, pages: all}\n" +
		"-- site/visit/index.html --\n<script src=\"/js/box.js\" defer></script>\n-- site/js/box.js --\nbox();\n" +
		"-- site/js/counter.js --\ncount();\n-- rendered.json --\n" +
		"{\"path\":\"/visit/\",\"screen\":\"1280x800\",\"requests\":[{\"target\":\"/visit/\"}," +
		"{\"target\":\"/js/box.js\",\"status\":200,\"asked\":{\"by\":\"page\",\"request\":-1}}," +
		"{\"target\":\"/js/counter.js\",\"status\":200,\"item\":\"counter\",\"asked\":{\"by\":\"script\"," +
		"\"request\":1}}]}",
	Page: func(p *check.Pass) {
		p.EachOut(func(it *gatefile.Item) {
			for _, r := range p.Visits() {
				told := false
				for i := 1; i < len(r.Requests) && !told; i++ {
					if x := &r.Requests[i]; x.Item == it.Name && x.Asked.By != "page" &&
						!ofItem(r, x.Asked.Request, it) &&
						!p.TextNames(x.Target) {
						p.AtTarget("", it.Name,
							fmt.Sprintf("item %q is excluded here, and %s is still requested%s", it.Name, x.Target,
								check.AskedBy(r, i)), "keep what requests it out of the page, or change its settings")
						told = true
					}
				}
				for i := 0; i < len(r.Elements) && !told; i++ {
					if e := &r.Elements[i]; e.Item == it.Name && e.Came == "script" &&
						!(e.By != nil && ofItem(r, e.By.Request, it)) {
						p.AtTarget("", it.Name,
							fmt.Sprintf("item %q is excluded here, and a script still inserts it: %s", it.Name,
								r.Places(e.By)), "keep that script out of the page, or change its settings")
						told = true
					}
				}
			}
		})
	},
}

// ofItem reports whether a request is an item's: what that leads to is no news once it is there itself.
func ofItem(r *pageload.Record, request int, it *gatefile.Item) bool {
	return request > 0 && r.Requests[request].Item == it.Name
}
