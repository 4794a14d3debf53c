package head

import (
	"fmt"
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

var robotsConflict = &check.Check{
	Name: "robots-conflict", Family: "head", Severity: problem.Error,
	Title: "robots metas contradict each other",
	Doc: `One robots meta says index, another noindex (or follow and nofollow). Search engines
take the stricter one; whoever wrote the other is mistaken about the page. Keep one.
The header X-Robots-Tag counts as one more, where a capture keeps it.`,
	Bad:  "<meta name=\"robots\" content=\"index\">\n<meta name=\"robots\" content=\"noindex\">",
	Good: "<meta name=\"robots\" content=\"noindex\">",
	Page: func(p *check.Pass) {
		values, at := p.Metadata("robots")
		says, header := map[string]bool{}, map[string]bool{}
		for _, rule := range p.Page.Answer.Robots() {
			rule, _ = stricter(rule)
			header[rule] = true
		}
		for i, v := range values {
			for w := range strings.SplitSeq(strings.ToLower(v), ",") {
				w, opposite := stricter(strings.TrimSpace(w))
				if header[opposite] {
					p.AtElement(at[i],
						fmt.Sprintf("robots says %s here, and the header X-Robots-Tag says %s", w, opposite),
						"keep one: in the page, or in the server's settings")
				}
				if says[opposite] {
					p.AtElement(at[i], fmt.Sprintf("robots says %s here, and %s as well", w, opposite),
						p.Site.Remedy("keep one robots meta; a metadata rule that sets robots takes the others out",
							"keep one robots meta"))
				}
				says[w] = true
			}
		}
	},
}

// stricter spells all and none out, and names the opposite of a rule.
func stricter(rule string) (plain, opposite string) {
	switch rule {
	case "all":
		rule = "index"
	case "none":
		rule = "noindex"
	}
	if positive, negative := strings.CutPrefix(rule, "no"); negative {
		return rule, positive
	}
	return rule, "no" + rule
}
