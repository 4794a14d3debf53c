package snippet

import (
	"fmt"
	"strings"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/placeholder"
	"yellowgate/internal/core/syntax"
)

// checkCode refuses code that would do harm where it is put.
func checkCode(it *gatefile.Item, p *gatefile.Part, place gatefile.Place, fail failFunc) {
	what := fmt.Sprintf("the %s of item %q", p.Kind, it.Name)
	switch {
	case strings.TrimSpace(p.Text) == "":
		if p.Pos.Line > 0 && (p.FromFile == "" || p.Text != "") {
			fail(p, 0, "", "%s is empty", what)
		}
		return
	case strings.Contains(p.Text, "<!--yg:") || strings.Contains(p.Text, "<!--/yg:"):
		fail(p, strings.Index(p.Text, "yg:"), "take the mark out", "%s holds a mark, which only the tool writes", what)
		return
	}
	switch p.Kind {
	case gatefile.ScriptText, gatefile.StyleText:
		checkText(p, what, fail)
	default:
		checkHTML(it, p, place, what, fail)
	}
}

// checkText looks at JavaScript or CSS that the tool puts into tags.
func checkText(p *gatefile.Part, what string, fail failFunc) {
	element, language := "script", "JavaScript"
	if p.Kind == gatefile.StyleText {
		element, language = "style", "CSS"
	}
	lower := strings.ToLower(p.Text)
	for _, tag := range []string{"<script", "<style", "</script", "</style"} {
		at := strings.Index(lower, tag)
		begins := strings.HasPrefix(strings.TrimSpace(lower), tag)
		if at >= 0 && (begins || tag == "</"+element) {
			fail(p, at, "take the tags out, or use code or code-file for HTML",
				"%s is %s without tags, and a tag stands here", what, language)
			return
		}
	}
	if at := strings.Index(lower, "<!--"); at >= 0 && element == "script" {
		fail(p, at, "take it out", "%s holds \"<!--\", after which a script element can end late", what)
		return
	}
	text, offset := fillIn(p.Template)
	m := syntax.CSS([]byte(text))
	if element == "script" {
		m = syntax.JavaScript([]byte(text))
	}
	if m != nil {
		fail(p, offset(m.Offset), "mend it; apply writes nothing until it parses", "%s: %s", what, m.Message)
	}
}

// checkHTML looks at code that is written as it is.
func checkHTML(it *gatefile.Item, p *gatefile.Part, place gatefile.Place, what string, fail failFunc) {
	c := p.Contents()
	if c.Cut >= 0 {
		fail(p, c.Cut, "close it", "%s leaves something open that begins here; it would swallow the rest of the page",
			what)
		return
	}
	if at, name, opened := markup.Unbalanced([]byte(p.Masked())); at >= 0 {
		if opened {
			fail(p, at, "close it with </"+name+">",
				"%s leaves <%s> open; what follows on the page would stand in it", what, name)
		} else {
			fail(p, at, "take it out", "%s closes a <%s> that it did not open", what, name)
		}
		return
	}
	if language := syntax.LooksLike(p.Text); language != "" && !strings.Contains(p.Text, "<") {
		key := map[string]string{"CSS": "style", "JavaScript": "script"}[language]
		fail(p, 0, fmt.Sprintf("use %s-text or %s-file, or put it into <%s> tags", key, key, key),
			"%s looks like bare %s in a place for HTML: visitors would read it", what, language)
		return
	}
	checkScripts(p, what, fail)
	if p.Kind == gatefile.Popup {
		if c.NotForBody >= 0 {
			fail(p, c.NotForBody, "make it an item of its own",
				"a popup cannot hold this; it belongs into the head (item %q)", it.Name)
		}
		return
	}
	switch place.Name {
	case gatefile.HeadStart, gatefile.HeadEnd:
		if c.EndsHead >= 0 {
			fail(p, c.EndsHead, "use place: body-end, or body-start",
				"the head cannot hold this: it would end the head of every page here (item %q, place %s)", it.Name,
				place.Name)
		}
	case gatefile.BodyStart, gatefile.BodyEnd:
		if c.NotForBody >= 0 {
			fail(p, c.NotForBody, "use place: head-end", "this belongs into the head, and the place of item %q is %s",
				it.Name, place.Name)
		}
	}
}

// checkScripts parses the scripts and styles within HTML.
func checkScripts(p *gatefile.Part, what string, fail failFunc) {
	text, offset := fillIn(p.Template)
	code := []byte(text)
	markup.Pieces(code, func(piece markup.Piece) bool {
		src := code[piece.Start:piece.End]
		var m *syntax.Mistake
		switch {
		case len(strings.TrimSpace(string(src))) == 0:
		case piece.Kind == markup.PieceStyle:
			m = syntax.CSS(src)
		case piece.Kind == markup.PieceScript && piece.ScriptType != markup.DataBlock:
			m = syntax.JavaScript(src)
		case piece.Kind == markup.PieceScript && piece.JSON:
			m = syntax.JSON(src)
		}
		if m != nil {
			fail(p, offset(piece.Start+m.Offset), "mend it; apply writes nothing until it parses", "%s: %s", what,
				m.Message)
		}
		return m == nil
	})
}

// fillIn writes a template with a number for each placeholder, so that it parses
// wherever a value may stand. offset turns an offset of that back into one of the
// template's text.
func fillIn(t *placeholder.Template) (text string, offset func(int) int) {
	var b strings.Builder
	type shift struct{ at, by int }
	var shifts []shift
	for _, p := range t.Pieces {
		if p.Placeholder == nil {
			b.WriteString(p.Text)
			continue
		}
		b.WriteString("1")
		shifts = append(shifts, shift{b.Len(), len(p.Placeholder.Raw) - 1})
	}
	return b.String(), func(at int) int {
		out := at
		for _, s := range shifts {
			if at >= s.at {
				out += s.by
			}
		}
		return out
	}
}
