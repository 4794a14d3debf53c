package gating

import (
	"html"
	"strings"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/verdict"
)

// Own returns the value that the source of the page has for a metadata key, and
// the elements that carry it. An empty element is no value.
func (v *View) Own(key string) (value string, at []markup.Element) {
	return MetadataOf(v.Source, v.Scan, key)
}

// MetadataOf returns the value that a page has for a metadata key, and the
// elements that carry it, in order. The first element with a value counts.
func MetadataOf(src *markup.Source, scan *markup.Page, key string) (value string, at []markup.Element) {
	for _, el := range scan.Elements {
		if el.Inside != markup.InPage {
			continue
		}
		v, ok := "", false
		switch {
		case key == "title":
			if ok = el.Tag == markup.TagTitle; ok {
				v = markup.CollapseSpace(markup.DecodeText([]byte(src.String(el.TagEnd, el.ContentEnd))))
			}
		case key == "canonical":
			if el.Tag == markup.TagLink && relHas(src.Text, el.Start, "canonical") {
				v, _ = markup.AttrValue(src.Text, el.Start, "href")
				ok = true
			}
		case el.Tag == markup.TagMeta:
			if name, has := markup.AttrValue(src.Text, el.Start, "name"); has && strings.EqualFold(strings.TrimSpace(name), key) {
				v, _ = markup.AttrValue(src.Text, el.Start, "content")
				ok = true
			}
		}
		if !ok {
			continue
		}
		if key != "title" {
			v = strings.TrimSpace(src.Decode(v))
		}
		if value == "" {
			value = v
		}
		at = append(at, el)
	}
	return value, at
}

func relHas(src []byte, at int, word string) bool {
	rel, _ := markup.AttrValue(src, at, "rel")
	for w := range strings.FieldsSeq(rel) {
		if strings.EqualFold(w, word) {
			return true
		}
	}
	return false
}

// Metadata returns all values of a key on the page, strongest first.
func (v *View) Metadata(key string) []verdict.Candidate {
	own, _ := v.Own(key)
	return v.gate.Plan.Stack(&v.Page, key, own, v.Lookup)
}

// metadata sets the keys that the gate decides.
func (e *editing) metadata() {
	for _, key := range gatefile.MetadataKeys {
		w := verdict.Winner(e.Metadata(key))
		if w == nil || w.Level == verdict.FromSource {
			continue
		}
		e.setKey(key, w)
	}
}

// setKey writes one key that may stand once on a page: its value where its
// element is there, further ones removed; else a new element in the head.
func (e *editing) setKey(key string, w *verdict.Candidate) {
	_, at := e.Own(key)
	kept := false
	for _, el := range at {
		if !w.None && !kept && el.Area == markup.Head && !e.isRemoved(el.Start) {
			kept = true
			e.setValue(key, el, w.Value)
			continue
		}
		if !e.isRemoved(el.Start) {
			span := e.Scan.LineOf(markup.Span{Start: el.Start, End: el.End})
			e.removed = append(e.removed, removal{span, -1})
			e.edits = append(e.edits, markup.Edit{Start: span.Start, End: span.End})
		}
	}
	if w.None || kept {
		return
	}
	spot := e.keySpot(key)
	text := e.fit(keyElement(key, w.Value))
	e.edits = append(e.edits, markup.Edit{Start: spot.Offset, End: spot.Offset, New: spot.Before + text})
}

func (e *editing) isRemoved(at int) bool {
	for _, r := range e.removed {
		if at >= r.Start && at < r.End {
			return true
		}
	}
	return false
}

// keySpot is where a new element of the key goes: the title first, the rest
// after the title.
func (e *editing) keySpot(key string) markup.Spot {
	if key != "title" {
		for _, el := range e.Scan.Elements {
			if el.Tag == markup.TagTitle && el.Inside == markup.InPage && el.Area == markup.Head && !e.isRemoved(el.Start) {
				return e.Scan.AfterSpot(el.End)
			}
		}
	}
	return e.Scan.HeadStartSpot()
}

func keyElement(key, value string) string {
	v := html.EscapeString(value)
	switch key {
	case "title":
		return "<title>" + v + "</title>"
	case "canonical":
		return `<link rel="canonical" href="` + v + `">`
	}
	return `<meta name="` + key + `" content="` + v + `">`
}

// setValue changes the value of an element and nothing else of it.
func (e *editing) setValue(key string, el markup.Element, value string) {
	if key == "title" {
		if markup.CollapseSpace(markup.DecodeText([]byte(e.Source.String(el.TagEnd, el.ContentEnd)))) != value {
			e.edits = append(e.edits, markup.Edit{Start: el.TagEnd, End: el.ContentEnd, New: e.fit(escapeText(value))})
		}
		return
	}
	attr := "content"
	if key == "canonical" {
		attr = "href"
	}
	a, ok := markup.FindAttr(e.Source.Text, el.Start, attr)
	if ok && e.Source.Decode(markup.DecodeAttr(e.Source.Text[a.Value.Start:a.Value.End])) == value {
		return
	}
	e.edits = append(e.edits, markup.SetAttr(e.Source.Text, el.Start, el.TagEnd, attr, value, !e.Source.UTF8()))
}

// escapeText escapes what text of a title cannot hold as it is.
func escapeText(v string) string {
	return strings.NewReplacer("&", "&amp;", "<", "&lt;", ">", "&gt;").Replace(v)
}
