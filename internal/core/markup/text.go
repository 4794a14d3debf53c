package markup

import (
	"bytes"
	"slices"
	"sort"
	"strings"
	"unicode"

	"golang.org/x/net/html"
)

// What elements of a page say: their text as a reader reads it. References are decoded, runs of white space are one
// space, elements that stand apart are apart, and what no browser shows is left out: scripts, styles, templates, what
// is hidden by the attribute or by an inline display: none. The sign of a permalink is none of the words.

// unread are the elements whose content is no text of the page around them.
var unread = map[string]bool{
	"audio": true, "canvas": true, "datalist": true, "head": true, "iframe": true, "noembed": true,
	"noframes": true, "noscript": true, "object": true, "rp": true, "script": true, "select": true, "style": true,
	"svg": true, "template": true, "textarea": true, "title": true, "video": true,
}

// apart are the elements that browsers show on lines, or in cells, of their own (HTML, 15.3), and br.
var apart = func() map[string]bool {
	m := map[string]bool{}
	for name := range strings.FieldsSeq(`address article aside blockquote body br caption center col colgroup dd details
		dialog dir div dl dt fieldset figcaption figure footer form h1 h2 h3 h4 h5 h6 header hgroup hr html legend li
		listing main menu nav ol optgroup option p plaintext pre search section summary table tbody td tfoot th thead
		tr ul xmp`) {
		m[name] = true
	}
	return m
}()

// hides reports whether an element is not shown, by its name and attributes.
func hides(name string, attr func(string) (string, bool)) bool {
	if unread[name] {
		return true
	}
	if _, hidden := attr("hidden"); hidden {
		return true
	}
	if _, open := attr("open"); name == "dialog" && !open {
		return true
	}
	style, ok := attr("style")
	if !ok {
		return false
	}
	for declaration := range strings.SplitSeq(asciiLower(style), ";") {
		property, value, _ := strings.Cut(declaration, ":")
		value = strings.TrimSpace(value)
		if strings.TrimSpace(property) == "display" && (value == "none" || strings.HasPrefix(value, "none ")) {
			return true
		}
	}
	return false
}

// words collects a text while it is walked, its white space collapsed.
type words struct {
	said   []byte
	space  bool // a space is to come before what is next
	anchor int  // where the text of a link to the page itself begins, or -1
	before bool // space, at the anchor
}

// add adds a text.
func (w *words) add(text string) {
	for len(text) > 0 {
		n := 0
		for n < len(text) && !isSpace(text[n]) {
			n++
		}
		if n > 0 {
			if w.space && len(w.said) > 0 {
				w.said = append(w.said, ' ')
			}
			w.space = false
			w.said = append(w.said, text[:n]...)
		}
		if text = text[n:]; len(text) > 0 {
			w.space, text = true, text[1:]
		}
	}
}

func (w *words) opens(name string, attr func(string) (string, bool)) {
	w.space = w.space || apart[name]
	if name == "a" {
		w.anchor = -1
		if href, ok := attr("href"); ok && strings.HasPrefix(href, "#") {
			w.anchor, w.before = len(w.said), w.space
		}
	}
}

func (w *words) closes(name string) {
	if name == "a" && w.anchor >= 0 {
		if !bytes.ContainsFunc(w.said[w.anchor:], isWord) {
			w.said, w.space = w.said[:w.anchor], w.before
		}
		w.anchor = -1
	}
	w.space = w.space || apart[name]
}

// decoded is DecodeText for a text, most of which have nothing to decode.
func decoded(text string) string {
	if strings.ContainsAny(text, "&\r\x00") {
		return DecodeText([]byte(text))
	}
	return text
}

func isWord(r rune) bool { return unicode.IsLetter(r) || unicode.IsDigit(r) }

// text is what was collected.
func (w *words) text() string { return strings.ToValidUTF8(string(w.said), "\uFFFD") }

// TextOf returns the text of the element whose start tag stands at the offset, up to the next end tag of its name.
func TextOf(src *Source, at int, name string) string {
	_, i := readName(src.Text, at+1)
	if i, _ = tagEnd(src.Text, i); i == 0 {
		return ""
	}
	return textOf(src, i, len(src.Text), name, nil)
}

// PlainText is the text of a piece of HTML. References are decoded: what stands in them does not become markup.
func PlainText(piece string) string {
	src := ReadAs([]byte(piece), "utf-8")
	return textOf(src, 0, len(src.Text), "", nil)
}

// textOf walks the text from an offset to another, or to an end tag of a name where that is not "". end says where an
// element ends, by the offset of its start tag; nil: at the end tag that closes as many of its name as were opened.
func textOf(src *Source, from, to int, name string, end func(at int) int) string {
	s := scanner{src: src.Text[:to], pos: from, page: &Document{}, unclosed: -1, messy: -1}
	w := words{anchor: -1}
	hidden, depth := "", 0
	for {
		t := s.next()
		switch t.kind {
		case endOfFile:
			return w.text()
		case textRun:
			if hidden == "" {
				w.add(decoded(src.String(t.start, t.end)))
			}
		case endTag:
			closed := nestTagOf(src.Text[t.start+2 : t.nameEnd]).name
			switch {
			case closed == name:
				return w.text()
			case hidden == "":
				w.closes(closed)
			case closed == hidden:
				if depth--; depth == 0 {
					hidden = ""
				}
			}
		case startTag:
			tag := nestTagOf(src.Text[t.start+1 : t.nameEnd])
			opened := tag.name
			attr := func(name string) (string, bool) { return AttrValue(src.Text, t.start, name) }
			switch {
			case hidden != "":
				if opened == hidden && !t.tag.rawText() {
					depth++
				}
			case t.tag.rawText(), tag.void, !hides(opened, attr):
				w.opens(opened, attr)
			case end != nil:
				s.pos = max(end(t.start), t.end)
				continue
			case !t.selfClose:
				hidden, depth = opened, 1
			}
			if t.tag.rawText() {
				s.rawText(t)
			}
		}
	}
}

// Texts reads what elements of a page say. What stands in what is known from its tags, or from a full tree.
type Texts struct {
	src   *Source
	nest  *Nest
	order []int32 // the nodes of the nest that have a tag, in the order of their tags
	begun bool

	nodes map[int][]Passage // of a tree, by the offset of the start tag; several where that was opened again
}

// NewTexts reads texts by a nest; begun says that the page is not there to its end.
func NewTexts(src *Source, nest *Nest, begun bool) *Texts {
	x := &Texts{src: src, nest: nest, begun: begun, order: make([]int32, 0, len(nest.nodes))}
	body := nest.nodes[2].start
	for i := range nest.nodes {
		n := &nest.nodes[i]
		if i > 2 && body >= 0 && n.start > body { // which is listed before the parts of the head
			x.order, body = append(x.order, 2), -1
		}
		if n.start >= 0 && i != 2 {
			x.order = append(x.order, int32(i))
		}
	}
	if body >= 0 {
		x.order = append(x.order, 2)
	}
	return x
}

// TreeTexts reads texts by a full tree of a page in UTF-8.
func TreeTexts(tree *Tree) *Texts {
	x := &Texts{nodes: map[int][]Passage{}}
	n := 0
	var walk func(*html.Node) (size int)
	walk = func(node *html.Node) (size int) {
		n++
		own := Passage{At: -1, of: x, first: n, tree: node}
		for kid := node.FirstChild; kid != nil; kid = kid.NextSibling {
			size += walk(kid)
		}
		if own.last = n; node.Type == html.TextNode {
			size += len(node.Data)
		}
		own.size = size + own.last - own.first
		if at, ok := offsetOf(node); ok {
			own.At = at
			x.nodes[at] = append(x.nodes[at], own)
		}
		return size
	}
	walk(tree.doc)
	return x
}

// A Passage is an element with its text.
type Passage struct {
	At          int // offset of its start tag
	of          *Texts
	first, last int // its first and last place in the order of the page: a byte, or an element of the tree
	node        int // of a nest
	tree        *html.Node
	size        int // of its text, in a tree
}

// Passages are the elements that a selector matches, whose start tags stand at the offsets, which ascend, in the order
// of the page.
func (x *Texts) Passages(s *Selector, at []int) (out []Passage) {
	if len(at) == 0 {
		return nil
	}
	if x.nest == nil {
		for _, at := range at {
			for _, p := range x.nodes[at] { // what is opened again has the same name and attributes, and stands elsewhere
				if s.Compound() || s.tree.Match(p.tree) {
					out = append(out, p)
				}
			}
		}
		slices.SortFunc(out, func(a, b Passage) int { return a.first - b.first })
		return out
	}
	rest := x.order
	for _, at := range at {
		i := sort.Search(len(rest), func(i int) bool { return int(x.nest.nodes[rest[i]].start) >= at })
		if rest = rest[i:]; len(rest) == 0 {
			break
		}
		n := &x.nest.nodes[rest[0]]
		if int(n.start) != at {
			continue
		}
		last := int(n.close)
		if n.close < 0 {
			last = len(x.src.Text)
		}
		out = append(out, Passage{At: at, of: x, first: at, last: last - 1, node: int(rest[0])})
	}
	return out
}

// Within are those of a list, as Passages gives it, that stand in the passage.
func (p *Passage) Within(list []Passage) []Passage {
	i := sort.Search(len(list), func(i int) bool { return list[i].first > p.first })
	list = list[i:]
	return list[:sort.Search(len(list), func(i int) bool { return list[i].first > p.last })]
}

// Outermost are those of a list that stand in no other of it.
func Outermost(list []Passage) (out []Passage) {
	for _, p := range list {
		if n := len(out); n == 0 || p.first > out[n-1].last {
			out = append(out, p)
		}
	}
	return out
}

// Behind are, for each of the heads, those of a list that stand behind it and before the next, but not in one another.
func Behind(heads, list []Passage) [][]Passage {
	out := make([][]Passage, len(heads))
	for i := range heads {
		for len(list) > 0 && list[0].first <= heads[i].last {
			list = list[1:]
		}
		n := len(list)
		if i+1 < len(heads) {
			n = sort.Search(len(list), func(k int) bool { return list[k].first >= heads[i+1].first })
		}
		out[i], list = Outermost(list[:n]), list[n:]
	}
	return out
}

// Open reports whether the end of the passage has not come.
func (p *Passage) Open() bool { return p.of.begun && p.of.nest.nodes[p.node].close < 0 }

// Text is what the element says. What is hidden in it is left out; the element itself may be hidden.
func (p *Passage) Text() string {
	x := p.of
	if x.nest == nil {
		return treeText(p.tree)
	}
	n := &x.nest.nodes[p.node]
	name, nameEnd := readName(x.src.Text, p.At+1)
	switch {
	case name == TagTitle || name == TagTextarea:
		to, _ := rawTextEnd(x.src.Text, int(n.end), x.src.Text[p.At+1:nameEnd], false)
		return CollapseSpace(DecodeText([]byte(x.src.String(int(n.end), max(to, int(n.end))))))
	case name.rawText():
		return ""
	}
	node := p.node
	end := p.last + 1
	return textOf(x.src, int(n.end), end, "", func(at int) int {
		for node++; node < len(x.nest.nodes); node++ { // they come in the order of the page
			if n := &x.nest.nodes[node]; int(n.start) == at && n.close >= 0 {
				return int(n.close)
			} else if int(n.start) == at {
				break
			}
		}
		return end
	})
}

// Size is about how many bytes of the page it takes to read the text.
func (p *Passage) Size() int { return max(p.size, p.last-p.first) }

// treeText is the text of an element of a tree.
func treeText(top *html.Node) string {
	w := words{anchor: -1}
	if top.Data == "title" || top.Data == "textarea" {
		for kid := top.FirstChild; kid != nil; kid = kid.NextSibling {
			w.add(kid.Data)
		}
		return w.text()
	}
	if ParseTag(top.Data).rawText() {
		return ""
	}
	var walk func(*html.Node)
	walk = func(n *html.Node) {
		switch n.Type {
		case html.TextNode:
			w.add(n.Data)
		case html.ElementNode:
			attr := func(name string) (string, bool) {
				for _, a := range n.Attr {
					if a.Key == name {
						return a.Val, true
					}
				}
				return "", false
			}
			void := voidElement([]byte(n.Data))
			if !void && hides(n.Data, attr) {
				return
			}
			w.opens(n.Data, attr)
			for kid := n.FirstChild; kid != nil; kid = kid.NextSibling {
				walk(kid)
			}
			if !void {
				w.closes(n.Data)
			}
		}
	}
	for kid := top.FirstChild; kid != nil; kid = kid.NextSibling {
		walk(kid)
	}
	return w.text()
}
