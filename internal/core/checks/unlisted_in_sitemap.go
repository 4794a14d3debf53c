package checks

import (
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/page"
)

var unlistedInSitemap = &Check{
	Name: "unlisted-in-sitemap", Family: "head", Severity: gatefile.Note,
	Title: "the sitemap does not list a page",
	Doc: `The site has a sitemap, and this page is not in it: search engines may find it late.
Pages that ask not to be indexed, redirects and copies are passed over.`,
	Bad:  "-- site/visit/index.html --\n<title>Visit</title>\n-- site/sitemap.xml --\n<urlset><url><loc>https://ternhill.example/</loc></url></urlset>",
	Good: "-- site/visit/index.html --\n<title>Visit</title>\n-- site/sitemap.xml --\n<urlset><url><loc>https://ternhill.example/visit/</loc></url></urlset>",
	Site: func(s *SitePass) {
		if len(s.Sitemap) == 0 || s.SitemapInPart {
			return
		}
		for i := range s.Pages {
			k := &s.Pages[i]
			if k.Noindex || k.Redirect || s.Sitemap[page.Key(k.Path)] || k.Canonical != "" && page.Key(k.Canonical) != page.Key(k.Path) {
				continue
			}
			s.Report(k, max(k.TitleLine, 1), max(k.TitleCol, 1), "the sitemap does not list this page", "let the site's build list it, or give it robots: noindex if that is meant")
		}
	},
}
