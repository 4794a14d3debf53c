package markup

import "bytes"

// A Spot is where something can be inserted, and the white space that makes it
// look like its neighbours. Before goes between the opening mark and the text.
// The insertion replaces nothing.
type Spot struct {
	Offset int
	Before string // a line end and indentation, or nothing
	After  string // likewise, after the text
	Area   Area
}

// HeadStartSpot is just after the head begins, but after a charset, base or
// content-security-policy meta, however late in the head that stands.
func (p *Document) HeadStartSpot() Spot {
	at := p.HeadBegin
	if p.HeadTag.None() && at <= p.HeadStop && len(bytes.TrimSpace(p.Src[at:p.HeadStop])) == 0 {
		return p.HeadEndSpot() // a head that is not written and holds nothing begins where it ends
	}
	for _, e := range p.Elements {
		if e.Area == Head && e.Inside == InPage && e.End <= p.HeadStop && e.End > at && p.mustLead(e) {
			at = e.End
		}
	}
	return p.after(at, Head)
}

// mustLead reports whether an element has to stand before all that loads.
func (p *Document) mustLead(e Element) bool {
	switch e.Tag {
	case TagBase:
		return true
	case TagMeta:
		if _, ok := MetaCharset(p.Src, e.Start); ok {
			return true
		}
		v, _ := AttrValue(p.Src, e.Start, "http-equiv")
		return foldEqual([]byte(v), "content-security-policy")
	}
	return false
}

// HeadEndSpot is where the head really ends: before its end tag or, in a broken
// head, before what breaks it.
func (p *Document) HeadEndSpot() Spot { return p.before(p.HeadStop, Head) }

// BodyStartSpot is just after the body begins.
func (p *Document) BodyStartSpot() Spot {
	if p.BodyTag.None() {
		return p.before(p.BodyBegin, Body)
	}
	return p.after(p.BodyBegin, Body)
}

// BodyEndSpot is before the real end of the body.
func (p *Document) BodyEndSpot() Spot { return p.before(p.BodyStop, Body) }

// BeforeSpot is before the element whose start tag stands at the offset.
func (p *Document) BeforeSpot(at int) Spot { return p.before(at, Body) }

// AfterSpot is after the end of an element.
func (p *Document) AfterSpot(end int) Spot { return p.after(end, Body) }

// after is a spot right after something that ends at the offset: on a line of
// its own where the rest of the line is empty.
func (p *Document) after(at int, area Area) Spot {
	s := Spot{Offset: at, Area: area}
	if eol := p.lineEndAt(at); eol != "" {
		s.Before = eol + p.indentAfter(at)
	}
	return s
}

// before is a spot right before something that begins at the offset. Where
// that begins its line, the spot is at the end of the line before, so that
// what is inserted is a line like it.
func (p *Document) before(at int, area Area) Spot {
	i := at
	for i > 0 && (p.Src[i-1] == ' ' || p.Src[i-1] == '\t') {
		i--
	}
	if i == 0 || p.Src[i-1] != '\n' && p.Src[i-1] != '\r' {
		return Spot{Offset: at, Area: area}
	}
	j := i - 1
	if p.Src[j] == '\n' && j > 0 && p.Src[j-1] == '\r' {
		j--
	}
	s := Spot{Offset: j, Before: string(p.Src[j:i]), Area: area}
	indent := p.Src[i:at]
	if bytes.HasPrefix(p.Src[at:], []byte("</")) {
		// Before an end tag: as deep as the line before, where that is deeper.
		k := bytes.LastIndexByte(p.Src[:j], '\n') + 1
		e := k
		for e < j && (p.Src[e] == ' ' || p.Src[e] == '\t') {
			e++
		}
		if e < j && e-k > len(indent) {
			indent = p.Src[k:e]
		}
	}
	s.Before += string(indent)
	return s
}

// lineEndAt returns the line end that follows the offset, spaces aside, or "".
func (p *Document) lineEndAt(at int) string {
	for at < len(p.Src) && (p.Src[at] == ' ' || p.Src[at] == '\t') {
		at++
	}
	switch {
	case at >= len(p.Src):
		return ""
	case p.Src[at] == '\n':
		return "\n"
	case p.Src[at] == '\r':
		if at+1 < len(p.Src) && p.Src[at+1] == '\n' {
			return "\r\n"
		}
		return "\r"
	}
	return ""
}

// indentAfter is the indentation of the next line that is not empty.
func (p *Document) indentAfter(at int) string {
	for at < len(p.Src) && isSpace(p.Src[at]) {
		at++
	}
	start := at
	for start > 0 && (p.Src[start-1] == ' ' || p.Src[start-1] == '\t') {
		start--
	}
	if bytes.HasPrefix(p.Src[at:], []byte("</")) {
		return string(p.Src[start:at]) + "  "
	}
	return string(p.Src[start:at])
}

// LineEnd is the page's own line end: that of its first line.
func (p *Document) LineEnd() string {
	if p.lineEnd == "" {
		p.lineEnd = "\n"
		if i := bytes.IndexAny(p.Src, "\r\n"); i >= 0 {
			p.lineEnd = p.lineEndAt(i)
		}
	}
	return p.lineEnd
}
