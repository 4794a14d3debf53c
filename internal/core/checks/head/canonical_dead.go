package head

import (
	"fmt"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

var canonicalDead = &check.Check{
	Name: "canonical-dead", Family: "head", Severity: problem.Error,
	Title: "the canonical points to a page that the site does not have",
	Doc: `A canonical that leads nowhere tells search engines to drop this page in favour of
one that does not exist. Mostly a page was moved or the link copied. Point it to
the page itself: canonical: "@{page.url}".`,
	Bad:  "-- site/journal/index.html --\n<link rel=\"canonical\" href=\"https://ternhill.example/old-journal/\">",
	Good: "-- site/journal/index.html --\n<link rel=\"canonical\" href=\"https://ternhill.example/journal/\">",
	Page: func(p *check.Pass) {
		if p.LeadsAway() || p.Site == nil {
			return
		}
		for _, e := range check.Canonicals(p) {
			if e.URL == "" || !e.Ref.Own || p.Site.HasPage(e.Ref.Page) {
				continue
			}
			p.At(e, fmt.Sprintf("the canonical points to %s: the site has no such page", e.URL),
				p.Site.Remedy(`point it to the page itself: canonical: "@{page.url}"`, "point it to the page itself"))
		}
	},
}
