package sitefacts

import (
	"slices"

	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/weburl"
	"yellowgate/internal/site"
)

// pagesThatVote is about how many pages are asked how their site is addressed.
const pagesThatVote = 24

// Learn finds out what no gate file says of a folder: below which path of its host the site is, and whether anything
// says at which host. Pages keep the paths that their files have: others hold two folders against each other by them.
func Learn(from site.Store, files []site.File, pages []page.Page) (below string, somewhere bool) {
	hasFile, _ := site.Index(files, pages)
	base := weburl.NewBaseVote(hasFile)
	for i := 0; i < len(pages); i += max(1, len(pages)/pagesThatVote) {
		if text, err := from.Read(pages[i].File); err == nil {
			base.Add(text)
			somewhere = somewhere || hasCanonical(text)
		}
	}
	if !somewhere {
		_, err := from.Read("sitemap.xml")
		somewhere = err == nil
	}
	return base.Result(), somewhere
}

func hasCanonical(text []byte) bool {
	scan := markup.Scan(markup.Read(text).Text, nil)
	return slices.ContainsFunc(scan.Elements, func(e markup.Element) bool {
		rel, _ := markup.AttrValue(scan.Src, e.Start, "rel")
		return e.Tag == markup.TagLink && markup.HasRel(rel, "canonical")
	})
}
