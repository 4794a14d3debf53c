package usage

import (
	"bytes"
	"maps"
	"regexp"
	"slices"
	"strings"

	"github.com/tdewolff/parse/v2"
	"github.com/tdewolff/parse/v2/css"

	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/markup"
)

// What a text proves. A page that nothing can change is the tree that a browser builds of it, in each of the states
// that its visitor brings about; a stylesheet whose rules match nothing there is not needed. Of any other page, and
// of any script, a text proves nothing.

// changes says what may change a page once it is read, so that its text proves nothing; "" where nothing can.
func (p *judging) changes() string {
	if p.changed != nil {
		return *p.changed
	}
	why := ""
	v := p.page
	tags := func(names ...string) string {
		if i := slices.IndexFunc(names, v.Has); i >= 0 {
			return names[i]
		}
		return ""
	}
	switch animation := tags("animate", "set", "animatetransform", "animatemotion", "discard"); {
	case v.called != nil:
		why = "an event handler or a javascript: address runs on the page"
	case animation != "":
		why = "an SVG animation can set any attribute: " + animation
	case tags("[contenteditable", "frame") != "":
		why = "the page can be edited, or is made of frames"
	case p.record.Page.Answer.IsXML() || strings.HasSuffix(strings.ToLower(p.record.File), ".xhtml"):
		why = "browsers read the page as XML"
	}
	for _, list := range [][]inventory.Element{p.record.Elements, p.record.Media} {
		for i := range list {
			switch e := &list[i]; {
			case why != "":
			case e.IsScript() && e.Inside != "template":
				why = "a script runs on the page"
			case slices.Contains([]string{"iframe", "object", "embed"}, e.Tag) && e.Party != "third":
				why = "a frame of the site can reach the page"
			}
		}
	}
	p.changed = &why
	return why
}

// A proof is the tree of a page that nothing changes, as selectors are held against it.
type proof struct {
	names map[string]bool // in lower case: what case counts for, quirks mode decides, and some attributes
	later map[string]bool // those that a browser may give an element of the page
	lower []byte          // the page in lower case, where its own styles may name something
	exact bool            // the tree is the one that a browser builds, down to the last element
}

func (p *judging) proof() *proof {
	if p.proven != nil {
		return p.proven
	}
	v := p.page
	x := &proof{names: map[string]bool{}}
	add := func(name string) { x.names[strings.ToLower(name)] = true }
	for name := range v.first { // also those in noscript, which some visitors see
		add(name)
	}
	if v.tree == nil {
		v.tree = markup.NewTree(v.source.Text)
	}
	x.exact = v.tree.Names(add) && plainDoctype.Match(v.source.Text)
	for _, n := range []string{"noscript", "select", "template", "svg", "math", "frameset"} { // parsers differ in these
		x.exact = x.exact && !x.names[n]
	}
	x.later = map[string]bool{"font": true, ".translated-ltr": true, ".translated-rtl": true} // one that translates
	x.later["[open"] = x.names["details"] || x.names["dialog"]
	for _, attr := range []string{"[style", "[face", "[font-family"} {
		if x.lower == nil && v.Has(attr) {
			x.lower = bytes.ToLower(v.source.Text)
		}
	}
	p.proven = x
	return x
}

// plainDoctype is the beginning of a page in no quirks mode, whatever browser reads it (HTML, 13.2.6.4.1).
var plainDoctype = regexp.MustCompile(`(?is)^\x{FEFF}?(\s|<!--.*?-->)*<!doctype\s+html\s*>`)

// lacks reports that no state of the page has a match for a selector.
func (x *proof) lacks(s *Selector, v *Vocabulary) bool {
	if !s.follows {
		return false
	}
	later := false
	for _, n := range s.Needs {
		n = strings.ToLower(n)
		if !x.names[n] && !x.later[n] {
			return true
		}
		later = later || x.later[n]
	}
	if later || !x.exact || s.static == "" || strings.Contains(s.static, "[") {
		return false // the values of attributes change with states, and their case with the attribute
	}
	m, err := markup.ParseSelector(s.static)
	if err != nil {
		return false
	}
	some, err := v.tree.Some(m)
	return err == nil && !some
}

// wants says what of a stylesheet a page that nothing changes may need after all; "" for nothing.
func (p *judging) wants(n *Need) string {
	x := p.proof()
	for _, s := range n.sheets {
		if len(s.Acts) > 0 {
			return s.Acts[0]
		}
		for _, name := range slices.Concat(s.Gives, slices.Sorted(maps.Keys(s.Sets))) {
			if p.mentions(strings.ToLower(name), n) {
				return name
			}
		}
		for i := range s.Selectors {
			if sel := &s.Selectors[i]; !sel.vars && !x.lacks(sel, p.page) {
				return sel.Text
			}
		}
	}
	return ""
}

// mentions reports whether a page, or a stylesheet that it loads besides those of a thing, has a name, in lower case.
func (p *judging) mentions(name string, but *Need) bool {
	if bytes.Contains(p.proof().lower, []byte(name)) {
		return true
	}
	return slices.ContainsFunc(p.things, func(n *Need) bool {
		return n != but && (n.unreadable != "" || slices.ContainsFunc(n.sheets, func(s *Sheet) bool { return s.said[name] }))
	})
}

// readWords reads the names and texts in a stylesheet, in lower case.
func (s *Sheet) readWords(text []byte) {
	s.said = map[string]bool{}
	for l := css.NewLexer(parse.NewInputBytes(bytes.Clone(text))); ; {
		tt, data := l.Next()
		switch tt {
		case css.ErrorToken:
			return
		case css.IdentToken, css.AtKeywordToken, css.CustomPropertyNameToken, css.FunctionToken, css.StringToken:
			s.said[nameIn(string(data))] = true
		case css.CustomPropertyValueToken:
			for w := range strings.FieldsFuncSeq(string(data),
				func(r rune) bool { return strings.ContainsRune(" \t\r\n\f,()'\"", r) }) {
				s.said[nameIn(w)] = true
			}
		}
	}
}

// nameIn is the name or text of a token, in lower case.
func nameIn(token string) string { return strings.ToLower(unescape(strings.Trim(token, `"'(`))) }

// gives are the at-rules that define a name which other stylesheets use (CSS Fonts 4, Animations 1, Counter Styles 3,
// Properties and Values 1, Anchor Positioning 1, Functions and Mixins 1).
var gives = map[string]bool{
	"@keyframes": true, "@-webkit-keyframes": true, "@counter-style": true, "@property": true,
	"@font-palette-values": true, "@position-try": true, "@function": true,
}

// at notes what an at-rule does that no element is asked for.
func (s *Sheet) at(prelude []cssToken) {
	switch name := strings.ToLower(prelude[0].text); {
	case name == "@charset" || name == "@namespace" || name == "@import" && !strings.Contains(
		strings.ToLower(written(prelude)), "layer"):
	case name == "@import" || name == "@layer": // the order of layers
		s.Gives = append(s.Gives, "@layer", "layer")
	case gives[name]:
		for _, t := range prelude[1:] {
			if t.tt == css.IdentToken || t.tt == css.StringToken || t.tt == css.CustomPropertyNameToken ||
				t.tt == css.FunctionToken {
				s.Gives = append(s.Gives, nameIn(t.text))
			}
		}
	default:
		s.Acts = append(s.Acts, name)
	}
}

// fontFace reads the block of a @font-face, whose "{" was read, for the name of its family, which may be written as a
// text or as several words.
func (r *sheetReader) fontFace() {
	family, in := []string{}, ""
	for {
		tt, data := r.lexer.Next()
		switch tt {
		case css.ErrorToken, css.RightBraceToken:
			if len(family) > 0 {
				first, _, _ := strings.Cut(family[0], " ")
				r.sheet.Gives = append(r.sheet.Gives, strings.Join(family, " "), first)
			}
			return
		case css.SemicolonToken:
			in = ""
		case css.IdentToken, css.StringToken:
			switch word := nameIn(string(data)); {
			case in == "":
				in = word
			case in == "font-family":
				family = append(family, word)
			}
		}
	}
}
