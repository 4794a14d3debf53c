package pageedit

import (
	"slices"
	"strings"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/verdict"
)

// Own returns the value that the source of the page has for a metadata key, given
// by its ID, and the elements that carry it. An empty element is no value.
func (v *View) Own(id string) (value string, at []markup.Element) {
	values, at := v.ownValues(id)
	for i := range at {
		if values[i] != "" && v.Scan.Describes(&at[i]) {
			return values[i], at
		}
	}
	if len(at) == 0 { // the language, which no element of its own carries
		value = firstOf(values)
	}
	return value, at
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
	scan     *markup.Document
	elements []metaElement
}

// A metaElement is a title, a meta with a name or property, or a link with a rel.
type metaElement struct {
	markup.Element
	name, property string   // of a meta
	rels           []string // of a link
}

// ReadMetadata reads the elements of a page that can carry metadata.
func ReadMetadata(src *markup.Source, scan *markup.Document) *Metadata {
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
		return m.name != "" && strings.EqualFold(m.name, strings.TrimPrefix(name, "meta.")) && name != "title" &&
			name != "canonical" &&
			name != "icon"
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

func langOf(src *markup.Source, scan *markup.Document) string {
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
