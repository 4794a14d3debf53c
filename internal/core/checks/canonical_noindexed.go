package checks

import (
	"fmt"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/page"
)

var canonicalNoindexed = &Check{
	Name: "canonical-noindexed", Family: "head", Severity: gatefile.Error,
	Title: "the canonical points to a page that asks not to be indexed",
	Doc: `This page says that the other is the one to be found, and the other says that it shall
not be: both vanish from search results. Point the canonical to this page, or take the
noindex out of the other.`,
	Bad:  "-- site/old/index.html --\n<link rel=\"canonical\" href=\"https://ternhill.example/members/\">\n-- site/members/index.html --\n<meta name=\"robots\" content=\"noindex\">",
	Good: "-- site/old/index.html --\n<link rel=\"canonical\" href=\"https://ternhill.example/members/\">\n-- site/members/index.html --\n<title>Members</title>",
	Site: func(s *SitePass) {
		noindex := map[string]bool{}
		for i := range s.Pages {
			if s.Pages[i].Noindex {
				noindex[page.Key(s.Pages[i].Path)] = true
			}
		}
		for i := range s.Pages {
			k := &s.Pages[i]
			if c := k.Canonical; c != "" && noindex[page.Key(c)] && page.Key(c) != page.Key(k.Path) {
				s.Report(k, k.CanonicalLine, k.CanonicalCol, fmt.Sprintf("the canonical points to %s, which asks not to be indexed", c), "point it to this page, or take the noindex out of the other")
			}
		}
	},
}
