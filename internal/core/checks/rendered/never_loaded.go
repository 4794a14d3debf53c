package rendered

import (
	"slices"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/pageload"
	"yellowgate/internal/core/problem"
)

var neverLoaded = &check.Check{
	Name: "never-loaded", Family: "rendered", Severity: problem.Error, Says: check.Missing,
	Title: "an expected item was never requested by the browser, or did not run",
	Doc: `The page's text has the item's script or stylesheet, and the browser did not request it: it
stands where markup is inert, a script took it out before it was read, or a consent tool
holds it back until somebody agrees. Or it came and did not run: its type was changed meanwhile, or a module that
it imports is not there. Reported by an audit with --browser only.`,
	Bad: "-- yellowgate.yaml --\nitems:\n  counter: {script: /js/counter.js, pages: all}\n" +
		"-- site/visit/index.html --\n<p>x</p>\n-- site/js/counter.js --\ncount();\n-- rendered.json --\n" +
		"{\"path\":\"/visit/\",\"screen\":\"1280x800\",\"requests\":[{\"target\":\"/visit/\"}]}",
	Good: "-- yellowgate.yaml --\nitems:\n  counter: {script: /js/counter.js, pages: all}\n" +
		"-- site/visit/index.html --\n<p>x</p>\n-- site/js/counter.js --\ncount();\n-- rendered.json --\n" +
		"{\"path\":\"/visit/\",\"screen\":\"1280x800\",\"requests\":[{\"target\":\"/visit/\"}," +
		"{\"target\":\"/js/counter.js\",\"kind\":\"script\",\"status\":200,\"asked\":{\"by\":\"page\"," +
		"\"request\":-1}}]}",
	Page: func(p *check.Pass) {
		visits := slices.DeleteFunc(p.Visits(), (*pageload.Record).Left) // before it was read to its end
		if len(visits) == 0 {
			return
		}
		for i := range p.Elements {
			e := &p.Elements[i]
			if !check.Own(e) || !e.Loads || !e.IsScript() && !e.IsStylesheet() || !p.IsIn(e.Item) {
				continue
			}
			asked := slices.ContainsFunc(visits, func(r *pageload.Record) bool {
				return slices.ContainsFunc(r.Requests, func(x pageload.Request) bool { return x.Target == e.Target })
			})
			switch {
			case !asked:
				p.At(e, "the browser never requested "+e.URL,
					"look for what takes it out or holds it back before the browser gets to it")
			case e.IsScript() && e.Bytes > 0 && slices.ContainsFunc(visits,
				func(r *pageload.Record) bool { return cameIdle(r, e.Target) }):
				p.At(e, e.URL+" came and did not run",
					"look for what changed its type or took it out, and whether what it imports is there")
			}
		}
	},
}

// cameIdle reports whether a script came on a visit that counts what runs, and did not run.
func cameIdle(r *pageload.Record, target string) bool {
	came := slices.ContainsFunc(r.Requests, func(x pageload.Request) bool {
		return x.Target == target && x.Kind == "script" && x.Status == 200 && x.Failed == ""
	})
	return came && r.Counted &&
		!slices.ContainsFunc(r.Used, func(u pageload.Used) bool { return u.Target == target && u.Kind == "script" })
}
