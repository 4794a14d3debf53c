package markup

import (
	"bytes"
	"regexp"
	"slices"
	"strings"
)

// A Nest is which element of a page stands in which, for pages whose tags say so plainly: every
// end tag ends the element that was opened last, but for the end tags that may be left out (HTML,
// 13.1.2.4), which are supplied as the standard supplies them. Where a page leaves that path, by
// tags that overlap, by what is foreign or stands where a table has no room, only a full tree
// knows, and there is no Nest.
type Nest struct {
	src   []byte
	nodes []nestNode
}

// nestNode is an element. Those without a tag in the page have the start -1.
type nestNode struct {
	start, nameEnd, end int32
	parent              int32 // number of a node; -1 for html
	close               int32 // where its content ends; -1 for one that is open to the end
}

// mostNested is how many elements may be open at once before the page goes to the full tree.
const mostNested = 400

// kind says how the tree construction treats an element (13.2.6.4.7).
type nestKind uint8

const (
	plainElement      nestKind = iota
	blockElement               // closes a paragraph
	headElement                // h1 to h6: closes a paragraph, and is not opened in another
	listItem                   // li
	definition                 // dt, dd
	formattingElement          // is opened again after what it was left open in: then only a tree knows
	tableElement               // table
	tablePart                  // what stands in a table alone
	cell                       // td, th
	optionElement              // option, optgroup
	selectElement              //
	paragraph                  // p
	foreignElement             // svg, and what stands in it
	outOfTheWay                // only a tree knows what becomes of it
)

var nestKinds = func() map[string]nestKind {
	m := map[string]nestKind{}
	for kind, names := range map[nestKind]string{
		blockElement: "address article aside blockquote center details dialog dir div dl fieldset figcaption " +
			"figure footer header hgroup main menu nav ol pre listing search section summary ul hr",
		headElement:       "h1 h2 h3 h4 h5 h6",
		listItem:          "li",
		definition:        "dt dd",
		formattingElement: "b big code em font i s small strike strong tt u",
		tableElement:      "table",
		tablePart:         "caption colgroup col tbody thead tfoot tr",
		cell:              "td th",
		optionElement:     "option optgroup",
		selectElement:     "select",
		paragraph:         "p",
		foreignElement:    "svg",
		outOfTheWay: "a-in-a nobr form-in-form template math frameset frame image isindex plaintext xmp " +
			"noembed noframes ruby rb rt rp rtc applet marquee object html head body selectedcontent",
	} {
		for name := range strings.FieldsSeq(names) {
			m[name] = kind
		}
	}
	return m
}()

// special are the elements besides those with a kind at which the search for an open list item
// ends (13.2.4.2).
var special = map[string]bool{
	"area": true, "article": true, "aside": true, "base": true, "basefont": true, "bgsound": true,
	"blockquote": true, "body": true, "br": true, "button": true, "caption": true, "center": true,
	"col": true, "colgroup": true, "dd": true, "details": true, "dir": true, "dl": true, "dt": true,
	"embed": true, "fieldset": true, "figcaption": true, "figure": true, "footer": true, "form": true,
	"h1": true, "h2": true, "h3": true, "h4": true, "h5": true, "h6": true, "header": true, "hgroup": true,
	"hr": true, "iframe": true, "img": true, "input": true, "keygen": true, "li": true, "link": true,
	"listing": true, "main": true, "menu": true, "meta": true, "nav": true, "ol": true, "param": true,
	"pre": true, "script": true, "search": true, "section": true, "select": true, "source": true,
	"style": true, "summary": true, "table": true, "tbody": true, "td": true, "textarea": true, "tfoot": true,
	"th": true, "thead": true, "title": true, "tr": true, "track": true, "ul": true, "wbr": true,
	"dialog": true,
}

// drawn are the elements of SVG that stand in one another as their tags say, and whose names are
// the same in any case. Others let HTML in, or are read otherwise.
var drawn = map[string]bool{
	"g": true, "path": true, "rect": true, "circle": true, "ellipse": true, "line": true, "polyline": true,
	"polygon": true, "use": true, "defs": true, "symbol": true, "text": true, "tspan": true, "stop": true,
	"mask": true, "pattern": true, "marker": true,
}

// openElement is an element that is open.
type openElement struct {
	*nestTag
	kind nestKind
	node int32
}

type nester struct {
	*Nest
	scan *Document
	open []openElement // in the body, which is the first
	at   int           // where the tag stands that is taken
	over bool          // the body was ended
	// standard: the page begins with the doctype of HTML, and so is in no quirks mode (13.2.6.4.1).
	standard bool
}

// NewNest reads which element stands in which. scan is the page's scan; ok is false where only a
// full tree knows.
func NewNest(src []byte, scan *Document) (nest *Nest, ok bool) {
	if scan.Frameset || scan.Unread != "" || scan.BodyBegin < 0 {
		return nil, false
	}
	n := &nester{Nest: &Nest{src: src, nodes: make([]nestNode, 0, len(src)/40+8)}, scan: scan}
	html := n.node(scan.HTMLTag, -1)
	head := n.node(scan.HeadTag, html)
	n.nodes[head].close = int32(scan.BodyBegin)
	n.open = append(n.open, openElement{nestTags["body"], outOfTheWay, n.node(scan.BodyTag, html)})
	s := scanner{src: src, page: &Document{Src: src}, unclosed: -1, messy: -1}
	if bytes.HasPrefix(src, byteOrderMark) {
		s.pos = len(byteOrderMark)
	}
	for {
		t := s.next()
		n.at = t.start
		good := true
		switch t.kind {
		case endOfFile:
			return n.Nest, t.start >= len(src)
		case textRun:
			good = n.text(src[t.start:t.end])
		case doctype:
			n.standard = n.standard || len(n.nodes) == 3 && doctypeOfHTML.Match(src[t.start:t.end])
		case comment:
			good = n.top().kind != foreignElement || !bytes.HasPrefix(src[t.start:], []byte("<![CDATA["))
		case endTag:
			good = n.endTag(nestTagOf(src[t.start+2:t.nameEnd]), t.start)
		case startTag:
			tag := nestTagOf(src[t.start+1 : t.nameEnd])
			if t.start < scan.BodyBegin {
				good = n.inHead(tag.name, t, head)
			} else {
				good = n.startTag(tag, t)
			}
			if good && t.tag.rawText() {
				if _, end := rawTextEnd(src, t.end, src[t.start+1:t.nameEnd], t.tag == TagScript); end >= 0 {
					s.pos = end
				} else {
					good = false
				}
			}
		}
		if !good {
			return nil, false
		}
	}
}

// doctypeOfHTML is the doctype that no quirks mode goes with.
var doctypeOfHTML = regexp.MustCompile(`(?i)^<!doctype\s+html\s*>$`)

// A nestTag is what is known of the tags of a name.
type nestTag struct {
	name    string // in lower case
	kind    nestKind
	known   bool // it has a kind of its own
	special bool
	void    bool
}

// nestTags are those of the names that most tags have.
var nestTags = func() map[string]*nestTag {
	m := map[string]*nestTag{}
	add := func(name string) {
		kind, known := nestKinds[name]
		m[name] = &nestTag{name, kind, known, special[name], voidElement([]byte(name))}
	}
	for name := range nestKinds {
		add(name)
	}
	for name := range special {
		add(name)
	}
	for name := range drawn {
		add(name)
	}
	for name := range strings.FieldsSeq(
		"a span label cite abbr kbd var sub sup q time mark dfn picture video audio canvas svg noscript") {
		add(name)
	}
	return m
}()

// nestTagOf is what is known of a name as it is written.
func nestTagOf(written []byte) *nestTag {
	if tag, ok := nestTags[string(written)]; ok {
		return tag
	}
	name := strings.ToLower(string(written))
	if tag, ok := nestTags[name]; ok {
		return tag
	}
	return &nestTag{name: name, void: voidElement(written)}
}

// node adds an element with a tag, or without one where the span is none.
func (n *nester) node(tag Span, parent int32) int32 {
	x := nestNode{-1, -1, -1, parent, -1}
	if !tag.None() {
		_, nameEnd := readName(n.src, tag.Start+1)
		x = nestNode{int32(tag.Start), int32(nameEnd), int32(tag.End), parent, -1}
	}
	n.nodes = append(n.nodes, x)
	return int32(len(n.nodes) - 1)
}

// inHead takes a start tag before the body.
func (n *nester) inHead(name string, t token, head int32) bool {
	switch name {
	case "html":
		return t.start == n.scan.HTMLTag.Start
	case "head":
		return t.start == n.scan.HeadTag.Start
	case "body":
		return t.start == n.scan.BodyTag.Start
	case "base", "basefont", "bgsound", "link", "meta", "title", "script", "style", "noscript":
		n.nodes = append(n.nodes, nestNode{int32(t.start), int32(t.nameEnd), int32(t.end), head, int32(t.end)})
		return true
	}
	return false
}

func (n *nester) top() *openElement { return &n.open[len(n.open)-1] }

// pop ends the element that was opened last.
func (n *nester) pop() {
	n.nodes[n.top().node].close = int32(n.at)
	n.open = n.open[:len(n.open)-1]
}

// push opens an element; a tag of nil is of one that the page leaves out.
func (n *nester) push(tag *nestTag, kind nestKind, t *token) {
	x := nestNode{-1, -1, -1, n.top().node, -1}
	if t != nil {
		x = nestNode{int32(t.start), int32(t.nameEnd), int32(t.end), n.top().node, -1}
	}
	if t == nil || kind == foreignElement && !t.selfClose ||
		kind != foreignElement && !tag.void && !t.tag.rawText() {
		n.open = append(n.open, openElement{tag, kind, int32(len(n.nodes))})
	} else {
		x.close = x.end // it has no elements in it
	}
	n.nodes = append(n.nodes, x)
}

// text takes text: in a table, and behind the body, there is only room for white space.
func (n *nester) text(text []byte) bool {
	if k := n.top().kind; n.over || k == tableElement || k == tablePart && n.top().name != "caption" {
		return len(bytes.Trim(text, " \t\n\f\r")) == 0
	}
	return true
}

// paragraphOpen reports whether a paragraph is open that a block would close (13.2.4.2, "in button
// scope"), and whether it is the element that was opened last.
func (n *nester) paragraphOpen() (open, last bool) {
	for i := len(n.open) - 1; i >= 0; i-- {
		switch e := &n.open[i]; {
		case e.kind == paragraph:
			return true, i == len(n.open)-1
		case e.kind == tableElement, e.kind == cell, e.name == "caption", e.name == "button":
			return false, false
		}
	}
	return false, false
}

// closeParagraph closes an open paragraph; false where that needs a tree.
func (n *nester) closeParagraph() bool {
	open, last := n.paragraphOpen()
	if open && last {
		n.pop()
	}
	return !open || last
}

// isOpen reports whether an element of a name is open up to the next cell or table.
func (n *nester) isOpen(name string) bool {
	for i := len(n.open) - 1; i >= 0; i-- {
		if n.open[i].name == name {
			return true
		}
	}
	return false
}

// closeItem closes an open list item of a kind, for the next one to follow; false where that needs
// a tree.
func (n *nester) closeItem(kind nestKind) bool {
	for i := len(n.open) - 1; i >= 0; i-- {
		e := &n.open[i]
		if e.kind == kind {
			for len(n.open)-1 > i {
				if !n.mayEnd(n.top(), "") {
					return false
				}
				n.pop()
			}
			n.pop()
			return true
		}
		if e.special && e.name != "address" && e.name != "div" && e.name != "p" || e.kind == selectElement {
			return true
		}
	}
	return true
}

// mayEnd reports whether an element ends without an end tag where another ends around it
// (13.2.6.3, "generate implied end tags"), but for one.
func (n *nester) mayEnd(e *openElement, but string) bool {
	switch e.kind {
	case listItem, definition, optionElement, paragraph:
		return e.name != but
	}
	return false
}

// startTag takes a start tag in the body.
func (n *nester) startTag(tag *nestTag, t token) bool {
	name, kind := tag.name, tag.kind
	if n.over || kind == outOfTheWay || len(n.open) > mostNested {
		return false
	}
	top := n.top()
	switch {
	case top.kind == foreignElement:
		if !drawn[name] {
			return false
		}
		n.push(tag, foreignElement, &t)
		return true
	case top.kind == selectElement || top.kind == optionElement && n.isOpen("select"):
		return n.inSelect(tag, t)
	case kind == tablePart || kind == cell:
		return n.inTable(tag, t)
	case top.kind == tableElement || top.kind == tablePart && top.name != "caption":
		if name != "script" && name != "style" { // what has no room there is put before the table
			return false
		}
	}
	if !n.makeRoom(kind) {
		return false
	}
	if !tag.known {
		switch name {
		case "a", "button", "form":
			if n.isOpen(name) || name == "form" && !n.closeParagraph() {
				return false
			}
			if name == "a" {
				kind = formattingElement
			}
		}
	}
	n.push(tag, kind, &t)
	return true
}

// makeRoom closes what an element of a kind closes before it opens. It is false where that is not plain.
func (n *nester) makeRoom(kind nestKind) bool {
	switch kind {
	case blockElement, paragraph:
		return n.closeParagraph()
	case headElement:
		return n.closeParagraph() && n.top().kind != headElement
	case listItem, definition:
		return n.closeItem(kind) && n.closeParagraph()
	case tableElement:
		if open, _ := n.paragraphOpen(); open && !n.standard { // in quirks mode it stays open
			return false
		}
		return n.closeParagraph()
	case optionElement:
		return false // outside a select
	}
	return true
}

// inSelect takes a start tag in a select.
func (n *nester) inSelect(tag *nestTag, t token) bool {
	if tag.kind != optionElement {
		return false
	}
	if n.top().name == "option" {
		n.pop()
	}
	if tag.name == "optgroup" && n.top().name == "optgroup" {
		n.pop()
	}
	n.push(tag, tag.kind, &t)
	return true
}

// inTable takes the start tag of a part of a table, and supplies those that are left out.
func (n *nester) inTable(tag *nestTag, t token) bool {
	name, kind := tag.name, tag.kind
	// What is open in the table ends first: a cell with what may end in it, a row, a section.
	if !n.isOpen("table") {
		return false // it is ignored
	}
	section := name == "tbody" || name == "thead" || name == "tfoot"
	for n.top().kind != tableElement {
		top := n.top()
		switch {
		case top.name == "caption":
			return false
		case kind == cell && top.name == "tr",
			name == "tr" && (top.name == "tbody" || top.name == "thead" || top.name == "tfoot"),
			name == "col" && top.name == "colgroup":
			n.push(tag, tag.kind, &t)
			return true
		case kind == cell && (top.name == "tbody" || top.name == "thead" || top.name == "tfoot"):
			n.push(nestTags["tr"], tablePart, nil)
			n.push(tag, tag.kind, &t)
			return true
		case top.kind == tablePart, top.kind == cell, n.mayEnd(top, ""):
			n.pop()
		default:
			return false
		}
	}
	switch {
	case name == "col":
		n.push(nestTags["colgroup"], tablePart, nil)
	case name == "tr":
		n.push(nestTags["tbody"], tablePart, nil)
	case kind == cell:
		n.push(nestTags["tbody"], tablePart, nil)
		n.push(nestTags["tr"], tablePart, nil)
	case !section && name != "caption" && name != "colgroup":
		return false
	}
	n.push(tag, tag.kind, &t)
	return true
}

// endTag takes an end tag.
func (n *nester) endTag(tag *nestTag, at int) bool {
	name := tag.name
	switch name {
	case "html", "body":
		if at >= n.scan.BodyBegin {
			for n.top().node != n.open[0].node { // all that is open ends; what needs an end tag has none
				if !n.mayEnd(n.top(), "") && n.top().kind != tablePart && n.top().kind != cell {
					return false
				}
				n.pop()
			}
			n.nodes[n.top().node].close = int32(at)
			n.over = true
			return true
		}
		return false
	case "head":
		return at < n.scan.BodyBegin
	}
	if n.over || at < n.scan.BodyBegin {
		return false
	}
	if name == "p" { // one that ends nothing is an element of its own, without a tag
		if open, _ := n.paragraphOpen(); !open {
			k := n.top().kind
			return k != tableElement && k != selectElement && k != optionElement && k != foreignElement &&
				(k != tablePart || n.top().name == "caption")
		}
	}
	if !tag.known && name != "form" && name != "button" || tag.kind == formattingElement ||
		tag.kind == foreignElement { // nothing ends with it
		if n.top().name != name || len(n.open) == 1 {
			return false
		}
		n.pop()
		return true
	}
	table := tag.kind == tableElement || tag.kind == tablePart || tag.kind == cell
	for len(n.open) > 1 {
		top := n.top()
		if top.name == name {
			n.pop()
			return true
		}
		// Within a table a row ends with its section, and a cell with its row.
		if !n.mayEnd(top, name) && !(table && (top.kind == tablePart && top.name != "caption" || top.kind == cell)) {
			return false
		}
		n.pop()
	}
	return false
}

// Match returns the offsets of the start tags of the elements that a selector matches, in order;
// ok is false for a selector that needs a full tree.
func (n *Nest) Match(s *Selector) (out []int, ok bool) {
	if s.descents == nil {
		return nil, false
	}
	for i := range n.nodes {
		if n.matches(i, s) {
			out = append(out, int(n.nodes[i].start))
		}
	}
	slices.Sort(out) // parts of the head come behind the body in the list
	return out, true
}

// First is Match for the first element alone; -1 for none.
func (n *Nest) First(s *Selector) (at int, ok bool) {
	if s.descents == nil {
		return 0, false
	}
	at = -1
	for i := range n.nodes {
		if n.matches(i, s) {
			if start := int(n.nodes[i].start); at < 0 || start < at {
				at = start
			}
			if i > 2 { // behind html, head and body they stand in the order of the page
				break
			}
		}
	}
	return at, true
}

func (n *Nest) matches(i int, s *Selector) bool {
	if n.nodes[i].start < 0 {
		return false
	}
	for k := range s.descents {
		if n.ends(int32(i), s.descents[k]) {
			return true
		}
	}
	return false
}

// ends reports whether a chain of compounds ends at a node.
func (n *Nest) ends(node int32, chain []descent) bool {
	last := &chain[len(chain)-1]
	if !n.is(node, &last.compound) {
		return false
	}
	if len(chain) == 1 {
		return true
	}
	rest := chain[:len(chain)-1]
	for up := n.nodes[node].parent; up >= 0; up = n.nodes[up].parent {
		if n.ends(up, rest) {
			return true
		}
		if last.child {
			return false
		}
	}
	return false
}

// is reports whether a node satisfies a compound.
func (n *Nest) is(node int32, c *compound) bool {
	x := &n.nodes[node]
	if x.start < 0 {
		return c.tag == "" && len(c.tests) == 0 // it has no attributes
	}
	if c.tag != "" &&
		(int(x.nameEnd-x.start-1) != len(c.tag) || lower[n.src[x.start+1]] != c.tag[0] ||
			!foldEqual(n.src[x.start+1:x.nameEnd], c.tag)) {
		return false
	}
	if len(c.tests) > 0 && x.end-x.nameEnd < 4 { // there is no room for an attribute
		return false
	}
	tag := n.src[x.nameEnd:x.end]
	if c.word != nil && !bytes.Contains(tag, c.word) && bytes.IndexByte(tag, '&') < 0 {
		return false
	}
	return c.matches(n.src, int(x.start), int(x.nameEnd), int(x.end))
}

// A descent is a compound in a chain of descendants.
type descent struct {
	compound
	child bool // it is a child of what the compound before is, not any descendant
}

// parseDescents reads a list of selectors with no other combinators than those of descendants and
// children, and no names of elements that may be there without a tag; nil for any other.
func parseDescents(text string) (list [][]descent) {
	p := compoundParser{text: text}
	var chain []descent
	child := false
	for {
		p.space()
		c, ok := p.compound()
		if !ok || treeTags[c.tag] {
			return nil
		}
		chain = append(chain, descent{c, child})
		child = false
		p.space()
		switch {
		case p.i == len(text):
			return append(list, chain)
		case text[p.i] == '>':
			child = true
			p.i++
		case text[p.i] == ',':
			list, chain = append(list, chain), nil
			p.i++
		case text[p.i] == '+', text[p.i] == '~':
			return nil
		}
	}
}
