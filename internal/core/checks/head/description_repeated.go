package head

import (
	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

var descriptionRepeated = &check.Check{
	Name: "description-repeated", Family: "head", Severity: problem.Warning,
	Title: "the page has more than one description",
	Doc: `Search engines take one of them, and nobody knows which. Keep one; a metadata rule
that sets the description takes further ones out.`,
	Bad:  "<meta name=\"description\" content=\"One.\">\n<meta name=\"description\" content=\"Two.\">",
	Good: "<meta name=\"description\" content=\"One.\">",
	Page: func(p *check.Pass) {
		if check.GateGives(p, "description") {
			return // metadata-differs reports it
		}
		_, at := p.Metadata("description")
		for _, el := range at[min(1, len(at)):] {
			p.AtElement(el, "a second description",
				p.Site.Remedy("keep one; a metadata rule that sets the description takes the others out", "keep one"))
		}
	},
}
