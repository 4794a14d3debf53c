package rendered

import (
	"fmt"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

var cookieSet = &check.Check{
	Name: "cookie-set", Family: "rendered", Severity: problem.Note,
	Title: "the page leaves something in the visitor's browser",
	Doc: `A cookie, or something in the browser's storage, by its name; a third party's cookie is a warning.
Visitors may have to be asked first. Values are never recorded. Reported by an audit with
--browser only.`,
	Bad: "-- site/visit/index.html --\n<p>x</p>\n-- rendered.json --\n" +
		"{\"path\":\"/visit/\",\"screen\":\"1280x800\",\"requests\":[{\"target\":\"/visit/\"}]," +
		"\"stored\":[{\"kind\":\"cookie\",\"name\":\"seen\",\"host\":\"ternhill.example\",\"days\":30}]}",
	Good: "-- site/visit/index.html --\n<p>x</p>\n-- rendered.json --\n" +
		"{\"path\":\"/visit/\",\"screen\":\"1280x800\",\"requests\":[{\"target\":\"/visit/\"}]}",
	Page: func(p *check.Pass) {
		for _, r := range p.Visits() {
			for _, s := range r.Stored {
				what := map[string]string{"cookie": "the cookie " + s.Name, "local": s.Name + " in the local storage",
					"session": s.Name + " in the session storage", "database": "the database " + s.Name,
					"cache": "the cache " + s.Name}[s.Kind]
				if s.Days > 0 {
					what += fmt.Sprintf(", for %d days", s.Days)
				}
				if s.Third {
					what += ", of " + s.Host
				}
				f := p.Once(1, 1, "", "it leaves "+what,
					"ask visitors first where that is asked of you, or take out what sets it").Of(s.Name)
				if s.Third && f != nil {
					f.Severity = problem.Warning
				}
			}
		}
	},
}
