package loading

import (
	"slices"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

var lateStyle = &check.Check{
	Name: "late-style", Family: "loading", Severity: problem.Warning,
	Title: "a stylesheet stands in the body",
	Doc: `The page is shown without it first and jumps when it comes; in some browsers
everything behind it waits. Put stylesheets into the head.`,
	Bad:  "<body>\n  <p>x</p>\n  <link rel=\"stylesheet\" href=\"/css/late.css\">",
	Good: "<head>\n  <link rel=\"stylesheet\" href=\"/css/late.css\">",
	Page: func(p *check.Pass) {
		fallen := check.FallenFrom(p)
		for i := range p.Elements {
			if e := &p.Elements[i]; check.Own(e) && e.IsStylesheet() && e.Area == "body" &&
				!slices.Contains(fallen, i) {
				p.At(e, e.URL+" is a stylesheet in the body: the page jumps when it arrives",
					p.Site.Remedy("move it into the head; an item's stylesheet goes there by itself",
						"move it into the head"))
			}
		}
	},
}
