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
	src := p.Src
	all := map[int]extent{}
	type open struct {
		start, content int
		name           string
		foreign        bool
		dead           bool // its extent is told already; it stands for its content model only
	}
	var stack []open
	fail := func(o *open, at int, end bool) {
		if !o.dead {
			all[o.start] = extent{err: &ExtentError{at, o.name, end}}
			o.dead = true
		}
	}
	done := func(o *open, contentEnd, end int) {
		if !o.dead {
			all[o.start] = extent{Span{o.content, contentEnd}, end, nil}
		}
	}
	s := scanner{src: src, page: &Document{}, unclosed: -1, messy: -1}
	for {
		if len(stack) > 0 && stack[len(stack)-1].foreign && s.skipCDATA() {
			continue
		}
		t := s.next()
		switch t.kind {
		case endOfFile:
			for i := range stack {
				if o := &stack[i]; i == len(stack)-1 && optionalEnd(o.name) && t.start == len(src) {
					done(o, len(src), len(src))
				} else {
					fail(o, o.start, true)
				}
			}
			return all
		case startTag:
			child := string(bytes.ToLower(src[t.start+1 : t.nameEnd]))
			top := open{}
			if len(stack) > 0 {
				top = stack[len(stack)-1]
			}
			inForeign := t.tag == TagSVG || t.tag == TagMath || top.foreign && !integration(top.name)
			switch {
			case inForeign && t.selfClose, !inForeign && voidElement([]byte(child)):
				all[t.start] = extent{Span{t.end, t.end}, t.end, nil}
				continue
			case !inForeign && t.tag.rawText():
				contentEnd, e := rawTextEnd(src, t.end, src[t.start+1:t.nameEnd], t.tag == TagScript)
				if e < 0 {
					all[t.start] = extent{err: &ExtentError{t.start, child, true}}
					for i := range stack {
						fail(&stack[i], t.start, true)
					}
					return all
				}
				all[t.start] = extent{Span{t.end, contentEnd}, e, nil}
				s.pos = e
				continue
			}
			for !inForeign && len(stack) > 0 && closedBy(stack[len(stack)-1].name, child) {
				done(&stack[len(stack)-1], t.start, t.start)
				stack = stack[:len(stack)-1]
			}
			stack = append(stack, open{start: t.start, content: t.end, name: child, foreign: inForeign})
		case endTag:
			closing := string(bytes.ToLower(src[t.start+2 : t.nameEnd]))
			if voidElement([]byte(closing)) {
				continue
			}
			k := len(stack) - 1
			for k >= 0 && stack[k].name != closing && optionalEnd(stack[k].name) {
				done(&stack[k], t.start, t.start)
				k--
			}
			switch {
			case k >= 0 && stack[k].name != closing: // misnested, for all that are open
				for i := k; i >= 0 && !stack[i].dead; i-- {
					fail(&stack[i], t.start, false)
				}
				stack = stack[:k+1]
			case k >= 0:
				done(&stack[k], t.start, t.end)
				stack = stack[:k]
			default:
				stack = stack[:0]
			}
		}
	}
}
