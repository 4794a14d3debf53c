// Package pageedit is the one road that every page takes: bytes in with what is
// known of the page, bytes out. It goes one way: read the page (a View), decide (a
// Decision: verdicts, whose its elements are), plan (a Plan: a list of edits, each with
// its item and reason), write. The files bear these names. It reads no files and knows
// no folders.
package pageedit

import (
	"net/url"
	"slices"
	"strings"
	"sync"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/memo"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/snippet"
	"yellowgate/internal/core/verdict"
	"yellowgate/internal/core/weburl"
)

// A Gate is a gate file prepared to be put into effect.
type Gate struct {
	File *gatefile.Gate
	Plan *verdict.Plan
	Site *weburl.SiteURL

	// TreeCost is how much the tree of a page may cost, in about nanoseconds; 0 for what is usual.
	TreeCost int

	items []*snippet.Prepared
	keys  []string     // IDs of the metadata keys that the gate file decides
	all   *selectorSet // for every selector of the gate file, those of has() first
	found *selectorSet // for those that items are found by
	byURL bool         // an item is found by URL
	// ahead is a selector of an item that may ask for what follows an element; nil for none.
	ahead *markup.Selector

	texts    memo.Map[string, any] // see Once
	once     sync.Once
	codeOnce sync.Once
	code     map[string]string // the addresses in items' code, by item
	loaders  map[string][]int  // what Loaders returns for nearly all pages
}

// A selectorSet is a set of selectors that pages are scanned for.
type selectorSet struct {
	selectors []*markup.Selector
	watched   []int // by selector: its number in the watch, or -1
	watch     *markup.Watch
	number    map[string]int // by the selector's text
}

func (l *selectorSet) add(s *markup.Selector) {
	if l.number == nil {
		l.number = map[string]int{}
	}
	if _, ok := l.number[s.String()]; !ok {
		l.number[s.String()] = len(l.selectors)
		l.selectors = append(l.selectors, s)
	}
}

// ready makes the watch, once all selectors are added.
func (l *selectorSet) ready() {
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
	g := &Gate{
		keys:  f.KeyIDs(),
		File:  f,
		Site:  weburl.NewSite(f.Site.URL.Value, f.Site.Origin.Value).Naming(f.Site.Query),
		all:   &selectorSet{},
		found: &selectorSet{},
	}
	var problems []problem.Problem
	g.Plan, problems = verdict.NewPlan(f, day)
	for _, it := range f.Items {
		c, ps := snippet.Prepare(it, g.Site.BasePath())
		g.items = append(g.items, c)
		problems = append(problems, ps...)
	}
	problems = append(problems, g.Plan.OutOfDates()...)
	for _, s := range f.Selectors {
		g.all.add(s)
	}
	add := func(s *markup.Selector) { // of an item
		g.all.add(s)
		if !settles(s) && g.ahead == nil {
			g.ahead = s
		}
	}
	for _, s := range f.ContentSelectors {
		g.all.add(s)
	}
	for _, it := range f.Items {
		for _, m := range slices.Concat(it.Found, it.Replaces) {
			if m.Selector != nil {
				add(m.Selector)
				g.found.add(m.Selector)
			}
			g.byURL = g.byURL || m.URL != ""
		}
		for i := range it.Parts {
			if p := g.placeOf(it, i); p.Selector != nil {
				add(p.Selector)
			}
			if s := it.Parts[i].Selector; s != nil {
				add(s)
			}
		}
		if p := it.FoundPlace(); p != nil && p.Selector != nil {
			add(p.Selector)
		}
	}
	if g.byURL {
		s := constant(urlTags)
		g.all.add(s)
		g.found.add(s)
	}
	g.all.add(markup.SpotElements)
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
	last      *planner // what the plan was made with
}

// Page gates one page.
func (g *Gate) Page(file []byte, known page.Page) *Result {
	return g.Put(g.Look(file, known))
}

// Put takes a page that was read through the other steps: decide, plan, write, each a value that is
// handed to the next.
func (g *Gate) Put(v *View) *Result {
	if v.Scan.Fragment() && !v.Page.Whole {
		return &Result{View: v, File: v.Source.File, Fragment: true}
	}
	d := g.decide(v)
	r := &Result{View: v, File: v.Source.File, Verdicts: d.Verdicts, Present: d.Present, Matched: d.Matched}
	if d.breakerGoes() {
		// The one step back: what broke the head goes, and without it the head ends elsewhere.
		// It is taken out alone, and the page is read again.
		first := &planner{Decision: d}
		first.takeOut()
		if !r.write(first) {
			return r
		}
		d = d.on(v.after(r.File))
		d.problems = append(d.problems, first.plan.problems...)
	}
	p := d.planOf()
	r.Written, r.Popups, r.placeless, r.last = p.plan.Written, p.plan.Popups, p.plan.placeless, p
	if r.write(p) {
		r.keepsEncoding()
	}
	if v.Scan.Unread != "" && v.Unread == "" {
		v.Unread = v.Scan.Unread
	}
	if v.Unread != "" {
		r.problem(
			problem.Problem{
				Severity: problem.Error,
				Pos:      problem.Position{File: v.Page.File, Line: 1, Column: 1},
				Message:  "this page is not read: " + v.Unread,
				Remedy:   "write the selector so that fewer elements have to be looked at, or list the page under site.ignore",
			},
		)
	}
	return r
}

// write writes what was planned, and takes over what there is to say. false where it cannot be
// written.
func (r *Result) write(p *planner) bool {
	r.Problems = r.Problems[:0]
	for _, x := range slices.Concat(p.problems, p.plan.problems) {
		r.problem(x)
	}
	file, inverse, err := p.plan.write(p.Source)
	if err != nil {
		x := p.plan.unwritable(err, p.gate.File)
		x.Pos = problem.Position{File: r.Page.File, Line: 1}
		r.problem(x)
		return false
	}
	r.File = file
	r.inverses = append(r.inverses, inverse)
	return true
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

// Replaced is how many elements of the source page go because an item replaces them, by its number.
func (r *Result) Replaced(item int) (n int) {
	if r.last == nil {
		return 0
	}
	for _, items := range r.last.standers {
		if slices.Contains(items, item) {
			n++
		}
	}
	return n
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

func (r *Result) problem(p problem.Problem) {
	r.gate.File.Accepts(&p, &r.Page)
	r.Problems = append(r.Problems, Problem{p, r.Page.Path, r.Page.File})
}

// Values are what placeholders of an item's parts can name on a page.
func (g *Gate) Values(v *View) *snippet.Values {
	return &snippet.Values{
		Lookup:  v.Lookup,
		Page:    &v.Page,
		Content: v,
		Host:    g.mayLead,
		IsList:  func(fact string) bool { return g.File.ListFacts[fact] },
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

// Render writes a part of an item as it stands on a page on which the item has no
// spot. ok is false where it writes nothing.
func (g *Gate) Render(v *View, item, part int) (text string, ok bool, err *snippet.ValueError) {
	values := g.Values(v)
	values.Param = v.params(g.File.Items[item], nil)
	return g.items[item].Render(part, values)
}

// ScanForOwners scans any page so that Owners can tell whose its elements are.
func (g *Gate) ScanForOwners(src *markup.Source) *markup.Document {
	return markup.Scan(src.Text, g.found.watch)
}

// ScanAll is ScanForOwners, with all start tags listed.
func (g *Gate) ScanAll(src *markup.Source) *markup.Document {
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

// Once returns what make makes of a text, which is kept: most texts that items write
// are the same on every page. The key tells what is made of which text.
func (g *Gate) Once(key string, make func() any) any {
	return g.texts.Get(key, make)
}

// Popups reports whether an item has a popup.
func (g *Gate) Popups() bool {
	return slices.ContainsFunc(g.File.Items, func(it *gatefile.Item) bool { return it.Popup() != nil })
}

// Loaders lists, by what they load, the items whose scripts and stylesheets have
// fixed URLs, as pages with that base resolve them.
func (g *Gate) Loaders(base weburl.Base) map[string][]int {
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
			return p.Kind.Tagged() && p.Template.Plain() && !strings.HasPrefix(p.Text, "/") &&
				!strings.Contains(p.Text, "://")
		})
	})
}

func (g *Gate) loadersOn(base weburl.Base) map[string][]int {
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
