package pagequery

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"yellowgate/internal/core/didyoumean"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/page"
)

// maxSize limits the complexity of a query, so that no input exhausts the stack.
const maxSize = 1000

// Fields are the names of fields without a part of their own.
var Fields = []string{"path", "title", "heading", "description", "lang", "file", "status"}

// Reserved are the words that no page set may be called by.
var Reserved = append([]string{"all", "none", "and", "or", "not", "has", "matches", "meta", "fact"}, Fields...)

// A SyntaxError reports what is wrong with a query, and where.
type SyntaxError struct {
	Offset  int // in bytes of the query's text
	Message string
}

func (e *SyntaxError) Error() string { return e.Message }

// Parse reads a query. Its error is a *SyntaxError. Names of page sets are not
// looked up: see Bind.
func Parse(text string) (x Expr, err error) {
	defer func() {
		switch e := recover().(type) {
		case nil:
		case *SyntaxError:
			x, err = nil, e
		default:
			panic(e)
		}
	}()
	p := &parser{s: text}
	p.lex()
	x = p.or()
	if p.kind != endOfQuery {
		p.fail(p.pos, "unexpected %s after a complete query (is an \"and\" or \"or\" missing?)", p.describe())
	}
	return x, nil
}

type tokenKind uint8

const (
	endOfQuery tokenKind = iota
	word                 // a word of the language, a name or a field
	glob                 // begins with "/"
	quoted
	operator
	paren
)

type parser struct {
	s    string
	i    int // next byte to read
	size int

	kind tokenKind
	tok  string // text of the token, quotes and escapes resolved
	pos  int
}

func (p *parser) fail(at int, format string, args ...any) {
	panic(&SyntaxError{at, fmt.Sprintf(format, args...)})
}

func (p *parser) describe() string {
	switch p.kind {
	case endOfQuery:
		return "end of the query"
	case quoted:
		return quote(p.tok)
	}
	return `"` + p.tok + `"`
}

func (p *parser) is(kind tokenKind, text string) bool { return p.kind == kind && p.tok == text }

// or, and, not, atom: on entry the first token is read, on exit the one after.
func (p *parser) or() Expr {
	x := p.and()
	for p.is(word, "or") {
		p.lex()
		x = &Or{x, p.and()}
	}
	return x
}

func (p *parser) and() Expr {
	x := p.not()
	for p.is(word, "and") {
		p.lex()
		x = &And{x, p.not()}
	}
	return x
}

func (p *parser) not() Expr {
	if p.size++; p.size > maxSize {
		p.fail(p.pos, "the query is too long (more than %d parts)", maxSize)
	}
	if p.is(word, "not") {
		p.lex()
		return &Not{p.not()}
	}
	return p.atom()
}

func (p *parser) atom() Expr {
	at, tok := p.pos, p.tok
	switch p.kind {
	case paren:
		if tok == ")" {
			p.fail(at, "unexpected \")\"")
		}
		p.lex()
		x := p.or()
		if !p.is(paren, ")") {
			p.fail(at, "this \"(\" is never closed")
		}
		p.lex()
		return x
	case glob:
		p.lex()
		return p.glob(at, tok)
	case quoted:
		if strings.HasPrefix(tok, "/") {
			p.lex()
			return p.glob(at, tok)
		}
		p.fail(at, "a value stands here without a field before it (for example: title = %s)", quote(tok))
	case endOfQuery:
		if strings.TrimSpace(p.s) == "" {
			p.fail(at, "the query is empty (write all for every page)")
		}
		p.fail(at, "the query ends where a glob, a page set or a field should follow")
	case operator:
		p.fail(at, "unexpected %q: an operator follows a field (one of %s, meta.NAME, fact.NAME)", tok,
			strings.Join(Fields, ", "))
	}
	switch tok {
	case "all", "none":
		p.lex()
		return Const(tok == "all")
	case "has":
		return p.has(at)
	case "meta", "fact":
		p.fail(at, "%q needs a name: %s.NAME", tok, tok)
	case "and", "or", "matches":
		p.fail(at, "unexpected %q: a glob, a page set or a field should stand here", tok)
	}
	if isField(tok) {
		p.lex()
		return p.field(tok)
	}
	if !isName(tok) {
		p.notAName(at, tok)
	}
	p.lex()
	if p.kind == operator || p.is(word, "matches") {
		p.fail(at, "unknown field %q%s", tok, didyoumean.Suggest(tok, Fields))
	}
	return &Set{Name: tok, Offset: at}
}

// notAName fails with what a word is that is no name of a page set.
func (p *parser) notAName(at int, tok string) {
	switch tok {
	case "meta.", "fact.":
		p.fail(at, "%q needs a name: %s.NAME", tok, strings.TrimSuffix(tok, "."))
	}
	if i := strings.IndexByte(tok, '.'); i > 0 {
		p.fail(at, "unknown field %q%s", tok, didyoumean.Suggest(tok[:i], []string{"meta", "fact"}))
	}
	if strings.ContainsAny(tok, "/*") {
		glob := p.s[at:]
		if i := strings.IndexAny(glob, " )"); i >= 0 {
			glob = glob[:i]
		}
		p.fail(at, "%q is not a glob: those begin with \"/\" (did you mean %q?)", glob, "/"+glob)
	}
	p.fail(at, "%q is not a glob (those begin with \"/\") and not the name of a page set (lower-case words with hyphens)", tok)
}

func isField(tok string) bool {
	return slices.Contains(Fields, tok) ||
		slices.ContainsFunc([]string{"meta.", "fact.", "query."}, func(of string) bool {
			return strings.HasPrefix(tok, of) && tok != of
		})
}

func isName(tok string) bool {
	for _, c := range []byte(tok) {
		if !(c >= 'a' && c <= 'z' || c >= '0' && c <= '9' || c == '-') {
			return false
		}
	}
	return tok != ""
}

// glob prepares a glob for matching.
func (p *parser) glob(at int, pattern string) Expr {
	g, err := NewGlob(pattern)
	if err != nil {
		p.fail(at, "%v", err)
	}
	return g
}

// NewGlob returns the query that is one glob on the path.
func NewGlob(pattern string) (*Glob, error) {
	g := &Glob{Pattern: pattern, key: page.GlobKey(pattern)}
	if path, query, has := strings.Cut(pattern, "?"); has && plain(path) && strings.Contains(query, "=") {
		g.key, g.named = page.GlobKey(path), page.NormalQuery(query)
		return g, nil
	}
	if !strings.ContainsAny(pattern, `*?[{\`) {
		return g, nil
	}
	g.kind = otherGlob
	switch {
	case strings.HasSuffix(g.key, "/**") && plain(g.key[:len(g.key)-3]):
		g.kind, g.prefix = anyBelow, g.key[:len(g.key)-3]
	case strings.HasSuffix(g.key, "/*") && plain(g.key[:len(g.key)-2]):
		g.kind, g.prefix = oneBelow, g.key[:len(g.key)-2]
	default:
		g.key = atLeastOne(g.key)
		if !doublestar.ValidatePattern(g.key) {
			return nil, fmt.Errorf("the glob %q has a bracket or brace that is never closed", pattern)
		}
	}
	return g, nil
}

func plain(s string) bool { return !strings.ContainsAny(s, `*?[{\`) }

// atLeastOne turns each single "*" into "?*": it matches one character or more.
func atLeastOne(pattern string) string {
	var b strings.Builder
	for i := 0; i < len(pattern); i++ {
		c := pattern[i]
		switch {
		case c == '\\' && i+1 < len(pattern):
			b.WriteString(pattern[i : i+2])
			i++
		case c == '*' && i+1 < len(pattern) && pattern[i+1] == '*':
			b.WriteString("**")
			i++
		case c == '*':
			b.WriteString("?*")
		default:
			b.WriteByte(c)
		}
	}
	return b.String()
}

// has reads the selector between the parentheses as it is.
func (p *parser) has(at int) Expr {
	open := p.i
	for open < len(p.s) && isSpace(p.s[open]) {
		open++
	}
	if open >= len(p.s) || p.s[open] != '(' {
		p.fail(at, "has needs a selector in parentheses: has(form.contact)")
	}
	depth, end := 0, -1
scan:
	for i := open; i < len(p.s); i++ {
		switch c := p.s[i]; c {
		case '\\':
			i++
		case '"', '\'':
			n := strings.IndexByte(p.s[i+1:], c)
			if n < 0 {
				p.fail(i, "this quote is never closed")
			}
			i += n + 1
		case '(':
			depth++
		case ')':
			if depth--; depth == 0 {
				end = i
				break scan
			}
		}
	}
	if end < 0 {
		p.fail(open, "this \"(\" is never closed")
	}
	text := p.s[open+1 : end]
	lead := len(text) - len(strings.TrimLeft(text, " \t\n\r"))
	sel, err := markup.ParseSelector(strings.TrimSpace(text))
	if err != nil {
		off := 0
		if e, ok := err.(*markup.SelectorError); ok {
			off = e.Offset
		}
		p.fail(open+1+lead+off, "%v", err)
	}
	p.i = end + 1
	p.lex()
	return &Has{Selector: sel}
}

// field reads the rest of a comparison.
func (p *parser) field(name string) Expr {
	f := &Field{Name: name}
	if p.kind != operator && !p.is(word, "matches") {
		return f
	}
	opAt := p.pos
	f.Op = p.tok
	p.lex()
	switch {
	case p.kind == endOfQuery:
		p.fail(opAt, "%q needs a value after it", f.Op)
	case f.Op == "matches" && p.kind != quoted:
		p.fail(p.pos, "matches takes a regular expression in quotes")
	case p.kind == paren || p.kind == operator:
		p.fail(p.pos, "unexpected %s: a value with spaces, brackets or operators is put in quotes", p.describe())
	}
	f.Value = p.tok
	if f.Op[0] == '<' || f.Op[0] == '>' {
		n, err := strconv.ParseFloat(f.Value, 64)
		if err != nil {
			p.fail(p.pos, "%s compares numbers, and %q is none", f.Op, f.Value)
		}
		f.number = n
	}
	if f.Op == "matches" {
		re, err := regexp.Compile(f.Value)
		if err != nil {
			p.fail(p.pos,
				"the regular expression does not compile: %s; characters such as ( ) [ . * + ? are found as they "+
					"are with a \\ before each: %q", strings.TrimPrefix(err.Error(), "error parsing regexp: "),
				regexp.QuoteMeta(f.Value))
		}
		f.re = re
	}
	p.lex()
	return f
}

func isSpace(c byte) bool { return c == ' ' || c == '\t' || c == '\n' || c == '\r' }

// lex reads the next token.
func (p *parser) lex() {
	for p.i < len(p.s) && isSpace(p.s[p.i]) {
		p.i++
	}
	p.pos = p.i
	p.tok = ""
	if p.i >= len(p.s) {
		p.kind = endOfQuery
		return
	}
	switch c := p.s[p.i]; {
	case c == '(' || c == ')':
		p.kind, p.tok = paren, string(c)
		p.i++
	case c == '"' || c == '\'':
		p.kind, p.tok = quoted, p.quotedText(c)
	case c == '/':
		p.kind = glob
		p.tok = p.until(func(c byte) bool { return isSpace(c) || c == '(' || c == ')' || c == '"' || c == '\'' })
	case c == '=':
		p.kind, p.tok = operator, "="
		p.i++
	case c == '<' || c == '>':
		p.kind, p.tok = operator, string(c)
		if p.i++; p.i < len(p.s) && p.s[p.i] == '=' {
			p.tok += "="
			p.i++
		}
	case strings.IndexByte("!^$*~", c) >= 0:
		if p.i+1 >= len(p.s) || p.s[p.i+1] != '=' {
			p.fail(p.i, "unexpected %q (the operators are =, !=, <, <=, >, >=, ^=, $=, *=, ~= and matches)", string(c))
		}
		p.kind, p.tok = operator, p.s[p.i:p.i+2]
		p.i += 2
	default:
		p.kind = word
		p.tok = p.until(func(c byte) bool {
			return isSpace(c) || strings.IndexByte("()\"'=!^$*~<>", c) >= 0
		})
	}
}

func (p *parser) until(stop func(byte) bool) string {
	start := p.i
	for p.i < len(p.s) && !stop(p.s[p.i]) {
		p.i++
	}
	return p.s[start:p.i]
}

// quotedText reads a value in quotes; a doubled quote stands for one.
func (p *parser) quotedText(q byte) string {
	var b strings.Builder
	for i := p.i + 1; i < len(p.s); i++ {
		if p.s[i] == q {
			if i+1 < len(p.s) && p.s[i+1] == q {
				i++
			} else {
				p.i = i + 1
				return b.String()
			}
		}
		b.WriteByte(p.s[i])
	}
	p.fail(p.i, "this quote is never closed")
	return ""
}

// Bind gives every set in the query its meaning. lookup returns nil for a name
// that is no page set; Bind then returns a *SyntaxError with a suggestion from
// names.
func Bind(x Expr, lookup func(name string) Expr, names []string) error {
	var failed error
	Walk(x, func(x Expr) {
		if s, ok := x.(*Set); ok && s.Expr == nil {
			if s.Expr = lookup(s.Name); s.Expr == nil && failed == nil {
				failed = &SyntaxError{
					s.Offset,
					fmt.Sprintf("unknown page set %q%s", s.Name,
						didyoumean.Suggest(s.Name, append(names, Reserved...))),
				}
			}
		}
	})
	return failed
}

// Meant says which of the paths was probably meant by the first path in a query that
// chooses no page: " (did you mean …?)", or nothing.
func Meant(query string, paths []string) string {
	for word := range strings.FieldsSeq(query) {
		if word = strings.Trim(word, "()"); strings.HasPrefix(word, "/") {
			return didyoumean.Suggest(word, paths)
		}
	}
	return ""
}
