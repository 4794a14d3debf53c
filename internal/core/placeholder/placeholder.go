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

	"yellowgate/internal/core/didyoumean"
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

// A Filter changes a value: cut N, lower, upper; before "…" and after "…" take a
// separator off with what follows or precedes it, without "…" takes a text out; s and ms
// turn a span of time into a bare number of that unit; path lets a value in a URL be several
// parts of its path.
type Filter struct {
	Name  string
	Count int    // of cut
	Text  string // of before, after, without
}

// An Error says what is wrong with a placeholder, and where.
type Error struct {
	Offset  int // in bytes of the text
	Message string
}

func (e *Error) Error() string { return e.Message }

// Names are the fixed names; page.meta.NAME and fact.NAME come with any NAME.
var Names = []string{
	"site.name", "site.url", "page.title", "page.heading", "page.description", "page.path", "page.url",
	"page.lang",
}

// Filters are the names of the filters.
var Filters = []string{"cut", "lower", "upper", "before", "after", "without", "s", "ms", "path"}

// Known reports whether a name can have a value: a fixed one, one with a part of
// its own, or a parameter of the item.
func Known(name string, params ...string) bool {
	return slices.Contains(Names, name) || slices.Contains(params, name) ||
		strings.HasPrefix(name, "page.meta.") && len(name) > len("page.meta.") ||
		strings.HasPrefix(name, "fact.") && len(name) > len("fact.")
}

// Parse reads a text of the gate file: everything between @{ and } has to be a
// placeholder. params are the names of the item's parameters. Its error is an
// *Error.
func Parse(text string, params ...string) (*Template, error) { return parse(text, true, params) }

// ParseCode reads a text in which only names that exist are placeholders; any
// other @{ is left as it stands.
func ParseCode(text string, params ...string) (*Template, error) { return parse(text, false, params) }

func parse(text string, strict bool, params []string) (*Template, error) {
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
		p, end, err := parseOne(text, at, params)
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
func parseOne(text string, at int, params []string) (*Placeholder, int, *oneError) {
	p := &Placeholder{Offset: at}
	i := at + 2
	fail := func(off int, format string, args ...any) (*Placeholder, int, *oneError) {
		return nil, 0, &oneError{
			Error{off, fmt.Sprintf(format, args...)},
			len(p.Options) > 0 && p.Options[0].Name != "",
		}
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
			if !Known(name, params...) {
				meant := didyoumean.Suggest(name, append(slices.Clone(params), Names...))
				_, _, err := fail(start, "unknown name %q in a placeholder%s", name, meant)
				err.named = err.named || meant != "" // a slip of the pen, in code as well
				return nil, 0, err
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
		case "lower", "upper", "s", "ms", "path":
		case "cut":
			space()
			n, err := strconv.Atoi(word())
			if err != nil || n < 1 {
				return fail(start, "cut needs a number of characters: cut 155")
			}
			f.Count = n
		case "before", "after", "without":
			space()
			n := -1
			if i < len(text) && (text[i] == '"' || text[i] == '\'') {
				n = strings.IndexByte(text[i+1:], text[i])
			}
			if n < 1 {
				return fail(start, "%s needs a text in quotes: %s \" | \"", f.Name, f.Name)
			}
			f.Text = text[i+1 : i+1+n]
			i += n + 2
		default:
			return fail(start, "unknown filter %q%s", f.Name, didyoumean.Suggest(f.Name, Filters))
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

// A Value is what a placeholder comes to.
type Value struct {
	Text   string
	Name   string // the name that had it, "" for words in quotes
	Number bool   // a filter made it a bare number
}

// A Failure says why a placeholder comes to nothing.
type Failure struct {
	*Placeholder
	Why string // what a filter says of the value; "" where there is no value at all
}

// Missing reports that no name of the placeholder has a value.
func (f *Failure) Missing() bool { return f.Why == "" }

func (f *Failure) Error() string {
	if f.Missing() {
		return f.Raw + " has no value"
	}
	return f.Raw + " cannot be filled in: " + f.Why
}

// Value fills in one placeholder; lookup gives names their values, "" where
// there is none.
func (p *Placeholder) Value(lookup func(name string) string) (Value, *Failure) {
	for _, o := range p.Options {
		v := Value{Text: o.Words, Name: o.Name}
		if o.Name != "" {
			v.Text = lookup(o.Name)
		}
		if v.Text == "" {
			continue
		}
		for _, f := range p.Filters {
			switch f.Name {
			case "lower":
				v.Text = strings.ToLower(v.Text)
			case "upper":
				v.Text = strings.ToUpper(v.Text)
			case "cut":
				v.Text = Cut(v.Text, f.Count)
			case "before":
				if i := strings.LastIndex(v.Text, f.Text); i >= 0 {
					v.Text = strings.TrimSpace(v.Text[:i])
				}
			case "after":
				if _, rest, ok := strings.Cut(v.Text, f.Text); ok {
					v.Text = strings.TrimSpace(rest)
				}
			case "without":
				v.Text = strings.TrimSpace(strings.ReplaceAll(v.Text, f.Text, ""))
			case "s", "ms":
				span, err := ParseSpan(v.Text)
				if err != nil {
					return v, &Failure{p, err.Error()}
				}
				if f.Name == "ms" {
					span *= 1000
				}
				v.Text, v.Number = strconv.FormatFloat(span, 'f', -1, 64), true
			}
		}
		if v.Text == "" { // a filter left nothing of it
			continue
		}
		return v, nil
	}
	return Value{}, &Failure{Placeholder: p}
}

// units of time, in seconds.
var units = map[string]float64{"ms": 0.001, "s": 1, "min": 60, "h": 3600, "d": 86400, "w": 7 * 86400}

// longest is the longest time that can be written, in seconds.
const longest = 100 * 366 * 86400

// ParseSpan reads a span of time such as 3.5s, 350ms, 10min, 2h, 7d or 1w, in
// seconds.
func ParseSpan(text string) (seconds float64, err error) {
	t := strings.TrimSpace(text)
	i := strings.IndexFunc(t, func(r rune) bool { return r != '.' && (r < '0' || r > '9') })
	if i > 0 {
		if unit, ok := units[t[i:]]; ok {
			if n, err := strconv.ParseFloat(t[:i], 64); err == nil {
				if n*unit > longest {
					return 0, fmt.Errorf("%q is longer than a hundred years", text)
				}
				// Whole milliseconds, so that 0.1s is 100ms and not nearly.
				return float64(int64(n*unit*1000+0.5)) / 1000, nil
			}
		}
	}
	return 0, fmt.Errorf("%q is no time: write a number and a unit, such as 250ms, 8s, 2min, 1h or 7d", text)
}

// Fill fills in the whole template as plain text. failed is the first placeholder
// that cannot be.
func (t *Template) Fill(lookup func(name string) string) (text string, failed *Failure) {
	if len(t.Pieces) == 1 && t.Pieces[0].Placeholder == nil {
		return t.Pieces[0].Text, nil
	}
	var b strings.Builder
	for _, p := range t.Pieces {
		if p.Placeholder == nil {
			b.WriteString(p.Text)
			continue
		}
		v, failed := p.Placeholder.Value(lookup)
		if failed != nil {
			return "", failed
		}
		b.WriteString(v.Text)
	}
	return b.String(), nil
}

// Alone returns the one placeholder of a template that is nothing else, or nil.
func (t *Template) Alone() *Placeholder {
	if len(t.Pieces) == 1 {
		return t.Pieces[0].Placeholder
	}
	return nil
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
	return strings.TrimRight(cut, " \t\n,;:.|-–—") + "…"
}
