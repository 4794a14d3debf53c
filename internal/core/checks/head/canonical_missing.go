package head

import (
	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

var canonicalMissing = &check.Check{
	Name: "canonical-missing", Family: "head", Severity: problem.Note, Sought: true, Whole: true,
	Title: "the page has no canonical",
	Doc: `Without a canonical link a search engine decides by itself which of several addresses
of a page counts (with and without www, with parameters). It is not required where nothing
says at which address the site is: no gate file, no sitemap, no page with a canonical. One rule sets it for all
pages: canonical: "@{page.url}".`,
	Bad:  "<title>Visit</title>",
	Good: "<title>Visit</title>\n<link rel=\"canonical\" href=\"https://ternhill.example/visit/\">",
	Page: func(p *check.Pass) {
		if p.Aside() || p.Fragment || p.Frameset || check.GateGives(p, "canonical") ||
			p.Site != nil && p.Site.Nowhere {
			return
		}
		if len(check.Canonicals(p)) == 0 && !p.Noindex() {
			line, col := p.HeadAt()
			p.Report(line, col, "", "the page has no canonical",
				p.Site.Remedy(`set it for all pages by a metadata rule: canonical: "@{page.url}"`,
					`write <link rel="canonical" href="…"> with the page's whole address`))
		}
	},
}
