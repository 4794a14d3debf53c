package head

import (
	"yellowgate/internal/core/check"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/problem"
)

var unlistedInSitemap = &check.Check{
	Name: "unlisted-in-sitemap", Family: "head", Severity: problem.Note,
	Title: "the sitemap does not list a page",
	Doc: `The site has a sitemap, and this page is not in it: search engines may find it late.
Pages that ask not to be indexed, redirects and copies are passed over.`,
	Bad: "-- site/visit/index.html --\n<title>Visit</title>\n-- site/sitemap.xml --\n" +
		"<urlset><url><loc>https://ternhill.example/</loc></url></urlset>",
	Good: "-- site/visit/index.html --\n<title>Visit</title>\n-- site/sitemap.xml --\n" +
		"<urlset><url><loc>https://ternhill.example/visit/</loc></url></urlset>",
	Site: func(s *check.SitePass) {
		if len(s.Sitemap) == 0 || s.SitemapInPart {
			return
		}
		for _, x := range *findableFact.All(s) {
			if !s.Sitemap[page.Key(x.Path)] {
				s.Report(x.PageAt, x.Line, x.Column, "the sitemap does not list this page",
					"let the site's build list it, or give it robots: noindex if that is meant")
			}
		}
	},
}

// findableFact keeps where the title stands of a page that search engines should find as it is.
var findableFact = &check.Kind[phrase, []phraseOn]{
	ID: "findable",
	Of: func(p *check.Pass) *phrase {
		if p.Aside() || p.Noindex() {
			return nil
		}
		if c := canonicalFact.Of(p); c != nil && page.Key(c.Canonical) != page.Key(p.Path) {
			return nil
		}
		line, column := titleAt(p)
		return &phrase{Line: max(line, 1), Column: max(column, 1)}
	},
	Add: func(sum *[]phraseOn, at check.PageAt, fact *phrase) { *sum = append(*sum, phraseOn{at, *fact}) },
}
