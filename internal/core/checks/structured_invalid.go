package checks

import (
	"yellowgate/internal/core/problem"
)

var structuredInvalid = &Check{
	Name: "structured-invalid", Family: "head", Severity: problem.Error,
	Title: "structured data is no JSON",
	Doc: `Search engines pass over structured data that they cannot read, all of it. Mostly a
comma too many, or a quote within a text. The gate file writes structured data that is
always valid: structured, questions.`,
	Bad:  "<script type=\"application/ld+json\">{\"@context\": \"https://schema.org\", \"@type\": \"Event\",}</script>",
	Good: "<script type=\"application/ld+json\">{\"@context\": \"https://schema.org\", \"@type\": \"Event\"}</script>",
	Page: func(p *Pass) {
		for _, d := range structuredOf(p) {
			if d.mistake != nil {
				line, col := p.locate(d.e.El.TagEnd + d.mistake.Offset)
				p.Report(line, col, d.e.Item, d.mistake.Message, "mend it, or let the gate file write it: structured")
			}
		}
	},
}
