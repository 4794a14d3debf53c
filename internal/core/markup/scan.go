// Package markup reads and edits HTML pages as bytes.
//
// The scanner makes one pass over a page and lists the elements that load or
// describe something, each with its byte offset and the area (head or body) in
// which a browser with scripting on would have it. It follows the tokenisation
// and tree construction of the HTML standard (WHATWG, section 13.2) as far as
// that needs, and builds no tree. The editor applies changes as byte ranges, so
// that everything else keeps its bytes.
//
// The package knows nothing of gate files, items or the disk.
package markup

import "bytes"

// An Area is the half of a page in which an element stands.
type Area uint8

const (
	Head Area = iota // in the head, or between </head> and <body>
	Body
)

func (a Area) String() string {
	if a == Head {
		return "head"
	}
	return "body"
}

// Inside names what keeps an element from being the page's own: foreign
// content, the inert content of a template, or a noscript's.
type Inside uint8

const (
	InPage Inside = iota
	InSVG
	InMath
	InTemplate
	InNoscript
)

func (i Inside) String() string {
	return [...]string{"", "svg", "math", "template", "noscript"}[i]
}

// A Span is a range of bytes of the page, End excluded. A zero Span is none.
type Span struct{ Start, End int }

// None reports whether there is no such range in the page.
func (s Span) None() bool { return s.End == 0 }

// An Element is one element of interest. Offsets are in bytes of Page.Src.
type Element struct {
	Tag    Tag
	Area   Area
	Inside Inside
	Start  int // the "<" of its start tag
	TagEnd int // after the ">" of its start tag
	// ContentEnd is where the "<" of its end tag stands, and End is after the
	// ">" of that. For a void element both are TagEnd; for an element never
	// closed both are where it ends all the same. For a dialog both are 0:
	// ask Page.Extent.
	ContentEnd, End int
}

// A Comment is a comment of the page that begins with one of the prefixes the
// tool writes: a mark.
type Comment struct {
	Span
	Area   Area
	Inside Inside
}

// A Document is what one scan of an HTML document yields.
type Document struct {
	Src      []byte
	Elements []Element // in document order
	Marks    []Comment // comments that begin with "yg:", "/yg:" or "yg-spot", in order

	HTMLTag, HeadTag, BodyTag       Span // start tags, where they are written and count
	HeadClose, BodyClose, HTMLClose Span // end tags, where they are written and count

	HeadBegin int // where the head's content begins
	HeadStop  int // where the head really ends: at </head>, at <body>, or at what breaks it
	BodyBegin int // where the body's content begins; -1 in a frameset
	BodyStop  int // where the body's content ends

	// Breaker is the start tag, end tag or text that ended the head before its
	// </head> or opened the body before its <body>; none where neither is written
	// later, since leaving them out is no error.
	Breaker Span

	FirstH1 int  // offset of the first h1 of the page, or -1
	Doctype bool // there is a doctype
	// DoctypeEnd is where the doctype ends that decides how the page is shown, the first one
	// before all tags; 0 for none.
	DoctypeEnd int
	Frameset   bool // a frameset stands in the body's place
	BodySeen   bool // something, a tag or content, opened the body before the end of the file

	// Unread says why the page cannot be followed, "" where it can: elements may be missing
	// from the list.
	Unread string

	// Cut is the offset from which the end of the text may have changed what was read: of something that it cut off, or of
	// foreign content that had to be read again; -1 for none.
	Cut int

	foreign bool // there is svg or math

	lineEnd string // see LineEnd

	all    map[int]extent // the extents of all elements, once single ones have cost too much
	own    map[int]bool   // start tags that are an svg's or math's own, once asked for
	worked int            // bytes that single ones looked at

	// Tags has the start tags of the page in order, those in templates and
	// noscripts too; only ScanTags lists them.
	Tags []Tagged

	// Hits has, for each compound selector of the Watch given to Scan, the
	// offsets of the start tags that match it.
	Hits [][]int
}

// Tagged is where a start tag stands.
type Tagged struct{ Start, NameEnd, End int32 }

// HeadWhole reports whether the head ends at its own end tag: what stands in the body then is no metadata that fell out
// of it.
func (p *Document) HeadWhole() bool {
	return !p.HeadClose.None() && p.HeadStop == p.HeadClose.Start && p.Breaker.None()
}

// Describes reports whether an element that carries metadata speaks for the page: one of the head, or of the body of a
// page whose head broke.
func (p *Document) Describes(e *Element) bool {
	return e.Inside == InPage && (e.Area == Head || !p.HeadWhole())
}

// Fragment reports whether the file is no page of its own: it has no doctype
// and no html, head, body or title tag.
func (p *Document) Fragment() bool {
	if p.Doctype || !p.HTMLTag.None() || !p.HeadTag.None() || !p.BodyTag.None() || p.Frameset {
		return false
	}
	for i := range p.Elements {
		if p.Elements[i].Tag == TagTitle && p.Elements[i].Inside == InPage {
			return false
		}
	}
	return true
}

// Scan reads a page in an ASCII-compatible encoding (see Decode for the others)
// and lists what is in it. watch may be nil; otherwise its compound selectors
// are matched on the way. Scan accepts any bytes.
func Scan(src []byte, watch *Watch) *Document {
	p := &Document{}
	ScanInto(p, src, watch)
	return p
}

// ScanTags is Scan, with all start tags listed.
func ScanTags(src []byte, watch *Watch) *Document {
	p := &Document{Tags: make([]Tagged, 0, len(src)/48+8)}
	ScanInto(p, src, watch)
	return p
}

// ScanInto is Scan into a Page whose slices are used again.
func ScanInto(p *Document, src []byte, watch *Watch) {
	tags := p.Tags
	*p = Document{
		Src:       src,
		Elements:  p.Elements[:0],
		Marks:     p.Marks[:0],
		Hits:      p.Hits[:0],
		FirstH1:   -1,
		HeadBegin: -1,
		HeadStop:  -1,
		Cut:       -1,
	}
	s := scanner{src: src, page: p, unclosed: -1, messy: -1, collect: tags != nil}
	if p.Tags = tags[:0]; !s.collect {
		p.Tags = nil
	}
	if watch != nil {
		s.watch = watch.on(src)
		for range watch.list {
			p.Hits = append(p.Hits, nil)
		}
	}
	if bytes.HasPrefix(src, byteOrderMark) {
		s.pos = len(byteOrderMark)
	}
	for m := mode(beforeHTML); m != nil; {
		m = m(&s)
	}
	s.finish()
	if p.Cut = s.unclosed; s.messy >= 0 && (p.Cut < 0 || s.messy < p.Cut) {
		p.Cut = s.messy
	}
	if s.messy >= 0 && !s.sawTemplate {
		relistByTree(p, s.messy)
	}
	if s.watch != nil {
		s.watch.matchListed(p)
	}
}

// scanner is the state of one scan: an insertion mode of the standard is a
// function that handles tokens from s.pos on and returns the next mode.
type scanner struct {
	src  []byte
	pos  int
	page *Document
	area Area

	templates   int // open template elements
	sawTemplate bool
	templateAt  []int // their indices in page.Elements
	foreign     []foreignNode
	openNames   map[string]int // of those, in lower case
	openHTML    int            // of those, elements of HTML
	htmlHere    bool           // an element of HTML is being read there
	tagNames    map[string]bool
	tagNamesTo  int
	unclosed    int  // start of the outermost construct that the end of the file cut off, or -1
	messy       int  // offset from which foreign content is not certain, or -1
	implied     Span // the token that ended the head, or opened the body, unwritten
	watch       *watching
	collect     bool // list all start tags
}

type mode func(*scanner) mode

// A token is a piece of markup, or a run of text before the next piece.
type token struct {
	kind       tokenKind
	tag        Tag
	start, end int
	nameEnd    int // of a tag
	selfClose  bool
}

type tokenKind uint8

const (
	endOfFile tokenKind = iota
	textRun
	startTag
	endTag
	comment // a bogus comment too
	doctype
)

// next reads the token at s.pos and moves past it (HTML, 13.2.5). A tag that
// the end of the file cuts off is no token; its start is kept in s.unclosed.
func (s *scanner) next() token {
	src := s.src
	start := s.pos
	for i := start; ; {
		lt := bytes.IndexByte(src[i:], '<')
		if lt < 0 {
			s.pos = len(src)
			if start == len(src) {
				return token{start: start, end: start}
			}
			return token{kind: textRun, start: start, end: len(src)}
		}
		i += lt
		if i+1 >= len(src) || !opensMarkup(src, i) {
			i++
			continue
		}
		if i > start {
			s.pos = i
			return token{kind: textRun, start: start, end: i}
		}
		t, ok := s.markup(i)
		if !ok {
			s.cutAt(i)
			s.pos = len(src)
			return token{start: i, end: len(src)}
		}
		s.pos = t.end
		return t
	}
}

// opensMarkup reports whether the "<" at i begins a tag, a comment or a
// doctype rather than text.
func opensMarkup(src []byte, i int) bool {
	if i+1 >= len(src) {
		return false
	}
	c := src[i+1]
	switch {
	case isLetter(c), c == '!', c == '?':
		return true
	case c == '/':
		return i+2 < len(src)
	}
	return false
}

// markup reads the tag, comment or doctype that begins at i. ok is false where
// the end of the file comes first and the standard drops what was begun.
func (s *scanner) markup(i int) (t token, ok bool) {
	src := s.src
	c := src[i+1]
	switch {
	case isLetter(c):
		tag, nameEnd := readName(src, i+1)
		end, selfClose := tagEnd(src, nameEnd)
		return token{startTag, tag, i, end, nameEnd, selfClose}, end > 0
	case c == '/':
		if isLetter(src[i+2]) {
			tag, nameEnd := readName(src, i+2)
			end, _ := tagEnd(src, nameEnd)
			return token{endTag, tag, i, end, nameEnd, false}, end > 0
		}
		if src[i+2] == '>' { // "</>" is nothing at all
			return token{kind: comment, start: i, end: i + 3}, true
		}
		return token{kind: comment, start: i, end: s.bogusEnd(i, i+2)}, true
	case c == '!':
		rest := src[i+2:]
		if len(rest) >= 2 && rest[0] == '-' && rest[1] == '-' {
			end := commentEnd(src, i+4)
			if end < 0 {
				s.cutAt(i)
				end = len(src)
			}
			return token{kind: comment, start: i, end: end}, true
		}
		k := comment
		if len(rest) >= 7 && foldEqual(rest[:7], "doctype") {
			k = doctype
		}
		return token{kind: k, start: i, end: s.bogusEnd(i, i+2)}, true
	}
	return token{kind: comment, start: i, end: s.bogusEnd(i, i+1)}, true // "<?"
}

// cutAt remembers the start of the outermost construct that is never closed.
func (s *scanner) cutAt(i int) {
	if s.unclosed < 0 || i < s.unclosed {
		s.unclosed = i
	}
}

// bogusEnd returns the end of a bogus comment or a doctype that began at start:
// after the next ">" from i on.
func (s *scanner) bogusEnd(start, i int) int {
	if n := bytes.IndexByte(s.src[i:], '>'); n >= 0 {
		return i + n + 1
	}
	s.cutAt(start)
	return len(s.src)
}

// commentEnd returns the offset after the comment whose text begins at i, or -1
// (HTML, 13.2.5.43 to 13.2.5.52).
func commentEnd(src []byte, i int) int {
	if i < len(src) && src[i] == '>' {
		return i + 1
	}
	if i+1 < len(src) && src[i] == '-' && src[i+1] == '>' {
		return i + 2
	}
	for from := i; ; {
		n := bytes.IndexByte(src[i:], '>')
		if n < 0 {
			return -1
		}
		text := src[from : i+n]
		i += n + 1
		if bytes.HasSuffix(text, []byte("--")) || bytes.HasSuffix(text, []byte("--!")) {
			return i
		}
	}
}

// readName reads the tag name at i and returns its tag and its end.
func readName(src []byte, i int) (Tag, int) {
	start := i
	var packed uint64
	for i < len(src) {
		c := lower[src[i]]
		if c == 0 {
			break
		}
		packed = packed<<8 | uint64(c)
		i++
	}
	n := i - start
	switch {
	case n <= 8:
		if n > 0 && knownLengths[lower[src[start]]]>>n&1 != 0 {
			return tagOf(packed), i
		}
	case n == len("plaintext") && foldEqual(src[start:i], "plaintext"):
		return TagPlaintext, i
	}
	return TagOther, i
}

// tagEnd returns the offset after the ">" of a tag whose name ends at i, and
// whether the tag is marked as self-closing; 0 where the file ends first
// (HTML, 13.2.5.32 to 13.2.5.40).
func tagEnd(src []byte, i int) (end int, selfClose bool) {
	for i < len(src) {
		// Before an attribute's name.
		c := src[i]
		if c == '>' {
			return i + 1, selfClose
		}
		i++
		if class[c]&endsName != 0 {
			selfClose = c == '/'
			continue
		}
		selfClose = false
		// The name; its first byte may be "=".
		for i < len(src) && class[src[i]]&endsAttrName == 0 {
			i++
		}
		for i < len(src) && isSpace(src[i]) {
			i++
		}
		if i >= len(src) {
			return 0, false
		}
		if src[i] != '=' {
			continue
		}
		i++
		for i < len(src) && isSpace(src[i]) {
			i++
		}
		if i >= len(src) {
			return 0, false
		}
		switch q := src[i]; q {
		case '"', '\'':
			n := bytes.IndexByte(src[i+1:], q)
			if n < 0 {
				return 0, false
			}
			i += n + 2
		default:
			for i < len(src) && class[src[i]]&endsUnquoted == 0 {
				i++
			}
		}
	}
	return 0, false
}

// byteOrderMark is no text of the page (Encoding Standard, 6.1).
var byteOrderMark = []byte("\xEF\xBB\xBF")
