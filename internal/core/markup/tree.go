package markup

import (
	"bytes"
	"fmt"
	"regexp"
	"slices"
	"sort"
	"strconv"
	"strings"

	"github.com/andybalholm/cascadia"
	"golang.org/x/net/html"
)

// offsetAttr is the attribute that ties an element of a full tree to the bytes
// of its start tag.
const offsetAttr = "yg-offset-of-tag"

// Matches returns the offsets of the start tags of the elements that a selector
// matches, in document order, without those inside templates and noscripts. A
// compound selector is answered by a scan, any other by a full tree. Its error is
// an *UnreadError.
func Matches(src []byte, s *Selector) ([]int, error) {
	if s.Compound() {
		return Scan(src, NewWatch(s)).Hits[0], nil
	}
	if s.CanRuleOut(src) {
		return nil, nil
	}
	if s.descents != nil {
		if nest, ok := NewNest(src, Scan(src, nil)); ok {
			hits, _ := nest.Match(s)
			return hits, nil
		}
	}
	return NewTree(src).Match(s)
}

// An UnreadError says why a page cannot be followed, or not with a selector.
type UnreadError struct{ Why string }

func (e *UnreadError) Error() string { return e.Why }

// A Tree is the full tree of a page. Each element whose start tag is written in the page
// bears the tag's offset.
type Tree struct {
	doc *html.Node
	// What a selector's steps are reckoned from: how many elements there are, how many
	// siblings one has on average, and how many ancestors.
	elements, siblings, ancestors float64
	unread                        *UnreadError
}

// NewTree builds the tree of a page.
func NewTree(src []byte) *Tree { return NewTreeWithin(src, mostTreeCost) }

// NewTreeWithin builds a tree that costs no more than so many nanoseconds, about; a page of which it
// would take more is unread.
func NewTreeWithin(src []byte, most int) *Tree {
	var tags []int // offsets after the names
	var starts []int
	page := &Document{Src: src, FirstH1: -1, HeadBegin: -1, HeadStop: -1}
	s := scanner{src: src, page: page, unclosed: -1, messy: -1}
	s.watch = &watching{src: src, all: func(t token) {
		tags = append(tags, t.nameEnd)
		starts = append(starts, t.start)
	}}
	if bytes.HasPrefix(src, byteOrderMark) {
		s.pos = len(byteOrderMark)
	}
	for m := mode(beforeHTML); m != nil; {
		m = m(&s)
	}
	return parseMarked(withoutEscapes(src), starts, tags, most)
}

// withoutEscapes is a page with a space for each "<" in scripts that hold "<!--": the
// library loses count there of what is escaped (13.2.5.20), which browsers do not.
func withoutEscapes(src []byte) []byte {
	out := src
	Pieces(src, func(p Piece) bool {
		if text := src[p.Start:p.End]; p.Kind == PieceScript && bytes.Contains(text, []byte("<!--")) {
			if &out[0] == &src[0] {
				out = bytes.Clone(src)
			}
			for i := p.Start; i < p.End; i++ {
				if out[i] == '<' {
					out[i] = ' '
				}
			}
		}
		return true
	})
	return out
}

// parseMarked parses the page with an offset attribute in each of the tags.
func parseMarked(src []byte, starts, nameEnds []int, most int) *Tree {
	flat, cost := flatten(src, most)
	if cost > most {
		return &Tree{
			doc: &html.Node{Type: html.DocumentNode},
			unread: &UnreadError{
				"its elements are left open and misnested in such a way that following them takes far more than the page is worth",
			},
		}
	}
	b := marked(src, starts, nameEnds, flat)
	if at := nameOfDoctype.FindSubmatchIndex(b.Bytes()[:min(b.Len(), 1024)]); at != nil {
		copy(b.Bytes()[at[2]:at[3]], "html") // the library takes it for quirks mode in capitals; browsers do not (13.2.5.54)
	}
	doc, err := html.Parse(b)
	if err != nil { // a reader of bytes never fails; too deep a tree does
		return &Tree{
			doc:    &html.Node{Type: html.DocumentNode},
			unread: &UnreadError{"the page is nested so deep that it cannot be followed: " + err.Error()},
		}
	}
	t := &Tree{doc: doc}
	t.measure()
	return t
}

// marked is a page with an offset attribute in each of the tags, flattened where that is asked for.
func marked(src []byte, starts, nameEnds []int, flat *flattening) *bytes.Buffer {
	var gone []Span
	var closers []int // start tags whose element is closed at once, in order
	if flat != nil {
		gone, closers = flat.gone, flat.closed
	}
	b := &bytes.Buffer{}
	b.Grow(len(src) + 32*len(starts))
	last := 0
	upTo := func(at int) { // without the end tags of what was flattened
		for len(gone) > 0 && gone[0].Start < at {
			b.Write(src[last:max(gone[0].Start, last)])
			last = max(last, gone[0].End)
			gone = gone[1:]
		}
		if at > last {
			b.Write(src[last:at])
			last = at
		}
	}
	closeUpTo := func(at int) {
		for len(closers) > 0 && closers[0] < at {
			tag := TagName(src, closers[0])
			if end, _ := tagEnd(src, closers[0]+1+len(tag)); end > 0 {
				upTo(end)
				b.WriteString("</" + tag + ">")
			}
			closers = closers[1:]
		}
	}
	for i, at := range nameEnds {
		closeUpTo(starts[i])
		upTo(at)
		b.WriteString(" " + offsetAttr + "=")
		b.Write(strconv.AppendInt(b.AvailableBuffer(), int64(starts[i]), 10))
		b.WriteByte(' ')
	}
	closeUpTo(len(src))
	upTo(len(src))
	return b
}

var nameOfDoctype = regexp.MustCompile(`(?i)^[^<]*(?:<!--.*?-->\s*)*<!doctype\s+(html)`)

// measure counts what a selector's steps are reckoned from.
func (t *Tree) measure() {
	depth := 0.0
	for n := t.doc; n != nil; {
		kids := 0.0
		for c := n.FirstChild; c != nil; c = c.NextSibling {
			if c.Type == html.ElementNode {
				kids++
			}
		}
		t.siblings += kids * kids
		if n.Type == html.ElementNode {
			t.elements++
			t.ancestors += depth
		}
		if n.FirstChild != nil {
			n, depth = n.FirstChild, depth+1
			continue
		}
		for n != nil && n.NextSibling == nil {
			n, depth = n.Parent, depth-1
		}
		if n != nil {
			n = n.NextSibling
		}
	}
	t.siblings = max(t.siblings/max(t.elements, 1), 1)
	t.ancestors = max(t.ancestors/max(t.elements, 1), 1)
}

// Names hands over what selectors can name in the tree: "form", "#letter", ".slides", "[data-every", each as often as
// it is there. It reports whether the page could be read.
func (t *Tree) Names(each func(string)) bool {
	if t.unread != nil {
		return false
	}
	for n := range t.doc.Descendants() {
		if n.Type != html.ElementNode {
			continue
		}
		each(n.Data)
		for _, a := range n.Attr {
			if a.Key != offsetAttr {
				each("[" + a.Key)
			}
			switch a.Key {
			case "id":
				each("#" + a.Val)
			case "class":
				for _, c := range strings.Fields(a.Val) {
					each("." + c)
				}
			}
		}
	}
	return true
}

// Some reports whether a selector matches any element of the tree, one that no tag stands for too.
func (t *Tree) Some(s *Selector) (bool, error) {
	if err := t.affords(s); err != nil {
		return false, err
	}
	group := s.tree
	if group == nil { // one start tag can answer it
		group, _ = cascadia.ParseGroup(s.text)
	}
	return group == nil || cascadia.Query(t.doc, group) != nil, nil
}

// affords says why a selector cannot be held against the tree; nil where it can.
func (t *Tree) affords(s *Selector) error {
	if t.unread != nil {
		return t.unread
	}
	if steps := s.steps(t); steps > mostMatched {
		return &UnreadError{
			fmt.Sprintf(
				"the selector %s would take about %.0f million steps on this page of %.0f elements; the limit is %d million",
				s, steps/1e6, t.elements, mostMatched/1_000_000),
		}
	}
	return nil
}

// Match is Matches on a tree.
func (t *Tree) Match(s *Selector) ([]int, error) {
	if err := t.affords(s); err != nil {
		return nil, err
	}
	var offsets []int
	for n := range t.doc.Descendants() {
		if n.Type == html.ElementNode && s.tree.Match(n) {
			if at, ok := offsetOf(n); ok {
				offsets = append(offsets, at)
			}
		}
	}
	sort.Ints(offsets)
	return slices.Compact(offsets), nil // clones count as their original
}

// steps reckons what a selector costs on a tree: each of its parts that looks at siblings,
// ancestors or descendants does so for every element that the parts before it let through,
// which are taken to be all.
func (s *Selector) steps(t *Tree) float64 {
	most := 0.0
	for alternative := range strings.SplitSeq(s.text, ",") {
		steps := t.elements
		for _, m := range costly.FindAllString(alternative, -1) {
			switch {
			case strings.Contains(m, "has"):
				steps *= t.ancestors
			case strings.Contains(m, "~"), strings.Contains(m, ":"):
				steps *= t.siblings
			case m != " " || !strings.Contains(alternative, ":has"):
				steps *= min(t.ancestors, 4)
			}
		}
		most += steps
	}
	return most
}

// costly are the parts of a selector that look further than an element and its parent.
var costly = regexp.MustCompile(`(?i):has\(|:(nth-|first-of|last-of|only-)[\w-]*|\s*~[^=]\s*| `)

func offsetOf(n *html.Node) (int, bool) {
	for _, a := range n.Attr {
		if a.Key == offsetAttr {
			at, err := strconv.Atoi(a.Val)
			return at, err == nil
		}
	}
	return 0, false
}

// relistByTree lists the elements from an offset on again, by the full tree:
// for the rare page whose foreign content the scanner cannot follow. Here the
// tags are not known for certain, so everything that looks like a start tag is
// marked; where that is not markup it is text nobody reads.
func relistByTree(p *Document, from int) {
	src := p.Src
	starts, nameEnds := likeStartTags(src)
	tree := parseMarked(src, starts, nameEnds, mostRelisted)
	if tree.unread != nil {
		p.Unread = tree.unread.Why
		return
	}
	doc := tree.doc
	kept := p.Elements[:0:0]
	for _, e := range p.Elements {
		if e.Start < from {
			kept = append(kept, e)
		}
	}
	var late []Element
	for n := range doc.Descendants() {
		at, ok := offsetOf(n)
		if !ok || at < from {
			continue
		}
		tag := ParseTag(n.Data)
		if !tag.OfInterest() {
			continue
		}
		e := Element{Tag: tag, Area: Body, Start: at, Inside: insideOf(n)}
		_, nameEnd := readName(src, at+1)
		e.TagEnd, _ = tagEnd(src, nameEnd)
		e.ContentEnd, e.End = e.TagEnd, e.TagEnd
		if tag.rawText() && n.Namespace == "" {
			e.ContentEnd, e.End = rawTextEnd(src, e.TagEnd, src[at+1:nameEnd], tag == TagScript)
			if e.End < 0 {
				e.ContentEnd, e.End = len(src), len(src)
			}
		} else if tag == TagDialog || tag == TagTemplate {
			e.ContentEnd, e.End = 0, 0
		}
		late = append(late, e)
	}
	sort.Slice(late, func(i, j int) bool { return late[i].Start < late[j].Start })
	for i, e := range late {
		if i == 0 || late[i-1].Start != e.Start {
			kept = append(kept, e)
		}
	}
	p.Elements = kept
}

// likeStartTags are the offsets of what looks like a start tag of interest, and where its name ends.
func likeStartTags(src []byte) (starts, nameEnds []int) {
	for i := 0; i < len(src); i++ {
		n := bytes.IndexByte(src[i:], '<')
		if n < 0 {
			break
		}
		i += n
		if i+1 >= len(src) || !isLetter(src[i+1]) {
			continue
		}
		tag, end := readName(src, i+1)
		if tag.OfInterest() || tag == TagH1 {
			starts = append(starts, i)
			nameEnds = append(nameEnds, end)
		}
	}
	return starts, nameEnds
}

// insideOf says what an element stands in. One of HTML at an integration point of svg or math is active, as
// one of the page: its parent's namespace makes no difference (HTML, 13.2.6).
func insideOf(n *html.Node) Inside {
	switch n.Namespace {
	case "svg":
		return InSVG
	case "math":
		return InMath
	}
	for a := n.Parent; a != nil; a = a.Parent {
		switch {
		case a.Type == html.ElementNode && a.Data == "template":
			return InTemplate
		}
	}
	return InPage
}
