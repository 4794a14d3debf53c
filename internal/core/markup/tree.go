package markup

import (
	"bytes"
	"slices"
	"sort"
	"strconv"

	"golang.org/x/net/html"
)

// offsetAttr is the attribute that ties an element of a full tree to the bytes
// of its start tag.
const offsetAttr = "yg-offset-of-tag"

// Matches returns the offsets of the start tags of the elements that a selector
// matches, in document order, without those inside templates and noscripts. A
// compound selector is answered by a scan, any other by a full tree.
func Matches(src []byte, s *Selector) []int {
	if s.Compound() {
		return Scan(src, NewWatch(s)).Hits[0]
	}
	if s.CanRuleOut(src) {
		return nil
	}
	return MatchTree(Tree(src), s)
}

// Tree builds the full tree of a page. Each element whose start tag is written
// in the page bears the tag's offset.
func Tree(src []byte) *html.Node {
	var tags []int // offsets after the names
	var starts []int
	page := &Page{Src: src, FirstH1: -1, HeadBegin: -1, HeadStop: -1}
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
	return parseMarked(src, starts, tags)
}

// parseMarked parses the page with an offset attribute in each of the tags.
func parseMarked(src []byte, starts, nameEnds []int) *html.Node {
	var b bytes.Buffer
	b.Grow(len(src) + 32*len(starts))
	last := 0
	for i, end := range nameEnds {
		b.Write(src[last:end])
		b.WriteString(" " + offsetAttr + "=")
		b.WriteString(strconv.Itoa(starts[i]))
		b.WriteString(" ")
		last = end
	}
	b.Write(src[last:])
	doc, err := html.Parse(&b)
	if err != nil { // a reader of bytes never fails; too deep a tree does
		return &html.Node{Type: html.DocumentNode}
	}
	return doc
}

// MatchTree is Matches on a tree that Tree built.
func MatchTree(doc *html.Node, s *Selector) []int {
	var offsets []int
	for n := range doc.Descendants() {
		if n.Type == html.ElementNode && s.tree.Match(n) {
			if at, ok := offsetOf(n); ok {
				offsets = append(offsets, at)
			}
		}
	}
	sort.Ints(offsets)
	return slices.Compact(offsets) // clones count as their original
}

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
func relistByTree(p *Page, from int) {
	src := p.Src
	var starts, nameEnds []int
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
	doc := parseMarked(src, starts, nameEnds)
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

func insideOf(n *html.Node) Inside {
	for a := n.Parent; a != nil; a = a.Parent {
		switch {
		case a.Namespace == "svg":
			return InSVG
		case a.Namespace == "math":
			return InMath
		case a.Type == html.ElementNode && a.Data == "template":
			return InTemplate
		}
	}
	return InPage
}
