package siteaudit

import (
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/weburl"
	"yellowgate/internal/site"
)

// pagesThatVote is about how many pages are asked how their site is addressed.
const pagesThatVote = 24

// learn finds out what no gate file says of a folder: whether about.html is called /about, and below which path of
// its host the site is.
func (s *auditing) learn() {
	hasFile, _ := site.Index(s.files, s.pages)
	base := weburl.NewBaseVote(hasFile)
	texts := map[string][]byte{} // by the paths of the pages that vote
	for i := 0; i < len(s.pages); i += max(1, len(s.pages)/pagesThatVote) {
		if text, err := s.from.Read(s.pages[i].File); err == nil {
			base.Add(text)
			texts[s.pages[i].Path] = text
		}
	}
	if below := base.Result(); below != "" {
		s.result.Below, s.site = below, weburl.NewSite(weburl.NoSite+below)
	}
	vote := weburl.NewVote(page.Spelling{}, s.pages)
	for path, text := range texts {
		vote.Add(text, s.site.Page(path, ""))
	}
	if listed, err := readSitemap(s.from, "sitemap.xml"); err == nil {
		for _, entry := range listed.Pages {
			if path, own := s.within(entry.Loc); own {
				vote.Call(path)
			}
		}
	}
	for _, r := range vote.Results() {
		if r.As.Extensionless {
			s.pages = site.PagesAnyway(s.files, r.As)
		}
	}
}
