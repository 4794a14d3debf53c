package evidence

import (
	"bytes"
	"strings"

	"golang.org/x/net/html"

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
	quirks bool            // classes and ids are compared without case (HTML, 2.4.1 of DOM: quirks mode)
	called map[string]bool // words in the code of event handler attributes
	asks   map[string]bool // custom properties that its style attributes use
	tree   *html.Node      // once a selector needs it
}

// Read lists the names in a page. wanted, which may be nil, says which are worth
// keeping.
func Read(src *markup.Source, scan *markup.Page, wanted func(name []byte) bool) *Vocabulary {
	v := &Vocabulary{source: src, first: map[string]int{}, quirks: !scan.Doctype}
	var key []byte
	add := func(at int) {
		if v.quirks && (key[0] == '.' || key[0] == '#') {
			key = bytes.ToLower(key)
		}
		if _, ok := v.first[string(key)]; !ok && (wanted == nil || wanted(key)) {
			v.first[string(key)] = at
		}
	}
	markup.Pieces(src.Text, func(p markup.Piece) bool {
		if p.Kind != markup.PieceStartTag {
			return true
		}
		i := p.Start + 1
		key = key[:0]
		for ; i < p.End && !isSpace(src.Text[i]) && src.Text[i] != '/' && src.Text[i] != '>'; i++ {
			key = append(key, lowerByte(src.Text[i]))
		}
		add(p.Start)
		markup.Attrs(src.Text[:p.End], p.Start, func(a markup.Attr) bool {
			name := src.Text[a.Name.Start:a.Name.End]
			key = append(key[:0], '[')
			for _, c := range name {
				key = append(key, lowerByte(c))
			}
			add(p.Start)
			switch what := string(key[1:]); {
			case what == "class":
				v.words(a, func(word []byte) {
					key = append(append(key[:0], '.'), word...)
					add(p.Start)
				})
			case what == "id":
				if id := v.value(a); len(id) > 0 {
					key = append(append(key[:0], '#'), id...)
					add(p.Start)
				}
			case what == "style":
				for _, m := range asked.FindAll(v.value(a), -1) {
					if v.asks == nil {
						v.asks = map[string]bool{}
					}
					v.asks[string(m)] = true
				}
			case strings.HasPrefix(what, "on") && len(what) > 4:
				if v.called == nil {
					v.called = map[string]bool{}
				}
				identifiers(string(v.value(a)), v.called)
			}
			return true
		})
		return true
	})
	return v
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
		for len(b) > 0 && isSpace(b[0]) {
			b = b[1:]
		}
		n := 0
		for n < len(b) && !isSpace(b[n]) {
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
func (v *Vocabulary) Has(name string) bool { _, ok := v.At(name); return ok }

// At returns the offset of the first start tag that has a name.
func (v *Vocabulary) At(name string) (offset int, ok bool) {
	if v.quirks && name != "" && (name[0] == '.' || name[0] == '#') {
		name = strings.ToLower(name)
	}
	offset, ok = v.first[name]
	return offset, ok
}

// Calls reports whether an event handler attribute of the page names something.
func (v *Vocabulary) Calls(global string) bool { return v.called[global] }

// match returns the first element that a selector matches. Selectors that one start
// tag cannot answer share one tree.
func (v *Vocabulary) match(s *markup.Selector) (offset int, ok bool) {
	var at []int
	switch {
	case s.Compound():
		at = markup.Matches(v.source.Text, s)
	case s.CanRuleOut(v.source.Text):
	default:
		if v.tree == nil {
			v.tree = markup.Tree(v.source.Text)
		}
		at = markup.MatchTree(v.tree, s)
	}
	if len(at) == 0 {
		return 0, false
	}
	return at[0], true
}

// identifiers puts the words of a piece of code into a set.
func identifiers(code string, into map[string]bool) {
	for i := 0; i < len(code); {
		j := i
		for j < len(code) && (code[j] == '_' || code[j] == '$' || code[j] >= 0x80 || lowerByte(code[j]) >= 'a' && lowerByte(code[j]) <= 'z' || j > i && code[j] >= '0' && code[j] <= '9') {
			j++
		}
		if j > i {
			into[code[i:j]] = true
			i = j
		}
		i++
	}
}

func isSpace(c byte) bool { return c == ' ' || c == '\t' || c == '\n' || c == '\f' || c == '\r' }

func lowerByte(c byte) byte {
	if 'A' <= c && c <= 'Z' {
		return c + 32
	}
	return c
}
