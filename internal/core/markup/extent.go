package markup

import (
	"bytes"
	"fmt"
)

// An ExtentError says that the end of an element is not clear: elements are
// misnested there.
type ExtentError struct {
	Offset int // of the tag that makes it unclear
	Tag    string
	Open   bool // the element is open where the page ends
}

func (e *ExtentError) Error() string {
	return fmt.Sprintf("where <%s> ends is not clear: elements are misnested", e.Tag)
}

// Extent returns where the content of the element begins and ends whose start
// tag stands at the offset, and where the element itself ends: after its own
// end tag or, if that is implied, before the tag that closes it.
func (p *Document) Extent(start int) (content Span, end int, err error) {
	if p.all == nil && p.worked > extentWork*len(p.Src)+1<<16 {
		p.all = p.extents()
	}
	if p.all != nil {
		if x, ok := p.all[start]; ok {
			return x.content, x.end, x.err
		}
		return Span{}, 0, &ExtentError{start, TagName(p.Src, start), false} // in a text, such as a noscript's
	}
	content, end, to, err := p.extent(start)
	p.worked += to - start
	return content, end, err
}

// extent is Extent, and says how far it looked.
func (p *Document) extent(start int) (content Span, end, to int, err error) {
	src := p.Src
	to = start
	if p.foreign && p.own == nil { // all tags are read once
		to += len(src)
	}
	tag, nameEnd := readName(src, start+1)
	name := bytes.ToLower(src[start+1 : nameEnd])
	at, selfClose := tagEnd(src, nameEnd)
	if at == 0 {
		return Span{}, 0, to, &ExtentError{start, string(name), true}
	}
	foreign := tag == TagSVG || tag == TagMath || p.IsForeign(start)
	if voidElement(name) || foreign && selfClose {
		return Span{at, at}, at, to, nil
	}
	if tag.rawText() && !foreign {
		contentEnd, end := rawTextEnd(src, at, src[start+1:nameEnd], tag == TagScript)
		if end < 0 {
			return Span{}, 0, to + len(src) - start, &ExtentError{start, string(name), true}
		}
		return Span{at, contentEnd}, end, to + end - start, nil
	}
	content, end, looked, err := extentFrom(src, start, at, string(name), foreign)
	if looked < 0 { // to the end of the page, whatever was read before
		return content, end, len(src), err
	}
	return content, end, to + looked, err
}

// extentFrom finds the end of an element whose start tag is from start to at, and how many bytes it looked at; -1
// for the rest of the page, in which a raw text never ends.
func extentFrom(src []byte, start, at int, name string, foreign bool) (content Span, end, looked int, err error) {
	type open struct {
		name    string
		foreign bool
	}
	stack := []open{{name, foreign}}
	s := scanner{src: src, pos: at, page: &Document{}, unclosed: -1, messy: -1}
	for {
		top := stack[len(stack)-1]
		if top.foreign && s.skipCDATA() {
			continue
		}
		t := s.next()
		switch t.kind {
		case endOfFile:
			if len(stack) == 1 && optionalEnd(top.name) && t.start == len(src) {
				return Span{at, len(src)}, len(src), t.start - start, nil
			}
			return Span{}, 0, t.start - start, &ExtentError{start, name, true}
		case startTag:
			child := bytes.ToLower(src[t.start+1 : t.nameEnd])
			inForeign := t.tag == TagSVG || t.tag == TagMath || top.foreign && !integration(top.name)
			switch {
			case inForeign && t.selfClose:
				continue
			case !inForeign && voidElement(child):
				continue
			case !inForeign && t.tag.rawText():
				_, e := rawTextEnd(src, t.end, src[t.start+1:t.nameEnd], t.tag == TagScript)
				if e < 0 {
					return Span{}, 0, -1, &ExtentError{t.start, name, true}
				}
				s.pos = e
				continue
			}
			for !inForeign && len(stack) > 0 && closedBy(stack[len(stack)-1].name, string(child)) {
				stack = stack[:len(stack)-1]
			}
			if len(stack) == 0 { // closed by a sibling, without an end tag
				return Span{at, t.start}, t.start, t.start - start, nil
			}
			stack = append(stack, open{string(child), inForeign})
		case endTag:
			closing := string(bytes.ToLower(src[t.start+2 : t.nameEnd]))
			if voidElement([]byte(closing)) {
				continue
			}
			k := len(stack) - 1
			for k >= 0 && stack[k].name != closing && optionalEnd(stack[k].name) {
				k--
			}
			switch {
			case k < 0: // the end tag of what holds the element
				return Span{at, t.start}, t.start, t.start - start, nil
			case stack[k].name != closing:
				return Span{}, 0, t.start - start, &ExtentError{t.start, name, false}
			case k == 0:
				return Span{at, t.start}, t.end, t.end - start, nil
			}
			stack = stack[:k]
		}
	}
}

// IsForeign reports whether the tag at an offset is one of an svg's or
// math's own.
func (p *Document) IsForeign(start int) bool {
	if !p.foreign {
		return false
	}
	if p.own == nil {
		p.readForeign()
	}
	return p.own[start]
}

// readForeign finds the tags that are an svg's or math's own, once.
func (p *Document) readForeign() {
	p.own = map[int]bool{}
	s := scanner{
		src:      p.Src,
		page:     &Document{Src: p.Src, FirstH1: -1, HeadBegin: -1, HeadStop: -1},
		unclosed: -1,
		messy:    -1,
	}
	s.watch = &watching{src: p.Src, all: func(t token) {
		if n := len(s.foreign); n > 0 {
			if top := s.foreign[n-1]; top.ns != nsHTML && !top.htmlIn && !top.textIn {
				p.own[t.start] = true
			}
		}
	}}
	for m := mode(beforeHTML); m != nil; {
		m = m(&s)
	}
}

func integration(name string) bool {
	switch name {
	case "foreignobject", "desc", "title", "annotation-xml", "mi", "mo", "mn", "ms", "mtext":
		return true
	}
	return false
}

// optionalEnd reports whether the end tag of an element may be left out
// (HTML, 13.1.2.4).
func optionalEnd(name string) bool {
	switch name {
	case "p",
		"li", "dt", "dd", "option", "optgroup", "rt", "rp", "tr", "td", "th", "thead", "tbody", "tfoot",
		"colgroup",
		"caption":
		return true
	}
	return false
}

// EndsParagraph reports whether a start tag ends a p that is open, by its name in lower case (HTML,
// 13.1.2.4).
func EndsParagraph(name string) bool { return closedBy("p", name) }

// closedBy reports whether a start tag closes the open element before it
// (HTML, 13.1.2.4, "optional tags").
func closedBy(open, next string) bool {
	switch open {
	case "p":
		switch next {
		case "address", "article", "aside", "blockquote", "center", "details", "dialog", "dir", "div", "dl", "fieldset",
			"figcaption", "figure", "footer", "form", "h1", "h2", "h3", "h4", "h5", "h6", "header", "hgroup", "hr", "main",
			"menu", "nav", "ol", "p", "pre", "search", "section", "summary", "table", "ul", "li", "dt", "dd", "listing", "plaintext":
			return true
		}
	case "li":
		return next == "li"
	case "dt", "dd":
		return next == "dt" || next == "dd"
	case "option":
		return next == "option" || next == "optgroup"
	case "optgroup":
		return next == "optgroup"
	case "rt", "rp":
		return next == "rt" || next == "rp"
	case "td", "th":
		return next == "td" || next == "th" || next == "tr" || next == "tbody" || next == "tfoot" || next == "thead"
	case "tr":
		return next == "tr" || next == "tbody" || next == "tfoot" || next == "thead"
	case "thead", "tbody", "tfoot":
		return next == "tbody" || next == "tfoot" || next == "thead"
	case "caption", "colgroup":
		return next == "colgroup" || next == "thead" || next == "tbody" || next == "tfoot" || next == "tr"
	}
	return false
}

// LineOf widens the range of an element to the line it stands alone on: the
// line end before it and the spaces around it go too. An element that shares its
// line keeps its range.
func (p *Document) LineOf(el Span) Span {
	i := el.Start
	for i > 0 && (p.Src[i-1] == ' ' || p.Src[i-1] == '\t') {
		i--
	}
	j := el.End
	for j < len(p.Src) && (p.Src[j] == ' ' || p.Src[j] == '\t') {
		j++
	}
	if j < len(p.Src) && p.Src[j] != '\n' && p.Src[j] != '\r' || i == 0 {
		return el
	}
	switch {
	case p.Src[i-1] == '\n' && i > 1 && p.Src[i-2] == '\r':
		i -= 2
	case p.Src[i-1] == '\n' || p.Src[i-1] == '\r':
		i--
	default:
		return el
	}
	return Span{i, j}
}
