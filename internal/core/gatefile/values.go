package gatefile

import (
	"fmt"

	"github.com/goccy/go-yaml/ast"

	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/placeholder"
	"yellowgate/internal/core/problem"
)

// A Content is what a placeholder asks of a page's content, or of a row of it.
type Content struct {
	Name     string           // as the placeholder names it: page.text(h1)
	Row      bool             // of a row
	What     string           // text, attr, all
	Selector *markup.Selector // nil for the row itself
	Attr     string           // of attr
	Pos      []problem.Position
}

// template reads a text with placeholders; what it asks of pages is noted. ok is false where it has a mistake, which is
// reported.
func (r *reader) template(n ast.Node, text string, scope placeholder.Scope) (t *placeholder.Template, ok bool) {
	at := func(offset int) problem.Position { return r.inside(r.resolve(n), offset) }
	t, err := placeholder.Parse(text, scope)
	if err == nil {
		r.noteWords(t, at)
		err = r.gate.noteContents(t, at)
	}
	if e, ok := err.(*placeholder.Error); ok {
		r.errorf(at(e.Offset), "%v", e)
		return nil, false
	}
	return t, true
}

// noteContents notes what the placeholders of a template ask of pages. Its error is a *placeholder.Error.
func (g *Gate) noteContents(t *placeholder.Template, at func(offset int) problem.Position) error {
	for _, piece := range t.Pieces {
		if piece.Placeholder == nil {
			continue
		}
		for _, o := range piece.Placeholder.Options {
			if o.Call == nil {
				continue
			}
			c := g.Contents[o.Name]
			if c == nil {
				c = &Content{Name: o.Name, Row: o.Call.Row, What: o.Call.What, Attr: o.Call.Attr}
				if o.Call.Selector != "" {
					var err error
					if c.Selector, err = markup.ParseSelector(o.Call.Selector); err != nil {
						e := err.(*markup.SelectorError)
						return &placeholder.Error{Offset: o.Call.Offset + e.Offset, Message: fmt.Sprintf("%v", e)}
					}
				}
				if g.Contents == nil {
					g.Contents = map[string]*Content{}
				}
				g.Contents[o.Name] = c
				if c.Selector != nil {
					g.ContentSelectors = append(g.ContentSelectors, c.Selector)
				}
			}
			c.Pos = append(c.Pos, at(piece.Placeholder.Offset))
		}
	}
	return nil
}
