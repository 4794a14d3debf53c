package head

import (
	"fmt"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/listing"
	"yellowgate/internal/core/problem"
)

var titleLength = &check.Check{
	Name: "title-length", Family: "head", Severity: problem.Note,
	Title: "the title is longer than a search result shows",
	Doc: `Search results cut titles by their width, at about 600 pixels: that is 60 to 70 characters.
What stands behind is not read there. Nothing is wrong with the page: this is a note, from 80
characters on.`,
	Bad:  "<title>Visit the observatory on Tern Hill on any clear Friday between dusk and midnight, bring a coat</title>",
	Good: "<title>Visit | Tern Hill Observatory</title>",
	Page: func(p *check.Pass) {
		if p.LeadsAway() {
			return
		}
		for _, e := range check.Titles(p) {
			if n := len([]rune(e.Label)); n > 80 {
				p.At(e,
					fmt.Sprintf(
						"the title has %d characters and is about %d pixels wide; search results cut at about %d", n,
						int(listing.Width(e.Label, 20)+.5), listing.ResultWidth),
					p.Site.Remedy("put what tells the page apart first, or shorten it: | cut 65",
						"put what tells the page apart first, or shorten it"))
			}
		}
	},
}
