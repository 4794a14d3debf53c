package head

import (
	"fmt"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/problem"
)

var canonicalNoindexed = &check.Check{
	Name: "canonical-noindexed", Family: "head", Severity: problem.Error,
	Title: "the canonical points to a page that asks not to be indexed",
	Doc: `This page says that the other is the one to be found, and the other says that it shall
not be: both vanish from search results. Point the canonical to this page, or take the
noindex out of the other.`,
	Bad: "-- site/old/index.html --\n<link rel=\"canonical\" href=\"https://ternhill.example/members/\">\n" +
		"-- site/members/index.html --\n<meta name=\"robots\" content=\"noindex\">",
	Good: "-- site/old/index.html --\n<link rel=\"canonical\" href=\"https://ternhill.example/members/\">\n" +
		"-- site/members/index.html --\n<title>Members</title>",
	Site: func(s *check.SitePass) {
		noindex := noindexFact.All(s)
		for _, c := range *canonicalFact.All(s) {
			if key := page.Key(c.Canonical); noindex.keys[key] && key != page.Key(c.Path) && !c.Aside {
				s.Report(c.PageAt, c.Line, c.Column,
					fmt.Sprintf("the canonical points to %s, which asks not to be indexed", c.Canonical),
					"point it to this page, or take the noindex out of the other")
			}
		}
	},
}

// canonical is the page of the site that a page names as the one to be found.
type canonical struct {
	Canonical string `json:"path"`
	Line      int    `json:"line"`
	Column    int    `json:"column"`
}

type canonicalOn struct {
	check.PageAt
	canonical
}

var canonicalFact = &check.Kind[canonical, []canonicalOn]{
	ID: "canonical",
	Of: func(p *check.Pass) *canonical {
		for _, e := range check.Canonicals(p) {
			if e.Ref.Own && e.URL != "" && e.Ref.Page != "" {
				return &canonical{e.Ref.Page, e.Line, e.Column}
			}
		}
		return nil
	},
	Add: func(sum *[]canonicalOn, at check.PageAt, fact *canonical) {
		*sum = append(*sum, canonicalOn{at, *fact})
	},
}
