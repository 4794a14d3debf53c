package checks

import (
	"yellowgate/internal/core/gatefile"
)

var staleOutput = &Check{
	Name: "stale-output", Family: "gate", Severity: gatefile.Warning,
	Title: "the page is behind the gate file, its facts or its source",
	Doc: `Something that decides about this page was changed after the page was applied: visitors
still get the old one. Run yellowgate apply, and publish the output folder.`,
	Bad:  "(the gate file was changed this morning, the page applied yesterday)",
	Good: "(yellowgate apply has run since)",
	Page: func(p *Pass) {
		if p.State == Stale {
			p.Report(1, 1, "", "the page is behind the gate file, its facts or its source", "run yellowgate apply")
		}
	},
}
