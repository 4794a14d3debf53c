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
	Bad:  "/visit/  <meta name=\"robots\" content=\"noindex\">\n(and /visit/ in sitemap.xml)",
	Good: "/visit/  (without noindex)",
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
