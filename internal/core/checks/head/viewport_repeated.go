package head

import (
	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

var viewportRepeated = &check.Check{
	Name: "viewport-repeated", Family: "head", Severity: problem.Warning, Whole: true,
	Title: "the page has more than one viewport",
	Doc: `Browsers take the last of them; the others mislead whoever reads the page, and a
template that adds its own undoes what the page meant. Keep one.`,
	Bad:  "<meta name=\"viewport\" content=\"width=device-width\">\n<meta name=\"viewport\" content=\"width=1200\">",
	Good: "<meta name=\"viewport\" content=\"width=device-width\">",
	Page: func(p *check.Pass) {
		if check.GateGives(p, "viewport") {
			return // metadata-differs reports it
		}
		_, at := p.Metadata("viewport")
		for _, el := range at[min(1, len(at)):] {
			p.AtElement(el, "a second viewport",
				p.Site.Remedy("keep one; a metadata rule that sets the viewport takes the others out", "keep one"))
		}
	},
}
