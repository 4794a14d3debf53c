package markup

import "bytes"

// The insertion modes of the standard (HTML, 13.2.6.4), as far as they decide
// where the head ends, where the body begins, and what is inert. Each is a
// function that reads tokens until the mode changes.

// beforeHTML is "initial" and "before html" (13.2.6.4.1 and .2).
func beforeHTML(s *scanner) mode {
	for {
		t := s.next()
		switch t.kind {
		case endOfFile:
			return nil
		case doctype:
			if s.page.Doctype = true; s.page.DoctypeEnd == 0 {
				s.page.DoctypeEnd = t.end
			}
			continue
		case comment:
			s.comment(t)
			continue
		case textRun:
			if s.skipSpace(&t) {
				continue
			}
		case startTag:
			if t.tag == TagHTML {
				s.page.HTMLTag = Span{t.start, t.end}
				s.seen(t)
				return beforeHead
			}
		case endTag:
			if !endsHead(t) && t.tag != TagHead {
				continue
			}
		}
		s.pos = t.start
		return beforeHead
	}
}

// beforeHead is 13.2.6.4.3.
func beforeHead(s *scanner) mode {
	for {
		t := s.next()
		switch t.kind {
		case endOfFile:
			return nil
		case comment:
			s.comment(t)
			continue
		case doctype:
			s.page.Doctype = true
			continue
		case textRun:
			if s.skipSpace(&t) {
				continue
			}
		case startTag:
			switch t.tag {
			case TagHTML:
				s.lateHTML(t)
				continue
			case TagHead:
				s.page.HeadTag = Span{t.start, t.end}
				s.page.HeadBegin = t.end
				s.seen(t)
				return inHead
			}
		case endTag:
			if !endsHead(t) && t.tag != TagHead {
				continue
			}
		}
		s.pos = t.start
		s.page.HeadBegin = t.start
		return inHead
	}
}

// inHead is 13.2.6.4.4.
func inHead(s *scanner) mode {
	for {
		t := s.next()
		switch t.kind {
		case endOfFile:
			return nil
		case comment, doctype:
			s.comment(t)
			continue
		case textRun:
			if s.skipSpace(&t) {
				continue
			}
		case startTag:
			switch {
			case t.tag == TagHTML:
				s.lateHTML(t)
				continue
			case t.tag == TagHead:
				continue
			case t.tag.inHead():
				s.headElement(t)
				continue
			}
		case endTag:
			if t.tag == TagHead {
				s.page.HeadClose = Span{t.start, t.end}
				s.page.HeadStop = t.start
				return afterHead
			}
			if !endsHead(t) {
				continue
			}
		}
		s.pos = t.start
		s.page.HeadStop = t.start
		if t.tag != TagBody && t.tag != TagFrameset {
			s.implied = Span{t.start, t.end}
		}
		return afterHead
	}
}

// afterHead is 13.2.6.4.6.
func afterHead(s *scanner) mode {
	for {
		t := s.next()
		switch t.kind {
		case endOfFile:
			return nil
		case comment, doctype:
			s.comment(t)
			continue
		case textRun:
			if s.skipSpace(&t) {
				continue
			}
		case startTag:
			switch {
			case t.tag == TagHTML:
				s.lateHTML(t)
				continue
			case t.tag == TagHead:
				continue
			case t.tag == TagBody:
				s.page.BodyTag = Span{t.start, t.end}
				s.openBody(t.end)
				s.seen(t)
				return inBody
			case t.tag == TagFrameset:
				s.page.Frameset, s.page.BodyBegin = true, -1
				s.seen(t)
				return inFrameset
			case t.tag.afterHead() && s.implied.None():
				s.headElement(t)
				continue
			}
		case endTag:
			if !endsHead(t) {
				continue
			}
		}
		s.pos = t.start
		if s.implied.None() {
			s.implied = Span{t.start, t.end}
		}
		s.openBody(t.start)
		return inBody
	}
}

func (s *scanner) openBody(at int) {
	s.area = Body
	s.page.BodyBegin = at
	s.page.BodySeen = true
}

// inBody is 13.2.6.4.7 and all that follows it: nothing there leads back to
// the head, so text is passed over.
func inBody(s *scanner) mode {
	s.content(false)
	return nil
}

// inFrameset is 13.2.6.4.20: only frames and noframes are left.
func inFrameset(s *scanner) mode {
	for {
		t := s.next()
		switch {
		case t.kind == endOfFile:
			return nil
		case t.kind == comment:
			s.comment(t)
		case t.kind == startTag && t.tag == TagNoframes:
			s.seen(t)
			s.rawText(t)
		case t.kind == startTag && (t.tag == TagFrameset || foldEqual(s.src[t.start+1:t.nameEnd], "frame")):
			s.seen(t)
		}
	}
}

// content reads the content of the body up to the end of the file or, for a
// template in the head, up to its end. This is the loop that the scanner's speed
// depends on: a tag that nobody asks about costs no more than finding its end.
func (s *scanner) content(untilTemplateEnds bool) {
	src := s.src
	pos := s.pos
	for {
		n := bytes.IndexByte(src[pos:], '<')
		if n < 0 || pos+n+2 >= len(src) {
			break // no tag is as short as what is left; markup that is cut off is not lost
		}
		lt := pos + n
		i := lt + 1
		c := src[i]
		switch {
		case isLetter(c):
			tag, nameEnd := readName(src, i)
			if tag == TagOther &&
				(s.watch == nil || !s.watch.wants(c, nameEnd-i, nameEnd < len(src) && src[nameEnd] == '>')) {
				if pos = nameEnd + 1; s.collect || nameEnd >= len(src) || src[nameEnd] != '>' {
					end, selfClose := tagEnd(src, nameEnd)
					if pos = end; pos == 0 {
						s.cutAt(lt)
						s.pos = len(src)
						return
					}
					if s.collect || s.watch != nil && s.watch.next > 0 && s.watch.next < end {
						s.seen(token{startTag, tag, lt, end, nameEnd, selfClose})
					}
				}
				continue
			}
			end, selfClose := tagEnd(src, nameEnd)
			if end == 0 {
				s.cutAt(lt)
				s.pos = len(src)
				return
			}
			t := token{startTag, tag, lt, end, nameEnd, selfClose}
			s.seen(t)
			s.pos = end
			if tag != TagOther {
				s.contentElement(t)
			}
			pos = s.pos
		case c == '/' && isLetter(src[i+1]):
			tag, nameEnd := readName(src, i+1)
			end, _ := tagEnd(src, nameEnd)
			if end == 0 {
				s.cutAt(lt)
				s.pos = len(src)
				return
			}
			pos = end
			if tag == TagOther {
				continue
			}
			s.pos = end
			s.contentEnd(token{endTag, tag, lt, end, nameEnd, false})
			if untilTemplateEnds && s.templates == 0 {
				return
			}
		case c == '/' || c == '!' || c == '?':
			t, _ := s.markup(lt) // a comment or a doctype
			pos = t.end
			s.comment(t)
		default:
			pos = i
		}
	}
	// The last bytes: what is too short to be a tag may still be cut off.
	s.pos = pos
	for t := s.next(); t.kind != endOfFile; t = s.next() {
		if t.kind == endTag {
			s.contentEnd(t)
		}
	}
}

// contentEnd handles an end tag of the body or of a template.
func (s *scanner) contentEnd(t token) {
	switch {
	case t.tag == TagTemplate:
		s.closeTemplate(t)
	case s.templates > 0:
	case t.tag == TagBody:
		s.page.BodyClose = Span{t.start, t.end}
	case t.tag == TagHTML:
		s.page.HTMLClose = Span{t.start, t.end}
	case t.tag == TagHead:
		s.strayHead()
	}
}

// contentElement handles a known start tag of the body or of a template.
func (s *scanner) contentElement(t token) {
	switch {
	case t.tag == TagTemplate:
		s.openTemplate(t)
	case t.tag == TagMeta, t.tag == TagLink, t.tag == TagBase:
		s.add(t, t.end, t.end)
	case t.tag.rawText():
		s.rawText(t)
	case t.tag == TagDialog:
		s.add(t, 0, 0)
	case t.tag == TagPlaintext:
		s.cutAt(t.start)
		s.pos = len(s.src)
	case t.tag == TagSVG, t.tag == TagMath:
		if !t.selfClose {
			s.foreignContent(t)
		}
	case t.tag == TagH1:
		if s.page.FirstH1 < 0 && s.templates == 0 {
			s.page.FirstH1 = t.start
		}
	case t.tag == TagBody:
		if s.templates == 0 && s.page.BodyTag.None() {
			s.strayHead()
		}
	case t.tag == TagFrameset:
		if s.templates == 0 && s.framesetOK(t.start) {
			s.becomeFrameset()
		}
	}
}

// strayHead notes that a </head> or a <body> stands where the body is open
// already: then what opened it was a mistake and not a tag left out.
func (s *scanner) strayHead() {
	if s.templates == 0 && s.page.Breaker.None() && s.page.BodyTag.None() {
		s.page.Breaker = s.implied
	}
}

// headElement handles the start tag of an element that the head may hold.
func (s *scanner) headElement(t token) {
	s.seen(t)
	switch {
	case t.tag == TagTemplate:
		s.openTemplate(t)
		s.content(true)
	case t.tag.rawText():
		s.rawText(t)
	case t.tag.OfInterest():
		s.add(t, t.end, t.end)
	}
}

// rawText lists an element whose content is text, and moves past its end tag.
// What stands in a noscript is listed too.
func (s *scanner) rawText(t token) {
	contentEnd, end := rawTextEnd(s.src, t.end, s.src[t.start+1:t.nameEnd], t.tag == TagScript)
	if end < 0 {
		s.cutAt(t.start)
		contentEnd, end = len(s.src), len(s.src)
	}
	s.pos = end
	if !t.tag.OfInterest() {
		return
	}
	s.add(t, contentEnd, end)
	if t.tag == TagNoscript {
		s.insideNoscript(t.end, contentEnd)
	}
}

// rawTextEnd finds the end tag of an element whose content is text: where the
// tag begins, and after it; -1 where there is none. A script's content may hide
// an end tag in an escaped comment (13.2.5.15 to .31).
func rawTextEnd(src []byte, i int, name []byte, script bool) (contentEnd, end int) {
	const (
		plain = iota
		escaped
		twice
	)
	state := plain
	arrow := -1 // the next "-->", looked for once
	for {
		n := bytes.IndexByte(src[i:], '<')
		if state != plain {
			if arrow < i {
				if arrow = bytes.Index(src[i:], arrowEnd); arrow >= 0 {
					arrow += i
				} else {
					arrow = len(src)
				}
			}
			if arrow < len(src) && (n < 0 || arrow < i+n) {
				state = plain
				i = arrow + 3
				continue
			}
		}
		if n < 0 {
			return -1, -1
		}
		i += n
		rest := src[i+1:]
		switch {
		case len(rest) > 0 && rest[0] == '/' && state != twice && namesTag(rest[1:], name):
			if end, _ := tagEnd(src, i+2+len(name)); end > 0 {
				return i, end
			}
			return -1, -1
		case script && state == plain && len(rest) >= 3 && rest[0] == '!' && rest[1] == '-' && rest[2] == '-':
			state = escaped
			i += 2 // its dashes may be the end's as well
		case state == escaped && namesTag(rest, name):
			state = twice
			i += 1 + len(name)
		case state == twice && len(rest) > 0 && rest[0] == '/' && namesTag(rest[1:], name):
			state = escaped
			i += 2 + len(name)
		default:
			i++
		}
	}
}

var endTagOpen = []byte("</")

var arrowEnd = []byte("-->")

// namesTag reports whether b begins with the tag name, in any case, ended by
// a space, "/" or ">".
func namesTag(b, name []byte) bool {
	return len(b) > len(name) && class[b[len(name)]]&endsName != 0 && foldEqual(b[:len(name)], string(name))
}

// foldEqual compares bytes without regard to ASCII case.
func foldEqual(b []byte, s string) bool {
	if len(b) != len(s) {
		return false
	}
	for i := range b {
		x, y := b[i], s[i]
		if x == y {
			continue
		}
		if x|0x20 != y|0x20 || x|0x20 < 'a' || x|0x20 > 'z' {
			return false
		}
	}
	return true
}

// insideNoscript lists the elements in the text of a noscript, as a browser
// with scripting off would find them.
func (s *scanner) insideNoscript(from, to int) {
	sub := scanner{src: s.src[:to], pos: from, page: s.page, unclosed: -1, messy: -1}
	for {
		t := sub.next()
		switch t.kind {
		case endOfFile:
			return
		case startTag:
			if s.collect {
				s.page.Tags = append(s.page.Tags, Tagged{int32(t.start), int32(t.nameEnd), int32(t.end)})
			}
			if !t.tag.OfInterest() && !t.tag.rawText() {
				continue
			}
			contentEnd, end := t.end, t.end
			switch {
			case t.tag.rawText() && t.tag != TagNoscript:
				contentEnd, end = rawTextEnd(sub.src, t.end, s.src[t.start+1:t.nameEnd], t.tag == TagScript)
				if end < 0 {
					contentEnd, end = to, to
				}
				sub.pos = end
			case t.tag == TagDialog || t.tag == TagTemplate:
				contentEnd, end = 0, 0
			}
			if t.tag.OfInterest() {
				s.list(Element{t.tag, s.area, InNoscript, t.start, t.end, contentEnd, end})
			}
		}
	}
}

// add lists an element.
func (s *scanner) add(t token, contentEnd, end int) {
	s.list(Element{t.tag, s.area, s.inside(), t.start, t.end, contentEnd, end})
}

// seen shows a start tag to the selectors that are watched for. Templates are
// documents of their own: selectors do not reach into them.
func (s *scanner) seen(t token) {
	if s.collect {
		s.page.Tags = append(s.page.Tags, Tagged{int32(t.start), int32(t.nameEnd), int32(t.end)})
	}
	if s.watch != nil && s.templates == 0 {
		s.watch.match(s, t)
	}
}

func (s *scanner) inside() Inside {
	switch {
	case s.templates > 0:
		return InTemplate
	case len(s.foreign) == 0 || s.htmlHere:
		return InPage
	case s.foreign[0].ns == nsMath:
		return InMath
	}
	return InSVG
}

func (s *scanner) openTemplate(t token) {
	s.add(t, 0, 0)
	s.templates++
	s.sawTemplate = true
	s.templateAt = append(s.templateAt, len(s.page.Elements)-1)
}

// closeTemplate ends the innermost open template; an end tag without one is
// ignored.
func (s *scanner) closeTemplate(t token) {
	if s.templates == 0 {
		return
	}
	s.templates--
	e := &s.page.Elements[s.templateAt[s.templates]]
	e.ContentEnd, e.End = t.start, t.end
	s.templateAt = s.templateAt[:s.templates]
}

// comment keeps the comments that are marks or spots of the tool.
func (s *scanner) comment(t token) {
	text := s.src[t.start:t.end]
	if len(text) < 9 || text[2] != '-' {
		return
	}
	if bytes.HasPrefix(text, markPrefix) || bytes.HasPrefix(text, closePrefix) || bytes.Contains(text, spotPrefix) {
		s.page.Marks = append(s.page.Marks, Comment{Span{t.start, t.end}, s.area, s.inside()})
	}
}

var (
	markPrefix  = []byte("<!--yg:")
	closePrefix = []byte("<!--/yg:")
	spotPrefix  = []byte("yg-spot")
)

// lateHTML handles an html tag after the first: it only adds attributes. It
// counts as the page's tag where the first was implied.
func (s *scanner) lateHTML(t token) {
	if s.page.HTMLTag.None() {
		s.page.HTMLTag = Span{t.start, t.end}
	}
}

// skipSpace moves past the white space at the start of a run of text; it
// reports whether nothing else is in the run. A character reference for white
// space is white space too.
func (s *scanner) skipSpace(t *token) bool {
	i := t.start
	for i < t.end {
		if isSpace(s.src[i]) {
			i++
			continue
		}
		if s.src[i] == '&' {
			if n := spaceReference(s.src[i:t.end]); n > 0 {
				i += n
				continue
			}
		}
		t.start = i
		return false
	}
	return true
}

// endsHead reports whether an end tag is one of those that the modes up to
// "after head" treat as anything else: body, html, br.
func endsHead(t token) bool {
	return t.tag == TagBody || t.tag == TagHTML || t.tag == TagBr
}

// framesetOK reports whether a frameset tag at the offset still replaces the
// body: nothing but white space and inert things came before (13.2.6.4.7).
// Rare, so it reads the body again.
func (s *scanner) framesetOK(at int) bool {
	if !s.page.BodyTag.None() || len(s.page.Elements) > 0 && s.sawTemplate {
		return false
	}
	sub := scanner{src: s.src[:at], pos: s.page.BodyBegin, page: &Document{}, unclosed: -1, messy: -1}
	for {
		t := sub.next()
		switch t.kind {
		case endOfFile:
			return true
		case textRun:
			if !sub.skipSpace(&t) && len(bytes.Trim(s.src[t.start:t.end], "\x00\t\n\f\r ")) > 0 {
				return false
			}
		case startTag:
			if blocksFrameset(s.src[t.start+1:t.nameEnd], s.src[t.start:t.end]) {
				return false
			}
			if t.tag.rawText() {
				sub.rawText(t)
			}
		}
	}
}

// blocksFrameset reports whether a start tag sets the frameset-ok flag to
// "not ok".
func blocksFrameset(name, tag []byte) bool {
	switch string(bytes.ToLower(name)) {
	case "pre", "listing", "li", "dd", "dt", "plaintext", "button", "applet", "marquee", "object", "table",
		"area", "br", "embed", "img", "image", "keygen", "wbr", "hr", "textarea", "xmp", "iframe", "select", "template", "body":
		return true
	case "input":
		v, ok := AttrValue(tag, 0, "type")
		return !ok || !foldEqual([]byte(v), "hidden")
	}
	return false
}

// becomeFrameset drops the body that was open so far.
func (s *scanner) becomeFrameset() {
	p := s.page
	kept := p.Elements[:0]
	for _, e := range p.Elements {
		if e.Area == Head {
			kept = append(kept, e)
		}
	}
	p.Elements = kept
	p.Frameset, p.BodyBegin, p.FirstH1 = true, -1, -1
	inFrameset(s)
}

// finish settles what only the end of the file decides.
func (s *scanner) finish() {
	p, n := s.page, len(s.src)
	for _, i := range s.templateAt {
		e := &p.Elements[i]
		e.ContentEnd, e.End = n, n
		s.cutAt(e.Start)
	}
	if bytes.HasSuffix(s.src, endTagOpen) {
		s.cutAt(n - 2) // text as it stands, but a tag as soon as something follows
	}
	end := n
	if s.unclosed >= 0 {
		end = s.unclosed
	}
	if p.HeadBegin < 0 {
		p.HeadBegin = end // nothing but doctype, html and comments
	}
	if p.HeadStop < 0 {
		p.HeadStop = max(end, p.HeadBegin)
	}
	if p.Frameset {
		return
	}
	if !p.BodySeen {
		p.BodyBegin = end
	}
	switch {
	case !p.BodyClose.None():
		p.BodyStop = p.BodyClose.Start
	case !p.HTMLClose.None():
		p.BodyStop = p.HTMLClose.Start
	default:
		p.BodyStop = end
	}
	if s.unclosed >= 0 && s.unclosed < p.BodyStop {
		p.BodyStop = s.unclosed
	}
	if p.BodyStop < p.BodyBegin {
		p.BodyStop = p.BodyBegin
	}
}

// list puts an element on the page's list, which has an end: a page with more is not read.
func (s *scanner) list(e Element) {
	if len(s.page.Elements) >= mostListed {
		s.page.Unread = "it has more than 1,000,000 elements that load or describe something"
		return
	}
	s.page.Elements = append(s.page.Elements, e)
}
