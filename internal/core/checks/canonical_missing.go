package checks

import (
	"yellowgate/internal/core/problem"
)

var canonicalMissing = &Check{
	Name: "canonical-missing", Family: "head", Severity: problem.Note, Whole: true,
	Title: "the page has no canonical",
	Doc: `Without a canonical link a search engine decides by itself which of several addresses
of a page counts (with and without www, with parameters). One rule sets it for all
pages: canonical: "@{page.url}".`,
	Bad:  "<title>Visit</title>",
	Good: "<title>Visit</title>\n<link rel=\"canonical\" href=\"https://ternhill.example/visit/\">",
	Page: func(p *Pass) {
		if p.aside() || p.Fragment || p.Frameset || gateGives(p, "canonical") {
			return
		}
		if len(canonicals(p)) == 0 && !p.Noindex() {
			line, col := p.headAt()
			p.Report(line, col, "", "the page has no canonical", `set it for all pages by a metadata rule: canonical: "@{page.url}"`)
		}
	},
}
