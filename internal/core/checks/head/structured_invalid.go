package head

import (
	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

var structuredInvalid = &check.Check{
	Name: "structured-invalid", Family: "head", Severity: problem.Warning,
	Title: "structured data is not valid JSON",
	Doc: `Search engines pass over structured data that they cannot read, all of it. Mostly a
comma too many, or a quote within a text. The gate file writes structured data that is
always valid: structured, questions.`,
	Bad:  "<script type=\"application/ld+json\">{\"@context\": \"https://schema.org\", \"@type\": \"Event\",}</script>",
	Good: "<script type=\"application/ld+json\">{\"@context\": \"https://schema.org\", \"@type\": \"Event\"}</script>",
	Page: func(p *check.Pass) {
		for _, d := range check.StructuredOf(p) {
			if d.Mistake != nil {
				line, col := p.Locate(d.E.El.TagEnd + d.Mistake.Offset)
				p.Report(line, col, d.E.Item, d.Mistake.Message,
					p.Site.Remedy("mend it, or let the gate file write it: structured", "mend it"))
			}
		}
	},
}
