package head

import (
	"fmt"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

var descriptionLength = &check.Check{
	Name: "description-length", Family: "head", Severity: problem.Note,
	Title: "the description is longer than a search result shows",
	Doc: `Search results show about 155 characters of a description. What stands behind is not
read there. Nothing is wrong with the page: this is a note.`,
	Bad:  "<meta name=\"description\" content=\"(300 characters)\">",
	Good: "<meta name=\"description\" content=\"Opening hours, the way up the hill, and what to wear.\">",
	Page: func(p *check.Pass) {
		values, at := p.Metadata("description")
		for i, v := range values {
			if n := len([]rune(v)); n > 200 && !p.Noindex() {
				p.AtElement(at[i], fmt.Sprintf("the description has %d characters; search results show about 155", n),
					p.Site.Remedy(`shorten it, or cut it by a rule: description: "@{page.description | cut 155}"`,
						"shorten it"))
			}
		}
	},
}
