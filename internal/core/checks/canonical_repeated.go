package checks

import (
	"fmt"

	"yellowgate/internal/core/problem"
)

var canonicalRepeated = &Check{
	Name: "canonical-repeated", Family: "head", Severity: problem.Error,
	Title: "the page has more than one canonical",
	Doc: `The canonical link tells search engines which address stands for the page. With two of
them, they may ignore both. Keep one; a metadata rule with canonical keeps the
first, gives it the right value and takes the others out.`,
	Bad:  "<link rel=\"canonical\" href=\"https://ternhill.example/journal/\">\n<link rel=\"canonical\" href=\"https://ternhill.example/\">",
	Good: "<link rel=\"canonical\" href=\"https://ternhill.example/journal/\">",
	Page: func(p *Pass) {
		if p.leadsAway() || p.gives("canonical") {
			return
		}
		all := canonicals(p)
		for i, e := range all {
			if i > 0 {
				p.At(e, fmt.Sprintf("a second canonical, %s; the first is in line %d", e.URL, all[0].Line), "keep one of them")
			}
		}
	},
}
