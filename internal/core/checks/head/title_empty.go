package head

import (
	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

var titleEmpty = &check.Check{
	Name: "title-empty", Family: "head", Severity: problem.Warning, Sought: true,
	Title: "the title is empty",
	Doc: `A tab, a bookmark and a search result show nothing, or the address. Write what the
page is about, or let a rule do it: title: "@{page.heading} | @{site.name}".`,
	Bad:  "<title> </title>",
	Good: "<title>Visit | Tern Hill Observatory</title>",
	Page: func(p *check.Pass) {
		if p.LeadsAway() || check.GateGives(p, "title") {
			return
		}
		for _, e := range check.Titles(p) {
			if e.Label == "" {
				p.At(e, "the title is empty",
					p.Site.Remedy(`write one, or set it by a metadata rule: title: "@{page.heading} | @{site.name}"`,
						"write one that tells the page from the others"))
			}
		}
	},
}
