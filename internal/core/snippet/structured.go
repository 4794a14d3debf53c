package snippet

import (
	"bytes"
	"encoding/json"
	"fmt"
	"strings"

	"yellowgate/internal/core/gatefile"
)

// vocabulary is the context of structured data.
const vocabulary = "https://schema.org"

// jsonLD writes structured data as a script element. ok is false where the item
// writes nothing: a list fact that the page lacks.
func (p *part) jsonLD(it *gatefile.Item, v *Values) (text string, ok bool, err *ValueError) {
	var b bytes.Buffer
	t := p.Tree
	w := treeWriter{b: &b, values: v, lookup: v.lookup(it), part: p.Part, of: v.Content}
	if t.Asks {
		b.WriteString(`{"@context":"` + vocabulary + `","@type":"FAQPage","mainEntity":`)
		ok, err = w.asks(t)
		b.WriteByte('}')
	} else {
		ok, err = w.tree(t, true)
	}
	if !ok || err != nil {
		return "", false, err
	}
	return `<script type="application/ld+json">` + b.String() + "</script>", true, nil
}

type treeWriter struct {
	b      *bytes.Buffer
	values *Values
	lookup func(string) string
	part   *gatefile.Part
	of     Content // the page, or the row that is written
}

// quote writes a text as JSON that cannot end the script element, nor open a
// comment in it: "<", ">" and "&" are escaped.
func (w *treeWriter) quote(s string) {
	j, _ := json.Marshal(s) // a string never fails
	w.b.Write(j)
}

func (w *treeWriter) tree(t *gatefile.Tree, root bool) (ok bool, err *ValueError) {
	switch {
	case t.From != nil:
		return w.rows(t)
	case t.IsMap:
		w.b.WriteByte('{')
		n := 0
		if root && !has(t.Keys, "@context") {
			w.b.WriteString(`"@context":"` + vocabulary + `"`)
			n++
		}
		for i, kid := range t.Kids {
			if n > 0 {
				w.b.WriteByte(',')
			}
			n++
			w.quote(t.Keys[i])
			w.b.WriteByte(':')
			if ok, err := w.tree(kid, false); !ok || err != nil {
				return ok, err
			}
		}
		w.b.WriteByte('}')
	case t.IsList:
		w.b.WriteByte('[')
		for i, kid := range t.Kids {
			if i > 0 {
				w.b.WriteByte(',')
			}
			if ok, err := w.tree(kid, false); !ok || err != nil {
				return ok, err
			}
		}
		w.b.WriteByte(']')
	case t.Literal != "":
		w.b.WriteString(t.Literal)
	default:
		if list, is, err := w.list(t); is {
			if list == nil || err != nil {
				return false, err
			}
			w.any(list)
			return true, nil
		}
		text, failed := t.Text.Fill(w.lookup)
		if failed != nil {
			return false, failedValue(failed, t.Pos)
		}
		// A number or a truth value of the gate file stays one.
		if p := t.Text.Alone(); p != nil {
			if v, _ := p.Value(w.lookup); v.Number || w.values.bare(v.Name) && gatefile.IsBare(text) {
				w.b.WriteString(text)
				return true, nil
			}
		}
		w.quote(text)
	}
	return true, nil
}

// rows writes what a tree has for each row of the page.
func (w *treeWriter) rows(t *gatefile.Tree) (ok bool, err *ValueError) {
	if w.of == nil {
		return false, nil
	}
	rows := w.of.Rows(t.From)
	if len(rows) == 0 {
		return false, nil
	}
	w.b.WriteByte('[')
	for i, row := range rows {
		if i > 0 {
			w.b.WriteByte(',')
		}
		in := *w
		in.of = row
		in.lookup = func(name string) string {
			if !strings.HasPrefix(name, "row.") {
				return w.lookup(name)
			}
			if said := row.Said(name); len(said) > 0 {
				return said[0]
			}
			return ""
		}
		if ok, err := in.tree(t.Kids[0], false); !ok || err != nil {
			if err != nil {
				err.Message = fmt.Sprintf("row %d of %s: %s", i+1, t.From, err.Message)
			}
			return ok, err
		}
	}
	w.b.WriteByte(']')
	return true, nil
}

// list finds the list that a text names; is tells whether it names one at all. It is nil where this page has none.
func (w *treeWriter) list(t *gatefile.Tree) (list any, is bool, err *ValueError) {
	if t.List == nil || w.values.Page == nil {
		return nil, false, nil
	}
	if name, isFact := strings.CutPrefix(t.List.Options[0].Name, "fact."); isFact && len(t.List.Options) == 1 {
		list, there := w.values.Page.Lists[name]
		return list, there || w.values.IsList != nil && w.values.IsList(name), nil
	}
	values, failed := t.List.List(func(name string) []string {
		fact, _ := strings.CutPrefix(name, "fact.")
		if strings.HasPrefix(name, "page.all(") && w.values.Content != nil {
			return w.values.Content.Said(name)
		} else if list, ok := w.values.Page.Lists[fact].([]any); ok {
			var texts []string
			for _, entry := range list {
				texts = append(texts, textOf(entry))
			}
			return texts
		}
		if text := w.lookup(name); text != "" {
			return []string{text}
		}
		return nil
	}, w.lookup)
	switch {
	case failed != nil && failed.Missing():
		return nil, true, nil
	case failed != nil:
		return nil, true, failedValue(failed, t.Pos)
	}
	entries := make([]any, len(values))
	for i, v := range values {
		entries[i] = v.Text
		if v.Number {
			entries[i] = json.Number(v.Text)
		}
	}
	return entries, true, nil
}

// any writes a value of a facts file.
func (w *treeWriter) any(v any) {
	j, err := json.Marshal(v)
	if err != nil {
		j = []byte("null")
	}
	w.b.Write(j)
}

// asks writes questions with their answers.
func (w *treeWriter) asks(t *gatefile.Tree) (bool, *ValueError) {
	var pairs [][2]string
	if t.Pairs != nil && w.of != nil {
		pairs = w.of.Pairs(t.Pairs)
	}
	if t.List != nil {
		list, _, err := w.list(t)
		if list == nil || err != nil {
			return false, err
		}
		rows, _ := list.([]any)
		for i, row := range rows {
			m, _ := row.(map[string]any)
			ask, answer := textOf(m["ask"]), textOf(m["answer"])
			if ask == "" || answer == "" {
				return false, &ValueError{
					Pos:     t.Pos,
					Message: fmt.Sprintf("%s: entry %d has no ask and answer", t.List.Raw, i+1),
				}
			}
			pairs = append(pairs, [2]string{ask, answer})
		}
	}
	for _, kid := range t.Kids {
		var pair [2]string
		for i, key := range kid.Keys {
			if kid.Kids[i].Text == nil {
				return false, &ValueError{Pos: kid.Kids[i].Pos, Message: key + " should be a text"}
			}
			text, failed := kid.Kids[i].Text.Fill(w.lookup)
			if failed != nil {
				return false, failedValue(failed, kid.Kids[i].Pos)
			}
			if key == "ask" {
				pair[0] = text
			} else {
				pair[1] = text
			}
		}
		pairs = append(pairs, pair)
	}
	if len(pairs) == 0 {
		return false, nil
	}
	w.b.WriteByte('[')
	for i, p := range pairs {
		if i > 0 {
			w.b.WriteByte(',')
		}
		w.b.WriteString(`{"@type":"Question","name":`)
		w.quote(p[0])
		w.b.WriteString(`,"acceptedAnswer":{"@type":"Answer","text":`)
		w.quote(p[1])
		w.b.WriteString(`}}`)
	}
	w.b.WriteByte(']')
	return true, nil
}

func textOf(v any) string {
	if v == nil {
		return ""
	}
	return strings.TrimSpace(fmt.Sprint(v))
}

func has(list []string, s string) bool {
	for _, x := range list {
		if x == s {
			return true
		}
	}
	return false
}
