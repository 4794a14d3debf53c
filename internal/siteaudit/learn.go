package siteaudit

import (
	"slices"

	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/weburl"
	"yellowgate/internal/site"
)

// pagesThatVote is about how many pages are asked how their site is addressed.
const pagesThatVote = 24

// learn finds out what no gate file says of a folder: below which path of its host the site is, and whether anything
// says at which host. Pages keep the paths that their files have: others hold two folders against each other by them.
func (s *auditing) learn() (somewhere bool) {
	hasFile, _ := site.Index(s.files, s.pages)
	base := weburl.NewBaseVote(hasFile)
	for i := 0; i < len(s.pages); i += max(1, len(s.pages)/pagesThatVote) {
		if text, err := s.from.Read(s.pages[i].File); err == nil {
			base.Add(text)
			somewhere = somewhere || hasCanonical(text)
		}
	}
	if below := base.Result(); below != "" {
		s.result.Below, s.site = below, weburl.NewSite(weburl.NoSite+below)
	}
	if _, err := s.from.Read("sitemap.xml"); err == nil {
		return true
	}
	return somewhere
}

func hasCanonical(text []byte) bool {
	scan := markup.Scan(markup.Read(text).Text, nil)
	return slices.ContainsFunc(scan.Elements, func(e markup.Element) bool {
		rel, _ := markup.AttrValue(scan.Src, e.Start, "rel")
		return e.Tag == markup.TagLink && markup.HasRel(rel, "canonical")
	})
}
