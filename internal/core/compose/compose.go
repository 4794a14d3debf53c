// Package compose turns the parts of items into markup: the tags of scripts and
// stylesheets, code with its placeholders filled in, every value escaped for
// where it lands.
//
// An item is prepared once, which finds what is wrong with its code, and then
// rendered for each page.
package compose

import (
	"fmt"
	"html"
	"strings"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/placeholder"
)

// An Item is an item made ready to be written.
type Item struct {
	*gatefile.Item
	parts []part
}

// A part's text is a URL where it is no code: its placeholders need no context.
type part struct {
	*gatefile.Part
	place    gatefile.Place
	load     string
	contexts []context // of the template's placeholders, in order
}

// A Piece is what one item writes at one place of a page.
type Piece struct {
	Place gatefile.Place
	Lines []string // one for each part
}

// A ValueError says that a value cannot stand where a placeholder puts it, or
// that there is none.
type ValueError struct {
	Pos     gatefile.Position
	Message string
	Missing bool
}

func (e *ValueError) Error() string { return e.Message }

// Prepare makes an item ready. Problems are placeholders where no value can be
// made safe, code that does not fit its place, and code that is left open.
func Prepare(it *gatefile.Item, basePath string) (*Item, []gatefile.Problem) {
	out := &Item{Item: it}
	var problems []gatefile.Problem
	fail := func(p *gatefile.Part, offset int, remedy, format string, args ...any) {
		problems = append(problems, gatefile.Problem{Severity: gatefile.Error, Pos: p.PositionAt(offset),
			Message: fmt.Sprintf(format, args...), Remedy: remedy, Line: p.LineAt(offset)})
	}
	for _, p := range it.Parts {
		own := *p
		p := &own
		ready := part{Part: p, place: it.PlaceOf(p), load: it.LoadOf(p)}
		switch p.Kind {
		case gatefile.Code:
			checkCode(it, p, ready.place, fail)
			var bad *ContextError
			if ready.contexts, bad = contextsOf(p.Template); bad != nil {
				fail(p, bad.Offset, "put it where a value can stand, or write the text out", "a placeholder cannot stand %s", bad.Where)
			}
		default:
			p.Template = withBase(p.Template, basePath)
		}
		out.parts = append(out.parts, ready)
	}
	if len(it.Attrs) > 0 && !hasTags(it) {
		problems = append(problems, gatefile.Problem{Severity: gatefile.Error, Pos: it.Attrs[0].Pos,
			Message: fmt.Sprintf("attrs of item %q have no tag to stand on", it.Name),
			Remedy:  "attrs are for script and stylesheet; write attributes of code into the code"})
	}
	for _, a := range it.Attrs {
		if !a.Value.Plain() && (strings.HasPrefix(a.Name, "on") || a.Name == "style" || a.Name == "srcdoc") {
			problems = append(problems, gatefile.Problem{Severity: gatefile.Error, Pos: a.Pos,
				Message: fmt.Sprintf("a placeholder cannot stand in %s", a.Name), Remedy: "write the text out"})
		}
	}
	return out, problems
}

// withBase is a URL's template with the path of the site's address before a
// site path.
func withBase(t *placeholder.Template, basePath string) *placeholder.Template {
	if basePath == "" || len(t.Pieces) == 0 || !strings.HasPrefix(t.Pieces[0].Text, "/") || strings.HasPrefix(t.Pieces[0].Text, "//") {
		return t
	}
	pieces := append([]placeholder.Piece{{Text: basePath + t.Pieces[0].Text}}, t.Pieces[1:]...)
	return &placeholder.Template{Pieces: pieces}
}

func hasTags(it *gatefile.Item) bool {
	for _, p := range it.Parts {
		if p.Kind != gatefile.Code {
			return true
		}
	}
	return false
}

// checkCode refuses code that would do harm where it is put.
func checkCode(it *gatefile.Item, p *gatefile.Part, place gatefile.Place, fail func(*gatefile.Part, int, string, string, ...any)) {
	c := gatefile.ContentsOf(p.Text)
	switch {
	case strings.TrimSpace(p.Text) == "":
		fail(p, 0, "", "the code of item %q is empty", it.Name)
		return
	case c.Cut >= 0:
		fail(p, c.Cut, "close it", "the code of item %q leaves something open that begins here; it would swallow the rest of the page", it.Name)
		return
	case strings.Contains(p.Text, "<!--yg:") || strings.Contains(p.Text, "<!--/yg:"):
		fail(p, strings.Index(p.Text, "yg:"), "take the mark out", "the code of item %q holds a mark, which only the tool writes", it.Name)
		return
	}
	switch place.Name {
	case gatefile.HeadStart, gatefile.HeadEnd:
		if c.EndsHead >= 0 {
			fail(p, c.EndsHead, "use place: body-end, or body-start", "the head cannot hold this: it would end the head of every page here (item %q, place %s)", it.Name, place.Name)
		}
	case gatefile.BodyStart, gatefile.BodyEnd:
		if c.NotForBody >= 0 {
			fail(p, c.NotForBody, "use place: head-end", "this belongs into the head, and the place of item %q is %s", it.Name, place.Name)
		}
	}
}

// Places lists the places at which the item writes.
func (it *Item) Places() (out []gatefile.Place) {
	for _, p := range it.parts {
		if len(out) == 0 || out[len(out)-1] != p.place {
			out = append(out, p.place)
		}
	}
	return out
}

// Render writes the item for one page. lookup gives names their values, ""
// where there is none.
func (it *Item) Render(lookup func(name string) string) ([]Piece, *ValueError) {
	var out []Piece
	for i := range it.parts {
		p := &it.parts[i]
		text, err := p.render(it.Item, lookup)
		if err != nil {
			return nil, err
		}
		k := len(out) - 1
		if k < 0 || out[k].Place != p.place {
			out = append(out, Piece{Place: p.place})
			k++
		}
		out[k].Lines = append(out[k].Lines, text)
	}
	return out, nil
}

func (p *part) render(it *gatefile.Item, lookup func(string) string) (string, *ValueError) {
	text, err := fill(p.Template, p.contexts, p.Part, lookup)
	if err != nil || p.Kind == gatefile.Code {
		return strings.TrimRight(text, "\r\n"), err
	}
	attrs := ""
	for i := range it.Attrs {
		a := &it.Attrs[i]
		if a.Text == "" {
			attrs += " " + a.Name
			continue
		}
		v, missing := a.Value.Fill(lookup)
		if missing != nil {
			return "", missingValue(missing, a.Pos)
		}
		if why := badURL(a.Name, v); why != "" {
			return "", &ValueError{Pos: a.Pos, Message: why}
		}
		attrs += " " + a.Name + `="` + html.EscapeString(v) + `"`
	}
	if p.Kind == gatefile.Stylesheet {
		return `<link rel="stylesheet" href="` + text + `"` + attrs + ">", nil
	}
	switch p.load {
	case "defer", "async":
		attrs = " " + p.load + attrs
	case "module":
		attrs = ` type="module"` + attrs
	}
	return `<script src="` + text + `"` + attrs + "></script>", nil
}

func missingValue(m *placeholder.Placeholder, pos gatefile.Position) *ValueError {
	return &ValueError{Pos: pos, Missing: true, Message: m.Raw + " has no value"}
}

// Mark puts a piece between the marks of its item. before is the line end and
// indentation of the place.
func Mark(name string, lines []string, before string, marks bool) string {
	var b strings.Builder
	if marks {
		b.WriteString(markup.OpenMark(name))
	}
	for _, l := range lines {
		b.WriteString(before)
		b.WriteString(l)
	}
	if marks {
		b.WriteString(markup.CloseMark(name))
	}
	return b.String()
}
