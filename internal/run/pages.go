package run

import (
	"errors"
	"fmt"
	"slices"
	"sort"
	"strings"

	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/pagequery"
	"yellowgate/internal/core/weburl"
	"yellowgate/internal/project"
	"yellowgate/internal/site"
)

var noSite = weburl.NewSite("")

// A Query is a page query of the command line, bound to a project.
type Query struct {
	pagequery.Expr
	selectors []*markup.Selector
	base      int
}

// ParseQuery reads a page query given on the command line.
func ParseQuery(p *project.Project, text string) (*Query, error) {
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
		return nil, &site.UsageError{Message: fmt.Sprintf("the query cannot be read: column %d: %s", syntax.Offset+1, syntax.Message),
			Remedy: text + "\n" + strings.Repeat(" ", len([]rune(text[:min(syntax.Offset, len(text))]))) + "^"}
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
// *site.PathError: the page cannot be followed with a selector of the query.
func (q *Query) Chooses(v *pageedit.View) (bool, error) {
	v.Page.Has = slices.Clip(v.Page.Has[:min(q.base, len(v.Page.Has))])
	for _, s := range q.selectors {
		hits, err := markup.Matches(v.Source.Text, s)
		if err != nil {
			return false, &site.PathError{Path: v.Page.File, Err: err, What: "write the query so that fewer elements have to be looked at"}
		}
		v.Page.Has = append(v.Page.Has, len(hits) > 0)
	}
	return q.Eval(&v.Page), nil
}

// A PageLine is one page that a query chose.
type PageLine struct {
	Path   string   `json:"path"`
	File   string   `json:"file"`
	Title  string   `json:"title"`
	Sets   []string `json:"sets"`
	Items  []string `json:"items"`
	Branch string   `json:"branch,omitempty"` // what in the query chose it
}

// Pages lists the pages that a query chooses, with their sets and items.
func Pages(p *project.Project, query string, why bool, progress Progress) ([]PageLine, error) {
	if query == "" {
		query = "all or path" // redirects too
	}
	q, err := ParseQuery(p, query)
	if err != nil {
		return nil, err
	}
	var out []PageLine
	err = all(p, progress, func(_ int, r *pageedit.Result) error {
		if r.Fragment {
			return nil
		}
		if chosen, err := q.Chooses(r.View); err != nil || !chosen {
			return err
		}
		l := PageLine{Path: r.Page.Path, File: r.Page.File, Title: r.Page.Title, Sets: []string{}, Items: []string{}}
		for _, s := range p.Gate.File.Sets {
			if s.Query.Eval(&r.Page) {
				l.Sets = append(l.Sets, s.Name)
			}
		}
		for i := range r.Verdicts {
			if v := &r.Verdicts[i]; v.In && (!v.Item.FoundOnly() || r.Present[i] > 0) {
				l.Items = append(l.Items, v.Item.Name)
			}
		}
		if why {
			l.Branch = q.Branch(&r.Page)
		}
		out = append(out, l)
		return nil
	})
	return out, err
}

// A FieldLine is one word that a query can use.
type FieldLine struct {
	Name    string `json:"name"`
	Kind    string `json:"kind"` // field, set, fact, meta
	Pages   int    `json:"pages"`
	Example string `json:"example"` // a value of this site, or a set's query
}

// Fields lists the fields, metas, facts and sets that queries of this site can
// use, each with an example.
func Fields(p *project.Project, progress Progress) ([]FieldLine, error) {
	var out []FieldLine
	at := map[string]int{}
	note := func(kind, name, value string) {
		i, ok := at[name]
		if !ok {
			i = len(out)
			at[name] = i
			out = append(out, FieldLine{Name: name, Kind: kind})
		}
		if value != "" {
			out[i].Pages++
			if out[i].Example == "" {
				out[i].Example = value
			}
		}
	}
	for _, f := range pagequery.Fields {
		note("field", f, "")
	}
	sets := map[string]int{}
	metas := map[string]bool{}
	err := all(p, progress, func(_ int, r *pageedit.Result) error {
		if r.Fragment {
			return nil
		}
		for _, f := range pagequery.Fields {
			note("field", f, r.Page.Field(f))
		}
		names := make([]string, 0, len(r.Page.Meta))
		for name := range r.Page.Meta {
			names = append(names, name)
		}
		sort.Strings(names)
		for _, name := range names {
			metas[name] = true
			note("meta", "meta."+name, r.Page.Meta[name])
		}
		for _, name := range p.Facts.Names {
			note("fact", "fact."+name, r.Page.Facts[name])
		}
		for _, s := range p.Gate.File.Sets {
			if s.Query.Eval(&r.Page) {
				sets[s.Name]++
			}
		}
		return nil
	})
	rank := map[string]int{"field": 0, "meta": 1, "fact": 2}
	sort.SliceStable(out, func(i, j int) bool { return rank[out[i].Kind] < rank[out[j].Kind] })
	for _, s := range p.Gate.File.Sets {
		out = append(out, FieldLine{s.Name, "set", sets[s.Name], s.Query.Text})
	}
	return out, err
}

// Look gates one page of a project.
func Look(p *project.Project, pg *page.Page) (*pageedit.Result, error) {
	b, err := p.Read(pg)
	if err != nil {
		return nil, err
	}
	return p.Gate.Page(b, *pg), nil
}

// MeantPage says which page a query that chooses none probably meant, or "".
func MeantPage(p *project.Project, query string) string {
	paths := make([]string, len(p.Pages))
	for i := range p.Pages {
		paths[i] = p.Pages[i].Path
	}
	return strings.TrimSpace(pagequery.Meant(query, paths))
}
