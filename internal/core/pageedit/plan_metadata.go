package pageedit

import (
	"fmt"
	"html"
	"slices"
	"strings"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/snippet"
	"yellowgate/internal/core/verdict"
)

// Metadata: the keys that the gate decides.

// setMetadata sets the keys that the gate decides.
func (pl *planner) setMetadata() {
	for _, id := range pl.Keys() {
		stack := pl.Metadata(id)
		w := verdict.Winner(stack)
		if w == nil {
			continue
		}
		if w.Level == verdict.FromSource {
			// Its own value stays; where that fell into the body, and the gate speaks
			// of the key here, it comes back to the head.
			if len(stack) > 1 {
				pl.bringBack(id)
			}
			continue
		}
		pl.setKey(id, w)
	}
}

// bringBack writes a key in the head whose elements all fell into the body.
func (pl *planner) bringBack(id string) {
	values, at := pl.ownValues(id)
	fell := len(at) > 0 && !pl.Scan.HeadWhole()
	for _, el := range at {
		fell = fell && el.Area == markup.Body && !pl.isRemoved(el.Start)
	}
	if !fell {
		return
	}
	name, _ := gatefile.SplitID(id)
	for i, el := range at {
		pl.remove(el.Start, el.End, noItem)
		if values[i] != "" && (i == 0 || !slices.Contains(gatefile.MetadataKeys, name)) {
			pl.newElement(name, string(pl.Source.Text[el.Start:el.End]))
		}
	}
}

// setKey writes one key: the values of its elements where they are there, in
// order; further elements are removed, and missing ones come into the head.
func (pl *planner) setKey(id string, w *verdict.Candidate) {
	name, _ := gatefile.SplitID(id)
	if name == "lang" {
		if w.None {
			pl.html.Remove = append(pl.html.Remove, "lang")
		} else {
			pl.html.Set = append(pl.html.Set, markup.NewAttr{Name: "lang", Value: w.Value})
		}
		return
	}
	if !w.None && !pl.mayLoad(name, w) {
		return
	}
	_, at := pl.Own(id)
	next := 0
	for _, el := range at {
		if pl.isRemoved(el.Start) {
			continue
		}
		if !w.None && next < len(w.Values) && el.Area == markup.Head {
			pl.setValue(name, el, w, next)
			next++
			continue
		}
		pl.remove(el.Start, el.End, noItem)
	}
	if w.None {
		return
	}
	for ; next < len(w.Values); next++ {
		pl.newElement(name, pl.fit(keyElement(name, w, next)))
	}
}

// followed are the link types whose URLs nothing loads (HTML, 4.6.7).
var followed = []string{
	"alternate", "author", "canonical", "help", "license", "me", "next", "prev", "search", "shortlink",
	"bookmark", "amphtml", "edituri", "describedby",
}

// mayLoad looks at the values of a key that makes the browser load something: they come
// from placeholders only as far as values may lead there.
func (pl *planner) mayLoad(name string, w *verdict.Candidate) bool {
	rel := strings.TrimPrefix(name, "link.")
	if valueAttr(name) != "href" || w.Key == nil || slices.Contains(followed, strings.ToLower(rel)) {
		return true
	}
	for n := range w.Values {
		if n >= len(w.Key.Values) || w.Key.Values[n].Value == nil || w.Key.Values[n].Value.Plain() {
			continue
		}
		text, why := snippet.FillURL(w.Key.Values[n].Value, pl.View.Lookup, pl.gate.mayLead)
		if why != "" {
			pl.problem(
				problem.Problem{
					Severity: problem.Error,
					Pos:      w.Key.Values[n].Pos,
					Message:  fmt.Sprintf("%s is %q, %s", name, text, why),
					Remedy:   "list the host under site.trust, or write the URL out",
				},
			)
			return false
		}
		w.Values[n] = text
	}
	return true
}

// newElement writes an element of a key at its place in the head.
func (pl *planner) newElement(name, text string) {
	if name == "title" {
		pl.keys = nil // the rest goes after it
	} else if pl.keys == nil {
		s := pl.keySpot(name)
		pl.keys = &s
	}
	spot := pl.keys
	if spot == nil {
		s := pl.keySpot(name)
		spot = &s
	}
	pl.add(inMetadata, noItem, metadata, markup.Edit{Start: spot.Offset, End: spot.Offset, New: spot.Before + text})
}

// keySpot is where a new element of the key goes: the title first, the rest
// after the title.
func (pl *planner) keySpot(name string) markup.Spot {
	if name != "title" {
		for _, el := range pl.Scan.Elements {
			if el.Tag == markup.TagTitle && el.Inside == markup.InPage && el.Area == markup.Head &&
				!pl.isRemoved(el.Start) {
				return pl.Scan.AfterSpot(el.End)
			}
		}
	}
	return pl.Scan.HeadStartSpot()
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
func (pl *planner) setValue(name string, el markup.Element, w *verdict.Candidate, n int) {
	value := w.Values[n]
	if name == "title" {
		if markup.CollapseSpace(markup.DecodeText([]byte(pl.Source.String(el.TagEnd, el.ContentEnd)))) != value {
			pl.add(inMetadata, noItem, metadata,
				markup.Edit{Start: el.TagEnd, End: el.ContentEnd, New: pl.fit(escapeText(value))})
		}
		return
	}
	c := markup.TagChange{Set: []markup.NewAttr{{Name: valueAttr(name), Value: value}}}
	if w.Key != nil {
		for _, a := range w.Key.Values[n].Attrs {
			c.Set = append(c.Set, markup.NewAttr{Name: a.Name, Value: a.Text})
		}
	}
	pl.add(inMetadata, noItem, metadata, c.Edits(pl.Source, el.Start, el.TagEnd)...)
}

// escapeText escapes what text of a title cannot hold as it is.
func escapeText(v string) string { return textEscaper.Replace(v) }

var textEscaper = strings.NewReplacer("&", "&amp;", "<", "&lt;", ">", "&gt;")
