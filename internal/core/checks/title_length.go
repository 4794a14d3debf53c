package checks

import (
	"fmt"

	"yellowgate/internal/core/gatefile"
)

var titleLength = &Check{
	Name: "title-length", Family: "head", Severity: gatefile.Note,
	Title: "the title is longer than a search result shows",
	Doc: `Search results cut titles at about 60 to 70 characters, and a title of one short word
tells little. Nothing is wrong with the page: this is a note.`,
	Bad:  "<title>Visit the observatory on Tern Hill on any clear Friday between dusk and midnight, bring a coat</title>",
	Good: "<title>Visit | Tern Hill Observatory</title>",
	Page: func(p *Pass) {
		if p.Page.Redirect {
			return
		}
		for _, e := range titles(p) {
			if n := len([]rune(e.Label)); n > 70 {
				p.At(e, fmt.Sprintf("the title has %d characters; search results show about 60 to 70", n), "put what tells the page apart first, or shorten it: | cut 65")
			}
		}
	},
}
