package pageload

import (
	"bytes"
	"path"
	"strings"

	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/weburl"
)

// Which item a request belongs to: the one whose element made it, or whose URL it has, or that of the
// script that asked for it.

// Settle resolves the URLs of the record at a base: what is own, and what is third.
func (r *Record) Settle(base weburl.Base) {
	settle := func(raw string) (target, party string) { return resolved(base, raw) }
	for i := range r.Requests {
		x := &r.Requests[i]
		if x.URL == "" {
			continue // it says itself what it is
		}
		if x.Target, x.Party = settle(x.URL); x.Party == "inline" {
			x.Party = "own"
		}
	}
	for i := range r.Removed {
		if by := r.Removed[i].By; by != nil {
			by.URL, _ = settle(by.URL)
		}
	}
	for i := range r.Used {
		if r.Used[i].URL == "" {
			continue
		}
		r.Used[i].Target, _ = settle(r.Used[i].URL)
	}
}

// resolved is what a URL leads to, and whose that is.
func resolved(base weburl.Base, raw string) (target, party string) {
	ref, ok := base.Resolve(raw)
	if rest, socket := strings.CutPrefix(raw, "ws"); socket && strings.HasPrefix(strings.TrimPrefix(rest, "s"), "://") {
		if ref, ok = base.Resolve("http" + rest); ok && !ref.Own {
			return raw, "third"
		}
	}
	switch {
	case !ok || ref.Data:
		return raw, "inline"
	case ref.Own:
		return ref.Path, "own"
	}
	return ref.URL, "third"
}

// Adopt takes over the elements of an inventory of the document, which has given them their items, and
// gives requests, mistakes and uses the items of what they come from. text is the inventory of the
// page's own text; nil for none. dom is nil for a recording without a document; then there is a text. g
// may be nil.
func (r *Record) Adopt(dom, text *inventory.Record, g *pageedit.Gate) {
	lines := linesOf(text)
	r.parsed(text)
	items := map[string]string{} // by target
	if dom == nil {              // a recording without a document
		r.Link()
		r.own(items, lines, text.Base, g)
		return
	}
	makers := r.makers(dom)
	for i := range dom.Elements {
		e := &dom.Elements[i]
		if e.Inside != "" {
			continue
		}
		x := DOMElement{
			Tag: e.Tag, Area: e.Area, URL: e.URL, Target: e.Target, Party: e.Party, What: e.Label,
			Item: e.Item, Came: "page", Data: StructuredData(dom, e),
		}
		if x.By = makers[i]; x.By != nil {
			x.Came = "script"
		}
		if line, ok := lines.take(e); ok {
			x.Text, x.Line = true, line
		}
		r.Elements = append(r.Elements, x)
		if e.Item != "" && e.Target != "" && items[e.Target] == "" {
			items[e.Target] = e.Item
		}
	}
	for _, n := range r.Shadow {
		x := DOMElement{Tag: n.Tag, Area: "shadow", URL: n.URL, Party: "inline", Came: "page", By: n.By}
		if n.URL != "" {
			x.Target, x.Party = resolved(dom.Base, n.URL)
			x.Item = items[x.Target]
		}
		if n.By != nil {
			x.Came = "script"
		}
		r.Elements = append(r.Elements, x)
	}
	r.Link()
	r.own(items, lines, dom.Base, g)
	r.popups(g)
}

// StructuredData is the text of an element that is structured data, with LF as line ends, as a browser has it (HTML,
// 13.2.3.5); "" for any other.
func StructuredData(of *inventory.Record, e *inventory.Element) string {
	if e.Tag != "script" || of.Source == nil || !strings.EqualFold(strings.TrimSpace(e.Label), "application/ld+json") {
		return ""
	}
	text := of.Source.Decode(of.Source.String(e.El.TagEnd, e.El.ContentEnd))
	return strings.ReplaceAll(strings.ReplaceAll(text, "\r\n", "\n"), "\r", "\n")
}

// mostSought is how many names are looked for in a page's text.
const mostSought = 200

// parsed sets right who asked for what: while a page is read, a browser names the page for pictures and
// frames that its scripts ask for. What the text does not name, and whose file name stands nowhere in it,
// is no request of the text.
func (r *Record) parsed(text *inventory.Record) {
	if text == nil || text.Source == nil {
		return
	}
	named := map[string]bool{}
	for e := range text.All() {
		named[e.Target] = true
		for _, list := range [][]inventory.Import{e.Imports, e.Brings, e.Files} {
			for i := range list {
				named[list[i].Target] = true
			}
		}
	}
	left := mostSought
	for i := 1; i < len(r.Requests) && left > 0; i++ {
		x := &r.Requests[i]
		if x.Asked.By != "page" || named[x.Target] || x.URL == "" {
			continue
		}
		left--
		plain, _, _ := strings.Cut(x.Target, "?")
		if name := path.Base(plain); len(name) > 1 && !bytes.Contains(text.Source.Text, []byte(name)) {
			x.Asked = Initiator{By: "script", Request: -1}
		}
	}
}

// popups gives dialogs and popups their items: a popup's id is the name of its item.
func (r *Record) popups(g *pageedit.Gate) {
	named := func(id string) string {
		if g != nil {
			if it := g.File.Item(id); it != nil && it.Popup() != nil {
				return id
			}
		}
		return ""
	}
	for i := range r.Dialogs {
		if r.Dialogs[i].Is == "" {
			r.Dialogs[i].Item = named(r.Dialogs[i].ID)
		}
	}
	for i := range r.Popups {
		r.Popups[i].Item = named(r.Popups[i].ID)
	}
}

// own gives requests, mistakes, uses and elements the items that they belong to. items are those of
// elements, by target.
func (r *Record) own(items map[string]string, lines *textLines, base weburl.Base, g *pageedit.Gate) {
	if g != nil {
		for target, list := range g.Loaders(base) {
			if items[target] == "" && len(list) > 0 {
				items[target] = g.File.Items[list[0]].Name
			}
		}
	}
	for i := range r.Requests {
		x := &r.Requests[i]
		if x.Item = items[x.Target]; x.Item == "" && g != nil {
			x.Item = g.ItemOfURL(x.Target)
		}
		if x.Item == "" && g != nil && x.Party == "third" && x.Asked.By != "page" {
			x.Item = g.ItemOfCode(x.Target)
		}
		if x.Item == "" && x.Asked.Request > 0 {
			x.Item = r.Requests[x.Asked.Request].Item
		}
		if x.Item == "" && x.Asked.Request < 0 && x.Asked.Line > 0 { // an inline script of an item
			x.Item = lines.itemAt(x.Asked.Line)
		}
	}
	for i := range r.Mistakes {
		m := &r.Mistakes[i]
		if m.Request > 0 {
			m.Item = r.Requests[m.Request].Item
		} else if m.Line > 0 {
			m.Item = lines.itemAt(m.Line)
		}
	}
	byURL := map[string]string{}
	for i := range r.Requests {
		if _, had := byURL[r.Requests[i].URL]; !had {
			byURL[r.Requests[i].URL] = r.Requests[i].Item
		}
	}
	for i := range r.Used {
		if item, known := byURL[r.Used[i].URL]; known {
			r.Used[i].Item = item
		}
	}
	for i := range r.Elements { // what an item's script put there is the item's
		if e := &r.Elements[i]; e.Item == "" && e.By != nil && e.By.Request > 0 {
			e.Item = r.Requests[e.By.Request].Item
		}
	}
}

// makers says of each element of an inventory of the document which script made it. The two lists are
// in one order; where one has an element that the other lacks, it is passed over.
func (r *Record) makers(dom *inventory.Record) []*By {
	out := make([]*By, len(dom.Elements))
	k := 0
	for i := range dom.Elements {
		e := &dom.Elements[i]
		if e.Inside != "" {
			continue
		}
		for j := k; j < len(r.Nodes) && j < k+50; j++ {
			if n := &r.Nodes[j]; n.Tag == e.Tag && n.URL == e.URL {
				out[i], k = n.By, j+1
				break
			}
		}
	}
	return out
}

// textLines are the elements of a page's text, to be found by what they are.
type textLines struct {
	at    map[string][]int // what an element is -> the lines where it stands
	items []itemLines
}

type itemLines struct {
	from, to int
	item     string
}

func linesOf(text *inventory.Record) *textLines {
	l := &textLines{at: map[string][]int{}}
	if text == nil {
		return l
	}
	for i := range text.Elements {
		e := &text.Elements[i]
		if e.Inside != "" {
			continue
		}
		l.at[identity(e)] = append(l.at[identity(e)], e.Line)
		if e.Item != "" && e.Party == "inline" && text.Source != nil {
			to := e.Line
			src := text.Source.Text
			for _, c := range src[min(e.El.Start, len(src)):min(max(e.El.End, e.El.Start), len(src))] {
				if c == '\n' {
					to++
				}
			}
			l.items = append(l.items, itemLines{e.Line, to, e.Item})
		}
	}
	return l
}

// identity is what makes an element the same in the text and in the document.
func identity(e *inventory.Element) string {
	return e.Tag + "\x00" + e.Target + "\x00" + e.Label + "\x00" + e.Digest
}

// take finds the line of an element, each once.
func (l *textLines) take(e *inventory.Element) (line int, ok bool) {
	list := l.at[identity(e)]
	if len(list) == 0 {
		return 0, false
	}
	l.at[identity(e)] = list[1:]
	return list[0], true
}

// itemAt is the item whose inline code stands at a line of the page's text.
func (l *textLines) itemAt(line int) string {
	for _, x := range l.items {
		if x.from <= line && line <= x.to {
			return x.item
		}
	}
	return ""
}
