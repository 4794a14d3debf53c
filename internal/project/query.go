package project

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/pagequery"
	"yellowgate/internal/failure"
)

// A Query is a page query of the command line, bound to a project.
type Query struct {
	pagequery.Expr
	selectors []*markup.Selector
	base      int
}

// ParseQuery reads a page query given on the command line.
func ParseQuery(p *Project, text string) (*Query, error) {
	x, err := pagequery.Parse(text)
	if err == nil {
		err = pagequery.Bind(x, func(name string) pagequery.Expr {
			for _, s := range p.Gate.File.Sets {
				if s.Name == name {
					return s.Query.Expr
				}
			}
			return nil
		}, p.Gate.File.SetNames())
	}
	var syntax *pagequery.SyntaxError
	if errors.As(err, &syntax) {
		return nil, &failure.Usage{
			Message: fmt.Sprintf("the query cannot be read: column %d: %s", syntax.Offset+1, syntax.Message),
			Remedy:  text + "\n" + strings.Repeat(" ", len([]rune(text[:min(syntax.Offset, len(text))]))) + "^",
		}
	}
	q := &Query{Expr: x, base: len(p.Gate.File.Selectors)}
	pagequery.Walk(x, func(x pagequery.Expr) {
		if h, ok := x.(*pagequery.Has); ok {
			h.ID = q.base + len(q.selectors)
			q.selectors = append(q.selectors, h.Selector)
		}
	})
	return q, nil
}

// Chooses reports whether the query chooses a page that was looked at. The error is a
// *failure.Path: the page cannot be followed with a selector of the query.
func (q *Query) Chooses(v *pageedit.View) (bool, error) {
	v.Page.Has = slices.Clip(v.Page.Has[:min(q.base, len(v.Page.Has))])
	for _, s := range q.selectors {
		hits, err := markup.Matches(v.Source.Text, s)
		if err != nil {
			return false, &failure.Path{
				Path: v.Page.File,
				Err:  err,
				What: "write the query so that fewer elements have to be looked at",
			}
		}
		v.Page.Has = append(v.Page.Has, len(hits) > 0)
	}
	return q.Eval(&v.Page), nil
}
