package markup

import (
	"bytes"
	"slices"
	"strings"
	"sync"
	"unicode/utf16"
	"unicode/utf8"

	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/htmlindex"
)

// A Source is a file as the scanner reads it, and the way back to its bytes.
//
// Most encodings are ASCII-compatible: their bytes are scanned as they are. A
// UTF-16 file is read as UTF-8; an ISO-2022-JP file with its two-byte runs
// masked. Offsets in Text then stand for offsets in the file.
type Source struct {
	File     []byte // the file, byte for byte
	Text     []byte // what is scanned
	Encoding string // the encoding's name in lower case (Encoding Standard, 4.2), "utf-8" by default

	utf16      bool
	bigEndian  bool
	decoder    *encoding.Decoder // nil for UTF-8 and UTF-16
	undeclared bool              // nothing in the file says which encoding it has
}

// Read finds out the encoding of a file: its byte order mark, then the first
// meta that declares one within 1,024 bytes, then UTF-8.
func Read(file []byte) *Source { return ReadAs(file, "") }

// ReadAs is Read for a file of which the transport names the encoding, by a label (Encoding
// Standard, 4.2): that counts more than a meta, and less than a byte order mark (HTML, 13.2.3.2).
// A label that names no encoding is passed over, as "" is.
func ReadAs(file []byte, charset string) *Source {
	src := &Source{File: file, Text: file, Encoding: "utf-8"}
	switch {
	case bytes.HasPrefix(file, byteOrderMark):
		return src // the mark is no text: see Scan
	case bytes.HasPrefix(file, []byte("\xFE\xFF")):
		src.Encoding, src.utf16, src.bigEndian = "utf-16be", true, true
	case bytes.HasPrefix(file, []byte("\xFF\xFE")):
		src.Encoding, src.utf16 = "utf-16le", true
	}
	if src.utf16 {
		src.Text = src.fromUTF16()
		return src
	}
	label := charset
	enc, err := htmlindex.Get(label)
	named := label != "" && err == nil
	if !named {
		label = declaredCharset(file[:min(len(file), 1024)])
		enc, err = htmlindex.Get(label)
	}
	if label == "" {
		src.undeclare()
		return src
	}
	if err != nil {
		return src
	}
	name, _ := htmlindex.Name(enc)
	switch {
	case named && strings.HasPrefix(name, "utf-16"):
		src.Encoding, src.utf16, src.bigEndian = name, true, name == "utf-16be"
		src.Text = src.fromUTF16()
		return src
	case name == "utf-8", strings.HasPrefix(name, "utf-16"): // a meta cannot mean UTF-16 (13.2.3.2)
		return src
	}
	src.Encoding, src.decoder = name, enc.NewDecoder()
	if name == "iso-2022-jp" {
		src.Text = maskISO2022(file)
	}
	return src
}

// undeclare reads a file that says nothing of its encoding. Where its bytes are no UTF-8
// they are read as windows-1252, as most browsers do; where they are, whoever sends the
// file may still say something else.
func (s *Source) undeclare() {
	s.undeclared = true
	if !utf8.Valid(s.File) {
		s.Encoding, s.decoder = "windows-1252", charmap.Windows1252.NewDecoder()
	}
}

// declaredCharset is the label in the first meta that declares an encoding.
func declaredCharset(head []byte) string {
	if !bytes.Contains(head, []byte("harset")) && !bytes.Contains(bytes.ToLower(head), []byte("charset")) {
		return ""
	}
	p := headPages.Get().(*Document)
	defer headPages.Put(p)
	ScanInto(p, head, nil)
	for _, e := range p.Elements {
		if e.Tag == TagMeta && e.Inside == InPage {
			if label, ok := MetaCharset(head, e.Start); ok {
				return label
			}
		}
	}
	return ""
}

// DeclaredEncoding is the label of the encoding that a file declares where a browser looks
// for it: by a byte order mark, or by a meta within the first 1,024 bytes; "" for none.
func DeclaredEncoding(file []byte) string {
	switch {
	case bytes.HasPrefix(file, byteOrderMark),
		bytes.HasPrefix(file, []byte("\xFE\xFF")),
		bytes.HasPrefix(file, []byte("\xFF\xFE")):
		return "its byte order mark"
	}
	return declaredCharset(file[:min(len(file), 1024)])
}

// headPages are scans of the beginnings of pages, used again.
var headPages = sync.Pool{New: func() any { return &Document{} }}

// MetaCharset returns the encoding label that the meta at the offset declares,
// with charset or with http-equiv.
func MetaCharset(src []byte, at int) (label string, ok bool) {
	if v, ok := AttrValue(src, at, "charset"); ok {
		return strings.TrimSpace(v), true
	}
	if v, _ := AttrValue(src, at, "http-equiv"); strings.EqualFold(strings.TrimSpace(v), "content-type") {
		content, _ := AttrValue(src, at, "content")
		if i := strings.Index(strings.ToLower(content), "charset"); i >= 0 {
			rest := strings.TrimLeft(content[i+len("charset"):], " \t\n\f\r")
			if strings.HasPrefix(rest, "=") {
				rest = strings.Trim(rest[1:], " \t\n\f\r\"'")
				if j := strings.IndexAny(rest, "; \t\"'"); j >= 0 {
					rest = rest[:j]
				}
				return rest, rest != ""
			}
		}
	}
	return "", false
}

// Undeclared reports whether nothing says which encoding the file has.
func (s *Source) Undeclared() bool { return s.undeclared }

// UTF8 reports whether any character can be written into the file: it is in UTF-8 or
// UTF-16, and says so. Into any other file only ASCII is written.
func (s *Source) UTF8() bool { return s.decoder == nil && !s.undeclared }

// UTF16 reports whether the file is in UTF-16: then no byte of it is one of ASCII.
func (s *Source) UTF16() bool { return s.utf16 }

// String decodes a range of Text to UTF-8.
func (s *Source) String(from, to int) string {
	if s.decoder == nil {
		return string(s.Text[from:to])
	}
	if b, err := s.decoder.Bytes(s.File[from:to]); err == nil {
		return string(b)
	}
	return string(s.File[from:to])
}

// Decode decodes raw bytes of Text, such as an attribute's value, to UTF-8.
func (s *Source) Decode(raw string) string {
	if s.decoder == nil {
		if !utf8.ValidString(raw) {
			return strings.ToValidUTF8(raw, "\uFFFD")
		}
		return raw
	}
	if out, err := s.decoder.String(raw); err == nil {
		return out
	}
	return raw
}

// FileOffset returns the offset in the file of an offset in Text. For a UTF-16
// file that costs a walk; use FileOffsets for many.
func (s *Source) FileOffset(at int) int {
	if !s.utf16 {
		return at
	}
	return s.FileOffsets([]int{at})[0]
}

// FileOffsets maps ascending offsets in Text to offsets in the file.
func (s *Source) FileOffsets(at []int) []int {
	return s.offsets(at, func(text, file int) (int, int) { return text, min(file, len(s.File)) })
}

// TextOffsets maps ascending offsets in the file to offsets in Text.
func (s *Source) TextOffsets(at []int) []int {
	return s.offsets(at, func(text, file int) (int, int) { return file, text })
}

// offsets maps ascending offsets; sides says which of a place in Text and in the file is given, and which is wanted.
func (s *Source) offsets(at []int, sides func(text, file int) (given, wanted int)) []int {
	if !s.utf16 {
		return at
	}
	out := make([]int, len(at))
	text, file := 0, 0
	for i, want := range at {
		given, wanted := sides(text, file)
		for given < want && text < len(s.Text) {
			r, n := utf8.DecodeRune(s.Text[text:])
			text += n
			if file += 2; r >= 0x10000 {
				file += 2
			}
			given, wanted = sides(text, file)
		}
		out[i] = wanted
	}
	return out
}

// FileSpans are spans of Text as spans of the file; TextSpans are the other way round.
func (s *Source) FileSpans(spans []Span) []Span { return s.spans(spans, s.FileOffsets) }

// TextSpans are spans of the file as spans of Text.
func (s *Source) TextSpans(spans []Span) []Span { return s.spans(spans, s.TextOffsets) }

func (s *Source) spans(spans []Span, offsets func([]int) []int) []Span {
	if !s.utf16 {
		return spans
	}
	var at []int
	for _, x := range spans {
		at = append(at, x.Start, x.End)
	}
	slices.Sort(at)
	to := map[int]int{}
	for i, offset := range offsets(at) {
		to[at[i]] = offset
	}
	out := make([]Span, len(spans))
	for i, x := range spans {
		out[i] = Span{to[x.Start], to[x.End]}
	}
	return out
}

// Encode writes text of ASCII or, where UTF8 says so, any characters in the
// file's encoding.
func (s *Source) Encode(text string) []byte {
	if !s.utf16 {
		return []byte(text)
	}
	var out []byte
	for _, u := range utf16.Encode([]rune(text)) {
		if s.bigEndian {
			out = append(out, byte(u>>8), byte(u))
		} else {
			out = append(out, byte(u), byte(u>>8))
		}
	}
	return out
}

// fromUTF16 transcodes the file, its byte order mark included, to UTF-8. An
// unpaired surrogate becomes the replacement character; a last odd byte is
// dropped.
func (s *Source) fromUTF16() []byte {
	f := s.File
	units := make([]uint16, len(f)/2)
	for i := range units {
		if s.bigEndian {
			units[i] = uint16(f[2*i])<<8 | uint16(f[2*i+1])
		} else {
			units[i] = uint16(f[2*i+1])<<8 | uint16(f[2*i])
		}
	}
	out := make([]byte, 0, len(f))
	for _, r := range utf16.Decode(units) {
		out = utf8.AppendRune(out, r)
	}
	return out
}

// maskISO2022 returns a copy of the file, as long, in which the two-byte runs
// between escapes are opaque, so that no byte of them looks like markup.
func maskISO2022(file []byte) []byte {
	out := bytes.Clone(file)
	double := false
	for i := 0; i < len(out); i++ {
		if out[i] == 0x1B && i+2 < len(out) {
			double = out[i+1] == '$'
			i += 2
			continue
		}
		if double {
			out[i] = 0xFF
		}
	}
	return out
}

// A Locator turns ascending offsets into lines and columns, both from 1. A
// line ends with LF, CRLF or CR; a column counts characters of UTF-8.
type Locator struct {
	src        []byte
	at         int
	line, head int // current line, and where it begins
	chars      int // characters from there to at
	cr         bool
}

// NewLocator returns a Locator for the text of a page.
func NewLocator(src []byte) *Locator {
	return &Locator{src: src, line: 1, cr: bytes.IndexByte(src, '\n') < 0}
}

// Locate returns the line and column of an offset, which must not be less than
// the one before.
func (l *Locator) Locate(offset int) (line, column int) {
	end := byte('\n')
	if l.cr {
		end = '\r'
	}
	offset = min(offset, len(l.src))
	if part := l.src[l.at:offset]; len(part) > 0 {
		if n := bytes.Count(part, []byte{end}); n > 0 {
			l.line += n
			l.head = l.at + bytes.LastIndexByte(part, end) + 1
			part, l.chars = l.src[l.head:offset], 0
		}
		l.chars += utf8.RuneCount(part)
		l.at = offset
	}
	return l.line, l.chars + 1
}

// Lines turns offsets into lines and columns like a Locator, in any order.
type Lines struct{ at []Locator }

const linesStep = 4096 // bytes between two places that are known

// NewLines reads the text of a page once.
func NewLines(src []byte) *Lines {
	l := &Lines{at: []Locator{*NewLocator(src)}}
	for offset := linesStep; offset < len(src); offset += linesStep {
		next := l.at[len(l.at)-1]
		at := offset
		for at > next.at && src[at]&0xC0 == 0x80 { // within a character of UTF-8
			at--
		}
		next.Locate(at)
		l.at = append(l.at, next)
	}
	return l
}

// Locate returns the line and column of an offset.
func (l *Lines) Locate(offset int) (line, column int) {
	from := l.at[min(max(offset, 0)/linesStep, len(l.at)-1)]
	return from.Locate(max(offset, from.at))
}

// NotUTF8 is where the first byte stands that is not UTF-8; -1 for none.
func NotUTF8(text []byte) int {
	if utf8.Valid(text) {
		return -1
	}
	for i := 0; ; {
		r, n := utf8.DecodeRune(text[i:])
		if r == utf8.RuneError && n == 1 {
			return i
		}
		i += n
	}
}
