package head

import (
	"yellowgate/internal/core/check"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/problem"
)

var noindexedInSitemap = &check.Check{
	Name: "noindexed-in-sitemap", Family: "head", Severity: problem.Warning,
	Title: "the sitemap lists a page that asks not to be indexed",
	Doc: `The sitemap invites search engines to a page whose robots meta (or the header
X-Robots-Tag, where a capture keeps it) sends them away: one of
the two is a mistake, mostly a noindex that leaked from a template or a draft. Take
the noindex out, or the page out of the sitemap.`,
	Bad: "-- site/visit/index.html --\n<meta name=\"robots\" content=\"noindex\">\n-- site/sitemap.xml --\n" +
		"<urlset><url><loc>https://ternhill.example/visit/</loc></url></urlset>",
	Good: "-- site/visit/index.html --\n<title>Visit</title>\n-- site/sitemap.xml --\n" +
		"<urlset><url><loc>https://ternhill.example/visit/</loc></url></urlset>",
	Site: func(s *check.SitePass) {
		if len(s.Sitemap) == 0 {
			return
		}
		for _, x := range noindexFact.All(s).pages {
			if s.Sitemap[page.Key(x.Path)] {
				s.Report(x.PageAt, x.Line, x.Column, "the sitemap lists this page, and it asks not to be indexed",
					"take the noindex out (metadata with robots: none), or the page out of the sitemap")
			}
		}
	},
}

// allNoindex are the pages that ask not to be indexed.
type allNoindex struct {
	pages []phraseOn
	keys  map[string]bool
}

// noindexFact keeps where a page asks not to be indexed.
var noindexFact = &check.Kind[phrase, allNoindex]{
	ID: "noindex",
	Of: func(p *check.Pass) *phrase {
		if !p.Noindex() {
			return nil
		}
		f := &phrase{Line: 1, Column: 1}
		if _, at := p.Metadata("robots"); len(at) > 0 {
			f.Line, f.Column = p.LineOfElement(at[0])
		}
		return f
	},
	Add: func(sum *allNoindex, at check.PageAt, fact *phrase) {
		if sum.keys == nil {
			sum.keys = map[string]bool{}
		}
		sum.pages = append(sum.pages, phraseOn{at, *fact})
		sum.keys[page.Key(at.Path)] = true
	},
}
