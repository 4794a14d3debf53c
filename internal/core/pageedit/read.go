package pageedit

import (
	"slices"
	"sort"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/placeholder"
	"yellowgate/internal/core/verdict"
	"yellowgate/internal/core/weburl"
)

// The first step: reading a page.

// A View is a source page as the gate reads it, before anything is decided: the first step.
type View struct {
	gate   *Gate
	look   *selectorSet
	Source *markup.Source
	Scan   *markup.Document
	Page   page.Page
	Spots  []markup.AuthorSpot
	// Unread says why the page cannot be followed, or not with a selector of the gate file:
	// then no verdict about it is sure. "" where it can.
	Unread string
	// Original is the file as it was given, marked regions of an earlier output included.
	Original []byte
	tree     *markup.Tree
	nest     *markup.Nest // where the page's tags are plain
	// nestTried: the tags were looked at for that.
	nestTried bool
	// begun: the source is only the beginning of a page.
	begun  bool
	held   map[int]bool                   // of one that is begun: items whose parts of the body are not written yet
	meta   *Metadata                      // once asked for
	stacks map[string][]verdict.Candidate // by a metadata key's ID, once asked for
	inside *content                       // once asked for

	asksLang bool // what language it has is being decided
}

// Look reads a source page. known holds what does not stand in the page: its
// path, its file, its facts. Marked regions of an earlier output are left out.
func (g *Gate) Look(file []byte, known page.Page) *View {
	src := markup.ReadAs(file, known.Answer.Charset())
	v := &View{gate: g, look: g.all, Source: src, Page: known, Original: file}
	v.Scan = markup.Scan(src.Text, g.all.watch)
	if len(v.Scan.Regions()) > 0 {
		src = markup.ReadAs(markup.Unmark(src, v.Scan), known.Answer.Charset())
		v.Source, v.Scan = src, markup.Scan(src.Text, g.all.watch)
	}
	v.Page.Read(src, v.Scan)
	v.readSpots()
	v.readHas()
	return v
}

// readHas finds out which of the selectors that queries ask for match.
func (v *View) readHas() {
	if n := len(v.gate.File.Selectors); n > 0 {
		v.Page.Has = make([]bool, n)
		for i := range n {
			v.Page.Has[i] = len(v.matches(i)) > 0 && (!v.begun || settles(v.look.selectors[i]))
		}
	}
}

// settles reports whether what a selector matches in the beginning of a page, its body tag in it, it matches in
// the whole: it asks nothing of what follows an element.
func settles(s *markup.Selector) bool {
	return s.Compound() || s.Descends() || s.String() == "body" || s.String() == "html"
}

// readSpots lists the page's spots.
func (v *View) readSpots() {
	v.Page.Spots = nil
	v.Spots = markup.SpotsAt(v.Source, v.Scan, v.find(markup.SpotElements))
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
	if hits, ok := v.nested(s); ok {
		return hits
	}
	if v.tree == nil {
		if s.CanRuleOut(v.Source.Text) {
			return nil
		}
		v.tree = v.newTree()
	}
	hits, err := v.tree.Match(s)
	if err != nil && v.Unread == "" {
		v.Unread = err.Error()
	}
	return hits
}

// nested answers a selector of descendants on a page whose tags say plainly what stands in what;
// ok is false for others.
func (v *View) nested(s *markup.Selector) (hits []int, ok bool) {
	if !s.Descends() || v.tree != nil {
		return nil, false
	}
	if v.nest == nil && s.LacksWords(v.Source.Text) {
		return nil, true
	}
	if nest := v.plainNest(); nest != nil {
		return nest.Match(s)
	}
	return nil, false
}

// first is find for the first element: others may be missing.
func (v *View) first(s *markup.Selector) []int {
	if s.Descends() && v.tree == nil && v.nest != nil {
		if at, _ := v.nest.First(s); at >= 0 {
			return []int{at}
		}
		return nil
	}
	return v.find(s)
}

// plainNest is what stands in what, where the page's tags say so plainly; else nil.
func (v *View) plainNest() *markup.Nest {
	if !v.nestTried {
		v.nestTried = true
		v.nest, _ = markup.NewNest(v.Source.Text, v.Scan)
	}
	return v.nest
}

func (v *View) find(s *markup.Selector) []int { return v.matches(v.look.number[s.String()]) }

// after is the page as it is once something was taken out of it: read again, and what is known of
// it besides stays.
func (v *View) after(file []byte) *View {
	next := &View{gate: v.gate, look: v.look, Source: markup.ReadAs(file, v.Page.Answer.Charset()), Page: v.Page}
	next.Scan = markup.Scan(next.Source.Text, v.look.watch)
	next.readSpots()
	if len(v.gate.File.ContentSelectors) > 0 {
		next.inside = v.content() // of the source
	}
	return next
}

// Lookup gives a placeholder's name its value on this page, "" where there is
// none.
func (v *View) Lookup(name string) string {
	switch {
	case strings.HasSuffix(name, ")"):
		return strings.Join(v.Said(name), ", ")
	case name == placeholder.Language:
		return v.language()
	case strings.HasPrefix(name, "words."):
		if word := v.gate.File.Word(v.language(), strings.TrimPrefix(name, "words.")); word != nil {
			text, _ := word.Value.Fill(v.Lookup)
			return text
		}
		return ""
	}
	return v.gate.Lookup(&v.Page, name)
}

// language is the page's, as the gate leaves it.
func (v *View) language() string {
	if v.asksLang || !slices.Contains(v.gate.keys, "lang") {
		return v.Page.Lang
	}
	v.asksLang = true // what gives it may ask for it, too
	defer func() { v.asksLang = false }()
	if w := verdict.Winner(v.Metadata("lang")); w != nil {
		return w.Value
	}
	return v.Page.Lang
}

// Matches returns the offsets in the source page at which a selector of the gate
// file matches.
func (v *View) Matches(s *markup.Selector) []int { return v.find(s) }

// matched returns the offsets of the elements that a matcher matches.
func (v *View) matched(m *gatefile.Matcher, refs []loaded) (out []int) {
	switch {
	case m.Selector != nil:
		out = v.find(m.Selector)
		if inside := m.Selector.MatchesIn(v.Scan); len(inside) > 0 {
			out = append(slices.Clone(out), inside...)
			slices.Sort(out)
		}
		return out
	case m.Text != nil:
		for _, el := range v.Scan.Elements {
			if (el.Tag == markup.TagScript || el.Tag == markup.TagStyle) && el.Inside == markup.InPage &&
				el.ContentEnd > el.TagEnd {
				if m.Text.MatchString(v.Source.String(el.TagEnd, el.ContentEnd)) {
					out = append(out, el.Start)
				}
			}
		}
	default:
		glob, query := splitQuery(m.URL)
		for _, l := range refs {
			if MatchURL(glob, l.url) && (query == "" || doublestar.MatchUnvalidated(query, l.query)) {
				out = append(out, l.at)
			}
		}
	}
	return out
}

// A loaded URL is that of one loading element, resolved, without query and
// fragment: the path within the site for its own.
type loaded struct {
	at    int
	url   string
	query string
}

// splitQuery takes the query off the glob of a url matcher: what follows its "?".
func splitQuery(glob string) (url, query string) {
	url, query, _ = strings.Cut(glob, "?")
	return url, query
}

// loads lists the URLs that the page loads.
func (v *View) loads() []loaded {
	href, from := markup.BaseHref(v.Source, v.Scan)
	bases := v.gate.Site.Bases(v.Page.Path, href, from)
	out := make([]loaded, 0, len(v.Scan.Elements))
	add := func(at int, raw string) {
		if r, ok := bases.At(at).Resolve(raw); ok && !r.Data {
			_, query, _ := strings.Cut(r.URL, "?")
			out = append(out, loaded{at, v.gate.matchForm(r), query})
		}
	}
	for _, el := range v.Scan.Elements {
		if raw, ok := LoadURL(v.Source, el); ok {
			add(el.Start, raw)
		}
	}
	for _, at := range append(slices.Clone(v.matches(v.look.number[urlTags])),
		v.look.selectors[v.look.number[urlTags]].MatchesIn(v.Scan)...) {
		if raw, ok := v.Source.Attr(at, "src"); ok {
			add(at, raw)
		}
	}
	return out
}

func (g *Gate) matchForm(r weburl.Ref) string {
	if r.Own {
		return r.Path
	}
	return r.WithoutQuery()
}

// LoadURL returns the URL that an element loads, as written; ok is false for
// one that loads nothing.
func LoadURL(src *markup.Source, el markup.Element) (string, bool) {
	switch el.Tag {
	case markup.TagScript, markup.TagIframe:
		return src.Attr(el.Start, "src")
	case markup.TagLink:
		if href, ok := src.Attr(el.Start, "href"); ok && markup.LinkLoads(src.Text, el.Start) {
			return href, true
		}
	}
	return "", false
}

// MatchURL compares a glob with a resolved URL. A glob that begins with "/" is
// for the site's own URLs; one without a scheme leaves the scheme open.
func MatchURL(glob, ref string) bool {
	own := strings.HasPrefix(ref, "/")
	if below, ok := strings.CutSuffix(glob, "/**"); ok && own && strings.HasPrefix(glob, "/") &&
		!strings.ContainsAny(below, `*?[{\`) {
		return strings.HasPrefix(ref, below) &&
			(len(ref) == len(below) || ref[len(below)] == '/') // the usual kind, quickly
	}
	if strings.HasPrefix(glob, "/") && !strings.HasPrefix(glob, "//") {
		return own && doublestar.MatchUnvalidated(glob, ref)
	}
	if own {
		return doublestar.MatchUnvalidated(glob, strings.TrimPrefix(ref, "/")) && strings.HasPrefix(glob, "**")
	}
	if !strings.Contains(glob, "://") {
		if _, rest, ok := strings.Cut(ref, "://"); ok {
			ref = rest
		}
		glob = strings.TrimPrefix(glob, "//")
	}
	return doublestar.MatchUnvalidated(glob, ref)
}

// endOf returns where the element at the offset ends; errOpen where that has not come.
func (v *View) endOf(at int) (int, error) {
	list := v.Scan.Elements
	i := sort.Search(len(list), func(i int) bool { return list[i].Start >= at })
	for ; i < len(list) && list[i].Start == at; i++ {
		if list[i].End > 0 {
			return list[i].End, nil
		}
	}
	content, end, err := v.Scan.Extent(at)
	if v.isOpen(content, err) {
		return 0, errOpen
	}
	return end, err
}

// newTree builds the tree of the page.
func (v *View) newTree() *markup.Tree {
	if v.gate.TreeCost > 0 {
		return markup.NewTreeWithin(v.Source.Text, v.gate.TreeCost)
	}
	return markup.NewTree(v.Source.Text)
}
