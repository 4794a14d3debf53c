package usage

import (
	"bytes"
	"strings"

	"yellowgate/internal/core/markup"
)

// A Vocabulary is what selectors can name in one page: the tags, ids, classes and
// attributes that stand in it, those in templates and noscripts too, since a script
// may bring them to life. A name is written as a selector begins: "form",
// "#letter", ".slides", "[data-every". Its value is the offset of the first start
// tag that has it.
type Vocabulary struct {
	source *markup.Source
	first  map[string]int
	quirks bool            // classes and ids are compared without case (Selectors Level 4, 6.6 and 6.7: quirks mode)
	called map[string]bool // words in the code of event handler attributes
	asks   map[string]bool // custom properties that its style attributes use
	tree   *markup.Tree    // once a selector needs it
}

// Read lists the names in a page. wanted, which may be nil, says which are worth
// keeping.
func Read(src *markup.Source, scan *markup.Document, wanted *Wanted) *Vocabulary {
	if scan.Tags == nil {
		scan = markup.ScanTags(src.Text, nil)
	}
	v := &Vocabulary{source: src, first: map[string]int{}, quirks: !scan.Doctype}
	r := reader{v: v, wanted: wanted}
	for _, t := range scan.Tags {
		r.tag(t)
	}
	return v
}

// Wanted says which names are worth keeping.
type Wanted struct {
	names map[string][]string
	attrs bool // some of them are of attributes
}

// A reader reads the names of a page, tag by tag.
type reader struct {
	v      *Vocabulary
	wanted *Wanted
	key    []byte
	tags   seen // names of tags
	attrs  seen // names of attributes
	values seen // of class attributes
}

// seen are texts that were met already, as far as there is room, by a hash of theirs.
type seen [64][]byte

// met reports whether a text was met, and remembers it.
func (s *seen) met(text []byte) bool {
	if len(text) == 0 {
		return false
	}
	n := len(text)
	slot := &s[(int(text[0])*7+int(text[n-1])+int(text[n/2])*3+n*29)&63]
	if bytes.Equal(*slot, text) {
		return true
	}
	*slot = text
	return false
}

func (r *reader) add(at int) {
	if r.v.quirks && (r.key[0] == '.' || r.key[0] == '#') {
		r.key = bytes.ToLower(r.key)
	}
	if r.wanted != nil && r.wanted.names[string(r.key)] == nil {
		return
	}
	if _, ok := r.v.first[string(r.key)]; !ok {
		r.v.first[string(r.key)] = at
	}
}

func (r *reader) tag(t markup.Tagged) {
	text, start := r.v.source.Text, int(t.Start)
	name := text[start+1 : t.NameEnd]
	if !r.tags.met(name) {
		r.key = r.key[:0]
		for _, c := range name {
			r.key = append(r.key, lowerByte(c))
		}
		r.add(start)
	}
	tag := text[:t.End]
	for i := int(t.NameEnd); ; {
		a, next, ok := markup.NextAttr(tag, i)
		if !ok {
			return
		}
		i = next
		r.attr(tag[a.Name.Start:a.Name.End], a, start)
	}
}

func (r *reader) attr(name []byte, a markup.Attr, at int) {
	v := r.v
	if (r.wanted == nil || r.wanted.attrs) && !r.attrs.met(name) {
		r.key = append(r.key[:0], '[')
		for _, c := range name {
			r.key = append(r.key, lowerByte(c))
		}
		r.add(at)
	}
	switch {
	case len(name) == 5 && foldEqual(name, "class"):
		if r.values.met(v.source.Text[a.Value.Start:a.Value.End]) {
			return
		}
		v.words(a, func(word []byte) {
			r.key = append(append(r.key[:0], '.'), word...)
			r.add(at)
		})
	case len(name) == 2 && foldEqual(name, "id"):
		if id := v.value(a); len(id) > 0 {
			r.key = append(append(r.key[:0], '#'), id...)
			r.add(at)
		}
	case len(name) == 5 && foldEqual(name, "style"):
		for _, m := range asked.FindAll(v.value(a), -1) {
			if v.asks == nil {
				v.asks = map[string]bool{}
			}
			v.asks[string(m)] = true
		}
	case r.wanted == nil && runsCode(v.source.Text[a.Value.Start:a.Value.End]):
		v.calls(a)
	case len(name) > 4 && lowerByte(name[0]) == 'o' && lowerByte(name[1]) == 'n':
		v.calls(a)
	}
}

// runsCode reports whether a value is a javascript: address, as the URL Standard reads one (4.4): without the control
// characters and spaces before it, and tabs and newlines anywhere.
func runsCode(value []byte) bool {
	const scheme = "javascript:"
	n := 0
	for _, c := range value {
		switch {
		case c == '\t' || c == '\n' || c == '\r' || n == 0 && c <= ' ':
		case c == '&' || lowerByte(c) == scheme[n]:
			if n++; c == '&' || n == len(scheme) { // a reference may spell any of it
				return n == len(scheme) || bytes.Contains(value, []byte("script")) || bytes.Contains(value, []byte("&#"))
			}
		default:
			return false
		}
	}
	return false
}

// calls notes the words of code in an attribute.
func (v *Vocabulary) calls(a markup.Attr) {
	if v.called == nil {
		v.called = map[string]bool{}
	}
	identifiers(string(v.value(a)), v.called)
}

func foldEqual(b []byte, lower string) bool {
	for i := range b {
		if lowerByte(b[i]) != lower[i] {
			return false
		}
	}
	return true
}

// value is the value of an attribute as bytes, decoded where that is needed.
func (v *Vocabulary) value(a markup.Attr) []byte {
	raw := v.source.Text[a.Value.Start:a.Value.End]
	for _, c := range raw {
		if c >= 0x80 || c == '&' {
			return []byte(v.source.AttrText(a))
		}
	}
	return raw
}

func (v *Vocabulary) words(a markup.Attr, each func([]byte)) {
	for b := v.value(a); ; {
		for len(b) > 0 && markup.IsSpace(b[0]) {
			b = b[1:]
		}
		n := 0
		for n < len(b) && !markup.IsSpace(b[n]) {
			n++
		}
		if n == 0 {
			return
		}
		each(b[:n])
		b = b[n:]
	}
}

// Has reports whether a name stands in the page.
func (v *Vocabulary) Has(name string) bool {
	if v.quirks && name != "" && (name[0] == '.' || name[0] == '#') {
		name = strings.ToLower(name)
	}
	_, ok := v.first[name]
	return ok
}

// Calls reports whether an event handler attribute of the page names something.
func (v *Vocabulary) Calls(global string) bool { return v.called[global] }

// match reports whether a selector matches an element. Selectors that one start tag
// cannot answer share one tree.
func (v *Vocabulary) match(s *markup.Selector) bool {
	if s.Compound() {
		hits, err := markup.Matches(v.source.Text, s)
		return err != nil || len(hits) > 0 // what cannot be followed may well be there
	}
	if s.CanRuleOut(v.source.Text) {
		return false
	}
	if v.tree == nil {
		v.tree = markup.NewTree(v.source.Text)
	}
	hits, err := v.tree.Match(s)
	return err != nil || len(hits) > 0
}

// identifiers puts the words of a piece of code into a set.
func identifiers(code string, into map[string]bool) {
	for i := 0; i < len(code); {
		j := i
		for j < len(code) && (code[j] == '_' || code[j] == '$' || code[j] >= 0x80 ||
			lowerByte(code[j]) >= 'a' && lowerByte(code[j]) <= 'z' || j > i && code[j] >= '0' && code[j] <= '9') {
			j++
		}
		if j > i {
			into[code[i:j]] = true
			i = j
		}
		i++
	}
}

func lowerByte(c byte) byte {
	if 'A' <= c && c <= 'Z' {
		return c + 32
	}
	return c
}
