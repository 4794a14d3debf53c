package usage

import (
	"bytes"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/tdewolff/parse/v2"
	"github.com/tdewolff/parse/v2/css"
	"github.com/zeebo/xxh3"

	"yellowgate/internal/core/markup"
)

// A Sheet is what a stylesheet asks for: its selectors (Selectors Level 4), of rules
// within @media and the like too, and what its rules say, to tell them apart.
type Sheet struct {
	Selectors []Selector
	Rules     map[uint64]bool // one for each rule: its conditions, selectors and declarations
	Names     []string        // that its selectors need, each once
	named     map[string]bool // the same
	plain     map[string]bool // of these, those that one selector needs alone
	Sets      map[string]bool // custom properties that it sets on the whole page
	Asks      map[string]bool // custom properties that it uses
	Gives     []string        // names, in lower case, that it defines for other stylesheets, such as of keyframes
	Acts      []string        // at-rules of it that do something whatever stands on a page
	said      map[string]bool // names and texts in it, in lower case, where a Library reads Words
}

// A Selector is one selector of a stylesheet, without those beside it in its list.
type Selector struct {
	Text  string   // as written, in one line
	Needs []string // names that a page with a match must have
	// exact: a page with that one name has a match; any other selector is compared
	// with the page's elements.
	exact bool
	// vars: its rule only sets custom properties on the root, which does nothing
	// where nobody asks for them.
	vars bool
	// follows: its needs are what they seem, with no namespace among them.
	follows bool
	static  string // the selector without what depends on the moment, or "" where that cannot be told
}

// ReadSheet reads a stylesheet. What does not parse is passed over, as browsers do.
func ReadSheet(text []byte) *Sheet {
	s := &Sheet{Rules: map[uint64]bool{}, plain: map[string]bool{}, Sets: map[string]bool{}, Asks: map[string]bool{}}
	s.named = map[string]bool{}
	r := sheetReader{sheet: s, lexer: css.NewLexer(parse.NewInputBytes(bytes.Clone(text)))}
	r.rules("", 0)
	return s
}

type sheetReader struct {
	sheet *Sheet
	lexer *css.Lexer
}

type cssToken struct {
	tt   css.TokenType
	text string
}

// conditional are the at-rules that hold rules (CSS Conditional Rules, CSS Cascade,
// CSS Containment); the blocks of others hold none that select.
var conditional = map[string]bool{
	"@media": true, "@supports": true, "@layer": true, "@container": true, "@scope": true, "@document": true,
	"@starting-style": true,
}

// deepest is how deep rules may be nested in conditions.
const deepest = 32

// rules reads rules up to the end of the block or the file.
func (r *sheetReader) rules(context string, depth int) {
	var prelude []cssToken
	for {
		tt, data := r.lexer.Next()
		switch tt {
		case css.ErrorToken:
			return
		case css.CommentToken, css.CDOToken, css.CDCToken:
			continue
		case css.SemicolonToken:
			if len(prelude) > 0 && prelude[0].tt == css.AtKeywordToken {
				r.sheet.at(prelude)
			}
			prelude = prelude[:0]
			continue
		case css.RightBraceToken:
			if depth > 0 {
				return
			}
			prelude = prelude[:0]
			continue
		case css.LeftBraceToken:
		default:
			if tt != css.WhitespaceToken || len(prelude) > 0 {
				prelude = append(prelude, cssToken{tt, string(data)})
			}
			continue
		}
		switch {
		case len(prelude) > 0 && prelude[0].tt == css.AtKeywordToken && conditional[strings.ToLower(
			prelude[0].text)] && depth < deepest:
			if strings.EqualFold(prelude[0].text, "@layer") {
				r.sheet.at(prelude)
			}
			r.rules(context+" "+written(prelude), depth+1)
		case len(prelude) > 0 && strings.EqualFold(prelude[0].text, "@font-face"):
			r.fontFace()
		case len(prelude) > 0 && prelude[0].tt == css.AtKeywordToken:
			r.sheet.at(prelude)
			r.block(nil)
		default:
			var h xxh3.Hasher
			h.WriteString(context + "{" + written(prelude) + "{")
			vars := r.block(&h)
			r.sheet.Rules[h.Sum64()] = true
			r.selectors(prelude, vars)
		}
		prelude = prelude[:0]
	}
}

// block reads a block of declarations, whose "{" was read. Rules nested in it match
// only where those around them do, so they add nothing. It returns the custom
// properties that the block sets, where it does nothing else.
func (r *sheetReader) block(into *xxh3.Hasher) (vars []string) {
	depth, gap, begins, others := 1, false, true, false
	defer func() {
		if others {
			vars = nil
		}
	}()
	for {
		tt, data := r.lexer.Next()
		switch tt {
		case css.ErrorToken:
			return
		case css.LeftBraceToken:
			depth++
		case css.RightBraceToken:
			if depth--; depth == 0 {
				return
			}
		case css.CommentToken:
			continue
		case css.WhitespaceToken:
			gap = true
			continue
		case css.AtKeywordToken, css.FunctionToken: // in a nested rule: it need not match with those around it
			if name := strings.ToLower(string(data)); name == "@layer" || name == "not(" {
				r.sheet.Acts = append(r.sheet.Acts, "a nested "+name)
			}
		}
		switch {
		case tt == css.CustomPropertyNameToken && begins:
			vars = append(vars, string(data))
		case tt == css.CustomPropertyNameToken:
			r.sheet.Asks[string(data)] = true
		case begins && tt != css.SemicolonToken && tt != css.RightBraceToken:
			others = true
		case tt == css.CustomPropertyValueToken:
			for _, m := range asked.FindAll(data, -1) {
				r.sheet.Asks[string(m)] = true
			}
		}
		begins = tt == css.SemicolonToken || tt == css.LeftBraceToken || tt == css.RightBraceToken
		if into != nil {
			if gap && tt != css.ColonToken && tt != css.SemicolonToken && tt != css.RightBraceToken {
				into.WriteString(" ")
			}
			into.Write(data)
			gap = tt == css.ColonToken || tt == css.SemicolonToken || tt == css.LeftBraceToken
		}
	}
}

var asked = regexp.MustCompile(`--[\w-]+`)

// written joins tokens in one way of writing.
func written(tokens []cssToken) string {
	var b strings.Builder
	for _, t := range tokens {
		if t.tt == css.WhitespaceToken {
			t.text = " "
		}
		b.WriteString(t.text)
	}
	s := b.String()
	for _, c := range []string{",", ">", "+", "~"} {
		s = strings.ReplaceAll(strings.ReplaceAll(s, " "+c, c), c+" ", c)
	}
	return strings.TrimSpace(s)
}

// selectors reads a selector list.
func (r *sheetReader) selectors(prelude []cssToken, vars []string) {
	depth, from := 0, 0
	for i := 0; i <= len(prelude); i++ {
		if i < len(prelude) {
			switch prelude[i].tt {
			case css.FunctionToken, css.LeftParenthesisToken, css.LeftBracketToken:
				depth++
			case css.RightParenthesisToken, css.RightBracketToken:
				depth--
			}
			if depth > 0 || prelude[i].tt != css.CommaToken {
				continue
			}
		}
		if part := trim(prelude[from:i]); len(part) > 0 {
			s := readSelector(part)
			if s.vars = len(vars) > 0 && len(s.Needs) == 0; s.vars {
				for _, name := range vars {
					r.sheet.Sets[name] = true
				}
			}
			r.sheet.Selectors = append(r.sheet.Selectors, s)
			for _, name := range s.Needs {
				if !r.sheet.named[name] {
					r.sheet.named[name] = true
					r.sheet.Names = append(r.sheet.Names, name)
				}
			}
			if len(s.Needs) == 1 {
				r.sheet.plain[s.Needs[0]] = true
			}
		}
		from = i + 1
	}
}

func trim(t []cssToken) []cssToken {
	for len(t) > 0 && t[0].tt == css.WhitespaceToken {
		t = t[1:]
	}
	for len(t) > 0 && t[len(t)-1].tt == css.WhitespaceToken {
		t = t[:len(t)-1]
	}
	return t
}

// always are there, with a tag or without.
var always = map[string]bool{"html": true, "head": true, "body": true}

// structural are the pseudo-classes that a file alone can answer; any other, and all
// pseudo-elements, are taken as answered yes.
var structural = map[string]bool{
	"first-child": true, "last-child": true, "only-child": true, "first-of-type": true, "last-of-type": true,
	"only-of-type": true, "empty": true,
}

// asItStands reports whether a selector has no pseudo-class that holds only in some state of the page, such as
// :hover or :target (Selectors 4, 9 to 14).
func (s *Selector) asItStands() bool {
	for text := s.Text; ; {
		i := strings.IndexByte(text, ':')
		if i < 0 {
			return true
		}
		element := strings.HasPrefix(text[i:], "::")
		text = strings.TrimLeft(text[i:], ":")
		name := text[:len(text)-len(strings.TrimLeft(text, "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ-"))]
		if name = strings.ToLower(name); !element && !structural[name] && name != "root" && name != "not" &&
			name != "before" &&
			name != "after" &&
			!strings.HasPrefix(name, "nth-") {
			return false
		}
	}
}

// readSelector reads one selector.
func readSelector(t []cssToken) Selector {
	r := selectorReader{tokens: t, known: true, compounds: 1}
	s := &r.out
	s.Text = strings.Join(strings.Fields(written(t)), " ")
	s.follows = !slices.ContainsFunc(t, func(x cssToken) bool { return x.tt == css.DelimToken && x.text == "|" })
	for ; r.i < len(t); r.i++ {
		switch x := t[r.i]; x.tt {
		case css.IdentToken:
			r.static.WriteString(x.text)
			if name := strings.ToLower(unescape(x.text)); !always[name] {
				s.Needs = append(s.Needs, name)
			} else {
				r.pseudo = true
			}
		case css.HashToken:
			r.static.WriteString(x.text)
			s.Needs = append(s.Needs, "#"+unescape(x.text[1:]))
		case css.DelimToken:
			r.delimiter(x.text)
		case css.WhitespaceToken:
			r.static.WriteString(" ")
			r.compounds++
		case css.LeftBracketToken:
			r.attribute()
		case css.ColonToken:
			r.pseudoClass()
		default: // a comma, a column, what is yet to come
			r.known = false
		}
	}
	if r.known {
		s.static = strings.TrimSpace(r.static.String())
	}
	s.exact = r.known && r.compounds == 1 && len(s.Needs) <= 1 && !r.pseudo
	return *s
}

// selectorReader reads the tokens of one selector.
type selectorReader struct {
	out       Selector
	tokens    []cssToken
	i         int             // of the token that is read
	static    strings.Builder // the selector without states
	known     bool            // it says what the selector matches, or more
	compounds int
	pseudo    bool // what the vocabulary does not tell: a state, a value of an attribute
}

func (r *selectorReader) delimiter(text string) {
	switch text {
	case ".":
		name := ""
		if r.i+1 < len(r.tokens) && r.tokens[r.i+1].tt == css.IdentToken {
			r.i++
			name = r.tokens[r.i].text
		}
		r.static.WriteString("." + name)
		r.out.Needs = append(r.out.Needs, "."+unescape(name))
	case ">", "+", "~":
		r.static.WriteString(text)
		r.compounds++
	case "*":
		r.static.WriteString(text)
	default: // "&", "|" and what is yet to come
		r.known = false
	}
}

func (r *selectorReader) attribute() {
	name := ""
	for ; r.i < len(r.tokens) && r.tokens[r.i].tt != css.RightBracketToken; r.i++ {
		if name == "" && r.tokens[r.i].tt == css.IdentToken {
			name = strings.ToLower(unescape(r.tokens[r.i].text))
		}
		r.static.WriteString(r.tokens[r.i].text)
	}
	r.static.WriteString("]")
	r.out.Needs = append(r.out.Needs, "["+name)
	r.pseudo = true // its value is not in the vocabulary
}

// pseudoClass reads what begins with a colon, or two.
func (r *selectorReader) pseudoClass() {
	element := r.i+1 < len(r.tokens) && r.tokens[r.i+1].tt == css.ColonToken
	if element {
		r.i++
	}
	if r.i+1 >= len(r.tokens) {
		return
	}
	r.i++
	name := strings.ToLower(r.tokens[r.i].text)
	switch {
	case r.tokens[r.i].tt == css.FunctionToken:
		r.skipFunction()
		// What :not() and the like leave out is not asked: it may match.
		r.known = r.known && (element || name == "nth-child(" || name == "nth-of-type(" ||
			name == "nth-last-child(" || name == "lang(" || name == "not(")
		r.pseudo = true
	case structural[name] && !element:
		r.static.WriteString(":" + name)
		r.pseudo = true
	case name == "host":
		r.known = false
	}
	if str := r.static.String(); str == "" || strings.HasSuffix(str, " ") ||
		strings.ContainsAny(str[len(str)-1:], ">+~") {
		r.static.WriteString("*")
	}
}

// skipFunction goes to the end of a function.
func (r *selectorReader) skipFunction() {
	for depth := 1; depth > 0 && r.i+1 < len(r.tokens); {
		r.i++
		switch r.tokens[r.i].tt {
		case css.FunctionToken, css.LeftParenthesisToken:
			depth++
		case css.RightParenthesisToken:
			depth--
		}
	}
}

// unescape reads an identifier (CSS Syntax, 4.3.7).
func unescape(s string) string {
	if !strings.Contains(s, `\`) {
		return s
	}
	var b strings.Builder
	for i := 0; i < len(s); i++ {
		if s[i] != '\\' || i+1 == len(s) {
			b.WriteByte(s[i])
			continue
		}
		j := i + 1
		for j < len(s) && j < i+7 && strings.IndexByte("0123456789abcdefABCDEF", s[j]) >= 0 {
			j++
		}
		if j == i+1 {
			_, n := utf8.DecodeRuneInString(s[j:])
			b.WriteString(s[j : j+n])
			i = j + n - 1
			continue
		}
		code, _ := strconv.ParseUint(s[i+1:j], 16, 32)
		b.WriteRune(rune(code))
		if j < len(s) && markup.IsSpace(s[j]) {
			j++
		}
		i = j - 1
	}
	return b.String()
}

// in reports whether a page's vocabulary has all that a selector needs.
func (s *Selector) in(v *Vocabulary) bool {
	for _, n := range s.Needs {
		if !v.Has(n) {
			return false
		}
	}
	return true
}

// Match returns the first of the sheet's selectors that matches something on a page;
// "" for none. One that only a browser could answer counts as a match.
func (s *Sheet) Match(v *Vocabulary) string {
	var rest []*Selector
	for i := range s.Selectors {
		x := &s.Selectors[i]
		if x.vars || !x.in(v) {
			continue
		}
		if x.exact || len(x.Needs) == 0 {
			return x.Text
		}
		rest = append(rest, x)
	}
	for _, x := range rest {
		if x.match(v) {
			return x.Text
		}
	}
	return ""
}

// match compares a selector with the elements of a page that has its names.
func (s *Selector) match(v *Vocabulary) bool {
	if s.exact || s.static == "" {
		return true
	}
	m, err := markup.ParseSelector(s.static)
	return err != nil || v.match(m)
}
