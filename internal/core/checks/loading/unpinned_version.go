package loading

import (
	"regexp"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

var unpinnedVersion = &check.Check{
	Name: "unpinned-version", Family: "loading", Severity: problem.Note, Whole: true,
	Title: "third-party code is loaded at a moving version",
	Doc: `The address says latest, or names a branch: the code may change any day, without
anybody here doing anything. Name a version.`,
	Bad:  "<script src=\"https://lib.example/stars@latest/a.js\"></script>",
	Good: "<script src=\"https://lib.example/stars@2.1.0/a.js\"></script>",
	Page: func(p *check.Pass) {
		for i := range p.Elements {
			if e := &p.Elements[i]; check.Own(e) && e.Loads && e.Party == "third" && moving.MatchString(e.Target) {
				p.At(e, e.URL+" is at a moving version", "name a version")
			}
		}
	},
}

var moving = regexp.MustCompile(`(?i)[/@](latest|master|main|nightly|edge|canary)([/@.]|$)`)
