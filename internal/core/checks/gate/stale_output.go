package gate

import (
	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

var staleOutput = &check.Check{
	Name: check.StaleOutput, Family: "gate", Severity: problem.Warning,
	Title: "the page is behind the gate file, its facts or its source",
	Doc: `Something that decides about this page was changed after the page was applied: visitors
still get the old one. Run yellowgate apply, and publish the output folder.`,
	Bad: "-- yellowgate.yaml --\nitems:\n  notice: {code: <p>Open late</p>, pages: all}\n" +
		"-- site/visit/index.html --\n<p>Visit us.</p>\n-- yellowgate.yaml, later --\nitems:\n" +
		"  notice: {code: <p>Closed</p>, pages: all}",
	Good: "-- yellowgate.yaml --\nitems:\n  notice: {code: <p>Closed</p>, pages: all}\n" +
		"-- site/visit/index.html --\n<p>Visit us.</p>",
	Page: func(p *check.Pass) {
		if p.State == check.Stale {
			p.Report(1, 1, "", "the page is behind the gate file, its facts or its source", "run yellowgate apply")
		}
	},
}
