package gating

import (
	"fmt"
	"html"
	"slices"
	"strings"

	"yellowgate/internal/core/compose"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/verdict"
)

// Own returns the value that the source of the page has for a metadata key, given
// by its ID, and the elements that carry it. An empty element is no value.
func (v *View) Own(id string) (value string, at []markup.Element) {
	values, at := v.ownValues(id)
	return firstOf(values), at
}

func (v *View) ownValues(id string) (values []string, at []markup.Element) {
	return v.metadata().Values(id)
}

func (v *View) metadata() *Metadata {
	if v.meta == nil {
		v.meta = ReadMetadata(v.Source, v.Scan)
	}
	return v.meta
}

func firstOf(values []string) string {
	for _, v := range values {
		if v != "" {
			return v
		}
	}
	return ""
}

// Metadata is what of a page's elements can carry metadata, read once.
type Metadata struct {
	src      *markup.Source
	scan     *markup.Page
	elements []metaElement
}

// A metaElement is a title, a meta with a name or property, or a link with a rel.
type metaElement struct {
	markup.Element
	name, property string   // of a meta
	rels           []string // of a link
}

// ReadMetadata reads the elements of a page that can carry metadata.
func ReadMetadata(src *markup.Source, scan *markup.Page) *Metadata {
	x := &Metadata{src: src, scan: scan}
	for _, el := range scan.Elements {
		if el.Inside != markup.InPage {
			continue
		}
		m := metaElement{Element: el}
		switch el.Tag {
		case markup.TagTitle:
		case markup.TagMeta:
			m.name, m.property = strings.TrimSpace(attrOf(src, el, "name")), strings.TrimSpace(attrOf(src, el, "property"))
		case markup.TagLink:
			m.rels = strings.Fields(attrOf(src, el, "rel"))
		default:
			continue
		}
		x.elements = append(x.elements, m)
	}
	return x
}

// Values returns the value of each element that carries a metadata key, given by
// its ID, and the elements, in order.
func (x *Metadata) Values(id string) (values []string, at []markup.Element) {
	src, scan := x.src, x.scan
	name, variant := gatefile.SplitID(id)
	if name == "lang" {
		if v := langOf(src, scan); v != "" {
			values = append(values, v)
		}
		return values, nil
	}
	once := slices.Contains(gatefile.MetadataKeys, name) || strings.HasPrefix(name, "meta.")
	for i := range x.elements {
		m := &x.elements[i]
		if !m.carries(name) {
			continue
		}
		if !once && gatefile.VariantOf(func(a string) string { return attrOf(src, m.Element, a) }) != variant {
			continue
		}
		values = append(values, elementValue(src, m.Element, name))
		at = append(at, m.Element)
	}
	return values, at
}

// carries reports whether an element is one of a metadata key.
func (m *metaElement) carries(name string) bool {
	switch m.Tag {
	case markup.TagTitle:
		return name == "title"
	case markup.TagLink:
		rel, other := strings.CutPrefix(name, "link.")
		if !other && name != "canonical" && name != "icon" {
			return false
		}
		has, sheet := false, false
		for _, r := range m.rels {
			has = has || strings.EqualFold(r, rel)
			sheet = sheet || strings.EqualFold(r, "stylesheet")
		}
		return has && !(other && sheet)
	case markup.TagMeta:
		if property, ok := strings.CutPrefix(name, "property."); ok {
			// Some pages write a property as a name.
			return strings.EqualFold(m.property, property) || strings.EqualFold(m.name, property)
		}
		return m.name != "" && strings.EqualFold(m.name, strings.TrimPrefix(name, "meta.")) && name != "title" && name != "canonical" && name != "icon"
	}
	return false
}

func attrOf(src *markup.Source, el markup.Element, name string) string {
	v, _ := src.Attr(el.Start, name)
	return v
}

// elementValue is what an element of a key says.
func elementValue(src *markup.Source, el markup.Element, name string) string {
	if name == "title" {
		return markup.CollapseSpace(markup.DecodeText([]byte(src.String(el.TagEnd, el.ContentEnd))))
	}
	return strings.TrimSpace(attrOf(src, el, valueAttr(name)))
}

// valueAttr is the attribute that holds the value of a key.
func valueAttr(name string) string {
	if name == "canonical" || name == "icon" || strings.HasPrefix(name, "link.") {
		return "href"
	}
	return "content"
}

func langOf(src *markup.Source, scan *markup.Page) string {
	if scan.HTMLTag.None() {
		return ""
	}
	v, _ := src.Attr(scan.HTMLTag.Start, "lang")
	return strings.TrimSpace(v)
}

// Metadata returns all values of a key on the page, strongest first.
func (v *View) Metadata(id string) []verdict.Candidate {
	if s, ok := v.stacks[id]; ok {
		return s
	}
	own, _ := v.Own(id)
	s := v.gate.Plan.Stack(&v.Page, id, own, v.Lookup)
	if v.stacks == nil {
		v.stacks = map[string][]verdict.Candidate{}
	}
	v.stacks[id] = s
	return s
}

// Keys lists the IDs of the metadata keys that the gate decides on the page, in
// the order in which they are written: those of the gate file, and the page's own
// elements that a none of the gate file takes out.
func (v *View) Keys() []string {
	keys := v.gate.keys
	for _, id := range v.gate.keys {
		name, variant := gatefile.SplitID(id)
		if variant != "" || slices.Contains(gatefile.MetadataKeys, name) || strings.HasPrefix(name, "meta.") {
			continue
		}
		for i := range v.metadata().elements {
			if m := &v.meta.elements[i]; m.carries(name) {
				own := name + gatefile.VariantOf(func(a string) string { return attrOf(v.Source, m.Element, a) })
				if !slices.Contains(keys, own) {
					keys = append(slices.Clone(keys), own)
				}
			}
		}
	}
	return keys
}

// metadata sets the keys that the gate decides.
func (e *editing) metadata() {
	for _, id := range e.Keys() {
		stack := e.Metadata(id)
		w := verdict.Winner(stack)
		if w == nil {
			continue
		}
		if w.Level == verdict.FromSource {
			// Its own value stays; where that fell into the body, and the gate speaks
			// of the key here, it comes back to the head.
			if len(stack) > 1 {
				e.bringBack(id)
			}
			continue
		}
		e.setKey(id, w)
	}
}

// bringBack writes a key in the head whose elements all fell into the body.
func (e *editing) bringBack(id string) {
	values, at := e.ownValues(id)
	fell := len(at) > 0
	for _, el := range at {
		fell = fell && el.Area == markup.Body && !e.isRemoved(el.Start)
	}
	if !fell {
		return
	}
	name, _ := gatefile.SplitID(id)
	for i, el := range at {
		e.remove(el.Start, el.End, -1)
		if values[i] != "" && (i == 0 || !slices.Contains(gatefile.MetadataKeys, name)) {
			e.newElement(name, string(e.Source.Text[el.Start:el.End]))
		}
	}
}

// setKey writes one key: the values of its elements where they are there, in
// order; further elements are removed, and missing ones come into the head.
func (e *editing) setKey(id string, w *verdict.Candidate) {
	name, _ := gatefile.SplitID(id)
	if name == "lang" {
		if w.None {
			e.html.Remove = append(e.html.Remove, "lang")
		} else {
			e.html.Set = append(e.html.Set, markup.NewAttr{Name: "lang", Value: w.Value})
		}
		return
	}
	if !w.None && !e.mayLoad(name, w) {
		return
	}
	_, at := e.Own(id)
	next := 0
	for _, el := range at {
		if e.isRemoved(el.Start) {
			continue
		}
		if !w.None && next < len(w.Values) && el.Area == markup.Head {
			e.setValue(name, el, w, next)
			next++
			continue
		}
		e.remove(el.Start, el.End, -1)
	}
	if w.None {
		return
	}
	for ; next < len(w.Values); next++ {
		e.newElement(name, e.fit(keyElement(name, w, next)))
	}
}

// followed are the link types whose URLs nothing loads (HTML, 4.6.7).
var followed = []string{"alternate", "author", "canonical", "help", "license", "me", "next", "prev", "search", "shortlink", "bookmark", "amphtml", "edituri", "describedby"}

// mayLoad looks at the values of a key that makes the browser load something: they come
// from placeholders only as far as values may lead there.
func (e *editing) mayLoad(name string, w *verdict.Candidate) bool {
	rel := strings.TrimPrefix(name, "link.")
	if valueAttr(name) != "href" || w.Key == nil || slices.Contains(followed, strings.ToLower(rel)) {
		return true
	}
	for n := range w.Values {
		if n >= len(w.Key.Values) || w.Key.Values[n].Value == nil || w.Key.Values[n].Value.Plain() {
			continue
		}
		text, why := compose.FillURL(w.Key.Values[n].Value, e.View.Lookup, e.gate.mayLead)
		if why != "" {
			e.problem(problem.Problem{Severity: problem.Error, Pos: w.Key.Values[n].Pos, Message: fmt.Sprintf("%s is %q, %s", name, text, why), Remedy: "list the host under site.trust, or write the URL out"})
			return false
		}
		w.Values[n] = text
	}
	return true
}

// newElement writes an element of a key at its place in the head.
func (e *editing) newElement(name, text string) {
	if name == "title" {
		e.keys = nil // the rest goes after it
	} else if e.keys == nil {
		s := e.keySpot(name)
		e.keys = &s
	}
	spot := e.keys
	if spot == nil {
		s := e.keySpot(name)
		spot = &s
	}
	e.add(inMetadata, markup.Edit{Start: spot.Offset, End: spot.Offset, New: spot.Before + text})
}

// keySpot is where a new element of the key goes: the title first, the rest
// after the title.
func (e *editing) keySpot(name string) markup.Spot {
	if name != "title" {
		for _, el := range e.Scan.Elements {
			if el.Tag == markup.TagTitle && el.Inside == markup.InPage && el.Area == markup.Head && !e.isRemoved(el.Start) {
				return e.Scan.AfterSpot(el.End)
			}
		}
	}
	return e.Scan.HeadStartSpot()
}

// keyElement writes the element of a key's value number n.
func keyElement(name string, w *verdict.Candidate, n int) string {
	v := html.EscapeString(w.Values[n])
	attrs := ""
	if w.Key != nil {
		for _, a := range w.Key.Values[n].Attrs {
			attrs += " " + a.Name + `="` + html.EscapeString(a.Text) + `"`
		}
	}
	switch {
	case name == "title":
		return "<title>" + escapeText(w.Values[n]) + "</title>"
	case valueAttr(name) == "href":
		return `<link rel="` + html.EscapeString(strings.TrimPrefix(name, "link.")) + `" href="` + v + `"` + attrs + ">"
	case strings.HasPrefix(name, "property."):
		return `<meta property="` + html.EscapeString(name[len("property."):]) + `" content="` + v + `"` + attrs + ">"
	}
	return `<meta name="` + html.EscapeString(strings.TrimPrefix(name, "meta.")) + `" content="` + v + `"` + attrs + ">"
}

// setValue changes the value of an element and nothing else of it.
func (e *editing) setValue(name string, el markup.Element, w *verdict.Candidate, n int) {
	value := w.Values[n]
	if name == "title" {
		if markup.CollapseSpace(markup.DecodeText([]byte(e.Source.String(el.TagEnd, el.ContentEnd)))) != value {
			e.add(inMetadata, markup.Edit{Start: el.TagEnd, End: el.ContentEnd, New: e.fit(escapeText(value))})
		}
		return
	}
	c := markup.TagChange{Set: []markup.NewAttr{{Name: valueAttr(name), Value: value}}}
	if w.Key != nil {
		for _, a := range w.Key.Values[n].Attrs {
			c.Set = append(c.Set, markup.NewAttr{Name: a.Name, Value: a.Text})
		}
	}
	e.add(inMetadata, c.Edits(e.Source, el.Start, el.TagEnd)...)
}

// escapeText escapes what text of a title cannot hold as it is.
func escapeText(v string) string { return textEscaper.Replace(v) }

var textEscaper = strings.NewReplacer("&", "&amp;", "<", "&lt;", ">", "&gt;")
