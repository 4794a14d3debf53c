package siteaudit

import (
	"yellowgate/internal/core/weburl"
	"yellowgate/internal/site"
)

// pagesThatVote is about how many pages are asked how their site is addressed.
const pagesThatVote = 24

// learn finds out what no gate file says of a folder: below which path of its host the site is. Pages keep the
// paths that their files have: others hold two folders against each other by them.
func (s *auditing) learn() {
	hasFile, _ := site.Index(s.files, s.pages)
	base := weburl.NewBaseVote(hasFile)
	for i := 0; i < len(s.pages); i += max(1, len(s.pages)/pagesThatVote) {
		if text, err := s.from.Read(s.pages[i].File); err == nil {
			base.Add(text)
		}
	}
	if below := base.Result(); below != "" {
		s.result.Below, s.site = below, weburl.NewSite(weburl.NoSite+below)
	}
}
