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
	mostAlike   = 3   // of them that are alike: a parser opens no more again (13.2.4.3), but ours bear offsets
	mostListed  = 1_000_000
	mostMatched = 1_000_000_000 // steps of one selector on one page
)

// What a tree costs, in about nanoseconds, and how much is too much where nobody says.
const (
	costOfTag    = 2000
	costOfLevel  = 15
	costOfOpen   = 150
	costOfSpace  = 1000 // within a long tag: an attribute, it may be
	mostTreeCost = 30_000_000_000
	mostRelisted = 1_000_000_000 // where no selector asks for it
)

var formatting = map[string]bool{
	"a": true, "b": true, "big": true, "code": true, "em": true, "font": true, "i": true, "nobr": true,
	"s": true, "small": true, "strike": true, "strong": true, "tt": true, "u": true,
}

// A flattening says which start tags are closed at once, and which end tags are left out.
type flattening struct {
	closed []int  // offsets of the start tags, in order
	gone   []Span // end tags, in order
}

// nested is an element with how deep it is nested, and how deep what it holds.
type nested struct {
	start         int
	depth, height int
	scope         int  // the element around it beyond which no formatting element is opened again; -1 for none
	end           Span // its own end tag
}

// ends are elements at whose end the list of formatting elements is cleared up to their beginning.
var ends = map[string]bool{
	"td": true, "th": true, "caption": true, "template": true, "applet": true, "object": true,
	"marquee": true,
}

// loose finds the start tags of formatting elements that are left open and that a parser would open again
// beyond what is kept: too many, or too many alike.
func loose(src []byte, all []nested) map[int]bool {
	type kind struct {
		scope int
		tag   string
	}
	var beyond map[int]bool
	open, alike := map[int]int{}, map[kind]int{}
	for i := range all {
		e := &all[i]
		name := TagName(src, e.start)
		if !e.end.None() || !formatting[name] || name == "a" { // the next a closes one
			continue
		}
		end, _ := tagEnd(src, e.start+1+len(name))
		k := kind{e.scope, string(src[e.start:max(end, e.start)])}
		if alike[k] >= mostAlike || open[e.scope] >= mostOpen {
			if beyond == nil {
				beyond = map[int]bool{}
			}
			beyond[i] = true
			continue
		}
		alike[k]++
		open[e.scope]++
	}
	return beyond
}

// flatten finds what has to be flattened of a page; nil for nothing, which is nearly always.
// The cost of the tree is reckoned besides: what a parser does at each tag grows with how deep it
// stands and with the formatting elements that nobody closed, which it opens again in every block.
func flatten(src []byte, most int) (f *flattening, cost int) {
	w := &depths{s: scanner{src: src, page: &Document{}, unclosed: -1, messy: -1}, byTag: map[string]int{},
		count: map[string]int{}, scope: -1}
	for t := w.s.next(); t.kind != endOfFile; t = w.s.next() {
		switch t.kind {
		case startTag:
			w.startTag(t)
		case endTag:
			w.endTag(t)
		}
		if w.cost > most { // nobody wants the rest
			return nil, w.cost
		}
	}
	for len(w.stack) > 0 {
		w.pop(Span{})
	}
	all, cost := w.all, w.cost
	beyond := loose(src, all)
	if w.deepest < outerKept+innerKept && beyond == nil {
		return nil, cost
	}
	f = &flattening{}
	for i := range all {
		e := &all[i]
		if e.depth > outerKept && e.height >= innerKept || beyond[i] {
			f.closed = append(f.closed, e.start)
			if !e.end.None() {
				f.gone = append(f.gone, e.end)
			}
		}
	}
	slices.SortFunc(f.gone, func(a, b Span) int { return a.Start - b.Start })
	return f, cost
}

// depths is one pass over a page that reckons how deep its elements stand, and what a tree of it costs.
type depths struct {
	s       scanner
	all     []nested
	stack   []int    // numbers of all
	names   []string // of stack
	count   map[string]int
	active  int            // formatting elements not closed
	byTag   map[string]int // of them, those of one tag, three at most (13.2.4.3)
	deepest int
	scope   int
	cost    int
}

func (w *depths) pop(end Span) {
	top := w.stack[len(w.stack)-1]
	w.count[w.names[len(w.names)-1]]--
	w.stack, w.names = w.stack[:len(w.stack)-1], w.names[:len(w.names)-1]
	w.all[top].end = end
	if w.scope == top {
		w.scope = w.all[top].scope
	}
	if n := len(w.stack); n > 0 {
		if up := &w.all[w.stack[n-1]]; up.height <= w.all[top].height {
			up.height = w.all[top].height + 1
		}
	}
}

func (w *depths) startTag(t token) {
	src := w.s.src
	if t.tag.rawText() {
		_, e := rawTextEnd(src, t.end, src[t.start+1:t.nameEnd], t.tag == TagScript)
		if e < 0 {
			e = len(src)
		}
		w.s.pos = e
		return
	}
	name := string(bytes.ToLower(src[t.start+1 : t.nameEnd]))
	if voidElement([]byte(name)) || t.selfClose {
		return
	}
	for len(w.stack) > 0 && closedBy(w.names[len(w.names)-1], name) {
		w.pop(Span{})
	}
	w.cost += costOfTag + costOfLevel*min(len(w.stack), outerKept+innerKept) + costOfOpen*min(w.active, mostOpen)
	if t.end-t.start > 256 {
		w.cost += costOfSpace * bytes.Count(src[t.nameEnd:t.end], []byte(" "))
	}
	if formatting[name] {
		if tag := string(src[t.start:t.end]); w.byTag[tag] < 3 {
			w.byTag[tag]++
			w.active++
		}
	}
	w.stack, w.names = append(w.stack, len(w.all)), append(w.names, name)
	w.all = append(w.all, nested{start: t.start, depth: len(w.stack), scope: w.scope})
	if ends[name] {
		w.scope = len(w.all) - 1
	}
	w.count[name]++
	w.deepest = max(w.deepest, len(w.stack))
}

func (w *depths) endTag(t token) {
	src := w.s.src
	name := string(bytes.ToLower(src[t.start+2 : t.nameEnd]))
	if formatting[name] && w.count[name] > 0 && w.active > 0 {
		w.active--
		if i := lastIndex(w.names, name); i >= 0 {
			start := w.all[w.stack[i]].start
			end, _ := tagEnd(src, start+1+len(name))
			if tag := string(src[start:end]); w.byTag[tag] > 0 {
				w.byTag[tag]--
			}
		}
	}
	for w.count[name] > 0 {
		if w.names[len(w.names)-1] == name {
			w.pop(Span{t.start, t.end})
			break
		}
		w.pop(Span{})
	}
}

// lastIndex is where a name stands last; -1 for nowhere.
func lastIndex(names []string, name string) int {
	for i, n := range slices.Backward(names) {
		if n == name {
			return i
		}
	}
	return -1
}
