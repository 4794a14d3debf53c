package markup

import (
	"bytes"
	"slices"
)

// The full tree of the library ends at 512 levels, and so do browsers: what is nested deeper
// becomes a sibling of what it stands in. A page that comes near is written flatter for the
// tree, so that no element of it is lost: of a long chain of elements within one another the
// middle is closed at once, while its beginning and what is innermost stay as they are.
const (
	outerKept   = 300 // levels from the outside that are kept
	innerKept   = 60  // levels from the inside
	mostOpen    = 50  // formatting elements left open that are kept: a parser opens each again in every block
	mostListed  = 1_000_000
	mostMatched = 1_000_000_000 // steps of one selector on one page
)

var formatting = map[string]bool{"a": true, "b": true, "big": true, "code": true, "em": true, "font": true, "i": true, "nobr": true, "s": true, "small": true, "strike": true, "strong": true, "tt": true, "u": true}

// A flattening says which start tags are closed at once, and which end tags are left out.
type flattening struct {
	closed map[int]bool // by the offset of the start tag
	gone   []Span       // end tags, in order
}

// nested is an element with how deep it is nested, and how deep what it holds.
type nested struct {
	start         int
	depth, height int
	loose         int  // formatting elements around it that no end tag of theirs closes, if it is one
	end           Span // its own end tag
}

// flatten finds what has to be flattened of a page; nil for nothing, which is nearly always.
func flatten(src []byte) *flattening {
	var all []nested
	var stack []int // numbers of all
	var names []string
	count := map[string]int{}
	deepest, open := 0, 0
	pop := func(end Span) {
		top := stack[len(stack)-1]
		count[names[len(names)-1]]--
		stack, names = stack[:len(stack)-1], names[:len(names)-1]
		all[top].end = end
		if n := len(stack); n > 0 {
			if up := &all[stack[n-1]]; up.height <= all[top].height {
				up.height = all[top].height + 1
			}
		}
	}
	s := scanner{src: src, page: &Page{}, unclosed: -1, messy: -1}
	for t := s.next(); t.kind != endOfFile; t = s.next() {
		switch t.kind {
		case startTag:
			if t.tag.rawText() {
				_, e := rawTextEnd(src, t.end, src[t.start+1:t.nameEnd], t.tag == TagScript)
				if e < 0 {
					e = len(src)
				}
				s.pos = e
				continue
			}
			name := string(bytes.ToLower(src[t.start+1 : t.nameEnd]))
			if voidElement([]byte(name)) || t.selfClose {
				continue
			}
			for len(stack) > 0 && closedBy(names[len(names)-1], name) {
				pop(Span{})
			}
			stack, names = append(stack, len(all)), append(names, name)
			all = append(all, nested{start: t.start, depth: len(stack)})
			count[name]++
			deepest = max(deepest, len(stack))
		case endTag:
			name := string(bytes.ToLower(src[t.start+2 : t.nameEnd]))
			for count[name] > 0 {
				if names[len(names)-1] == name {
					pop(Span{t.start, t.end})
					break
				}
				pop(Span{})
			}
		}
	}
	for len(stack) > 0 {
		pop(Span{})
	}
	for i := range all {
		if e := &all[i]; e.end.None() && formatting[TagName(src, e.start)] {
			e.loose, open = open, open+1
		}
	}
	if deepest < outerKept+innerKept && open <= mostOpen {
		return nil
	}
	f := &flattening{closed: map[int]bool{}}
	for i := range all {
		e := &all[i]
		if e.depth > outerKept && e.height >= innerKept || e.loose >= mostOpen {
			f.closed[e.start] = true
			if !e.end.None() {
				f.gone = append(f.gone, e.end)
			}
		}
	}
	slices.SortFunc(f.gone, func(a, b Span) int { return a.Start - b.Start })
	return f
}
