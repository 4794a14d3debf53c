package check

import (
	"strings"

	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/syntax"
)

// structured is one piece of structured data of a page.
type structured struct {
	E       *inventory.Element
	Tree    any
	Mistake *syntax.Mistake
}

// StructuredOf reads the structured data of a page, once.
func StructuredOf(p *Pass) (out []structured) {
	if p.structured != nil {
		return *p.structured
	}
	p.structured = &out
	for i := range p.Elements {
		e := &p.Elements[i]
		if e.Tag != "script" || !Own(e) || !strings.EqualFold(strings.TrimSpace(e.Label), "application/ld+json") ||
			e.El.ContentEnd <= e.El.TagEnd {
			continue
		}
		d := structured{E: e}
		d.Tree, d.Mistake = syntax.ReadJSON([]byte(p.Source.String(e.El.TagEnd, e.El.ContentEnd)))
		out = append(out, d)
	}
	return out
}
