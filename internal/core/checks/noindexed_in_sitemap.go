package checks

import (
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/page"
)

var noindexedInSitemap = &Check{
	Name: "noindexed-in-sitemap", Family: "head", Severity: gatefile.Error,
	Title: "the sitemap lists a page that asks not to be indexed",
	Doc: `The sitemap invites search engines to a page whose robots meta sends them away: one of
the two is a mistake, mostly a noindex that leaked from a template or a draft. Take
the noindex out, or the page out of the sitemap.`,
	Bad:  "-- site/visit/index.html --\n<meta name=\"robots\" content=\"noindex\">\n-- site/sitemap.xml --\n<urlset><url><loc>https://ternhill.example/visit/</loc></url></urlset>",
	Good: "-- site/visit/index.html --\n<title>Visit</title>\n-- site/sitemap.xml --\n<urlset><url><loc>https://ternhill.example/visit/</loc></url></urlset>",
	Site: func(s *SitePass) {
		if len(s.Sitemap) == 0 {
			return
		}
		for i := range s.Pages {
			if k := &s.Pages[i]; k.Noindex && s.Sitemap[page.Key(k.Path)] {
				s.Report(k, k.NoindexLine, k.NoindexCol, "the sitemap lists this page, and it asks not to be indexed", "take the noindex out (metadata with robots: none), or the page out of the sitemap")
			}
		}
	},
}
