package gate

import (
	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

var editedOutput = &check.Check{
	Name: "edited-output", Family: "gate", Severity: problem.Warning,
	Title: "the page was changed after it was applied",
	Doc: `The file in the output folder is not what the tool wrote. The next apply writes it
again, and the change is lost. Make the change in the source pages or in the gate
file.`,
	Bad: "-- yellowgate.yaml --\nitems:\n  notice: {code: <p>Open late</p>, pages: all}\n" +
		"-- site/visit/index.html --\n<p>Visit us.</p>\n-- public/visit/index.html, later --\n<p>Visit us today.</p>",
	Good: "-- yellowgate.yaml --\nitems:\n  notice: {code: <p>Open late</p>, pages: all}\n" +
		"-- site/visit/index.html --\n<p>Visit us today.</p>",
	Page: func(p *check.Pass) {
		if p.State == check.Edited {
			p.Report(1, 1, "", "the page was changed after it was applied; the next apply undoes that",
				"make the change in the source page or in the gate file")
		}
	},
}
