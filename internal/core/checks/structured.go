package checks

import (
	"strings"

	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/syntax"
)

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
