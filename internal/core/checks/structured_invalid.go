package checks

import (
	"strings"

	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/syntax"
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

// structured is one piece of structured data of a page.
type structured struct {
	e       *inventory.Element
	tree    any
	mistake *syntax.Mistake
}

// structuredOf reads the structured data of a page, once.
func structuredOf(p *Pass) (out []structured) {
	if p.structured != nil {
		return *p.structured
	}
	p.structured = &out
	for i := range p.Elements {
		e := &p.Elements[i]
		if e.Tag != "script" || !Own(e) || !strings.EqualFold(strings.TrimSpace(e.Label), "application/ld+json") || e.El.ContentEnd <= e.El.TagEnd {
			continue
		}
		d := structured{e: e}
		d.tree, d.mistake = syntax.ReadJSON([]byte(p.Source.String(e.El.TagEnd, e.El.ContentEnd)))
		out = append(out, d)
	}
	return out
}
