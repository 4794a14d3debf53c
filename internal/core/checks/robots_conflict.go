package checks

import (
	"fmt"
	"strings"

	"yellowgate/internal/core/problem"
)

var robotsConflict = &Check{
	Name: "robots-conflict", Family: "head", Severity: problem.Error,
	Title: "robots metas contradict each other",
	Doc: `One robots meta says index, another noindex (or follow and nofollow). Search engines
take the stricter one; whoever wrote the other is mistaken about the page. Keep one.`,
	Bad:  "<meta name=\"robots\" content=\"index\">\n<meta name=\"robots\" content=\"noindex\">",
	Good: "<meta name=\"robots\" content=\"noindex\">",
	Page: func(p *Pass) {
		values, at := p.Metadata("robots")
		says := map[string]bool{}
		for i, v := range values {
			for w := range strings.SplitSeq(strings.ToLower(v), ",") {
				w = strings.TrimSpace(w)
				if w == "all" || w == "none" {
					w = map[string]string{"all": "index", "none": "noindex"}[w]
				}
				opposite := "no" + w
				if strings.HasPrefix(w, "no") {
					opposite = strings.TrimPrefix(w, "no")
				}
				if says[opposite] {
					p.AtElement(at[i], fmt.Sprintf("robots says %s here, and %s as well", w, opposite), "keep one robots meta; a metadata rule that sets robots takes the others out")
				}
				says[w] = true
			}
		}
	},
}
