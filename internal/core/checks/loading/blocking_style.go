package loading

import (
	"fmt"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/problem"
)

var blockingStyle = &check.Check{
	Name: "blocking-style", Family: "loading", Severity: problem.Note,
	Title: "several stylesheets hold up the first paint",
	Doc: `Rendering is blocked until all stylesheets of the head have come. Four and more are
mostly a sign that some are not needed here, or could be one file.`,
	Bad:  "<link rel=\"stylesheet\" href=\"/a.css\">\n<link rel=\"stylesheet\" href=\"/b.css\">\n<link rel=\"stylesheet\" href=\"/c.css\">\n<link rel=\"stylesheet\" href=\"/d.css\">",
	Good: "<link rel=\"stylesheet\" href=\"/site.css\">",
	Page: func(p *check.Pass) {
		var blocking []*inventory.Element
		for i := range p.Elements {
			if e := &p.Elements[i]; check.Own(e) && e.IsStylesheet() && e.Area == "head" && e.Runs == "blocking" {
				blocking = append(blocking, e)
			}
		}
		if len(blocking) > 3 {
			p.At(
				blocking[0],
				fmt.Sprintf("%d stylesheets hold up the first paint, from here on", len(blocking)),
				"let those in only where they are needed; give print styles media=print",
			)
		}
	},
}
