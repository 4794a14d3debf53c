package markup

import (
	"bytes"
	"html"
	"strings"
	"unicode/utf8"
)

// An Attr is one attribute as it is written. Name and Value are ranges of the
// bytes it was read from; Value is none where there is no "=".
type Attr struct {
	Name, Value Span
	Quote       byte // '"', '\'', or 0
}

// Attrs calls yield for each attribute of the start tag whose "<" stands at
// offset at of src, in order, repeated ones too. It stops when yield returns
// false. The tag must be whole.
func Attrs(src []byte, at int, yield func(Attr) bool) {
	i := at + 1
	for i < len(src) && class[src[i]]&endsName == 0 {
		i++
	}
	for {
		a, next, ok := NextAttr(src, i)
		if !ok || !yield(a) {
			return
		}
		i = next
	}
}

// NextAttr reads the attribute that comes next in a start tag, from offset i on,
// which is that after the tag's name or after another attribute; ok is false where
// there is none any more.
func NextAttr(src []byte, i int) (a Attr, next int, ok bool) {
	for i < len(src) && class[src[i]]&endsName != 0 && src[i] != '>' {
		i++
	}
	if i >= len(src) || src[i] == '>' {
		return a, i, false
	}
	a.Name.Start = i
	i++
	for i < len(src) && class[src[i]]&endsAttrName == 0 {
		i++
	}
	a.Name.End = i
	for i < len(src) && isSpace(src[i]) {
		i++
	}
	if i < len(src) && src[i] == '=' {
		i++
		for i < len(src) && isSpace(src[i]) {
			i++
		}
		switch {
		case i >= len(src):
			return a, i, false
		case src[i] == '"' || src[i] == '\'':
			n := bytes.IndexByte(src[i+1:], src[i])
			if n < 0 {
				return a, i, false
			}
			a.Quote = src[i]
			a.Value = Span{i + 1, i + 1 + n}
			i += n + 2
		default:
			a.Value.Start = i
			for i < len(src) && class[src[i]]&endsUnquoted == 0 {
				i++
			}
			a.Value.End = i
		}
	}
	return a, i, true
}

// FindAttr returns the first attribute of the name (lower case) of the start
// tag at the offset.
func FindAttr(src []byte, at int, name string) (found Attr, ok bool) {
	Attrs(src, at, func(a Attr) bool {
		if foldEqual(src[a.Name.Start:a.Name.End], name) {
			found, ok = a, true
		}
		return !ok
	})
	return found, ok
}

// AttrValue returns the decoded value of an attribute: "" and true for one
// without a value.
func AttrValue(src []byte, at int, name string) (value string, ok bool) {
	a, ok := FindAttr(src, at, name)
	if !ok {
		return "", false
	}
	return DecodeAttr(src[a.Value.Start:a.Value.End]), true
}

// Attr returns the value of an attribute of the start tag at the offset as text:
// read in the page's encoding, references decoded.
func (s *Source) Attr(at int, name string) (value string, ok bool) {
	a, ok := FindAttr(s.Text, at, name)
	if !ok {
		return "", false
	}
	return s.AttrText(a), true
}

// AttrText is the value of an attribute of the page as text.
func (s *Source) AttrText(a Attr) string {
	raw := s.Text[a.Value.Start:a.Value.End]
	if s.decoder == nil {
		return s.Decode(DecodeAttr(raw))
	}
	return DecodeAttr([]byte(s.Decode(string(raw))))
}

// DecodeAttr decodes the character references of an attribute's value. A
// reference without its ";" before "=" or a letter or digit is left as it is
// (HTML, 13.2.5.73).
func DecodeAttr(raw []byte) string {
	amp := bytes.IndexByte(raw, '&')
	if amp < 0 {
		return normalizeText(raw)
	}
	var b strings.Builder
	text := normalizeText(raw)
	for {
		i := strings.IndexByte(text, '&')
		if i < 0 {
			b.WriteString(text)
			return b.String()
		}
		b.WriteString(text[:i])
		n := referenceLength(text[i:])
		b.WriteString(decodeReference(text[i:i+n], text[i+n:]))
		text = text[i+n:]
	}
}

// referenceLength returns the length of the candidate for a reference at the
// start of s: "&", an optional "#", letters and digits, an optional ";".
func referenceLength(s string) int {
	i := 1
	if i < len(s) && s[i] == '#' {
		i++
	}
	for i < len(s) && class[s[i]]&isNameByte != 0 && s[i] != '-' && s[i] != '_' {
		i++
	}
	if i < len(s) && s[i] == ';' {
		i++
	}
	return i
}

func decodeReference(ref, rest string) string {
	decoded := html.UnescapeString(ref)
	if len(ref) > 1 && ref[1] == '#' || strings.HasSuffix(ref, ";") && !strings.HasSuffix(decoded, ";") {
		return decoded
	}
	// Without ";": only the whole run, and not before "=".
	if strings.HasPrefix(rest, "=") {
		return ref
	}
	r, n := utf8.DecodeRuneInString(decoded)
	if r == '&' && len(ref) > 4 || n != len(decoded) {
		return ref
	}
	return decoded
}

// DecodeText decodes the character references of text, of a title or of a
// textarea.
func DecodeText(raw []byte) string {
	s := normalizeText(raw)
	if strings.IndexByte(s, '&') < 0 {
		return s
	}
	return html.UnescapeString(s)
}

// normalizeText does what the standard does to every input: line ends become
// line feeds (HTML, 13.2.3.5), NUL the replacement character.
func normalizeText(raw []byte) string {
	if bytes.IndexByte(raw, '\r') < 0 && bytes.IndexByte(raw, 0) < 0 {
		return string(raw)
	}
	s := strings.ReplaceAll(string(raw), "\r\n", "\n")
	s = strings.ReplaceAll(s, "\r", "\n")
	return strings.ReplaceAll(s, "\x00", "\uFFFD")
}

// CollapseSpace strips white space at both ends and folds each run of it into
// one space, as the standard does for titles.
func CollapseSpace(s string) string {
	return strings.Join(strings.FieldsFunc(s, func(r rune) bool { return r < 128 && isSpace(byte(r)) }), " ")
}

// spaceReference returns the length of a character reference for white space at
// the start of b, or 0.
func spaceReference(b []byte) int {
	n := referenceLength(string(b[:min(len(b), 32)]))
	s := html.UnescapeString(string(b[:n]))
	if len(s) == 1 && isSpace(s[0]) {
		return n
	}
	return 0
}
