package snippet

import (
	"bytes"
	"fmt"
	"html"
	"regexp"
	"strconv"
	"strings"

	"github.com/tdewolff/parse/v2"
	"github.com/tdewolff/parse/v2/css"
	"github.com/tdewolff/parse/v2/js"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/placeholder"
	"yellowgate/internal/core/problem"
)

// A context is where a placeholder stands in code, and so what escaping its
// value needs.
type context struct {
	kind  contextKind
	quote byte // of an attribute or a string; 0 for none
	code  bool // the string or value is in a script rather than JSON

	url  *urlValue // that it stands in
	part urlPart   // of the URL
	last bool      // it is the URL's last placeholder
}

type contextKind uint8

const (
	inText contextKind = iota
	inAttr
	inURL     // an attribute that takes a URL
	inStyle   // a style element
	inStyleAt // a style attribute
	inString  // within a string of JavaScript or JSON
	asLiteral // in the place of a JavaScript or JSON value
)

// A ContextError says that no value can be made safe where a placeholder stands.
type ContextError struct {
	Offset int // of the placeholder in the code
	Where  string
}

// stand is the word that takes a placeholder's place while its context is
// found: letters and digits only, so that it changes nothing around it.
const stand = "ygStandIn"

// contextsOf finds the context of each placeholder of a template, in a part of a
// kind.
func contextsOf(t *placeholder.Template, kind gatefile.Kind) ([]context, *ContextError) {
	var code []byte
	var at []int // of the stand-ins
	var holders []*placeholder.Placeholder
	for _, p := range t.Pieces {
		if p.Placeholder == nil {
			code = append(code, p.Text...)
			continue
		}
		at = append(at, len(code))
		holders = append(holders, p.Placeholder)
		code = append(code, standIn(len(at)-1)...)
	}
	if len(at) == 0 {
		return nil, nil
	}
	contexts := make([]context, len(at))
	where := make([]string, len(at))
	for i := range where {
		where[i] = "here"
	}
	width := len(stand) + 4
	for i, a := range at {
		switch kind {
		case gatefile.ScriptText:
			contexts[i], where[i] = inScript(code, a, a+width, true)
		case gatefile.StyleText:
			contexts[i], where[i] = inCSS(code, a, inStyle, 0)
		}
	}
	if kind == gatefile.ScriptText || kind == gatefile.StyleText {
		return contexts, worstOf(where, holders)
	}
	foreign, next := 0, 0
	markup.Pieces(code, func(p markup.Piece) bool {
		if p.Kind == markup.PieceStartTag || p.Kind == markup.PieceEndTag {
			if name := tagName(code[p.Start:p.End]); name == "svg" || name == "math" {
				foreign += map[markup.PieceKind]int{markup.PieceStartTag: 1, markup.PieceEndTag: -1}[p.Kind]
			}
		}
		for ; next < len(at) && at[next] < p.End; next++ {
			i, a := next, at[next]
			if a < p.Start {
				continue
			}
			switch {
			case foreign > 0 && (p.Kind == markup.PieceScript || p.Kind == markup.PieceStyle):
				where[i] = "in a script or style within svg or math, which is read otherwise than elsewhere"
			case p.Kind == markup.PieceStartTag:
				inTag(code, p, at, i, holders, contexts, where)
			default:
				contexts[i], where[i] = contextIn(code, p, a, a+width)
			}
		}
		return true
	})
	return contexts, worstOf(where, holders)
}

// tagName is the name of a tag, in lower case.
func tagName(tag []byte) string {
	name := strings.TrimLeft(string(tag[1:]), "/")
	if i := strings.IndexAny(name, " \t\n\f\r/>"); i >= 0 {
		name = name[:i]
	}
	return strings.ToLower(name)
}

// worstOf is the first place at which no value can stand, or nil.
func worstOf(where []string, holders []*placeholder.Placeholder) *ContextError {
	for i, w := range where {
		if w != "" {
			return &ContextError{holders[i].Offset, w}
		}
	}
	return nil
}

// contextIn finds the context of the stand-in [a, b) within a piece of markup;
// where is not empty if no value can stand there.
func contextIn(code []byte, p markup.Piece, a, b int) (c context, where string) {
	switch p.Kind {
	case markup.PieceText:
		return context{kind: inText}, ""
	case markup.PieceScript:
		switch p.ScriptType {
		case markup.DataBlock:
			if p.Rules {
				return c, "in an import map or speculation rules, which say what is loaded"
			}
			if p.JSON {
				return inScript(code[p.Start:p.End], a-p.Start, b-p.Start, false)
			}
			return c, "in a data block that is not JSON"
		}
		return inScript(code[p.Start:p.End], a-p.Start, b-p.Start, true)
	case markup.PieceStyle:
		return inCSS(code[p.Start:p.End], a-p.Start, inStyle, 0)
	case markup.PieceComment:
		return c, "in a comment"
	}
	return c, "in the text of an element that is not read as markup"
}

// inTag finds the context of the stand-in number i, which is in a start tag, and those of
// all that are in one URL with it.
func inTag(code []byte, p markup.Piece, at []int, i int, holders []*placeholder.Placeholder, contexts []context,
	where []string) {
	width := len(stand) + 4
	a, b := at[i], at[i]+width
	element := tagName(code[p.Start:p.End])
	has := func(name string) bool { _, ok := markup.AttrValue(code, p.Start, name); return ok }
	where[i] = "in a tag's or an attribute's name"
	markup.Attrs(code, p.Start, func(attr markup.Attr) bool {
		if attr.Value.None() || a < attr.Value.Start || b > attr.Value.End {
			return true
		}
		name := strings.ToLower(string(code[attr.Name.Start:attr.Name.End]))
		var kind attrKind
		kind, where[i] = kindOfAttr(element, name, has)
		// What the browser makes of the attribute's text before anything reads it.
		value := html.UnescapeString(string(code[attr.Value.Start:attr.Value.End]))
		switch kind {
		case attrText:
			contexts[i] = context{kind: inAttr, quote: attr.Quote}
		case attrStyle:
			at := strings.Index(value, standIn(i))
			contexts[i], where[i] = inCSS([]byte(value), at, inStyleAt, attr.Quote)
		case attrLoads, attrLinks:
			first, last := i, i
			for last+1 < len(at) && at[last+1] < attr.Value.End {
				last++
			}
			for first > 0 && at[first-1] >= attr.Value.Start {
				first--
			}
			var literals []string
			for n := first; n <= last; n++ {
				before, after, _ := strings.Cut(value, standIn(n))
				literals, value = append(literals, before), after
			}
			var u *urlValue
			u, where[i] = newURLValue(append(literals, value), holders[first:last+1], kind == attrLinks)
			contexts[i] = context{kind: inURL, quote: attr.Quote, url: u, part: u.parts[i-first], last: i == last}
			if i > first {
				contexts[i].url = contexts[first].url
			}
		}
		return false
	})
}

// standIn is what takes the place of the placeholder number i.
func standIn(i int) string { return fmt.Sprintf("%s%04d", stand, i+1) }

// inScript finds what token of a script the stand-in is in.
func inScript(script []byte, a, b int, isCode bool) (c context, where string) {
	l := js.NewLexer(parse.NewInputBytes(bytes.Clone(script)))
	at := 0
	value := false // whether what came before is a value, so that "/" divides
	for {
		tt, data := l.Next()
		if (tt == js.DivToken || tt == js.DivEqToken) && !value {
			tt, data = l.RegExp()
		}
		if tt == js.ErrorToken {
			return c, "in a script that does not parse"
		}
		start, end := at, at+len(data)
		at = end
		switch tt {
		case js.WhitespaceToken, js.LineTerminatorToken, js.CommentToken, js.CommentLineTerminatorToken:
		default:
			value = tt == js.StringToken || tt == js.TemplateToken || tt == js.TemplateEndToken || tt == js.RegExpToken ||
				tt == js.CloseParenToken || tt == js.CloseBracketToken || tt == js.CloseBraceToken ||
				tt == js.ThisToken || tt == js.NullToken || tt == js.TrueToken || tt == js.FalseToken ||
				tt == js.SuperToken || js.IsNumeric(tt) ||
				js.IsIdentifier(tt)
		}
		if a < start || a >= end {
			continue
		}
		if why := unfinished(script[:a]); why != "" {
			return c, why
		}
		switch {
		case tt == js.StringToken:
			return context{kind: inString, quote: data[0], code: isCode}, ""
		case tt == js.TemplateToken || tt == js.TemplateStartToken || tt == js.TemplateMiddleToken ||
			tt == js.TemplateEndToken:
			return context{kind: inString, quote: '`', code: isCode}, ""
		case tt == js.RegExpToken:
			return c, "in a regular expression"
		case tt == js.CommentToken || tt == js.CommentLineTerminatorToken:
			return c, "in a comment of a script"
		case start == a && end == b && js.IsIdentifier(tt):
			return context{kind: asLiteral, code: isCode}, ""
		}
		return c, "within a word of a script; put it in quotes or by itself"
	}
}

// half is the end of a text that what comes after it may complete: an escape of a string,
// or the beginning of a tag or comment that a browser looks for in scripts and styles.
var half = regexp.MustCompile(
	`(\\(x[0-9a-fA-F]?|u[0-9a-fA-F]{0,3}|u\{[0-9a-fA-F]*|[0-9a-fA-F]{0,5})|<[/!]?[-a-zA-Z]*|--|\$)$`)

// unfinished says why no value can stand right after a text of a script or style.
func unfinished(before []byte) string {
	tail := before[max(len(before)-80, 0):]
	m := half.Find(tail)
	switch {
	case m == nil:
		return ""
	case m[0] == '\\':
		n := len(tail) - len(m)
		for n > 0 && tail[n-1] == '\\' {
			n--
		}
		if (len(tail)-len(m)-n)%2 == 1 { // the backslash is itself escaped
			return ""
		}
		return "right after a backslash, or within an escape"
	case m[0] == '$':
		return `right after "$"`
	}
	return fmt.Sprintf("right after %q", m)
}

// inCSS finds what token of a style the stand-in is in.
func inCSS(style []byte, a int, kind contextKind, quote byte) (c context, where string) {
	l := css.NewLexer(parse.NewInputBytes(bytes.Clone(style)))
	at := 0
	for {
		tt, data := l.Next()
		if tt == css.ErrorToken {
			return c, "in a style that does not parse"
		}
		start, end := at, at+len(data)
		at = end
		if a < start || a >= end {
			continue
		}
		if why := unfinished(style[:a]); why != "" {
			return c, why
		}
		switch tt {
		case css.IdentToken, css.HashToken, css.DimensionToken:
			return context{kind: kind, quote: quote}, ""
		case css.CommentToken:
			return c, "in a comment of a style"
		case css.StringToken, css.URLToken:
			return c, "in a string or URL of a style"
		}
		return c, "in this position of a style"
	}
}

// fill renders a template, each value escaped for its context.
func fill(t *placeholder.Template, contexts []context, p *gatefile.Part, it *gatefile.Item,
	v *Values) (string, *ValueError) {
	var b strings.Builder
	n := 0
	lookup := v.lookup(it)
	var inURLs []string // the values of the URL that is being filled in
	for _, piece := range t.Pieces {
		if piece.Placeholder == nil {
			if p.Kind.Tagged() {
				b.WriteString(html.EscapeString(piece.Text))
			} else {
				b.WriteString(piece.Text)
			}
			continue
		}
		at := func() problem.Position { return p.PositionAt(piece.Placeholder.Offset) }
		value, failed := piece.Placeholder.Value(lookup)
		if failed != nil {
			return "", failedValue(failed, at())
		}
		c := contexts[n]
		n++
		if c.kind == asLiteral && (value.Number || v.bare(value.Name)) && gatefile.IsBare(value.Text) {
			b.WriteString(value.Text)
			continue
		}
		text, why := c.escape(value.Text)
		if c.kind == inURL {
			inURLs = append(inURLs, c.part.escape(value.Text))
			if c.last && why == "" {
				why = c.url.check(inURLs, v.Host)
				inURLs = nil
			}
		}
		if why != "" {
			return "", &ValueError{
				Pos:     at(),
				Message: fmt.Sprintf("%s is %q, %s", piece.Placeholder.Raw, value.Text, why),
			}
		}
		b.WriteString(text)
	}
	return b.String(), nil
}

// contextsOfURL are the contexts of a template that is one URL, which the browser loads.
func contextsOfURL(t *placeholder.Template) ([]context, *ContextError) {
	literals, holders := []string{""}, []*placeholder.Placeholder(nil)
	for _, p := range t.Pieces {
		if p.Placeholder == nil {
			literals[len(literals)-1] += p.Text
			continue
		}
		holders, literals = append(holders, p.Placeholder), append(literals, "")
	}
	if len(holders) == 0 {
		return nil, nil
	}
	u, where := newURLValue(literals, holders, false)
	if where != "" {
		return nil, &ContextError{holders[0].Offset, where}
	}
	contexts := make([]context, len(holders))
	for i := range contexts {
		contexts[i] = context{kind: inURL, quote: '"', url: u, part: u.parts[i], last: i == len(holders)-1}
	}
	return contexts, nil
}

// escape makes a value safe for its context; why says why it cannot.
func (c context) escape(v string) (text, why string) {
	switch c.kind {
	case inURL:
		v = c.part.escape(v)
		fallthrough
	case inText, inAttr:
		v = html.EscapeString(v)
		if c.quote == 0 && c.kind != inText {
			v = unquoted.Replace(v)
			if v == "" {
				return "", "which an attribute without quotes cannot hold"
			}
		}
		return v, ""
	case inString:
		return escapeString(v, c.quote, c.code), ""
	case asLiteral:
		return `"` + escapeString(v, '"', c.code) + `"`, ""
	case inStyle, inStyleAt:
		if !cssValue.MatchString(v) {
			return "", "and a style takes only a number, a length, a colour or a plain word here"
		}
		return v, ""
	}
	return "", "which cannot stand here"
}

var unquoted = strings.NewReplacer(" ", "&#32;", "\t", "&#9;", "\n", "&#10;", "\f", "&#12;", "\r", "&#13;",
	"=", "&#61;", "`", "&#96;")

var cssValue = regexp.MustCompile(
	`^([-+]?(\d+(\.\d+)?|\.\d+)(%|[a-zA-Z]{1,5})?|#[0-9a-fA-F]{3,8}|[a-zA-Z][a-zA-Z-]{0,40})$`)

func isEscape(s string) bool {
	if len(s) < 3 {
		return false
	}
	_, err := strconv.ParseUint(s[1:3], 16, 8)
	return err == nil
}

// escapeString makes a value safe within a string of JavaScript, or of JSON in
// a script element: it cannot end the string, nor the element, nor open a
// comment in it.
func escapeString(v string, quote byte, isCode bool) string {
	var b strings.Builder
	for _, r := range v {
		switch {
		case r == '\\':
			b.WriteString(`\\`)
		case r == '\n':
			b.WriteString(`\n`)
		case r == '\r':
			b.WriteString(`\r`)
		case r == '\t':
			b.WriteString(`\t`)
		case r == rune(quote) && !isCode:
			b.WriteString(`\"`)
		case r < ' ' || r == '<' || r == '>' || r == '&' || r == '"' || r == '\'' ||
			r == '`' || (r == '$' || r == '{') && quote == '`' ||
			r == 0x2028 || r == 0x2029 || r == 0xFEFF:
			fmt.Fprintf(&b, `\u%04X`, r)
		default:
			b.WriteRune(r)
		}
	}
	return b.String()
}
