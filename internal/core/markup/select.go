package markup

import (
	"bytes"
	"fmt"
	"regexp"
	"strings"

	"github.com/andybalholm/cascadia"
)

// A Selector is a CSS selector list (Selectors Level 3, with selector lists in
// :not(), :has() and the i flag). A list of compound selectors is answered by
// the scanner from start tags alone; any other needs a tree.
type Selector struct {
	text      string
	compounds []compound             // where every alternative is compound
	tree      cascadia.SelectorGroup // else
	// chains has, for a selector that needs a tree, the compounds of each
	// alternative from left to right: a page with a match has start tags for all
	// of one. nil where the selector is not that simple.
	chains [][]compound
	// descents has the same for a selector of descendants and children alone: see Nest.
	descents [][]descent
}

// String returns the selector as it was written.
func (s *Selector) String() string { return s.text }

// MatchesIn lists the offsets of the start tags in the noscripts of a page that a compound
// selector matches and whose ends are plain: void elements, and those that the page lists.
func (s *Selector) MatchesIn(p *Document) (out []int) {
	if !s.Compound() {
		return nil
	}
	listed := map[int]bool{}
	for i := range p.Elements {
		if e := &p.Elements[i]; e.Inside == InNoscript && e.End > 0 {
			listed[e.Start] = true
		}
	}
	for i := range p.Elements {
		n := &p.Elements[i]
		if n.Tag != TagNoscript || n.Inside != InPage || n.ContentEnd <= n.TagEnd {
			continue
		}
		Pieces(p.Src[n.TagEnd:n.ContentEnd], func(x Piece) bool {
			if x.Kind != PieceStartTag {
				return true
			}
			at := n.TagEnd + x.Start
			_, nameEnd := readName(p.Src, at+1)
			if !listed[at] && !voidElement(bytes.ToLower(p.Src[at+1:nameEnd])) {
				return true
			}
			for _, c := range s.compounds {
				if c.matches(p.Src, at, nameEnd, n.TagEnd+x.End) {
					out = append(out, at)
					break
				}
			}
			return true
		})
	}
	return out
}

// withinNoscript is a selector that asks for what stands in a noscript.
var withinNoscript = regexp.MustCompile(
	`(?i)\bnoscript(\[[^\]]*\]|[.#][\w-]+)*(\s*>\s*|\s+)[\w.#\[*:]|\bnoscript(\[[^\]]*\])*:(has|empty)\b`)

// Compound reports whether the scanner alone can answer the selector.
func (s *Selector) Compound() bool { return s.compounds != nil }

// A SelectorError says what in a selector is not understood, and where.
type SelectorError struct {
	Offset  int // in bytes of the selector
	Message string
}

func (e *SelectorError) Error() string { return e.Message }

// ParseSelector reads a selector list. Its error is a *SelectorError.
func ParseSelector(text string) (*Selector, error) {
	s := &Selector{text: text}
	if strings.TrimSpace(text) == "" {
		return nil, &SelectorError{0, "the selector is empty"}
	}
	if err := checkSelector(text); err != nil {
		return nil, err
	}
	if m := withinNoscript.FindStringIndex(text); m != nil {
		return nil, &SelectorError{
			m[0],
			"a browser with scripting on sees text in a noscript, and no elements: name the element itself, such " +
				"as img[src*=\"count\"]; found and replaces find it in a noscript, too",
		}
	}
	group, err := cascadia.ParseGroup(text)
	if err != nil {
		return nil, &SelectorError{
			0,
			"this selector is not understood: " + strings.TrimPrefix(err.Error(), "cascadia: "),
		}
	}
	if list, ok := parseCompounds(text); ok {
		s.compounds = list
		return s, nil
	}
	s.tree = group
	s.chains, s.descents = parseChains(text), parseDescents(text)
	return s, nil
}

// allowedPseudo are the pseudo-classes that can be known from the file alone.
var allowedPseudo = map[string]bool{
	"first-child": true, "last-child": true, "only-child": true, "first-of-type": true, "last-of-type": true,
	"only-of-type": true, "nth-child": true, "nth-last-child": true, "nth-of-type": true, "nth-last-of-type": true,
	"empty": true, "root": true, "not": true, "has": true, "lang": true, "enabled": true, "disabled": true,
	"checked": true, "link": true,
}

// checkSelector refuses what the selector library would take but the standard
// does not have, and what no file can answer.
func checkSelector(text string) error {
	for i := 0; i < len(text); i++ {
		switch c := text[i]; {
		case c == '"' || c == '\'':
			n := strings.IndexByte(text[i+1:], c)
			if n < 0 {
				return &SelectorError{i, "this quote is never closed"}
			}
			i += n + 1
		case c == '\\':
			i++
		case c == '#' && i+1 < len(text) && text[i+1] == '=', c == '!' && i+1 < len(text) && text[i+1] == '=':
			return &SelectorError{i, fmt.Sprintf("%q is not an operator of CSS selectors", text[i:i+2])}
		case c == ':':
			if i+1 < len(text) && text[i+1] == ':' {
				return &SelectorError{i, "a pseudo-element is not an element of the page"}
			}
			j := i + 1
			for j < len(text) && class[text[j]]&isNameByte != 0 {
				j++
			}
			name := strings.ToLower(text[i+1 : j])
			if !allowedPseudo[name] {
				return &SelectorError{i, fmt.Sprintf("the pseudo-class %q is not understood here", ":"+name)}
			}
		}
	}
	return nil
}

// A compound is a selector that one start tag answers.
type compound struct {
	tag   string // lower case, or "" for any
	tests []attrTest
	word  []byte // letters, digits and "-" that a matching tag must hold, or nil
	after bool   // in a chain: its start tag comes after that of the one before
}

type attrTest struct {
	name  string // lower case
	op    string // "" (is there), "=", "~=", "|=", "^=", "$=", "*="
	value string
	fold  bool // the i flag
}

// parseCompounds reads a list of compound selectors; ok is false where the text
// is anything else.
func parseCompounds(text string) (list []compound, ok bool) {
	p := compoundParser{text: text}
	for {
		p.space()
		c, ok := p.compound()
		if !ok || treeTags[c.tag] {
			return nil, false
		}
		list = append(list, c)
		p.space()
		if p.i == len(text) {
			return list, true
		}
		if text[p.i] != ',' {
			return nil, false
		}
		p.i++
	}
}

type compoundParser struct {
	text string
	i    int
}

func (p *compoundParser) space() {
	for p.i < len(p.text) && isSpace(p.text[p.i]) {
		p.i++
	}
}

func (p *compoundParser) ident() string {
	start := p.i
	for p.i < len(p.text) && (class[p.text[p.i]]&isNameByte != 0 || p.text[p.i] >= 0x80) {
		p.i++
	}
	return p.text[start:p.i]
}

// treeTags may be in the tree without a tag, or have tags that the standard
// ignores, so only a tree knows.
var treeTags = map[string]bool{"caption": true, "col": true, "colgroup": true, "tbody": true, "td": true,
	"tfoot": true, "th": true, "thead": true, "tr": true, "frame": true, "frameset": true, "html": true, "head": true,
	"body": true, "image": true}

func (p *compoundParser) compound() (c compound, ok bool) {
	start := p.i
	if p.i < len(p.text) && p.text[p.i] == '*' {
		p.i++
	} else {
		c.tag = strings.ToLower(p.ident())
	}
	for p.i < len(p.text) {
		switch p.text[p.i] {
		case '.', '#':
			t := attrTest{name: "class", op: "~="}
			if p.text[p.i] == '#' {
				t = attrTest{name: "id", op: "="}
			}
			p.i++
			if t.value = p.ident(); t.value == "" {
				return c, false
			}
			c.tests = append(c.tests, t)
			continue
		case '[':
			t, ok := p.attribute()
			if !ok {
				return c, false
			}
			c.tests = append(c.tests, t)
			continue
		}
		break
	}
	for _, t := range c.tests {
		if w := longestWord(t.value); !t.fold && len(w) > len(c.word) {
			c.word = w
		}
	}
	return c, p.i > start
}

func (p *compoundParser) attribute() (t attrTest, ok bool) {
	p.i++
	p.space()
	if t.name = strings.ToLower(p.ident()); t.name == "" {
		return t, false
	}
	p.space()
	for _, op := range []string{"=", "~=", "|=", "^=", "$=", "*="} {
		if strings.HasPrefix(p.text[p.i:], op) {
			t.op = op
			p.i += len(op)
			break
		}
	}
	if t.op != "" {
		p.space()
		if p.i < len(p.text) && (p.text[p.i] == '"' || p.text[p.i] == '\'') {
			n := strings.IndexByte(p.text[p.i+1:], p.text[p.i])
			if n < 0 {
				return t, false
			}
			t.value = p.text[p.i+1 : p.i+1+n]
			p.i += n + 2
			if strings.Contains(t.value, "\\") {
				return t, false
			}
		} else if t.value = p.ident(); t.value == "" {
			return t, false
		}
		p.space()
		if p.i < len(p.text) && p.text[p.i]|0x20 == 'i' {
			t.fold = true
			p.i++
			p.space()
		}
	}
	if p.i >= len(p.text) || p.text[p.i] != ']' {
		return t, false
	}
	p.i++
	return t, true
}

// matches reports whether the start tag at the offset satisfies the compound.
func (c *compound) matches(src []byte, at, nameEnd, end int) bool {
	if c.tag != "" && !foldEqual(src[at+1:nameEnd], c.tag) {
		return false
	}
	for i := range c.tests {
		v, ok := AttrValue(src[:end], at, c.tests[i].name)
		if !ok || !c.tests[i].holds(v) {
			return false
		}
	}
	return true
}

// holds applies the test to a value (Selectors Level 3, 6.3).
func (t *attrTest) holds(v string) bool {
	want := t.value
	if t.fold {
		v, want = asciiLower(v), asciiLower(want)
	}
	switch t.op {
	case "=":
		return v == want
	case "~=":
		if want == "" {
			return false
		}
		for _, w := range strings.FieldsFunc(v, func(r rune) bool { return r < 128 && isSpace(byte(r)) }) {
			if w == want {
				return true
			}
		}
		return false
	case "|=":
		return v == want || strings.HasPrefix(v, want+"-")
	case "^=":
		return want != "" && strings.HasPrefix(v, want)
	case "$=":
		return want != "" && strings.HasSuffix(v, want)
	case "*=":
		return want != "" && strings.Contains(v, want)
	}
	return true
}

func asciiLower(s string) string {
	return strings.Map(func(r rune) rune {
		if 'A' <= r && r <= 'Z' {
			return r + 32
		}
		return r
	}, s)
}

// longestWord returns the longest run of ASCII letters, digits and "-" in a
// value: what has to stand in the page as it is, unless written with numeric
// character references. Runs under three bytes are not worth a search.
func longestWord(v string) []byte {
	best := ""
	for i := 0; i < len(v); {
		j := i
		for j < len(v) && class[v[j]]&isNameByte != 0 && v[j] != '_' {
			j++
		}
		if j-i > len(best) {
			best = v[i:j]
		}
		i = j + 1
	}
	if len(best) < 3 {
		return nil
	}
	return []byte(best)
}

// parseChains reads the compounds of each alternative of a selector list with
// combinators; nil where there is anything else in it.
func parseChains(text string) (chains [][]compound) {
	p := compoundParser{text: text}
	var chain []compound
	within := false // the combinator before is one of descent
	for {
		p.space()
		c, ok := p.compound()
		if !ok {
			return nil
		}
		c.after = within
		if impliedTags[c.tag] {
			c.tag = "" // the element may be there without its tag
		}
		if c.tag != "" || len(c.tests) > 0 {
			chain = append(chain, c)
		}
		p.space()
		within = true
		if p.i < len(text) && strings.IndexByte(">+~", text[p.i]) >= 0 {
			within = text[p.i] == '>'
			p.i++
			continue
		}
		if p.i == len(text) || text[p.i] == ',' {
			if len(chain) == 0 {
				return nil
			}
			chains, chain = append(chains, chain), nil
			within = false
			if p.i++; p.i > len(text) {
				return chains
			}
		}
	}
}

// impliedTags name elements that may be in the tree without a tag of theirs, or
// by another.
var impliedTags = map[string]bool{
	"html": true, "head": true, "body": true, "tbody": true, "tr": true, "colgroup": true, "p": true,
	"img": true,
}

// spellsByReference reports whether the page has a numeric character reference
// for an ASCII letter, digit or "-", so that a plain search for a word decides
// nothing.
func spellsByReference(src []byte) bool {
	for {
		i := bytes.Index(src, numericRef)
		if i < 0 {
			return false
		}
		src = src[i+2:]
		d := DecodeText(append([]byte("&#"), src[:min(len(src), 12)]...))
		if d != "" && (class[d[0]]&isNameByte != 0) {
			return true
		}
	}
}

var numericRef = []byte("&#")

// CanRuleOut reports whether a scan shows that the selector, which needs a tree,
// matches nothing in the page: a start tag is missing, or comes too early.
func (s *Selector) CanRuleOut(src []byte) bool {
	if s.chains == nil {
		return false
	}
	spelled := spellsByReference(src)
	for _, chain := range s.chains {
		if !spelled && lacksWord(src, chain) {
			continue
		}
		var list []*Selector
		for i := range chain {
			list = append(list, &Selector{compounds: chain[i : i+1]})
		}
		at := -1
		for i, hits := range Scan(src, NewWatch(list...)).Hits {
			for chain[i].after && len(hits) > 0 && hits[0] <= at {
				hits = hits[1:]
			}
			if len(hits) == 0 {
				at = len(src)
				break
			}
			at = hits[0]
		}
		if at < len(src) {
			return false
		}
	}
	return true
}

func lacksWord(src []byte, chain []compound) bool {
	for _, c := range chain {
		if c.word != nil && !bytes.Contains(src, c.word) {
			return true
		}
	}
	return false
}

// Descends reports whether the selector has no other combinators than those of descendants and
// children: then a Nest answers it.
func (s *Selector) Descends() bool { return s.descents != nil }

// LacksWords reports whether a page lacks words without which the selector matches nothing: it
// costs a search and no scan.
func (s *Selector) LacksWords(src []byte) bool {
	for _, chain := range s.chains {
		if !lacksWord(src, chain) {
			return false
		}
	}
	return s.chains != nil && !spellsByReference(src)
}
