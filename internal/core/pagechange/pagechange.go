// Package pagechange says what differs between two forms of a page, before and after, as what it is: metadata by key,
// items, classes and other attributes, texts, elements. It reads both, and believes nobody of what was done to them.
package pagechange

import (
	"fmt"
	"slices"
	"strings"

	"golang.org/x/net/html"

	"yellowgate/internal/core/markup"
)

// A Kind is what a change is of.
type Kind string

// The kinds of changes, in the order in which they are reported.
const (
	Metadata  Kind = "metadata"
	Item      Kind = "item"      // a region or element of an item, as a whole
	Parameter Kind = "parameter" // of an item: what of the gate file changed; who reads pages alone does not see it
	Class     Kind = "class"     // a class of an element
	Attribute Kind = "attribute" // another attribute of an element
	Text      Kind = "text"
	Element   Kind = "element" // elements or comments, as they are written
)

var kinds = []Kind{Metadata, Item, Parameter, Class, Attribute, Text, Element}

// How something changed.
const (
	Added   = "added"
	Removed = "removed"
	Changed = "changed"
	Moved   = "moved"
)

// A Change is one difference. Put into the page before, all of them give the page after, but for marks, the order of
// metadata and of attributes, and white space: that counts in scripts, styles, pre and textarea, and between words.
type Change struct {
	Kind Kind `json:"kind"`
	// Name is the key of metadata, the name of an item, the element of a class or attribute, with its id or a class, or
	// the element that a text stands in.
	Name string `json:"name"`
	// Of is the name of the attribute, or the elements of an item.
	Of  string `json:"of,omitempty"`
	How string `json:"how"`
	Was string `json:"was,omitempty"` // several values stand in lines of their own
	Is  string `json:"is,omitempty"`
	// Item is the item in which a class, attribute, text or element is that changed; "" for none.
	Item string `json:"item,omitempty"`
	// Line and Column are where it begins: in the page after, or of what was removed, in the page before. Of metadata
	// they are 0.
	Line   int `json:"line,omitempty"`
	Column int `json:"column,omitempty"`
}

// A Side is one form of a page.
type Side struct {
	File    []byte
	Charset string // that its server said; "" for none
	// Owned are elements that belong to an item without its mark, or to none and are not compared, since somebody else
	// reports them.
	Owned []Owned
}

// Owned is a span of the file.
type Owned struct {
	markup.Span
	Item string // "" for what is not compared
	spot bool
}

// Between lists what differs between two forms of a page, in the order of the page after, metadata first.
func Between(before, after Side) []Change {
	was, is := read(before), read(after)
	tokeniseBoth(was, is)
	d := &differ{before: was, after: is}
	d.metadata()
	for _, g := range align(len(was.tokens), len(is.tokens), was.tokenAt, is.tokenAt) {
		d.pieces(was.pieces(g.from, g.fromEnd), is.pieces(g.to, g.toEnd), "")
	}
	d.moves()
	slices.SortStableFunc(d.out, func(a, b Change) int { return rank(a.Kind, a.Item) - rank(b.Kind, b.Item) })
	return d.out
}

// rank orders changes by kind; those in an item stand with the items.
func rank(kind Kind, item string) int {
	if item != "" {
		kind = Item
	}
	return slices.Index(kinds, kind)
}

// differ gathers what differs.
type differ struct {
	before, after *reading
	out           []Change
	gone, come    []*piece // regions of items
}

// metadata compares the values of each key.
func (d *differ) metadata() {
	keys := slices.Clone(d.after.keys)
	for _, k := range d.before.keys {
		if d.after.values[k] == nil {
			keys = append(keys, k)
		}
	}
	for _, k := range keys {
		was, is := d.before.values[k], d.after.values[k]
		if slices.Equal(was, is) {
			continue
		}
		how := Changed
		switch {
		case len(was) == 0:
			how = Added
		case len(is) == 0:
			how = Removed
		}
		d.out = append(d.out, Change{
			Kind: Metadata, Name: k, How: how, Was: strings.Join(was, "\n"), Is: strings.Join(is, "\n"),
		})
	}
}

// pieces compares two sequences, which are in an item or in none.
func (d *differ) pieces(was, is []piece, item string) {
	i, j := 0, 0
	for _, h := range alignPieces(was, is, func(p *piece) string { return p.key }) {
		d.same(was[i:h.from], is[j:h.to])
		d.hunk(was[h.from:h.fromEnd], is[h.to:h.toEnd], item)
		i, j = h.fromEnd, h.toEnd
	}
	d.same(was[i:], is[j:])
}

// same compares what is in the regions of items that stand at the same place.
func (d *differ) same(was, is []piece) {
	for i := range was {
		if was[i].kind == inItem {
			d.region(&was[i], &is[i])
		}
	}
}

// region compares what is in two regions of an item.
func (d *differ) region(was, is *piece) {
	d.pieces(was.inner, is.inner, is.name)
}

// hunk compares two sequences that have nothing in common: what has the same shape on both sides changed.
func (d *differ) hunk(was, is []piece, item string) {
	i, j := 0, 0
	flush := func(from, to int) {
		d.loose(was[i:from], Removed, d.before, item)
		d.loose(is[j:to], Added, d.after, item)
	}
	pairs := func(from, to int) {
		for i < from && j < to {
			d.pair(&was[i], &is[j], item)
			i, j = i+1, j+1
		}
	}
	for _, h := range alignPieces(was, is, func(p *piece) string { return p.shape }) {
		pairs(h.from, h.to)
		flush(h.fromEnd, h.toEnd)
		i, j = h.fromEnd, h.toEnd
	}
	pairs(len(was), len(is))
}

// pair compares two pieces of one shape.
func (d *differ) pair(was, is *piece, item string) {
	switch is.kind {
	case inItem:
		d.region(was, is)
	case inTag:
		if d.attributes(was, is, item); isCode(is.name) && was.text != is.text {
			d.text(was, is, item)
		}
	case inWords:
		d.text(was, is, item)
	default:
		if was.text != is.text {
			c := Change{Kind: Element, How: Changed, Was: was.text, Is: is.text, Item: item}
			d.at(&c, d.after, is)
		}
	}
}

// text reports a text that changed.
func (d *differ) text(was, is *piece, item string) {
	c := Change{Kind: Text, Name: is.name, How: Changed, Was: was.text, Is: is.text, Item: item}
	d.at(&c, d.after, is)
}

// attributes compares those of two tags.
func (d *differ) attributes(was, is *piece, item string) {
	old, now := valuesOf(was.attrs), valuesOf(is.attrs)
	for _, a := range append(slices.Clone(is.attrs), was.attrs...) {
		name := nameOf(a)
		before, had := old[name]
		after, has := now[name]
		if had == has && before == after {
			continue
		}
		delete(old, name)
		delete(now, name)
		c := Change{Kind: Attribute, Name: is.label(), Of: name, How: Changed, Was: before, Is: after}
		if c.Item = item; name == "class" {
			c.Kind = Class
			c.Was, c.Is = without(before, after), without(after, before)
			if c.Was+c.Is == "" { // another order, or one twice
				c.Kind, c.Was, c.Is = Attribute, before, after
			} else {
				had, has, c.Of = c.Was != "", c.Is != "", ""
			}
		}
		switch {
		case !had:
			c.How = Added
		case !has:
			c.How = Removed
		}
		d.at(&c, d.after, is)
	}
}

// without are the words of a list that the other has not, each once.
func without(list, other string) string {
	var out []string
	for _, w := range strings.Fields(list) {
		if !slices.Contains(strings.Fields(other), w) && !slices.Contains(out, w) {
			out = append(out, w)
		}
	}
	return strings.Join(out, " ")
}

// loose reports pieces that are on one side only: regions of items each for itself, all else as it is written.
func (d *differ) loose(list []piece, how string, side *reading, item string) {
	for i := 0; i < len(list); {
		if list[i].kind == inItem {
			if how == Added {
				d.come = append(d.come, &list[i])
			} else {
				d.gone = append(d.gone, &list[i])
			}
			i++
			continue
		}
		text := ""
		from := i
		for ; i < len(list) && list[i].kind != inItem; i++ {
			if i > from && list[i].kind == inWords && list[i-1].kind == inWords {
				text += " "
			}
			text += list[i].written()
		}
		c := Change{Kind: Element, Name: list[from].label(), How: how, Item: item}
		if i == from+1 && list[from].kind == inWords {
			c.Kind, c.Name = Text, list[from].name
		}
		if c.Is = text; how == Removed {
			c.Was, c.Is = text, ""
		}
		d.at(&c, side, &list[from])
	}
}

// moves settles which regions of items moved: those that are gone at one place, and alike there at another.
func (d *differ) moves() {
	left := map[string][]*piece{}
	for _, was := range d.gone {
		left[was.key] = append(left[was.key], was)
	}
	for _, is := range d.come {
		c := Change{Kind: Item, Name: is.name, Of: is.what(), How: Added, Is: is.text}
		if list := left[is.key]; len(list) > 0 {
			was := list[0]
			left[is.key] = list[1:]
			c.How, c.Was, c.Is = Moved, was.after, is.after
			d.region(was, is)
		}
		d.at(&c, d.after, is)
	}
	for _, was := range d.gone {
		if list := left[was.key]; len(list) > 0 && list[0] == was {
			left[was.key] = list[1:]
			d.at(&Change{Kind: Item, Name: was.name, Of: was.what(), How: Removed, Was: was.text}, d.before, was)
		}
	}
}

// at adds a change, with its place.
func (d *differ) at(c *Change, side *reading, p *piece) {
	if side.lines == nil {
		side.lines = markup.NewLines(side.src.Text)
	}
	c.Line, c.Column = side.lines.Locate(p.start)
	d.out = append(d.out, *c)
}

// nameOf is an attribute's name, with the prefix of a foreign one.
func nameOf(a html.Attribute) string {
	if a.Namespace != "" {
		return a.Namespace + ":" + a.Key
	}
	return a.Key
}

var escaped = strings.NewReplacer("&", "&amp;", "<", "&lt;", ">", "&gt;")

// written is a piece as it may be written.
func (p *piece) written() string {
	if p.kind == inWords {
		return escaped.Replace(p.text)
	}
	if p.kind != inTag || !isCode(p.name) {
		return p.text
	}
	var b strings.Builder
	b.WriteString("<" + p.name)
	for _, a := range p.attrs {
		fmt.Fprintf(&b, " %s=\"%s\"", nameOf(a), html.EscapeString(a.Val))
	}
	return b.String() + ">" + p.text + "</" + p.name + ">"
}

// valuesOf are attributes by name; of one that is written twice the first counts.
func valuesOf(list []html.Attribute) map[string]string {
	out := map[string]string{}
	for _, a := range list {
		if _, ok := out[nameOf(a)]; !ok {
			out[nameOf(a)] = a.Val
		}
	}
	return out
}

// label names an element: its tag, with its id or its first class.
func (p *piece) label() string {
	switch p.kind {
	case inTag:
	case inWords:
		return "text"
	case inItem:
		return p.name
	default:
		return p.name
	}
	v := valuesOf(p.attrs)
	if url := v["src"] + v["href"]; url != "" && (p.name == "script" || p.name == "link" || p.name == "img") {
		return p.name + " " + url
	}
	if id := v["id"]; id != "" {
		return p.name + "#" + id
	}
	if c := strings.Fields(v["class"]); len(c) > 0 {
		return p.name + "." + c[0]
	}
	return p.name
}

// what is the kind of part that a region holds: the tags of its elements.
func (p *piece) what() string {
	if p.spot {
		return "spot"
	}
	var tags []string
	for i := range p.inner {
		if x := &p.inner[i]; x.kind == inTag && x.depth == 0 && !slices.Contains(tags, x.name) {
			tags = append(tags, x.name)
		}
	}
	if len(tags) == 0 {
		return "text"
	}
	if len(tags) > 3 {
		tags = append(tags[:3], fmt.Sprintf("%d more", len(tags)-3))
	}
	return strings.Join(tags, ", ")
}
