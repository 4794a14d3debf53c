package markup

import "bytes"

// An extent is what Extent says of one element.
type extent struct {
	content Span
	end     int
	err     error
}

// extentWork is how many times its own length a page may cost in single calls of Extent,
// before the extents of all its elements are found in one pass.
const extentWork = 4

// extents finds the extents of all elements of a page in one pass: what Extent would say of
// each by itself.
func (p *Document) extents() map[int]extent {
	w := &extentsWalk{all: map[int]extent{}, s: scanner{src: p.Src, page: &Document{}, unclosed: -1, messy: -1}}
	for {
		if n := len(w.stack); n > 0 && w.stack[n-1].foreign && w.s.skipCDATA() {
			continue
		}
		t := w.s.next()
		switch t.kind {
		case endOfFile:
			w.end(t)
			return w.all
		case startTag:
			if !w.startTag(t) {
				return w.all
			}
		case endTag:
			w.endTag(t)
		}
	}
}

// extentsWalk is one pass over a page, with the elements that are open.
type extentsWalk struct {
	s     scanner
	all   map[int]extent
	stack []openExtent
}

// openExtent is an element whose end has not come.
type openExtent struct {
	start, content int
	name           string
	foreign        bool
	dead           bool // its extent is told already; it stands for its content model only
}

func (w *extentsWalk) fail(o *openExtent, at int, end bool) {
	if !o.dead {
		w.all[o.start] = extent{err: &ExtentError{at, o.name, end}}
		o.dead = true
	}
}

func (w *extentsWalk) done(o *openExtent, contentEnd, end int) {
	if !o.dead {
		w.all[o.start] = extent{Span{o.content, contentEnd}, end, nil}
	}
}

// end ends what is open at the end of the file.
func (w *extentsWalk) end(t token) {
	n := len(w.s.src)
	for i := range w.stack {
		if o := &w.stack[i]; i == len(w.stack)-1 && optionalEnd(o.name) && t.start == n {
			w.done(o, n, n)
		} else {
			w.fail(o, o.start, true)
		}
	}
}

// startTag opens an element, and closes what it closes. It is false where a raw text never ends: nothing after it
// is known.
func (w *extentsWalk) startTag(t token) bool {
	src := w.s.src
	child := string(bytes.ToLower(src[t.start+1 : t.nameEnd]))
	top := openExtent{}
	if len(w.stack) > 0 {
		top = w.stack[len(w.stack)-1]
	}
	inForeign := t.tag == TagSVG || t.tag == TagMath || top.foreign && !integration(top.name)
	switch {
	case inForeign && t.selfClose, !inForeign && voidElement([]byte(child)):
		w.all[t.start] = extent{Span{t.end, t.end}, t.end, nil}
		return true
	case !inForeign && t.tag.rawText():
		contentEnd, e := rawTextEnd(src, t.end, src[t.start+1:t.nameEnd], t.tag == TagScript)
		if e < 0 {
			w.all[t.start] = extent{err: &ExtentError{t.start, child, true}}
			for i := range w.stack {
				w.fail(&w.stack[i], t.start, true)
			}
			return false
		}
		w.all[t.start] = extent{Span{t.end, contentEnd}, e, nil}
		w.s.pos = e
		return true
	}
	for !inForeign && len(w.stack) > 0 && closedBy(w.stack[len(w.stack)-1].name, child) {
		w.done(&w.stack[len(w.stack)-1], t.start, t.start)
		w.stack = w.stack[:len(w.stack)-1]
	}
	w.stack = append(w.stack, openExtent{start: t.start, content: t.end, name: child, foreign: inForeign})
	return true
}

// endTag closes what an end tag closes.
func (w *extentsWalk) endTag(t token) {
	closing := string(bytes.ToLower(w.s.src[t.start+2 : t.nameEnd]))
	if voidElement([]byte(closing)) {
		return
	}
	stack := w.stack
	k := len(stack) - 1
	for k >= 0 && stack[k].name != closing && optionalEnd(stack[k].name) {
		w.done(&stack[k], t.start, t.start)
		k--
	}
	switch {
	case k >= 0 && stack[k].name != closing: // misnested, for all that are open
		for i := k; i >= 0 && !stack[i].dead; i-- {
			w.fail(&stack[i], t.start, false)
		}
		w.stack = stack[:k+1]
	case k >= 0:
		w.done(&stack[k], t.start, t.end)
		w.stack = stack[:k]
	default:
		w.stack = stack[:0]
	}
}
