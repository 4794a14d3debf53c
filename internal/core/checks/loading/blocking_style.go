package loading

import (
	"fmt"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/problem"
)

var blockingStyle = &check.Check{
	Name: "blocking-style", Family: "loading", Severity: problem.Note,
	Title: "several stylesheets block the first paint",
	Doc: `Rendering is blocked until all stylesheets of the head have come. Four and more are
mostly a sign that some are not needed here, or could be one file.`,
	Bad: "-- site/a.css --\np { color: red }\n-- site/b.css --\np { color: red }\n-- site/c.css --\n" +
		"p { color: red }\n-- site/d.css --\np { color: red }\n-- site/visit/index.html --\n" +
		"<link rel=\"stylesheet\" href=\"/a.css\">\n<link rel=\"stylesheet\" href=\"/b.css\">\n" +
		"<link rel=\"stylesheet\" href=\"/c.css\">\n<link rel=\"stylesheet\" href=\"/d.css\">",
	Good: "-- site/site.css --\np { color: red }\n-- site/visit/index.html --\n" +
		"<link rel=\"stylesheet\" href=\"/site.css\">",
	Page: func(p *check.Pass) {
		var blocking []*inventory.Element
		for i := range p.Elements {
			if e := &p.Elements[i]; check.Own(e) && e.IsStylesheet() && e.Area == "head" && e.Runs == "blocking" && !e.Dead {
				blocking = append(blocking, e)
			}
		}
		if len(blocking) > 3 {
			p.At(blocking[0], fmt.Sprintf("%d stylesheets block the first paint, from this one on", len(blocking)),
				"load only those that the page uses; give print styles media=print")
		}
	},
}
