package snippet

import (
	"encoding/json"
	"html"
	"strings"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/placeholder"
)

// Hole stands in an outline for a value that differs from page to page. It is a
// character that no text has.
const Hole = "\uE0F7"

// Outline is part i as it is written, with a Hole for each value. The parts of two
// pages have one outline, whatever their values are. A script's or stylesheet's
// outline is its tag; "" where a part writes nothing of its own.
func (it *Prepared) Outline(i int) string {
	p := &it.parts[i]
	switch p.Kind {
	case gatefile.Classes:
		return ""
	case gatefile.Structured:
		var b strings.Builder
		outlineTree(&b, p.Tree, !p.Tree.Asks)
		text := b.String()
		if p.Tree.Asks {
			text = `{"@context":"` + vocabulary + `","@type":"FAQPage","mainEntity":` + text + `}`
		}
		return `<script type="application/ld+json">` + text + "</script>"
	case gatefile.Popup:
		return `<dialog id="` + it.Name + `"` + label(it) + ` data-yg-open="` + Hole + `" data-yg-again="` + Hole +
			`">` + holed(p.Template) + "</dialog>"
	case gatefile.Script, gatefile.Stylesheet:
		if strings.HasPrefix(p.Text, gatefile.BuiltPrefix) {
			return "" // known by the URLs that the manifest gives
		}
		return p.tag(holed(p.Template), holedAttrs(it))
	case gatefile.ScriptText:
		kind := ""
		if it.Item.Load.Value == "module" {
			kind = ` type="module"`
		}
		return "<script" + kind + holedAttrs(it) + ">" + holed(p.Template) + "</script>"
	case gatefile.StyleText:
		return "<style" + holedAttrs(it) + ">" + holed(p.Template) + "</style>"
	}
	return holed(p.Template)
}

func label(it *Prepared) string {
	if it.Label.Value == nil {
		return ""
	}
	return ` aria-label="` + html.EscapeString(holed(it.Label.Value)) + `"`
}

func holedAttrs(it *Prepared) string {
	out := ""
	if it.Item.Media.Value != nil {
		out += ` media="` + html.EscapeString(holed(it.Item.Media.Value)) + `"`
	}
	for i := range it.Item.Attrs {
		if a := &it.Item.Attrs[i]; !a.Remove {
			out += " " + a.Name + `="` + html.EscapeString(holed(a.Value)) + `"`
		}
	}
	return out
}

// holed is a template's text with a Hole for each placeholder.
func holed(t *placeholder.Template) string {
	var b strings.Builder
	for _, p := range t.Pieces {
		if p.Placeholder != nil {
			b.WriteString(Hole)
		} else {
			b.WriteString(p.Text)
		}
	}
	return b.String()
}

func outlineTree(b *strings.Builder, t *gatefile.Tree, root bool) {
	quote := func(s string) {
		j, _ := json.Marshal(s) // a string never fails
		b.Write(j)
	}
	switch {
	case t.List != nil, t.From != nil, t.Pairs != nil, t.Text != nil && t.Text.Alone() != nil:
		b.WriteString(Hole)
	case t.IsMap:
		b.WriteByte('{')
		n := 0
		if root && !has(t.Keys, "@context") {
			b.WriteString(`"@context":"` + vocabulary + `"`)
			n++
		}
		for i, kid := range t.Kids {
			if n > 0 {
				b.WriteByte(',')
			}
			n++
			quote(t.Keys[i])
			b.WriteByte(':')
			outlineTree(b, kid, false)
		}
		b.WriteByte('}')
	case t.Asks:
		b.WriteByte('[')
		for i, kid := range t.Kids {
			if i > 0 {
				b.WriteByte(',')
			}
			pair := map[string]string{}
			for k, key := range kid.Keys {
				if kid.Kids[k].Text != nil {
					pair[key] = holed(kid.Kids[k].Text)
				}
			}
			b.WriteString(`{"@type":"Question","name":`)
			quote(pair["ask"])
			b.WriteString(`,"acceptedAnswer":{"@type":"Answer","text":`)
			quote(pair["answer"])
			b.WriteString(`}}`)
		}
		b.WriteByte(']')
	case t.IsList:
		b.WriteByte('[')
		for i, kid := range t.Kids {
			if i > 0 {
				b.WriteByte(',')
			}
			outlineTree(b, kid, false)
		}
		b.WriteByte(']')
	case t.Literal != "":
		b.WriteString(t.Literal)
	case t.Text != nil:
		quote(holed(t.Text))
	}
}
