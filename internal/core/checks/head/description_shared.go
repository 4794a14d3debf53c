package head

import (
	"fmt"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

var descriptionShared = &check.Check{
	Name: "description-shared", Family: "head", Severity: problem.Warning,
	Title: "several pages have the same description",
	Doc: `A description that says the same on many pages says nothing of any, and search engines
make up their own. Set it from what differs: description: "@{fact.blurb | cut 155}".
The finding stands on the first of the pages and names the others.`,
	Bad: "-- site/visit/index.html --\n<meta name=\"description\" content=\"Public nights under the stars.\">\n" +
		"-- site/shop/index.html --\n<meta name=\"description\" content=\"Public nights under the stars.\">",
	Good: "-- site/visit/index.html --\n" +
		"<meta name=\"description\" content=\"Opening hours, and the way up the hill.\">\n" +
		"-- site/shop/index.html --\n<meta name=\"description\" content=\"Star maps, torches and mugs.\">",
	Site: func(s *check.SitePass) {
		shared(s, descriptionFact.All(s), func(_ []*phraseOn, description, pages string) (string, string) {
			return fmt.Sprintf("same description %s on %s", description, pages),
				s.Site.Remedy(`give each its own, by a metadata rule: description: "@{fact.blurb | cut 155}"`,
					"give each its own")
		})
	},
}

var descriptionFact = &check.Kind[phrase, []phraseOn]{
	ID: "description",
	Of: func(p *check.Pass) *phrase {
		values, at := p.Metadata("description")
		if len(values) == 0 || values[0] == "" || p.Noindex() { // nobody finds it by that
			return nil
		}
		f := &phrase{Text: values[0]}
		f.Line, f.Column = p.LineOfElement(at[0])
		return f
	},
	Add: keepPhrase,
}
