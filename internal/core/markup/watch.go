package markup

import (
	"bytes"
	"slices"

	"yellowgate/internal/core/textsearch"
)

// Selectors of one element, looked for while a page is scanned.

// A Watch is a set of compound selectors that one scan answers together.
type Watch struct {
	list  []*Selector
	ready watching // for any page
}

// NewWatch returns a Watch of compound selectors; Page.Hits has their matches
// in this order.
func NewWatch(list ...*Selector) *Watch {
	if len(list) == 0 {
		return nil
	}
	w := &Watch{list: list}
	w.sort()
	return w
}

// watching is a Watch on one page.
type watching struct {
	src     []byte
	named   []watched          // with a tag: looked for at start tags with a name as long
	unnamed []watched          // without: looked for at every start tag with attributes, or where their word stands
	listed  []watched          // looked for among the elements of interest
	lengths [32]uint64         // of the names in named, by their first letter: a bit for each length
	bare    bool               // a compound may match a tag without attributes and by any name
	all     func(t token)      // where every start tag is asked for
	words   *textsearch.Search // of the unnamed, those without one last; nil where they are few
	plain   bool               // words stand in the page as they are: none is written with references
	last    int                // the start tag that was looked at last
	next    int                // no tag that ends before it can match an unnamed compound
}

// fewWorded are unnamed compounds whose words are looked for one by one: those of more are, all at once.
const fewWorded = 1

type watched struct {
	index int
	c     *compound
	at    int // where the word stands next, as far as it was looked for
}

func (w *Watch) on(src []byte) *watching {
	on := w.ready
	on.src = src
	if len(on.unnamed)+len(on.named) == 0 || spellsByReference(src) || bytes.Contains(src, []byte("&fjlig")) {
		return &on
	}
	on.plain, on.named = true, slices.Clone(on.named)
	on.unnamed = make([]watched, 0, len(on.unnamed))
	var there [][]int
	if on.words != nil {
		there = on.words.Run(src)
	}
	for i, a := range w.ready.unnamed {
		switch {
		case a.c.word == nil:
		case i < len(there):
			if len(there[i]) == 0 {
				continue
			}
		default:
			if a.at = bytes.Index(src, a.c.word); a.at < 0 {
				continue
			}
		}
		on.unnamed = append(on.unnamed, a)
	}
	on.ahead()
	return &on
}

// ahead finds out where the next word stands.
func (w *watching) ahead() {
	w.next = len(w.src)
	for i := range w.unnamed {
		w.next = min(w.next, w.unnamed[i].at)
	}
}

// stands reports whether the word of a compound stands in a tag. Tags come in order; where a part of the page is read
// again, the words are looked for again.
func (w *watching) stands(a *watched, from, end int) bool {
	if !w.plain {
		tag := w.src[from:end]
		return bytes.Contains(tag, a.c.word) || bytes.IndexByte(tag, '&') >= 0
	}
	if a.at < from {
		n := bytes.Index(w.src[from:], a.c.word)
		if a.at = from + n; n < 0 {
			a.at = len(w.src)
		}
	}
	return a.at < end
}

// sort puts the compounds where they are looked for.
func (w *Watch) sort() {
	on := &w.ready
	for i, s := range w.list {
		for j := range s.compounds {
			c := &s.compounds[j]
			switch {
			case c.tag == "":
				on.unnamed = append(on.unnamed, watched{i, c, 0})
				on.bare = on.bare || len(c.tests) == 0
			case ParseTag(c.tag).OfInterest():
				on.listed = append(on.listed, watched{i, c, 0})
			default:
				on.named = append(on.named, watched{i, c, 0})
				on.lengths[c.tag[0]&31] |= 1 << min(len(c.tag), 63)
			}
		}
	}
	worded := func(a watched) bool { return a.c.word != nil }
	slices.SortStableFunc(on.unnamed, func(a, b watched) int {
		switch {
		case worded(a) == worded(b):
			return 0
		case worded(a):
			return -1
		}
		return 1
	})
	if n := slices.IndexFunc(on.unnamed, func(a watched) bool { return !worded(a) }); n > fewWorded ||
		n < 0 && len(on.unnamed) > fewWorded {
		on.words = &textsearch.Search{}
		for _, a := range on.unnamed {
			if worded(a) {
				on.words.Add(a.c.word)
			}
		}
	}
}

// wants reports whether a start tag with a name of n bytes could match that begins with a letter; bare is
// true for one without attributes. One that ends after next can match besides.
func (w *watching) wants(first byte, n int, bare bool) bool {
	return w.all != nil || len(w.unnamed) > 0 && w.next == 0 && (!bare || w.bare) || w.lengths[first&31]>>min(n, 63)&1 != 0
}

func (w *watching) match(s *scanner, t token) {
	if w.all != nil {
		w.all(t)
		return
	}
	n := t.nameEnd - t.start - 1
	again := t.start < w.last
	w.last = t.start
	for i := range w.named {
		a := &w.named[i]
		if again {
			a.at = 0
		}
		if len(a.c.tag) != n || lower[w.src[t.start+1]] != a.c.tag[0] ||
			a.c.word != nil && !w.stands(a, t.nameEnd, t.end) {
			continue
		}
		if a.c.matches(w.src, t.start, t.nameEnd, t.end) {
			s.page.hit(a.index, t.start)
		}
	}
	if len(w.unnamed) == 0 {
		return
	}
	for i := range w.unnamed {
		a := &w.unnamed[i]
		if again {
			a.at = 0
		}
		if a.c.word != nil && !w.stands(a, t.nameEnd, t.end) {
			continue
		}
		if a.c.matches(w.src, t.start, t.nameEnd, t.end) {
			s.page.hit(a.index, t.start)
		}
	}
	if w.plain {
		w.ahead()
	}
}

// matchListed answers the compounds that name an element of interest from the
// list of those.
func (w *watching) matchListed(p *Document) {
	for _, a := range w.listed {
		tag := ParseTag(a.c.tag)
		for i := range p.Elements {
			e := &p.Elements[i]
			if e.Tag != tag || e.Inside == InTemplate || e.Inside == InNoscript {
				continue
			}
			if _, nameEnd := readName(w.src, e.Start+1); a.c.matches(w.src, e.Start, nameEnd, e.TagEnd) {
				p.hit(a.index, e.Start)
			}
		}
	}
}

// hit notes a match, each element once, in document order.
func (p *Document) hit(index, at int) {
	hits := p.Hits[index]
	i := len(hits)
	for i > 0 && hits[i-1] >= at {
		if i--; hits[i] == at {
			return
		}
	}
	p.Hits[index] = slices.Insert(hits, i, at)
}
