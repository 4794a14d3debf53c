package head

import (
	"fmt"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/wording"
)

var titleRepeated = &check.Check{
	Name: "title-repeated", Family: "head", Severity: problem.Warning,
	Title: "the page has more than one title",
	Doc: `A page has one title. Browsers show the first and ignore the others; a search engine
may take either. Two titles mostly mean that two templates, or a template and an
add-on, each write one. Keep one.`,
	Bad:  "<title>Journal</title>\n<title>Tern Hill Observatory</title>",
	Good: "<title>Journal | Tern Hill Observatory</title>",
	Page: func(p *check.Pass) {
		if check.GateGives(p, "title") {
			return // metadata-differs reports it
		}
		all := check.Titles(p)
		for i, e := range all {
			if i > 0 && e.Area == "head" { // one in the body is meta-in-body, and reported once
				p.At(e,
					fmt.Sprintf("a second title, %q; the first is in line %d", wording.Cut(e.Label, 60), all[0].Line),
					"keep one of them")
			}
		}
	},
}
