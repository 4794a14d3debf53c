package rendered

import (
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/problem"
)

var unexpectedRequest = &check.Check{
	Name: "unexpected-request", Family: "rendered", Severity: problem.Warning,
	Title: "the browser asks a host that is not trusted",
	Doc: `The gate file lists under site.trust the hosts that are expected, and a script of the page asks
another. Add the host, or remove what requests it. What the page's text names is reported by
unexpected-host. Reported by an audit with --browser only.`,
	Bad: "-- yellowgate.yaml --\nsite: {trust: [pay.lantern.example]}\n-- site/visit/index.html --\n" +
		"<script src=\"/js/box.js\" defer></script>\n-- site/js/box.js --\nbox();\n-- rendered.json --\n" +
		"{\"path\":\"/visit/\",\"screen\":\"1280x800\",\"requests\":[{\"target\":\"/visit/\"}," +
		"{\"target\":\"/js/box.js\",\"status\":200,\"asked\":{\"by\":\"page\",\"request\":-1}}," +
		"{\"target\":\"https://count.example/p.gif\",\"party\":\"third\",\"kind\":\"image\",\"status\":200," +
		"\"asked\":{\"by\":\"script\",\"request\":1}}]}",
	Good: "-- yellowgate.yaml --\nsite: {trust: [count.example]}\n-- site/visit/index.html --\n" +
		"<script src=\"/js/box.js\" defer></script>\n-- site/js/box.js --\nbox();\n-- rendered.json --\n" +
		"{\"path\":\"/visit/\",\"screen\":\"1280x800\",\"requests\":[{\"target\":\"/visit/\"}," +
		"{\"target\":\"/js/box.js\",\"status\":200,\"asked\":{\"by\":\"page\",\"request\":-1}}," +
		"{\"target\":\"https://count.example/p.gif\",\"party\":\"third\",\"kind\":\"image\",\"status\":200," +
		"\"asked\":{\"by\":\"script\",\"request\":1}}]}",
	Page: func(p *check.Pass) {
		if p.TrustsAll() {
			return
		}
		told := map[string]bool{}
		for _, r := range p.Visits() {
			for i := 1; i < len(r.Requests); i++ {
				x := &r.Requests[i]
				host := strings.ToLower(inventory.Host(x.Target))
				if x.Party != "third" || told[host] || p.HostTrusted(host) || p.TextHas(x.Target) {
					continue
				}
				told[host] = true
				p.AtTarget("", x.Item, host+" is not among the trusted hosts; "+x.Target+check.AskedBy(r, i),
					"add it under site.trust, or take out what asks it")
			}
		}
	},
}
