package compose

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
)

// A context is where a placeholder stands in code, and so what escaping its
// value needs.
type context struct {
	kind  contextKind
	quote byte // of an attribute or a string; 0 for none
	first bool // of a URL: the value is its beginning
	query bool // of a URL: the value is behind the "?"
	code  bool // the string or value is in a script rather than JSON
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
		code = append(code, fmt.Sprintf("%s%04d", stand, len(at))...)
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
			contexts[i], where[i] = inCSS(code, a, a+width, inStyle, 0)
		}
	}
	if kind == gatefile.ScriptText || kind == gatefile.StyleText {
		return contexts, worstOf(where, holders)
	}
	markup.Pieces(code, func(p markup.Piece) bool {
		for i, a := range at {
			if a < p.Start || a >= p.End {
				continue
			}
			contexts[i], where[i] = contextIn(code, p, a, a+width)
		}
		return true
	})
	return contexts, worstOf(where, holders)
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
	case markup.PieceStartTag:
		return inTag(code, p, a, b)
	case markup.PieceScript:
		switch p.ScriptType {
		case markup.DataBlock:
			if p.JSON {
				return inScript(code[p.Start:p.End], a-p.Start, b-p.Start, false)
			}
			return c, "in a data block that is not JSON"
		}
		return inScript(code[p.Start:p.End], a-p.Start, b-p.Start, true)
	case markup.PieceStyle:
		return inCSS(code[p.Start:p.End], a-p.Start, b-p.Start, inStyle, 0)
	case markup.PieceComment:
		return c, "in a comment"
	}
	return c, "in the text of an element that is not read as markup"
}

// urlAttrs are the attributes that take one URL.
var urlAttrs = map[string]bool{"href": true, "src": true, "action": true, "formaction": true, "poster": true,
	"data": true, "cite": true, "background": true, "ping": true, "manifest": true, "xlink:href": true}

func inTag(code []byte, p markup.Piece, a, b int) (c context, where string) {
	where = "in a tag's or an attribute's name"
	markup.Attrs(code, p.Start, func(at markup.Attr) bool {
		if at.Value.None() || a < at.Value.Start || b > at.Value.End {
			return true
		}
		name := strings.ToLower(string(code[at.Name.Start:at.Name.End]))
		where = ""
		switch {
		case strings.HasPrefix(name, "on"):
			where = "in an event handler"
		case name == "srcdoc" || name == "srcset" || name == "imagesrcset":
			where = "in " + name
		case name == "style":
			c, where = inCSS(code[at.Value.Start:at.Value.End], a-at.Value.Start, b-at.Value.Start, inStyleAt, at.Quote)
		case urlAttrs[name]:
			before := code[at.Value.Start:a]
			c = context{kind: inURL, quote: at.Quote, first: len(bytes.TrimSpace(before)) == 0, query: bytes.IndexByte(before, '?') >= 0}
			if !c.first && !bytes.ContainsAny(before, ":/?#") {
				where = "in the scheme of a URL"
			}
		default:
			c = context{kind: inAttr, quote: at.Quote}
		}
		return false
	})
	return c, where
}

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
				tt == js.SuperToken || js.IsNumeric(tt) || js.IsIdentifier(tt)
		}
		if a < start || a >= end {
			continue
		}
		switch {
		case tt == js.StringToken:
			return context{kind: inString, quote: data[0], code: isCode}, ""
		case tt == js.TemplateToken || tt == js.TemplateStartToken || tt == js.TemplateMiddleToken || tt == js.TemplateEndToken:
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

// inCSS finds what token of a style the stand-in is in.
func inCSS(style []byte, a, b int, kind contextKind, quote byte) (c context, where string) {
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
func fill(t *placeholder.Template, contexts []context, p *gatefile.Part, it *gatefile.Item, v *Values) (string, *ValueError) {
	var b strings.Builder
	n := 0
	lookup := v.lookup(it)
	for _, piece := range t.Pieces {
		if piece.Placeholder == nil {
			if p.Kind.Tagged() {
				b.WriteString(html.EscapeString(piece.Text))
			} else {
				b.WriteString(piece.Text)
			}
			continue
		}
		at := p.PositionAt(piece.Placeholder.Offset)
		value, failed := piece.Placeholder.Value(lookup)
		if failed != nil {
			return "", failedValue(failed, at)
		}
		c := context{kind: inURL, first: n == 0 && len(t.Pieces) > 0 && t.Pieces[0].Placeholder == piece.Placeholder}
		if !p.Kind.Tagged() {
			c = contexts[n]
		}
		n++
		if c.kind == asLiteral && (value.Number || v.bare(value.Name)) && gatefile.IsBare(value.Text) {
			b.WriteString(value.Text)
			continue
		}
		text, why := c.escape(value.Text)
		if why != "" {
			return "", &ValueError{Pos: at, Message: fmt.Sprintf("%s is %q, %s", piece.Placeholder.Raw, value.Text, why)}
		}
		b.WriteString(text)
	}
	return b.String(), nil
}

// escape makes a value safe for its context; why says why it cannot.
func (c context) escape(v string) (text, why string) {
	switch c.kind {
	case inURL:
		if c.first {
			if why := badURL("href", v); why != "" {
				return "", why
			}
		}
		v = escapeURL(v, c.query)
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

var unquoted = strings.NewReplacer(" ", "&#32;", "\t", "&#9;", "\n", "&#10;", "\f", "&#12;", "\r", "&#13;", "=", "&#61;", "`", "&#96;")

var cssValue = regexp.MustCompile(`^([-+]?(\d+(\.\d+)?|\.\d+)(%|[a-zA-Z]{1,5})?|#[0-9a-fA-F]{3,8}|[a-zA-Z][a-zA-Z-]{0,40})$`)

// badURL says why a value cannot be the beginning of a URL attribute.
func badURL(attr, v string) string {
	if !urlAttrs[attr] {
		return ""
	}
	clean := strings.ToLower(strings.Map(func(r rune) rune {
		if r <= ' ' {
			return -1
		}
		return r
	}, v))
	for _, scheme := range []string{"javascript:", "vbscript:", "data:"} {
		if strings.HasPrefix(clean, scheme) {
			return "and a URL here must not begin with " + scheme
		}
	}
	return ""
}

// escapeURL percent-encodes what a URL cannot hold and, behind "?", what would
// end a parameter (URL Standard, 1.3).
func escapeURL(v string, query bool) string {
	var b strings.Builder
	for i := 0; i < len(v); i++ {
		c := v[i]
		switch {
		case c <= ' ' || c >= 0x7F || strings.IndexByte("\"'<>`{}\\^|", c) >= 0,
			query && strings.IndexByte("&=#+?", c) >= 0:
			fmt.Fprintf(&b, "%%%02X", c)
		case c == '%' && !isEscape(v[i:]):
			b.WriteString("%25")
		default:
			b.WriteByte(c)
		}
	}
	return b.String()
}

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
		case r < ' ' || r == '<' || r == '>' || r == '&' || r == '"' || r == '\'' || r == '`' || r == '$' && quote == '`' ||
			r == 0x2028 || r == 0x2029 || r == 0xFEFF:
			fmt.Fprintf(&b, `\u%04X`, r)
		default:
			b.WriteRune(r)
		}
	}
	return b.String()
}
