package head

import (
	"fmt"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/problem"
)

var canonicalElsewhere = &check.Check{
	Name: "canonical-elsewhere", Family: "head", Severity: problem.Note,
	Title: "the canonical names another page",
	Doc: `The page says that another is the one to be found. That is right for copies of a page,
and wrong where the link was copied from a template.`,
	Bad: "-- site/index.html --\n<title>Tern Hill</title>\n-- site/journal/owls/index.html --\n" +
		"<link rel=\"canonical\" href=\"https://ternhill.example/\">",
	Good: "-- site/index.html --\n<title>Tern Hill</title>\n-- site/journal/owls/index.html --\n" +
		"<link rel=\"canonical\" href=\"https://ternhill.example/journal/owls/\">",
	Page: func(p *check.Pass) {
		if p.LeadsAway() || p.Site == nil {
			return
		}
		for _, e := range check.Canonicals(p) {
			if e.URL == "" || !e.Ref.Own || !p.Site.HasPage(e.Ref.Page) || page.Key(e.Ref.Page) == page.Key(p.Path) {
				continue
			}
			p.At(e, fmt.Sprintf("the canonical names %s, another page of the site", e.Ref.Page),
				`if this page is no copy of that one: canonical: "@{page.url}"`)
		}
	},
}
