// Package decisions answers what the gate decides: which pages a query chooses, where an item is in, why.
package decisions

import (
	"context"
	"slices"
	"sort"
	"strings"

	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/pagequery"
	"yellowgate/internal/parallel"
	"yellowgate/internal/project"
	"yellowgate/internal/result"
)

// Pages lists the pages that a query chooses, with their sets and items.
func Pages(ctx context.Context, p *project.Project, query string, why bool,
	progress parallel.Progress) ([]result.PageLine, error) {
	if query == "" {
		query = "all or path" // redirects too
	}
	q, err := project.ParseQuery(p, query)
	if err != nil {
		return nil, err
	}
	var out []result.PageLine
	err = project.GateAll(ctx, p, progress, func(_ int, r *pageedit.Result) error {
		if r.Fragment {
			return nil
		}
		if chosen, err := q.Chooses(r.View); err != nil || !chosen {
			return err
		}
		l := result.PageLine{
			Path:  r.Page.Path,
			File:  r.Page.File,
			Title: r.Page.Title,
			Sets:  []string{},
			Items: []string{},
		}
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

// Fields lists the fields, metas, facts and sets that queries of this site can
// use, each with an example.
func Fields(ctx context.Context, p *project.Project, progress parallel.Progress) ([]result.FieldLine, error) {
	var out []result.FieldLine
	at := map[string]int{}
	note := func(kind, name, value string) {
		i, ok := at[name]
		if !ok {
			i = len(out)
			at[name] = i
			out = append(out, result.FieldLine{Name: name, Kind: kind})
		}
		if value != "" {
			out[i].Pages++
			if out[i].Example == "" {
				out[i].Example = value
			}
		}
	}
	fields := slices.Clone(pagequery.Fields)
	for _, name := range p.Gate.File.Site.Query {
		fields = append(fields, "query."+name)
	}
	for _, f := range fields {
		note("field", f, "")
	}
	sets := map[string]int{}
	metas := map[string]bool{}
	err := project.GateAll(ctx, p, progress, func(_ int, r *pageedit.Result) error {
		if r.Fragment {
			return nil
		}
		for _, f := range fields {
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
		out = append(out, result.FieldLine{Name: s.Name, Kind: "set", Pages: sets[s.Name], Example: s.Query.Text})
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
