package markup

import (
	"bytes"
	"strings"
)

// Foreign content: svg and math (HTML, 13.2.6.5). Inside, title, style and
// script are not the page's, and style is not raw text, so the scanner has to
// know where foreign content begins and ends. It keeps a stack of what is open
// there. Where the answer depends on elements it does not track (an end tag
// without a partner inside, HTML misnested in a foreignObject), the page is
// marked messy and its elements are listed again from a full tree.

type namespace uint8

const (
	nsHTML namespace = iota
	nsSVG
	nsMath
)

type foreignNode struct {
	ns      namespace
	name    Span // its name in the source
	element int  // index in page.Elements, or -1
	htmlIn  bool // HTML integration point
	textIn  bool // MathML text integration point
	annoXML bool // MathML annotation-xml
	inP     bool // it is a p of HTML, or stands in one, with nothing foreign between
}

// foreignContent reads from after the start tag of an svg or math element up to
// where it ends.
func (s *scanner) foreignContent(root token) {
	base := len(s.foreign)
	s.page.foreign = true
	s.pushForeign(root, foreignNS(root.tag))
	templatesBefore := s.templates
	for len(s.foreign) > base {
		top := s.foreign[len(s.foreign)-1]
		if top.ns != nsHTML && s.skipCDATA() {
			continue
		}
		t := s.next()
		switch t.kind {
		case endOfFile:
			s.cutAt(root.start)
			s.closeForeign(base, t.start, t.start)
			return
		case comment:
			s.comment(t)
		case startTag:
			s.seen(t)
			if s.foreignStart(t, base) {
				return
			}
		case endTag:
			if s.foreignEnd(t, base, templatesBefore) {
				return
			}
		}
	}
}

func foreignNS(t Tag) namespace {
	if t == TagMath {
		return nsMath
	}
	return nsSVG
}

// skipCDATA moves past a CDATA section at the next "<", if that is what it is.
func (s *scanner) skipCDATA() bool {
	n := bytes.IndexByte(s.src[s.pos:], '<')
	if n < 0 || !bytes.HasPrefix(s.src[s.pos+n:], cdataOpen) {
		return false
	}
	at := s.pos + n
	end := bytes.Index(s.src[at:], cdataClose)
	if end < 0 {
		s.pos = len(s.src)
	} else {
		s.pos = at + end + len(cdataClose)
	}
	return true
}

var (
	cdataOpen  = []byte("<![CDATA[")
	cdataClose = []byte("]]>")
)

// foreignStart handles a start tag; it reports whether foreign content is left.
func (s *scanner) foreignStart(t token, base int) bool {
	name := s.src[t.start+1 : t.nameEnd]
	top := s.foreign[len(s.foreign)-1]
	asHTML := top.ns == nsHTML || top.htmlIn ||
		top.textIn && !foldEqual(name, "mglyph") && !foldEqual(name, "malignmark") ||
		top.annoXML && t.tag == TagSVG
	if asHTML {
		s.htmlInForeign(t)
		return false
	}
	if breaksOut(name, s.src[t.start:t.end]) {
		for len(s.foreign) > base {
			top := s.foreign[len(s.foreign)-1]
			if top.ns == nsHTML || top.htmlIn || top.textIn {
				s.htmlInForeign(t)
				return false
			}
			s.closeForeign(len(s.foreign)-1, t.start, t.start)
		}
		s.pos = t.start
		return true
	}
	ns := top.ns
	if t.selfClose {
		if t.tag.OfInterest() {
			s.add(t, t.end, t.end)
		}
		return false
	}
	s.pushForeign(t, ns)
	return false
}

// pushForeign opens an element of a foreign namespace.
func (s *scanner) pushForeign(t token, ns namespace) {
	name := s.src[t.start+1 : t.nameEnd]
	n := foreignNode{ns: ns, name: Span{t.start + 1, t.nameEnd}, element: -1}
	switch ns {
	case nsSVG:
		n.htmlIn = foldEqual(name, "foreignObject") || foldEqual(name, "desc") || foldEqual(name, "title")
	case nsMath:
		n.textIn = foldEqual(name, "mi") || foldEqual(name, "mo") || foldEqual(name, "mn") || foldEqual(name, "ms") ||
			foldEqual(name, "mtext")
		if foldEqual(name, "annotation-xml") {
			n.annoXML = true
			v, _ := AttrValue(s.src[t.start:t.end], 0, "encoding")
			n.htmlIn = foldEqual([]byte(v), "text/html") || foldEqual([]byte(v), "application/xhtml+xml")
		}
	}
	if t.tag.OfInterest() && len(s.foreign) > 0 {
		s.add(t, 0, 0)
		n.element = len(s.page.Elements) - 1
	}
	s.open(n)
}

// open puts an element on the stack.
func (s *scanner) open(n foreignNode) {
	if n.ns == nsHTML {
		n.inP = foldEqual(s.src[n.name.Start:n.name.End], "p") || len(s.foreign) > 0 && s.foreign[len(s.foreign)-1].inP
	}
	s.foreign = append(s.foreign, n)
	if s.openNames == nil {
		s.openNames = map[string]int{}
	}
	s.openNames[s.lowerName(n)]++
	if n.ns == nsHTML {
		s.openHTML++
	}
}

func (s *scanner) lowerName(n foreignNode) string {
	return string(bytes.ToLower(s.src[n.name.Start:n.name.End]))
}

// closeForeign pops the stack down to n elements; the popped end at contentEnd.
func (s *scanner) closeForeign(n, contentEnd, end int) {
	for len(s.foreign) > n {
		if i := s.foreign[len(s.foreign)-1].element; i >= 0 && i < len(s.page.Elements) {
			e := &s.page.Elements[i]
			e.ContentEnd = contentEnd
			e.End = contentEnd
			if len(s.foreign)-1 == n {
				e.End = end
			}
		}
		top := s.foreign[len(s.foreign)-1]
		if s.openNames[s.lowerName(top)]--; top.ns == nsHTML {
			s.openHTML--
		}
		s.foreign = s.foreign[:len(s.foreign)-1]
	}
}

// htmlInForeign handles a start tag of HTML at an integration point. Elements
// that nest simply are tracked; what the standard closes or moves by rules of
// its own makes the page messy.
func (s *scanner) htmlInForeign(t token) {
	s.htmlHere = true
	defer func() { s.htmlHere = false }()
	switch {
	case t.tag == TagTemplate:
		s.markMessy(t.start)
		s.sawTemplate = true
		s.add(t, t.end, t.end)
	case t.tag == TagMeta, t.tag == TagLink, t.tag == TagBase, t.tag.rawText(), t.tag == TagPlaintext:
		s.contentElement(t)
	case t.tag == TagSVG, t.tag == TagMath:
		if !t.selfClose {
			s.pushForeign(t, foreignNS(t.tag))
		}
	case t.tag == TagHTML, t.tag == TagBody, t.tag == TagHead, t.tag == TagFrameset:
		// Ignored here.
	default:
		name := s.src[t.start+1 : t.nameEnd]
		if voidElement(name) {
			return
		}
		if !s.simpleHere(name) {
			s.markMessy(t.start)
		}
		n := foreignNode{ns: nsHTML, name: Span{t.start + 1, t.nameEnd}, element: -1}
		if t.tag == TagDialog {
			s.add(t, 0, 0)
		}
		s.open(n)
	}
}

// simpleHere reports whether an HTML element may simply be pushed: nothing that
// is open would be closed by it.
func (s *scanner) simpleHere(name []byte) bool {
	switch string(bytes.ToLower(name)) {
	case "div",
		"span", "b", "i", "em", "strong", "code", "small", "sub", "sup", "u", "ul", "ol", "label", "center",
		"figure",
		"section":
		return !s.foreign[len(s.foreign)-1].inP ||
			string(bytes.ToLower(name)) != "div" && !bytes.ContainsAny(name, "lrnLRN")
	case "p":
		return !s.foreign[len(s.foreign)-1].inP
	}
	return false
}

func (s *scanner) nodeNamed(i int, name string) bool {
	n := s.foreign[i].name
	return foldEqual(s.src[n.Start:n.End], name)
}

// foreignEnd handles an end tag; it reports whether foreign content is left.
func (s *scanner) foreignEnd(t token, base, templatesBefore int) bool {
	name := string(s.src[t.start+2 : t.nameEnd])
	top := len(s.foreign) - 1
	if s.foreign[top].ns == nsHTML {
		if s.nodeNamed(top, name) {
			s.closeForeign(top, t.start, t.end)
			return false
		}
		if t.tag == TagBr || t.tag == TagTemplate && s.templates == 0 {
			return false
		}
		s.markMessy(t.start)
	}
	if t.tag == TagBr || len(name) == 1 && name[0]|0x20 == 'p' {
		for len(s.foreign) > base {
			top := s.foreign[len(s.foreign)-1]
			if top.ns == nsHTML || top.htmlIn || top.textIn {
				if top.ns == nsHTML {
					s.markMessy(t.start)
				}
				return false
			}
			s.closeForeign(len(s.foreign)-1, t.start, t.start)
		}
		s.pos = t.start
		return true
	}
	if s.openNames[strings.ToLower(name)] == 0 { // no partner here: nothing is looked through
		if s.openHTML > 1 || s.openHTML == 1 && s.foreign[top].ns != nsHTML {
			s.markMessy(t.start)
		}
		top = base - 1
	}
	for i := top; i >= base; i-- {
		if i < top && s.foreign[i].ns == nsHTML {
			s.markMessy(t.start)
		}
		if s.nodeNamed(i, name) {
			s.closeForeign(i, t.start, t.end)
			return false
		}
	}
	// No partner inside: the rules of the body apply.
	if t.tag == TagTemplate && templatesBefore > 0 {
		s.closeForeign(base, t.start, t.start)
		s.pos = t.start
		return true
	}
	if t.tag == TagBody || t.tag == TagHTML {
		s.bodyEndInForeign(t)
		return false
	}
	if s.maybeOpen(name, t.start) {
		s.markMessy(t.start)
	}
	return false
}

// bodyEndInForeign handles the end tag of the body or of html within foreign content.
func (s *scanner) bodyEndInForeign(t token) {
	for _, n := range s.foreign {
		if n.htmlIn || n.textIn || n.annoXML {
			return // no body in scope
		}
	}
	switch {
	case s.templates > 0:
	case t.tag == TagBody:
		s.page.BodyClose = Span{t.start, t.end}
	default:
		s.page.HTMLClose = Span{t.start, t.end}
	}
}

func (s *scanner) markMessy(at int) {
	if s.messy < 0 || at < s.messy {
		s.messy = at
	}
}

// maybeOpen reports whether a start tag of the name stands anywhere before the
// offset, so that an element of it could be open.
func (s *scanner) maybeOpen(name string, before int) bool {
	const long = 200 // names of more bytes are taken to be there
	if len(name) > long {
		return true
	}
	if s.tagNames == nil {
		s.tagNames = map[string]bool{}
	}
	for s.tagNamesTo < before { // each tag is read once, however often it is asked
		i := bytes.IndexByte(s.src[s.tagNamesTo:before], '<')
		if i < 0 {
			s.tagNamesTo = before
			break
		}
		at := s.tagNamesTo + i + 1
		s.tagNamesTo = at
		end := at
		for end < len(s.src) && end-at <= long && class[s.src[end]]&endsName == 0 {
			end++
		}
		if end < len(s.src) && end-at <= long {
			s.tagNames[string(bytes.ToLower(s.src[at:end]))] = true
		}
	}
	return s.tagNames[strings.ToLower(name)]
}

// breaksOut reports whether a start tag ends foreign content (13.2.6.5).
func breaksOut(name, tag []byte) bool {
	switch string(bytes.ToLower(name)) {
	case "b", "big", "blockquote", "body", "br", "center", "code", "dd", "div", "dl", "dt", "em", "embed",
		"h1", "h2", "h3", "h4", "h5", "h6", "head", "hr", "i", "img", "li", "listing", "menu", "meta", "nobr",
		"ol", "p", "pre", "ruby", "s", "small", "span", "strong", "strike", "sub", "sup", "table", "tt", "u",
		"ul", "var":
		return true
	case "font":
		for _, a := range []string{"color", "face", "size"} {
			if _, ok := AttrValue(tag, 0, a); ok {
				return true
			}
		}
	}
	return false
}

// voidElement reports whether an element of HTML never has content
// (HTML, 13.1.2).
func voidElement(name []byte) bool {
	if len(name) < 2 || len(name) > 8 {
		return false
	}
	switch string(bytes.ToLower(name)) {
	case "area", "base", "br", "col", "embed", "hr", "img", "input", "link", "meta", "source", "track", "wbr",
		"basefont", "bgsound", "frame", "keygen", "param", "image":
		return true
	}
	return false
}
