package head

import (
	"regexp"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/problem"
)

var noZoom = &check.Check{
	Name: "no-zoom", Family: "head", Severity: problem.Note, Whole: true,
	Title: "the viewport keeps visitors from zooming",
	Doc: `user-scalable=no, or a maximum-scale below 2, keeps those from reading who see badly (WCAG 2.2,
1.4.4). Leave it out of the viewport.`,
	Bad:  "<head>\n  <meta name=\"viewport\" content=\"width=device-width, user-scalable=no\">\n  <title>Visit</title>",
	Good: "<head>\n  <meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n  <title>Visit</title>",
	Page: func(p *check.Pass) {
		eachViewport(p, func(v string, at markup.Element) {
			if forbidsZoom.MatchString(v) {
				p.AtElement(at, "the viewport keeps visitors from zooming: "+forbidsZoom.FindString(v),
					"leave it out: width=device-width, initial-scale=1")
			}
		})
	},
}

var forbidsZoom = regexp.MustCompile(`(?i)user-scalable\s*=\s*(no|0)\b|maximum-scale\s*=\s*(0?\.\d+|1(\.\d+)?)\b`)

// eachViewport visits the viewports of a page that the gate does not give it.
func eachViewport(p *check.Pass, visit func(value string, at markup.Element)) {
	if check.GateGives(p, "viewport") {
		return
	}
	values, at := p.Metadata("viewport")
	for i, v := range values[:min(len(values), len(at))] {
		visit(v, at[i])
	}
}
