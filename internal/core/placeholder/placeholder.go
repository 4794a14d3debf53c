// Package placeholder reads and fills the @{…} in texts that an item writes and
// in metadata. It knows names and values, not where a text lands: escaping is
// the composer's.
package placeholder

import (
	"slices"
	"strings"
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

// A Placeholder is one @{a or b | filter}, or a file to be included: @{file:NAME param=value}.
type Placeholder struct {
	Offset  int // of the "@" in the text
	Raw     string
	Options []Option // the first that is there and not empty counts
	Filters []Filter
	File    string   // the file to be included; then there are no Options
	Given   []Option // the values that the file's parameters have: Name and Words
}

// An Option is a name such as page.title, or words in quotes.
type Option struct {
	Name  string
	Words string // where Name is ""
	Call  *Call  // of a name that asks the page's content, else nil
}

// A Call asks what stands in a page, or in a row of it.
type Call struct {
	Row      bool   // row.text(…), row.attr(…): the row's, not the page's
	What     string // text, attr, all
	Selector string // "" for the row itself
	Attr     string // of attr
	Offset   int    // of the selector in the text
}

// Names are the fixed names; page.meta.NAME, fact.NAME and words.NAME come with any NAME.
var Names = []string{
	"site.name", "site.url", "page.title", "page.heading", "page.description", "page.path", "page.url",
	"page.lang",
}

// Language is what filters look up for the language of the page.
const Language = "the page's language"

// calls are the names that take a selector, with how they are written.
var calls = map[string]string{
	"page.text": "page.text(SELECTOR)", "page.attr": "page.attr(SELECTOR, NAME)", "page.all": "page.all(SELECTOR)",
	"row.text": "row.text(SELECTOR)", "row.attr": "row.attr(SELECTOR, NAME)",
}

// A Scope is what placeholders of a text may name.
type Scope struct {
	Params []string // parameters of the item
	Rows   bool     // row.text and row.attr
	// Code: only names that exist are placeholders, any other @{ stays as it stands; and files can be included.
	Code bool
}

// knows reports whether a name can have a value: a fixed one, one with a part of its own, or a parameter.
func (s *Scope) knows(name string) bool {
	if slices.Contains(Names, name) || slices.Contains(s.Params, name) {
		return true
	}
	for _, prefix := range []string{"page.meta.", "fact.", "words."} {
		if strings.HasPrefix(name, prefix) && len(name) > len(prefix) {
			return true
		}
	}
	return false
}

// names are those that a misspelt name may mean.
func (s *Scope) names() []string {
	names := append(slices.Clone(s.Params), Names...)
	for name := range calls {
		if s.Rows || !strings.HasPrefix(name, "row.") {
			names = append(names, name)
		}
	}
	slices.Sort(names)
	return names
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
		if why := p.filter(&v, lookup); why != "" {
			return v, &Failure{p, why}
		}
		if v.Text != "" { // or a filter left nothing of it
			return v, nil
		}
	}
	return Value{}, &Failure{Placeholder: p}
}

// List is Value for a list: what the first name comes to that has entries. list gives names their entries.
func (p *Placeholder) List(list func(name string) []string, lookup func(string) string) ([]Value, *Failure) {
	for _, o := range p.Options {
		var out []Value
		texts := []string{o.Words}
		if o.Name != "" {
			texts = list(o.Name)
		}
		for _, text := range texts {
			v := Value{Text: text, Name: o.Name}
			if why := p.filter(&v, lookup); why != "" {
				return nil, &Failure{p, why}
			}
			if v.Text != "" {
				out = append(out, v)
			}
		}
		if len(out) > 0 {
			return out, nil
		}
	}
	return nil, &Failure{Placeholder: p}
}

// filter puts a value through the filters; why says which cannot take it.
func (p *Placeholder) filter(v *Value, lookup func(string) string) (why string) {
	for i := range p.Filters {
		if err := p.Filters[i].apply(v, lookup); err != nil {
			return err.Error()
		}
	}
	return ""
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
