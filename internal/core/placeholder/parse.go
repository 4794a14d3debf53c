package placeholder

import (
	"fmt"
	"slices"
	"strings"

	"yellowgate/internal/core/didyoumean"
)

// An Error says what is wrong with a placeholder, and where.
type Error struct {
	Offset  int // in bytes of the text
	Message string
}

func (e *Error) Error() string { return e.Message }

// oneError is an Error, and whether the text names something that exists, so
// that a mistake after it is one in code as well.
type oneError struct {
	Error
	named bool
}

// Parse reads a text: everything between @{ and } has to be a placeholder, but in code. Its error is an *Error.
func Parse(text string, scope Scope) (*Template, error) {
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
		p := parser{text: text, i: at + 2, scope: &scope, out: &Placeholder{Offset: at}}
		if err := p.parse(); err != nil {
			if !scope.Code || err.named {
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
		t.Pieces = append(t.Pieces, Piece{Placeholder: p.out})
		i = p.i
	}
	if lit.Len() > 0 {
		t.Pieces = append(t.Pieces, Piece{Text: lit.String()})
	}
	return t, nil
}

// parser reads one placeholder.
type parser struct {
	text  string
	i     int // what is read next
	scope *Scope
	out   *Placeholder
}

func (p *parser) fail(at int, format string, args ...any) *oneError {
	return &oneError{
		Error{at, fmt.Sprintf(format, args...)},
		len(p.out.Options) > 0 && p.out.Options[0].Name != "" || p.out.File != "",
	}
}

func (p *parser) space() {
	for p.i < len(p.text) && (p.text[p.i] == ' ' || p.text[p.i] == '\t') {
		p.i++
	}
}

func (p *parser) word() string { return p.until(" \t\r\n|}\"'@{") }

func (p *parser) until(ends string) string {
	start := p.i
	for p.i < len(p.text) && strings.IndexByte(ends, p.text[p.i]) < 0 {
		p.i++
	}
	return p.text[start:p.i]
}

// quoted reads a text in quotes; ok is false where none begins here, or it is never closed.
func (p *parser) quoted() (text string, ok bool) {
	if p.i >= len(p.text) || p.text[p.i] != '"' && p.text[p.i] != '\'' {
		return "", false
	}
	n := strings.IndexByte(p.text[p.i+1:], p.text[p.i])
	if n < 0 {
		return "", false
	}
	text = p.text[p.i+1 : p.i+1+n]
	p.i += n + 2
	return text, true
}

func (p *parser) parse() *oneError {
	if err := p.names(); err != nil {
		return err
	}
	for p.i < len(p.text) && p.text[p.i] == '|' {
		p.i++
		f, err := p.filter()
		if err != nil {
			return err
		}
		p.out.Filters = append(p.out.Filters, f)
		p.space()
	}
	if p.i >= len(p.text) || p.text[p.i] != '}' {
		return p.fail(p.out.Offset, "this placeholder is never closed by }")
	}
	p.i++
	p.out.Raw = p.text[p.out.Offset:p.i]
	if p.out.File != "" && len(p.out.Filters) > 0 {
		return p.fail(p.out.Offset, "filters are for values, and %s is a file", p.out.File)
	}
	return nil
}

// names reads names and words, joined by or, or a file with its parameters.
func (p *parser) names() *oneError {
	for {
		p.space()
		if p.i < len(p.text) && (p.text[p.i] == '"' || p.text[p.i] == '\'') {
			text, ok := p.quoted()
			if !ok {
				return p.fail(p.i, "this quote is never closed")
			}
			p.out.Options = append(p.out.Options, Option{Words: text})
		} else if strings.HasPrefix(p.text[p.i:], "file:") && len(p.out.Options) == 0 {
			return p.file()
		} else if err := p.name(); err != nil {
			return err
		}
		p.space()
		start := p.i
		if w := p.word(); w == "or" {
			continue
		} else if w != "" {
			return p.fail(start, "unexpected %q in a placeholder (names are joined by or)", w)
		}
		return nil
	}
}

// name reads a name, with its selector where it takes one.
func (p *parser) name() *oneError {
	start := p.i
	name := p.until(" \t\r\n|}\"'@{(")
	switch {
	case name == "":
		return p.fail(p.out.Offset, "a name should stand in @{…}, such as @{page.title}")
	case p.i < len(p.text) && p.text[p.i] == '(' && p.callable(name):
		return p.call(name)
	case p.callable(name):
		err := p.fail(start, "%s asks for a selector: %s", name, calls[name])
		err.named = true
		return err
	case !p.scope.knows(name):
		if calls[name] != "" {
			err := p.fail(start, "%s is for what stands under each, where rows are read", name)
			err.named = true
			return err
		}
		meant := didyoumean.Suggest(name, p.scope.names())
		err := p.fail(start, "unknown name %q in a placeholder%s", name, meant)
		err.named = err.named || meant != "" // a slip of the pen, in code as well
		return err
	}
	p.out.Options = append(p.out.Options, Option{Name: name})
	return nil
}

// callable reports whether a name takes a selector.
func (p *parser) callable(name string) bool {
	return calls[name] != "" && (p.scope.Rows || !strings.HasPrefix(name, "row."))
}

// call reads what follows a name that takes a selector.
func (p *parser) call(name string) *oneError {
	start := p.i + 1
	end := closing(p.text, start)
	fail := func(format string, args ...any) *oneError {
		err := p.fail(start, format, args...)
		err.named = true
		return err
	}
	if end < 0 {
		return fail("%s( is never closed by )", name)
	}
	of, what, _ := strings.Cut(name, ".")
	c := &Call{Row: of == "row", What: what, Selector: p.text[start:end], Offset: start}
	p.i = end + 1
	if what == "attr" {
		i := strings.LastIndexByte(c.Selector, ',')
		if i >= 0 {
			c.Attr, c.Selector = strings.ToLower(strings.Trim(c.Selector[i+1:], " \t\"'")), c.Selector[:i]
		} else if c.Row {
			c.Attr, c.Selector = strings.ToLower(strings.TrimSpace(c.Selector)), ""
		}
		if c.Attr == "" || strings.ContainsAny(c.Attr, " \t\"'<>=/()[]") {
			return fail("%s needs the name of an attribute: %s", name, calls[name])
		}
	}
	c.Offset += len(c.Selector) - len(strings.TrimLeft(c.Selector, " \t"))
	c.Selector = strings.TrimSpace(c.Selector)
	if c.Selector == "" && !c.Row {
		return fail("%s needs a selector: %s", name, calls[name])
	}
	canonical := name + "(" + c.Selector
	if what == "attr" {
		canonical += ", " + c.Attr
	}
	p.out.Options = append(p.out.Options, Option{Name: canonical + ")", Call: c})
	return nil
}

// closing is where the bracket closes that was opened before an offset; -1 for nowhere.
func closing(text string, from int) int {
	depth := 1
	for i := from; i < len(text); i++ {
		switch text[i] {
		case '\\':
			i++
		case '"', '\'':
			n := strings.IndexByte(text[i+1:], text[i])
			if n < 0 {
				return -1
			}
			i += n + 1
		case '(':
			depth++
		case ')':
			if depth--; depth == 0 {
				return i
			}
		}
	}
	return -1
}

// file reads a file to be included, with the values of its parameters.
func (p *parser) file() *oneError {
	start := p.i
	p.i += len("file:")
	name := strings.TrimSpace(p.until(" \t\r\n|}\"'"))
	p.out.File = name
	switch {
	case name == "":
		p.out.File = "?"
		return p.fail(start, "a file should be named: @{file:code/button.html}")
	case !p.scope.Code:
		return p.fail(start, "a file can be included in code only")
	}
	for {
		p.space()
		if p.i >= len(p.text) || p.text[p.i] == '}' || p.text[p.i] == '|' {
			return nil
		}
		start := p.i
		param := p.until(" \t\r\n|}\"'@{=")
		if param == "" || p.i >= len(p.text) || p.text[p.i] != '=' {
			return p.fail(start, "parameters of a file are written like label=Book or label=\"Book a seat\"")
		}
		p.i++
		value, ok := p.quoted()
		if !ok {
			if value = p.word(); value == "" {
				return p.fail(start, "the parameter %s has no value", param)
			}
		}
		if slices.ContainsFunc(p.out.Given, func(o Option) bool { return o.Name == param }) {
			return p.fail(start, "the parameter %s is given twice", param)
		}
		p.out.Given = append(p.out.Given, Option{Name: param, Words: value})
	}
}
