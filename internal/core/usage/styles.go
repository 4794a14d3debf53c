package usage

import (
	"cmp"
	"slices"

	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/markup"
)

// Styles compares the pages of a site with all its stylesheets.
type Styles struct {
	*Library
	of     map[string][]string // by name: the stylesheets of the site that have a selector with it
	Wanted *Wanted             // the names
}

// NewStyles reads the stylesheets of a site, given by their paths.
func NewStyles(l *Library, paths []string) *Styles {
	s := &Styles{Library: l, of: map[string][]string{}}
	s.Wanted = &Wanted{names: s.of}
	for _, path := range paths {
		sheet := l.Sheet(path)
		if sheet == nil {
			continue
		}
		for _, n := range sheet.Names {
			s.of[n] = append(s.of[n], path)
			s.Wanted.attrs = s.Wanted.attrs || n[0] == '['
		}
	}
	return s
}

// PageStyles is what a page makes of the stylesheets of its site.
type PageStyles struct {
	Unmatched []int    // elements that load a stylesheet none of whose selectors matches
	Styled    []Styled // names on the page with the stylesheets of the page that have them
	// Needless are the imported stylesheets of the site none of whose selectors matches.
	Needless []string
	Unstyled []Unstyled // names on the page that only stylesheets of other pages have
}

// Styled is a name on a page and a stylesheet that the page loads and that has it.
type Styled struct{ Name, Sheet string }

// Unstyled is a name on a page that no stylesheet of the page has.
type Unstyled struct {
	Name   string
	Offset int // of the first start tag with it
}

// Look compares a page with the stylesheets. v has the names that are Wanted.
func (s *Styles) Look(r *inventory.Record, v *Vocabulary) (out PageStyles) {
	var loaded []*Sheet
	paths := map[string]bool{}
	whole := true
	for i := range r.Elements {
		e := &r.Elements[i]
		style := e.El.Tag == markup.TagStyle
		if e.Inside == "template" || e.Inside == "noscript" || !style && !e.IsStylesheet() {
			continue
		}
		list, all := s.SheetsOf(r, e)
		whole = whole && all
		loaded = append(loaded, list...)
		if e.Party == "own" {
			paths[e.Ref.Path] = true
		}
		for _, m := range e.Gets() {
			paths[m.Target] = true
		}
		for _, m := range e.Imports {
			if x := s.Sheet(m.Target); m.Party == "own" && x != nil && unmatched([]*Sheet{x}, v) {
				out.Needless = append(out.Needless, m.Target)
			}
		}
		if all && e.Inside == "" && e.Party == "own" && unmatched(list, v) {
			out.Unmatched = append(out.Unmatched, i)
		}
	}
	if len(out.Unmatched) > 0 {
		out.Unmatched = s.really(r, v, out.Unmatched)
	}
	for name, at := range v.first {
		sheets := s.of[name]
		found := false
		for _, path := range sheets {
			if paths[path] {
				out.Styled = append(out.Styled, Styled{name, path})
				found = true
			}
		}
		if found || !whole || len(sheets) == 0 {
			continue
		}
		if !slices.ContainsFunc(loaded, func(x *Sheet) bool { return x.named[name] }) {
			out.Unstyled = append(out.Unstyled, Unstyled{name, at})
		}
	}
	slices.SortFunc(out.Styled,
		func(a, b Styled) int { return cmp.Or(cmp.Compare(a.Sheet, b.Sheet), cmp.Compare(a.Name, b.Name)) })
	return out
}

// unmatched reports whether stylesheets have selectors and none of them matches.
func unmatched(list []*Sheet, v *Vocabulary) bool {
	some := false
	for _, s := range list {
		if s.Match(v) != "" {
			return false
		}
		some = some || slices.ContainsFunc(s.Selectors, func(x Selector) bool { return !x.vars })
	}
	return some
}

// really keeps the elements whose stylesheets are not needed for what scripts and
// other stylesheets do either.
func (s *Styles) really(r *inventory.Record, v *Vocabulary, elements []int) (out []int) {
	p := &judging{Judge: &Judge{Library: s.Library}, record: r, page: v, single: true}
	for i := range r.Elements {
		p.add(i)
	}
	if p.unread || p.foreign || p.loads != "" || p.names != "" {
		return nil // a script that cannot be read, or not to the end, may make what they are for
	}
	for _, n := range p.things {
		if len(n.Elements) != 1 || !slices.Contains(elements, n.Elements[0]) {
			continue
		}
		for _, sheet := range n.sheets {
			p.sheet(n, sheet)
		}
		if n.State == Unused {
			out = append(out, n.Elements[0])
		}
	}
	return out
}

// Having lists the stylesheets of the site that have a selector with a name.
func (s *Styles) Having(name string) []string { return s.of[name] }

// Missing looks for a selector with a name in a stylesheet that matches on a page as it stands,
// without a state that only a visitor brings about; "" for none. The page's vocabulary is whole.
func (s *Styles) Missing(v *Vocabulary, name, sheet string) string {
	x := s.Sheet(sheet)
	if x == nil {
		return ""
	}
	for i := range x.Selectors {
		sel := &x.Selectors[i]
		if slices.Contains(sel.Needs, name) && sel.asItStands() && sel.in(v) && sel.match(v) {
			return sel.Text
		}
	}
	return ""
}

// Repeated is how many of a stylesheet's rules stand in another too, and how many it
// has.
func (l *Library) Repeated(sheet, other string) (repeated, of int) {
	a, b := l.Sheet(sheet), l.Sheet(other)
	if a == nil || b == nil {
		return 0, 0
	}
	for rule := range a.Rules {
		if b.Rules[rule] {
			repeated++
		}
	}
	return repeated, len(a.Rules)
}
