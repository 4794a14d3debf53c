// Package gating is the one road that every page takes: bytes in with what is
// known of the page, verdicts and edits, bytes out. It reads no files and knows
// no folders.
package gating

import (
	"fmt"

	"golang.org/x/net/html"

	"yellowgate/internal/core/compose"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/verdict"
	"yellowgate/internal/core/weburl"
)

// A Gate is a gate file made ready to be put into effect.
type Gate struct {
	File *gatefile.Gate
	Plan *verdict.Plan
	Site *weburl.Site

	items []*compose.Item
	all   *lookout // for every selector of the gate file, those of has() first
	found *lookout // for those that items are found by
	byURL bool     // an item is found by URL
}

// A lookout is a set of selectors that pages are scanned for.
type lookout struct {
	selectors []*markup.Selector
	watched   []int // by selector: its number in the watch, or -1
	watch     *markup.Watch
	number    map[string]int // by the selector's text
}

func (l *lookout) add(s *markup.Selector) {
	if l.number == nil {
		l.number = map[string]int{}
	}
	if _, ok := l.number[s.String()]; !ok {
		l.number[s.String()] = len(l.selectors)
		l.selectors = append(l.selectors, s)
	}
}

// ready makes the watch, once all selectors are added.
func (l *lookout) ready() {
	var list []*markup.Selector
	for _, s := range l.selectors {
		if s.Compound() {
			l.watched = append(l.watched, len(list))
			list = append(list, s)
		} else {
			l.watched = append(l.watched, -1)
		}
	}
	l.watch = markup.NewWatch(list...)
}

// urlTags are the elements besides those of interest that a URL matcher finds.
const urlTags = "img[src], source[src]"

// New makes a gate ready. With problems that are errors it must not be used to
// write anything.
func New(f *gatefile.Gate) (*Gate, []gatefile.Problem) {
	g := &Gate{File: f, Site: weburl.NewSite(f.Site.URL.Value), all: &lookout{}, found: &lookout{}}
	var problems []gatefile.Problem
	g.Plan, problems = verdict.NewPlan(f)
	for _, it := range f.Items {
		c, ps := compose.Prepare(it, g.Site.BasePath())
		g.items = append(g.items, c)
		problems = append(problems, ps...)
	}
	for _, s := range f.Selectors {
		g.all.add(s)
	}
	for _, it := range f.Items {
		for _, m := range it.Found {
			if m.Selector != nil {
				g.all.add(m.Selector)
				g.found.add(m.Selector)
			}
			g.byURL = g.byURL || m.URL != ""
		}
		if it.Place != nil && it.Place.Selector != nil {
			g.all.add(it.Place.Selector)
		}
	}
	if g.byURL {
		s, err := markup.ParseSelector(urlTags)
		if err != nil {
			panic(err) // a constant
		}
		g.all.add(s)
		g.found.add(s)
	}
	g.all.ready()
	g.found.ready()
	return g, problems
}

// A View is a source page as the gate sees it, before anything is decided.
type View struct {
	gate   *Gate
	look   *lookout
	Source *markup.Source
	Scan   *markup.Page
	Page   page.Page
	tree   *html.Node
}

// Look reads a source page. known holds what does not stand in the page: its
// path, its file, its facts. Marked regions of an earlier output are left out.
func (g *Gate) Look(file []byte, known page.Page) *View {
	src := markup.Read(file)
	v := &View{gate: g, look: g.all, Source: src, Page: known}
	v.Scan = markup.Scan(src.Text, g.all.watch)
	if len(v.Scan.Marks) > 0 {
		src = markup.Read(markup.Unmark(src, v.Scan))
		v.Source, v.Scan = src, markup.Scan(src.Text, g.all.watch)
	}
	v.Page.Read(src, v.Scan)
	if n := len(g.File.Selectors); n > 0 {
		v.Page.Has = make([]bool, n)
		for i := range n {
			v.Page.Has[i] = len(v.matches(i)) > 0
		}
	}
	return v
}

// matches returns the offsets at which selector i of the gate matches.
func (v *View) matches(i int) []int {
	if w := v.look.watched[i]; w >= 0 {
		return v.Scan.Hits[w]
	}
	s := v.look.selectors[i]
	if v.tree == nil {
		if s.CanRuleOut(v.Source.Text) {
			return nil
		}
		v.tree = markup.Tree(v.Source.Text)
	}
	return markup.MatchTree(v.tree, s)
}

func (v *View) find(s *markup.Selector) []int { return v.matches(v.look.number[s.String()]) }

// Lookup gives a placeholder's name its value on this page, "" where there is
// none.
func (v *View) Lookup(name string) string { return v.gate.Lookup(&v.Page, name) }

// Lookup gives a placeholder's name its value on a page.
func (g *Gate) Lookup(p *page.Page, name string) string {
	switch name {
	case "site.name":
		return g.File.Site.Name.Value
	case "site.url":
		return g.File.Site.URL.Value
	case "page.url":
		if g.File.Site.URL.Value == "" {
			return "" // without the site's address, a page has none
		}
		return g.URL(p.Path)
	}
	if rest, ok := cut(name, "page."); ok {
		return p.Field(rest)
	}
	return p.Field(name) // fact.NAME
}

func cut(s, prefix string) (string, bool) {
	if len(s) > len(prefix) && s[:len(prefix)] == prefix {
		return s[len(prefix):], true
	}
	return "", false
}

// URL is the absolute address of a page of the site.
func (g *Gate) URL(path string) string { return g.File.Site.URL.Value + page.URLPath(path) }

// A Problem is what stands in the way of gating one page.
type Problem struct {
	gatefile.Problem
	Page string // its path
}

// A Result is a page after the gate.
type Result struct {
	*View
	Verdicts  []verdict.Verdict         // in the gate file's order
	Present   []int                     // by item: how many of its found elements the source has
	Matched   map[*gatefile.Matcher]int // how many elements each matcher matches
	File      []byte                    // what is to be written
	placeless []*gatefile.Item          // those that are in and whose place the page lacks
	inverses  [][]markup.Edit           // what gives the source back, last first
	Problems  []Problem
	Fragment  bool
}

// Page gates one page.
func (g *Gate) Page(file []byte, known page.Page) *Result {
	return g.Put(g.Look(file, known))
}

// Put decides for a page that was looked at, and edits it.
func (g *Gate) Put(v *View) *Result {
	r := &Result{View: v, File: v.Source.File}
	if v.Scan.Fragment() {
		r.Fragment = true
		return r
	}
	var problems []gatefile.Problem
	r.Verdicts, problems = g.Plan.Decide(&v.Page)
	for _, p := range problems {
		r.problem(p)
	}
	e := &editing{Result: r, gate: g}
	e.findAll()
	e.removeFound()
	if e.headMended() {
		// What broke the head goes: the head ends elsewhere without it, so the
		// rest is done on the page as it is then.
		if e = e.again(); e == nil {
			return r
		}
	}
	e.place()
	e.metadata()
	r.Problems, r.placeless = e.Problems, e.placeless
	e.apply(r)
	return r
}

// apply makes the edits the result's.
func (e *editing) apply(r *Result) bool {
	out, inverse, err := e.Source.Apply(e.edits)
	if err != nil {
		r.problem(gatefile.Problem{Severity: gatefile.Error, Pos: gatefile.Position{File: r.Page.File, Line: 1},
			Message: fmt.Sprintf("the page cannot be edited: %v", err), Remedy: "two items meet at one place of the page; give one of them another"})
		return false
	}
	r.File = out
	r.inverses = append(r.inverses, inverse)
	return true
}

// again applies what was edited so far and begins anew on the result.
func (e *editing) again() *editing {
	r := e.Result
	if !e.apply(r) {
		return nil
	}
	v := &View{gate: r.gate, look: r.look, Source: markup.Read(r.File), Page: r.Page}
	v.Scan = markup.Scan(v.Source.Text, r.look.watch)
	work := *r
	work.View = v
	return &editing{Result: &work, gate: e.gate}
}

// Undo gives the source back from the result: the inverse of all edits.
func (r *Result) Undo() []byte {
	file := r.File
	for i := len(r.inverses) - 1; i >= 0; i-- {
		file = markup.Undo(file, r.inverses[i])
	}
	return file
}

func (r *Result) problem(p gatefile.Problem) {
	r.Problems = append(r.Problems, Problem{p, r.Page.Path})
}

// Render writes the parts of an item as they stand on a page, one text for each.
// The error is a *compose.ValueError.
func (g *Gate) Render(item int, lookup func(string) string) ([]string, error) {
	pieces, err := g.items[item].Render(lookup)
	if err != nil {
		return nil, err
	}
	var out []string
	for _, p := range pieces {
		out = append(out, p.Lines...)
	}
	return out, nil
}

// ScanForOwners scans any page so that Owners can tell whose its elements are.
func (g *Gate) ScanForOwners(src *markup.Source) *markup.Page {
	return markup.Scan(src.Text, g.found.watch)
}

// Owners returns, by the offset of its start tag, the item to which each element
// of a page belongs by the matchers of the gate file. The page may be any, a
// source or an output; scan is from ScanForOwners.
func (g *Gate) Owners(src *markup.Source, scan *markup.Page, known page.Page) map[int]int {
	if len(g.found.selectors) == 0 && !g.foundByText() {
		return nil
	}
	v := &View{gate: g, look: g.found, Source: src, Page: known, Scan: scan}
	e := &editing{Result: &Result{View: v}, gate: g}
	e.own()
	return e.owner
}

func (g *Gate) foundByText() bool {
	for _, it := range g.File.Items {
		for _, m := range it.Found {
			if m.Text != nil {
				return true
			}
		}
	}
	return false
}

// Matches returns the offsets in the source page at which a selector of the gate
// file matches.
func (v *View) Matches(s *markup.Selector) []int { return v.find(s) }
