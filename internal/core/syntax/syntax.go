// Package syntax tells whether JavaScript, CSS and JSON parse, and if not, where.
// It knows nothing of pages: a script's or a style's text in, a mistake out.
package syntax

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"regexp"
	"strings"

	"github.com/tdewolff/parse/v2"
	"github.com/tdewolff/parse/v2/css"
	"github.com/tdewolff/parse/v2/js"
)

// A Mistake is the first thing in a text that does not parse.
type Mistake struct {
	Offset  int // in bytes
	Message string
}

func (m *Mistake) Error() string { return m.Message }

// JavaScript parses a script or module (ECMAScript, as far as the parser knows
// it); nil where it is in order.
func JavaScript(src []byte) (mistake *Mistake) {
	defer guard(&mistake)
	_, err := js.Parse(parse.NewInputBytes(parsable(src)), js.Options{})
	var pe *parse.Error
	if errors.As(err, &pe) {
		for _, legal := range legalAnyway {
			if strings.Contains(pe.Message, legal) {
				return nil
			}
		}
		return &Mistake{offsetOf(src, pe.Line, pe.Column), "this JavaScript does not parse: " + pe.Message}
	}
	if err != nil && err != io.EOF {
		return &Mistake{0, "this JavaScript does not parse: " + err.Error()}
	}
	return nil
}

// legalAnyway are complaints of the parser about what browsers take in classic
// scripts (ECMAScript, Annex B).
var legalAnyway = []string{"legacy octal", "unexpected function in statement", "unexpected in in for statement"}

// importAttributes are what may follow the specifier of an import (ECMAScript,
// section 16.2.2), which the parser does not know.
var importAttributes = regexp.MustCompile(`\b(?:from|import)\s*(?:"[^"\n]*"|'[^'\n]*')(\s*with\s*\{[^{}]*\})`)

// parsable is a copy of a script with blanks for what the parser does not know.
func parsable(src []byte) []byte {
	out := bytes.Clone(src)
	if !bytes.Contains(out, []byte("with")) {
		return out
	}
	for _, m := range importAttributes.FindAllSubmatchIndex(src, -1) {
		for i := m[2]; i < m[3]; i++ {
			if out[i] != '\n' && out[i] != '\r' {
				out[i] = ' '
			}
		}
	}
	return out
}

// closers tells what closes what is opened.
var closers = map[css.TokenType]css.TokenType{
	css.LeftBraceToken:       css.RightBraceToken,
	css.LeftParenthesisToken: css.RightParenthesisToken,
	css.FunctionToken:        css.RightParenthesisToken,
	css.LeftBracketToken:     css.RightBracketToken,
}

var slash = []byte{'/'}

// CSS looks for what a stylesheet cannot hold: brackets that do not match,
// strings that are never closed, rules without a block (CSS Syntax, level 3).
// Browsers pass over a declaration that they do not know, and so does this.
func CSS(src []byte) (mistake *Mistake) {
	defer guard(&mistake)
	l := css.NewLexer(parse.NewInputBytes(bytes.Clone(src)))
	type open struct {
		closer css.TokenType
		at     int
		text   []byte
	}
	var stack []open
	at, last := 0, -1 // last is where a rule began that has no block yet
	for {
		tt, data := l.Next()
		if tt == css.ErrorToken {
			break
		}
		switch tt {
		case css.LeftBraceToken, css.LeftParenthesisToken, css.FunctionToken, css.LeftBracketToken:
			stack = append(stack, open{closers[tt], at, data})
			if tt == css.LeftBraceToken {
				last = -1
			}
		case css.RightBraceToken, css.RightParenthesisToken, css.RightBracketToken:
			if len(stack) == 0 || stack[len(stack)-1].closer != tt {
				return &Mistake{at, fmt.Sprintf("this CSS does not parse: %q closes nothing", data)}
			}
			stack = stack[:len(stack)-1]
		case css.BadStringToken, css.BadURLToken:
			return &Mistake{at, "this CSS does not parse: a string or URL is never closed"}
		case css.SemicolonToken:
			if len(stack) == 0 {
				last = -1
			}
		case css.WhitespaceToken, css.CommentToken, css.CDOToken, css.CDCToken:
		default:
			// A slash alone is of //-->, which hid a style from browsers long gone.
			if len(stack) == 0 && last < 0 && !bytes.Equal(data, slash) {
				last = at
			}
		}
		at += len(data)
	}
	switch {
	case len(stack) > 0:
		return &Mistake{stack[0].at, fmt.Sprintf("this CSS does not parse: %q is never closed", stack[0].text)}
	case last >= 0 && src[last] != '@':
		return &Mistake{last, "this CSS does not parse: a rule has no block"}
	}
	return nil
}

// JSON parses a JSON text (RFC 8259).
func JSON(src []byte) *Mistake {
	_, m := ReadJSON(src)
	return m
}

// ReadJSON reads a text of JSON (RFC 8259), or finds the first mistake in it.
func ReadJSON(src []byte) (v any, m *Mistake) {
	err := json.Unmarshal(src, &v)
	var se *json.SyntaxError
	switch {
	case err == nil:
		return v, nil
	case errors.As(err, &se):
		return nil, &Mistake{max(int(se.Offset)-1, 0), "this JSON does not parse: " + err.Error()}
	}
	return nil, &Mistake{0, "this JSON does not parse: " + err.Error()}
}

// guard turns a panic of a parser into no answer: what it cannot read is not
// called wrong.
func guard(m **Mistake) {
	if recover() != nil {
		*m = nil
	}
}

// offsetOf is the offset of a line and column (in bytes or characters, from 1).
func offsetOf(src []byte, line, column int) int {
	at := 0
	for n := 1; n < line; n++ {
		i := bytes.IndexByte(src[at:], '\n')
		if i < 0 {
			break
		}
		at += i + 1
	}
	return min(at+max(column-1, 0), len(src))
}

// LooksLike says which language a text without markup seems to be: "JavaScript",
// "CSS", or "" for words.
func LooksLike(text string) string {
	t := strings.TrimSpace(text)
	if i := strings.IndexByte(t, '{'); i > 0 && strings.Contains(t[i:], ":") && strings.Contains(t[i:], "}") &&
		!strings.ContainsAny(t[:i], "=()") &&
		CSS([]byte(t)) == nil {
		return "CSS"
	}
	for _, word := range []string{"function", "=>", "document.", "window.", "var ", "let ", "const ", "();", "');",
		"\");"} {
		if strings.Contains(t, word) && strings.ContainsAny(t, "(=") && JavaScript([]byte(t)) == nil {
			return "JavaScript"
		}
	}
	return ""
}
