// Package placeholder reads and fills the @{…} in texts that an item writes and
// in metadata. It knows names and values, not where a text lands: escaping is
// the composer's.
package placeholder

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"yellowgate/internal/core/near"
)

// A Template is a text with placeholders: literal pieces and placeholders in turn.
type Template struct {
	Pieces []Piece
}

// A Piece is literal text or, where Placeholder is set, a placeholder.
type Piece struct {
	Text        string
	Placeholder *Placeholder
}

// A Placeholder is one @{a or b | filter}.
type Placeholder struct {
	Offset  int // of the "@" in the text
	Raw     string
	Options []Option // the first that is there and not empty counts
	Filters []Filter
}

// An Option is a name such as page.title, or words in quotes.
type Option struct {
	Name  string
	Words string // where Name is ""
}

// A Filter changes a value: cut N, lower, upper.
type Filter struct {
	Name  string
	Count int
}

// An Error says what is wrong with a placeholder, and where.
type Error struct {
	Offset  int // in bytes of the text
	Message string
}

func (e *Error) Error() string { return e.Message }

// Names are the fixed names; page.meta.NAME and fact.NAME come with any NAME.
var Names = []string{"site.name", "site.url", "page.title", "page.heading", "page.description", "page.path", "page.url", "page.lang"}

// Known reports whether a name can have a value: a fixed one, or one with a
// part of its own.
func Known(name string) bool {
	return slices.Contains(Names, name) ||
		strings.HasPrefix(name, "page.meta.") && len(name) > len("page.meta.") ||
		strings.HasPrefix(name, "fact.") && len(name) > len("fact.")
}

// Parse reads a text of the gate file: everything between @{ and } has to be a
// placeholder. Its error is an *Error.
func Parse(text string) (*Template, error) { return parse(text, true) }

// ParseCode reads a text in which only names that exist are placeholders; any
// other @{ is left as it stands.
func ParseCode(text string) (*Template, error) { return parse(text, false) }

func parse(text string, strict bool) (*Template, error) {
	t := &Template{}
	var lit strings.Builder
	for i := 0; i < len(text); {
		n := strings.Index(text[i:], "@{")
		if n < 0 {
			lit.WriteString(text[i:])
			break
		}
		at := i + n
		if at > i && text[at-1] == '@' {
			lit.WriteString(text[i:at-1] + "@{")
			i = at + 2
			continue
		}
		lit.WriteString(text[i:at])
		p, end, err := parseOne(text, at)
		if err != nil {
			if strict || err.named {
				return nil, &err.Error
			}
			lit.WriteString("@{")
			i = at + 2
			continue
		}
		if lit.Len() > 0 {
			t.Pieces = append(t.Pieces, Piece{Text: lit.String()})
			lit.Reset()
		}
		t.Pieces = append(t.Pieces, Piece{Placeholder: p})
		i = end
	}
	if lit.Len() > 0 {
		t.Pieces = append(t.Pieces, Piece{Text: lit.String()})
	}
	return t, nil
}

// oneError is an Error, and whether the text names something that exists, so
// that a mistake after it is one in code as well.
type oneError struct {
	Error
	named bool
}

// parseOne reads the placeholder at the offset and returns its end.
func parseOne(text string, at int) (*Placeholder, int, *oneError) {
	p := &Placeholder{Offset: at}
	i := at + 2
	fail := func(off int, format string, args ...any) (*Placeholder, int, *oneError) {
		return nil, 0, &oneError{Error{off, fmt.Sprintf(format, args...)}, len(p.Options) > 0 && p.Options[0].Name != ""}
	}
	space := func() {
		for i < len(text) && (text[i] == ' ' || text[i] == '\t') {
			i++
		}
	}
	word := func() string {
		start := i
		for i < len(text) && strings.IndexByte(" \t\r\n|}\"'@{", text[i]) < 0 {
			i++
		}
		return text[start:i]
	}
	for {
		space()
		if i < len(text) && (text[i] == '"' || text[i] == '\'') {
			n := strings.IndexByte(text[i+1:], text[i])
			if n < 0 {
				return fail(i, "this quote is never closed")
			}
			p.Options = append(p.Options, Option{Words: text[i+1 : i+1+n]})
			i += n + 2
		} else {
			start := i
			name := word()
			if name == "" {
				return fail(at, "a name should stand in @{…}, such as @{page.title}")
			}
			if !Known(name) {
				return fail(start, "unknown name %q in a placeholder%s", name, near.Suggest(name, Names))
			}
			p.Options = append(p.Options, Option{Name: name})
		}
		space()
		start := i
		if w := word(); w == "or" {
			continue
		} else if w != "" {
			return fail(start, "unexpected %q in a placeholder (names are joined by or)", w)
		}
		break
	}
	for i < len(text) && text[i] == '|' {
		i++
		space()
		start := i
		f := Filter{Name: word()}
		switch f.Name {
		case "lower", "upper":
		case "cut":
			space()
			n, err := strconv.Atoi(word())
			if err != nil || n < 1 {
				return fail(start, "cut needs a number of characters: cut 155")
			}
			f.Count = n
		default:
			return fail(start, "unknown filter %q%s", f.Name, near.Suggest(f.Name, []string{"cut", "lower", "upper"}))
		}
		p.Filters = append(p.Filters, f)
		space()
	}
	if i >= len(text) || text[i] != '}' {
		return fail(at, "this placeholder is never closed by }")
	}
	p.Raw = text[at : i+1]
	return p, i + 1, nil
}

// Value fills in one placeholder. ok is false where none of its names has a
// value.
func (p *Placeholder) Value(lookup func(name string) string) (value string, ok bool) {
	for _, o := range p.Options {
		v := o.Words
		if o.Name != "" {
			v = lookup(o.Name)
		}
		if v == "" {
			continue
		}
		for _, f := range p.Filters {
			switch f.Name {
			case "lower":
				v = strings.ToLower(v)
			case "upper":
				v = strings.ToUpper(v)
			case "cut":
				v = Cut(v, f.Count)
			}
		}
		return v, true
	}
	return "", false
}

// Fill fills in the whole template as plain text. missing is the first
// placeholder without a value.
func (t *Template) Fill(lookup func(name string) string) (text string, missing *Placeholder) {
	if len(t.Pieces) == 1 && t.Pieces[0].Placeholder == nil {
		return t.Pieces[0].Text, nil
	}
	var b strings.Builder
	for _, p := range t.Pieces {
		if p.Placeholder == nil {
			b.WriteString(p.Text)
			continue
		}
		v, ok := p.Placeholder.Value(lookup)
		if !ok {
			return "", p.Placeholder
		}
		b.WriteString(v)
	}
	return b.String(), nil
}

// Plain reports whether the template has no placeholder.
func (t *Template) Plain() bool {
	for _, p := range t.Pieces {
		if p.Placeholder != nil {
			return false
		}
	}
	return true
}

// Cut shortens a text to at most n characters, at the end of a word, with an
// ellipsis for what is left out.
func Cut(s string, n int) string {
	if utf8.RuneCountInString(s) <= n {
		return s
	}
	all := []rune(s)
	cut, next := string(all[:max(n-1, 0)]), all[max(n-1, 0)]
	if i := strings.LastIndexAny(cut, " \t\n"); i > 0 && next != ' ' && next != '\t' && next != '\n' {
		cut = cut[:i]
	}
	return strings.TrimRight(cut, " \t\n,;:.-–—") + "…"
}
