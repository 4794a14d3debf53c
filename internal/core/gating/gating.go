// Package gating is the one road that every page takes: bytes in with what is
// known of the page, verdicts and edits, bytes out. It reads no files and knows
// no folders.
package gating

import (
	"fmt"
	"net/url"
	"slices"
	"strings"
	"sync"
	"sync/atomic"

	"yellowgate/internal/core/compose"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/verdict"
	"yellowgate/internal/core/weburl"
)

// A Gate is a gate file prepared to be put into effect.
type Gate struct {
	File *gatefile.Gate
	Plan *verdict.Plan
	Site *weburl.Site

	items []*compose.Item
	keys  []string // IDs of the metadata keys that the gate file decides
	all   *lookout // for every selector of the gate file, those of has() first
	found *lookout // for those that items are found by
	byURL bool     // an item is found by URL

	kept      sync.Map // see Once
	keptCount atomic.Int64
	once      sync.Once
	loaders   map[string][]int // what Loaders returns for nearly all pages
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

// New makes a gate ready for a day, written as 2026-11-23. With problems that are
// errors it must not be used to write anything.
func New(f *gatefile.Gate, day string) (*Gate, []problem.Problem) {
	g := &Gate{keys: f.KeyIDs(), File: f, Site: weburl.NewSite(f.Site.URL.Value), all: &lookout{}, found: &lookout{}}
	var problems []problem.Problem
	g.Plan, problems = verdict.NewPlan(f, day)
	for _, it := range f.Items {
		c, ps := compose.Prepare(it, g.Site.BasePath())
		g.items = append(g.items, c)
		problems = append(problems, ps...)
	}
	problems = append(problems, g.Plan.OutOfDates()...)
	for _, s := range f.Selectors {
		g.all.add(s)
	}
	for _, it := range f.Items {
		for _, m := range slices.Concat(it.Found, it.Replaces) {
			if m.Selector != nil {
				g.all.add(m.Selector)
				g.found.add(m.Selector)
			}
			g.byURL = g.byURL || m.URL != ""
		}
		for i := range it.Parts {
			if p := g.placeOf(it, i); p.Selector != nil {
				g.all.add(p.Selector)
			}
			if s := it.Parts[i].Selector; s != nil {
				g.all.add(s)
			}
		}
		if p := it.FoundPlace(); p != nil && p.Selector != nil {
			g.all.add(p.Selector)
		}
	}
	if g.byURL {
		s := constant(urlTags)
		g.all.add(s)
		g.found.add(s)
	}
	g.all.ready()
	g.found.ready()
	return g, problems
}

func (g *Gate) placeOf(it *gatefile.Item, part int) gatefile.Place { return it.PlaceOf(it.Parts[part]) }

// constant parses a selector that is in order.
func constant(text string) *markup.Selector {
	s, err := markup.ParseSelector(text)
	if err != nil {
		panic(err)
	}
	return s
}

// A View is a source page as the gate sees it, before anything is decided.
type View struct {
	gate   *Gate
	look   *lookout
	Source *markup.Source
	Scan   *markup.Page
	Page   page.Page
	Spots  []markup.AuthorSpot
	// Unread says why the page cannot be followed, or not with a selector of the gate file:
	// then no verdict about it is sure. "" where it can.
	Unread string
	// Original is the file as it was given, marked regions of an earlier output included.
	Original []byte
	tree     *markup.Tree
	meta     *Metadata                      // once asked for
	stacks   map[string][]verdict.Candidate // by a metadata key's ID, once asked for
}

// Look reads a source page. known holds what does not stand in the page: its
// path, its file, its facts. Marked regions of an earlier output are left out.
func (g *Gate) Look(file []byte, known page.Page) *View {
	src := markup.Read(file)
	v := &View{gate: g, look: g.all, Source: src, Page: known, Original: file}
	v.Scan = markup.Scan(src.Text, g.all.watch)
	if len(v.Scan.Marks) > 0 {
		src = markup.Read(markup.Unmark(src, v.Scan))
		v.Source, v.Scan = src, markup.Scan(src.Text, g.all.watch)
	}
	v.Page.Read(src, v.Scan)
	v.readSpots()
	if n := len(g.File.Selectors); n > 0 {
		v.Page.Has = make([]bool, n)
		for i := range n {
			v.Page.Has[i] = len(v.matches(i)) > 0
		}
	}
	return v
}

// readSpots lists the page's spots.
func (v *View) readSpots() {
	v.Page.Spots = nil
	v.Spots = markup.SpotsOf(v.Source, v.Scan)
	for _, s := range v.Spots {
		if v.Page.Spots == nil {
			v.Page.Spots = map[string]bool{}
		}
		v.Page.Spots[s.Name] = true
	}
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
		v.tree = markup.NewTree(v.Source.Text)
	}
	hits, err := v.tree.Match(s)
	if err != nil && v.Unread == "" {
		v.Unread = err.Error()
	}
	return hits
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
	problem.Problem
	Page string // its path
	File string // its file
}

// A Result is a page after the gate.
type Result struct {
	*View
	Verdicts  []verdict.Verdict         // in the gate file's order
	Present   []int                     // by item: how many of its found elements the source has
	Matched   map[*gatefile.Matcher]int // how many elements each matcher matches
	File      []byte                    // what is to be written
	Written   []Written                 // what the items put there, in order
	Popups    []*gatefile.Item          // those whose popup is on the page
	placeless []*gatefile.Item          // those that are in and whose place the page lacks
	inverses  [][]markup.Edit           // what gives the source back, last first
	Problems  []Problem
	Fragment  bool
	last      *editing // what the edits were made with
}

// Page gates one page.
func (g *Gate) Page(file []byte, known page.Page) *Result {
	return g.Put(g.Look(file, known))
}

// Put decides for a page that was looked at, and edits it.
func (g *Gate) Put(v *View) *Result {
	r := &Result{View: v, File: v.Source.File}
	if v.Scan.Fragment() && !v.Page.Whole {
		r.Fragment = true
		return r
	}
	var problems []problem.Problem
	r.Verdicts, problems = g.Plan.Decide(&v.Page)
	for _, p := range problems {
		r.problem(p)
	}
	e := &editing{Result: r, gate: g}
	e.findAll()
	if e.breakerGoes() {
		// What broke the head goes: the head ends elsewhere without it, so the
		// rest is done on the page as it is then.
		e.removeFound()
		if e = e.again(); e == nil {
			return r
		}
		e.own()
	}
	e.removeFound()
	e.changeTags()
	e.place()
	e.metadata()
	e.finishTags()
	r.Problems, r.placeless, r.Written, r.Popups = e.Problems, e.placeless, e.Written, e.Popups
	r.last = e
	if e.apply(r) {
		r.keepsEncoding()
	}
	if v.Scan.Unread != "" && v.Unread == "" {
		v.Unread = v.Scan.Unread
	}
	if v.Unread != "" {
		r.problem(problem.Problem{Severity: problem.Error, Pos: problem.Position{File: v.Page.File, Line: 1, Column: 1}, Message: "this page is not read: " + v.Unread,
			Remedy: "write the selector so that fewer elements have to be looked at, or list the page under site.ignore"})
	}
	return r
}

// keepsEncoding refuses an output that a browser would decode in another way than the
// source: a meta that declares the encoding counts within the first 1,024 bytes alone
// (HTML, 13.2.3.2), and something that is written may bring one.
func (r *Result) keepsEncoding() {
	was, is := markup.DeclaredEncoding(r.Source.File), markup.DeclaredEncoding(r.File)
	if was == is {
		return
	}
	pos := problem.Position{File: r.Page.File, Line: 1, Column: 1}
	if is == "" {
		r.problem(problem.Problem{Severity: problem.Error, Pos: pos,
			Message: fmt.Sprintf("what is written before the page's charset would push it beyond the first 1,024 bytes: browsers would no longer read the page as %s", was),
			Remedy:  "let the page begin with its charset: <head><meta charset=\"utf-8\">"})
		return
	}
	r.problem(problem.Problem{Severity: problem.Error, Pos: pos,
		Message: fmt.Sprintf("what is written declares the encoding %s, and the page's is %s", is, orUndeclared(was)), Remedy: "take the charset out of the item's code; it is the page's"})
}

func orUndeclared(encoding string) string {
	if encoding == "" {
		return "not declared"
	}
	return encoding
}

// Stays lists the elements of the source page that items which are in are found by
// and that stay where they are, as they are written: their tags may be changed.
func (r *Result) Stays() (out []Written) {
	e := r.last
	if e == nil {
		return nil
	}
	last, holder := 0, -1
	for _, at := range e.starts() {
		o := e.owner[at]
		if o.replaced || !e.Verdicts[o.item].In || e.isRemoved(at) || at < last && o.item == holder {
			continue
		}
		end, err := e.endOf(at)
		if err != nil {
			end = markup.TagEnd(e.Source.Text, at)
		}
		last, holder = end, o.item
		text := string(e.Source.Text[at:end])
		if c := e.changes[at]; c != nil {
			text = markup.EditText(text, at, c.Edits(e.Source, at, markup.TagEnd(e.Source.Text, at)))
		}
		out = append(out, Written{Item: o.item, Part: FoundPart, Text: text, Area: e.areaAt(at)})
	}
	return out
}

// FoundPart is the number of the part to which found elements belong.
const FoundPart = -1

// Outline is a part of an item as compose writes it, with holes for values.
func (g *Gate) Outline(item, part int) string { return g.items[item].Outline(part) }

// Written is one text that an item put on a page.
type Written struct {
	Item, Part int // numbers, in the gate file's order; Part is FoundPart for found elements
	Text       string
	Place      gatefile.Place
	Area       markup.Area
}

// apply makes the edits the result's.
func (e *editing) apply(r *Result) bool {
	out, inverse, err := e.Source.Apply(slices.Concat(e.layers[:]...))
	if err != nil {
		r.problem(problem.Problem{Severity: problem.Error, Pos: problem.Position{File: r.Page.File, Line: 1},
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
	v.readSpots()
	work := *r
	work.Matched = nil
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

func (r *Result) problem(p problem.Problem) {
	r.Problems = append(r.Problems, Problem{p, r.Page.Path, r.Page.File})
}

// Values are what placeholders of an item's parts can name on a page.
func (g *Gate) Values(v *View) *compose.Values {
	return &compose.Values{
		Lookup: v.Lookup,
		Page:   &v.Page,
		Host:   g.mayLead,
		IsList: func(fact string) bool { return g.File.ListFacts[fact] },
		Built: func(name string) ([]string, bool) {
			if g.File.Manifest == nil {
				return nil, false
			}
			return g.File.Manifest.Find(name)
		},
	}
}

// mayLead reports whether values may say that something is loaded from a host: the site's
// own, and those under site.trust.
func (g *Gate) mayLead(host string) bool {
	if u, err := url.Parse(g.File.Site.URL.Value); err == nil && u.Host != "" && strings.EqualFold(u.Hostname(), host) {
		return true
	}
	return g.File.Site.Trusts(host)
}

// params gives an item's parameters their values on a page, and at a spot of it.
func (g *Gate) params(it *gatefile.Item, pg *page.Page, spot *markup.AuthorSpot) func(*gatefile.Param) (string, bool) {
	pp := g.Plan.PerPage(pg)
	if pp == nil && spot == nil {
		return nil
	}
	return func(p *gatefile.Param) (value string, bare bool) {
		value, bare = p.Value, p.Bare
		if pp != nil {
			for _, s := range pp.Params {
				if s.Item == it.Name && s.Name == p.Name {
					value, bare = s.Value, s.Bare
				}
			}
		}
		if spot != nil {
			for _, s := range spot.Params {
				if s.Name == p.Name {
					value, bare = s.Value, p.Bare && gatefile.IsBare(s.Value)
				}
			}
		}
		return value, bare
	}
}

// Render writes a part of an item as it stands on a page on which the item has no
// spot. ok is false where it writes nothing.
func (g *Gate) Render(v *View, item, part int) (text string, ok bool, err *compose.ValueError) {
	values := g.Values(v)
	values.Param = g.params(g.File.Items[item], &v.Page, nil)
	return g.items[item].Render(part, values)
}

// ScanForOwners scans any page so that Owners can tell whose its elements are.
func (g *Gate) ScanForOwners(src *markup.Source) *markup.Page {
	return markup.Scan(src.Text, g.found.watch)
}

// ScanAll is ScanForOwners, with all start tags listed.
func (g *Gate) ScanAll(src *markup.Source) *markup.Page {
	return markup.ScanTags(src.Text, g.found.watch)
}

// A Tag is a tag that is composed for a part, and the URL in it as written.
type Tag struct{ Text, URL string }

// Tags lists the tags composed for a part, whose URL stands in an attribute.
func (g *Gate) Tags(text, attr string) []Tag {
	return g.Once(attr+"\x00"+text, func() any {
		var tags []Tag
		scan := markup.Scan([]byte(text), nil)
		for _, el := range scan.Elements {
			raw, _ := markup.AttrValue(scan.Src, el.Start, attr)
			tags = append(tags, Tag{text[el.Start:el.TagEnd], raw})
		}
		return tags
	}).([]Tag)
}

// mostKept bounds what Once keeps: pages may bring any number of texts.
const mostKept = 4096

// Once returns what make makes of a text, which is kept: most texts that items write
// are the same on every page. The key tells what is made of which text.
func (g *Gate) Once(key string, make func() any) any {
	if v, ok := g.kept.Load(key); ok {
		return v
	}
	v := make()
	if g.keptCount.Add(1) <= mostKept {
		g.kept.Store(key, v)
	}
	return v
}

// Popups reports whether an item has a popup.
func (g *Gate) Popups() bool {
	return slices.ContainsFunc(g.File.Items, func(it *gatefile.Item) bool { return it.Popup() != nil })
}

// Loaders lists, by what they load, the items whose scripts and stylesheets have
// fixed URLs, as pages with that base resolve them.
func (g *Gate) Loaders(base weburl.Page) map[string][]int {
	if !base.Plain() || g.relative() {
		return g.loadersOn(base)
	}
	g.once.Do(func() { g.loaders = g.loadersOn(base) })
	return g.loaders
}

// relative reports whether an item's URL means another file on each page.
func (g *Gate) relative() bool {
	return slices.ContainsFunc(g.File.Items, func(it *gatefile.Item) bool {
		return slices.ContainsFunc(it.Parts, func(p *gatefile.Part) bool {
			return p.Kind.Tagged() && p.Template.Plain() && !strings.HasPrefix(p.Text, "/") && !strings.Contains(p.Text, "://")
		})
	})
}

func (g *Gate) loadersOn(base weburl.Page) map[string][]int {
	items := map[string][]int{}
	for i, it := range g.File.Items {
		for _, p := range it.Parts {
			if !p.Kind.Tagged() || !p.Template.Plain() {
				continue
			}
			ref, ok := base.Resolve(g.Site.BasePath() + p.Text)
			if !ok || !strings.HasPrefix(p.Text, "/") {
				ref, ok = base.Resolve(p.Text)
			}
			target := ref.URL
			if ref.Own {
				target = ref.Path
			}
			if ok {
				items[target] = append(items[target], i)
			}
		}
	}
	return items
}

// Owners returns, by the offset of its start tag, the item to which each element
// of a page belongs by the matchers of the gate file. The page may be any, a
// source or an output; scan is from ScanForOwners.
func (g *Gate) Owners(src *markup.Source, scan *markup.Page, known page.Page) map[int]Owner {
	if len(g.found.selectors) == 0 && !g.foundByText() {
		return nil
	}
	v := &View{gate: g, look: g.found, Source: src, Page: known, Scan: scan}
	e := &editing{Result: &Result{View: v}, gate: g}
	e.own()
	owners := make(map[int]Owner, len(e.owner))
	for at, o := range e.owner {
		owners[at] = Owner{o.item, o.replaced}
	}
	return owners
}

// An Owner is the item that an element belongs to.
type Owner struct {
	Item     int
	Replaced bool // the item stands in for it
}

func (g *Gate) foundByText() bool {
	for _, it := range g.File.Items {
		for _, m := range slices.Concat(it.Found, it.Replaces) {
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

// Clashes reports elements that bear the id of a popup that is on the page: in the
// source, in the popup itself, in what other items write. It looks through the whole
// page: apply does not ask.
func (r *Result) Clashes() (out []Problem) {
	for _, it := range r.Popups {
		selector := constant("[id='" + it.Name + "']")
		clash := func(pos problem.Position, where, remedy string) {
			out = append(out, Problem{problem.Problem{Severity: problem.Error, Pos: pos,
				Message: fmt.Sprintf("%s has the id %q, and so has the popup of item %q (%s)", where, it.Name, it.Name, it.Pos), Remedy: remedy}, r.Page.Path, r.Page.File})
		}
		on, _ := markup.Matches(r.Source.Text, selector) // one tag answers it
		for _, at := range on {
			line, column := markup.NewLocator(r.Source.Text).Locate(at)
			clash(problem.Position{File: r.Page.File, Line: line, Column: column}, "this element", "give the element another id, or the item another name")
		}
		for _, w := range r.Written {
			if w.Part == FoundPart {
				continue // it stands in the source
			}
			hits, _ := markup.Matches([]byte(w.Text), selector)
			part := r.gate.File.Items[w.Item].Parts[w.Part]
			if part.Kind == gatefile.Popup && r.gate.File.Items[w.Item] == it && len(hits) > 0 {
				hits = hits[1:] // the dialog's own
			}
			if len(hits) > 0 {
				clash(part.Pos, fmt.Sprintf("an element of %s of item %q", part.Kind, r.gate.File.Items[w.Item].Name), "give the element another id")
			}
		}
	}
	return out
}
