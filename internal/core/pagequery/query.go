// Package pagequery is the small language that chooses pages.
//
//	query   = term { "or" term }
//	term    = factor { "and" factor }
//	factor  = "not" factor | "(" query ")" | atom
//	atom    = "all" | "none" | GLOB | NAME | "has" "(" SELECTOR ")" | FIELD [ OP VALUE ]
//
// A query is parsed once, its page sets are bound once, and it is then evaluated
// against many pages. The package knows nothing of gate files.
package pagequery

import (
	"regexp"
	"strconv"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/page"
)

// An Expr is a page query. Its concrete types are *Or, *And, *Not, *Const,
// *Glob, *Set, *Has and *Field.
type Expr interface {
	// String returns the query in canonical form; parsing that gives an equal
	// query.
	String() string
	// Eval reports whether the query chooses the page. Sets must be bound. A page that sends its visitors
	// elsewhere is chosen by its exact path and by has; globs with wildcards and fields pass over it.
	Eval(p *page.Page) bool
	// Branch returns what made a true query true, in words of the query: of an
	// "or" the first true side, of a set what stands behind its name.
	Branch(p *page.Page) string

	level() int // how tightly it binds: 0 or, 1 and, 2 not, 3 atom
}

// Or chooses the pages that either side chooses; And those that both do.
type (
	Or  struct{ X, Y Expr }
	And struct{ X, Y Expr }
	Not struct{ X Expr }
)

// A Const is all (true) or none.
type Const bool

// A Glob is compared with the page's path.
type Glob struct {
	Pattern string // as written, escapes decoded

	key    string // the pattern as a page key
	kind   globKind
	prefix string
	named  string // the query of the one page that it means: p=2
}

type globKind uint8

const (
	exactPath globKind = iota
	anyBelow           // PREFIX/**
	oneBelow           // PREFIX/*
	otherGlob
)

// A Set is a page set by its name.
type Set struct {
	Name   string
	Offset int  // of the name in the query's text
	Expr   Expr // what it stands for, once bound
}

// A Has asks whether the page's source has an element that a selector matches.
type Has struct {
	Selector *markup.Selector
	ID       int // the selector's number in page.Page.Has, once numbered
}

// A Field compares a field of the page with a value. Op "" asks whether it is
// there and not empty.
type Field struct {
	Name  string // path, title, heading, description, lang, file, status, query.NAME, meta.NAME, fact.NAME
	Op    string
	Value string

	re     *regexp.Regexp // for "matches"
	number float64        // for < <= > >=
}

func (x *Or) level() int    { return 0 }
func (x *And) level() int   { return 1 }
func (x *Not) level() int   { return 2 }
func (x Const) level() int  { return 3 }
func (x *Glob) level() int  { return 3 }
func (x *Set) level() int   { return 3 }
func (x *Has) level() int   { return 3 }
func (x *Field) level() int { return 3 }

func (x *Or) Eval(p *page.Page) bool  { return x.X.Eval(p) || x.Y.Eval(p) }
func (x *And) Eval(p *page.Page) bool { return x.X.Eval(p) && x.Y.Eval(p) }
func (x *Not) Eval(p *page.Page) bool { return !x.X.Eval(p) }
func (x Const) Eval(p *page.Page) bool {
	return bool(x) && !p.Redirect
}
func (x *Set) Eval(p *page.Page) bool { return x.Expr != nil && x.Expr.Eval(p) }
func (x *Has) Eval(p *page.Page) bool {
	has := x.ID < len(p.Has) && p.Has[x.ID]
	if !has && p.Later != nil {
		p.Later(page.Asked{Has: x.ID})
	}
	return has
}

// Eval matches the path. One without wildcards is that page alone, and not another of its path that a query makes;
// wildcards look at the path, whatever the query.
func (x *Glob) Eval(p *page.Page) bool {
	key := strings.TrimSuffix(p.Path, "/")
	if x.kind == exactPath && x.named == "" {
		return key == x.key
	}
	path, query, byQuery := strings.Cut(key, "?")
	if byQuery {
		key = strings.TrimSuffix(path, "/")
	}
	if x.kind == exactPath {
		return key == x.key && query == x.named
	}
	if p.Redirect {
		return false
	}
	switch x.kind {
	case anyBelow:
		return strings.HasPrefix(key, x.prefix) && (len(key) == len(x.prefix) || key[len(x.prefix)] == '/')
	case oneBelow:
		n := len(x.prefix) + 1
		return len(key) > n && strings.HasPrefix(key, x.prefix) && key[n-1] == '/' &&
			strings.IndexByte(key[n:], '/') < 0
	}
	return doublestar.MatchUnvalidated(x.key, key)
}

func (x *Field) Eval(p *page.Page) bool {
	v := p.Field(x.Name)
	switch x.Op {
	case "=":
		return x.equal(v) && (x.Name == "path" || !p.Redirect)
	case "!=":
		return !x.equal(v) && !p.Redirect
	}
	return !p.Redirect && x.compares(v)
}

// compares is Eval for the operators that are neither = nor !=.
func (x *Field) compares(v string) bool {
	switch x.Op {
	case "":
		return v != ""
	case "^=":
		return x.Value != "" && strings.HasPrefix(v, x.Value)
	case "$=":
		return x.Value != "" && strings.HasSuffix(v, x.Value)
	case "*=":
		return x.Value != "" && strings.Contains(v, x.Value)
	case "~=":
		for w := range strings.FieldsSeq(v) {
			if w == x.Value {
				return true
			}
		}
		return false
	case "<", "<=", ">", ">=":
		n, err := strconv.ParseFloat(v, 64)
		return err == nil && (x.Op[0] == '<' && n < x.number || x.Op[0] == '>' && n > x.number ||
			len(x.Op) == 2 && n == x.number)
	}
	return x.re.MatchString(v)
}

// equal compares; two spellings of one path are equal.
func (x *Field) equal(v string) bool {
	return v == x.Value || x.Name == "path" && page.Key(v) == page.Key(x.Value)
}

func (x *Or) Branch(p *page.Page) string {
	if x.X.Eval(p) {
		return x.X.Branch(p)
	}
	return x.Y.Branch(p)
}
func (x *And) Branch(p *page.Page) string {
	return andSide(x.X, p) + " and " + andSide(x.Y, p)
}
func andSide(x Expr, p *page.Page) string { return x.Branch(p) }
func (x *Not) Branch(p *page.Page) string { return x.String() }
func (x Const) Branch(*page.Page) string  { return x.String() }
func (x *Glob) Branch(*page.Page) string  { return x.String() }
func (x *Has) Branch(*page.Page) string   { return x.String() }
func (x *Field) Branch(*page.Page) string { return x.String() }
func (x *Set) Branch(p *page.Page) string {
	if x.Expr == nil {
		return x.Name
	}
	return x.Name + ": " + x.Expr.Branch(p)
}

func (x *Or) String() string  { return sub(x.X, 0) + " or " + sub(x.Y, 0) }
func (x *And) String() string { return sub(x.X, 1) + " and " + sub(x.Y, 1) }
func (x *Not) String() string { return "not " + sub(x.X, 2) }
func (x Const) String() string {
	if x {
		return "all"
	}
	return "none"
}
func (x *Glob) String() string {
	if strings.ContainsAny(x.Pattern, " \t\n\r()\"'") {
		return quote(x.Pattern)
	}
	return x.Pattern
}
func (x *Set) String() string { return x.Name }
func (x *Has) String() string { return "has(" + x.Selector.String() + ")" }
func (x *Field) String() string {
	switch x.Op {
	case "":
		return x.Name
	case "matches":
		return x.Name + " matches " + quote(x.Value)
	}
	if x.Value == "" || strings.ContainsAny(x.Value, " \t\n\r()\"'=!^$*~<>") {
		return x.Name + " " + x.Op + " " + quote(x.Value)
	}
	return x.Name + " " + x.Op + " " + x.Value
}

func sub(x Expr, level int) string {
	if x.level() < level {
		return "(" + x.String() + ")"
	}
	return x.String()
}

// quote writes a value between quotes; a quote within is doubled.
func quote(v string) string {
	if !strings.Contains(v, `"`) {
		return `"` + v + `"`
	}
	return "'" + strings.ReplaceAll(v, "'", "''") + "'"
}

// Walk calls visit for the query and everything in it, sets not followed.
func Walk(x Expr, visit func(Expr)) {
	visit(x)
	switch x := x.(type) {
	case *Or:
		Walk(x.X, visit)
		Walk(x.Y, visit)
	case *And:
		Walk(x.X, visit)
		Walk(x.Y, visit)
	case *Not:
		Walk(x.X, visit)
	}
}

// Asks reports whether a bound query asks for a field.
func Asks(x Expr, field string) (asks bool) {
	Walk(x, func(x Expr) {
		switch x := x.(type) {
		case *Field:
			asks = asks || x.Name == field
		case *Set:
			asks = asks || x.Expr != nil && Asks(x.Expr, field)
		}
	})
	return asks
}

// MaxSize is how many parts a query may have once its page sets are written out: so many are
// looked at for a page.
const MaxSize = 10_000

// Size is how many parts a bound query has once its page sets are written out, no more than
// MaxSize+1. sizes remembers those of page sets, by name; no set names itself.
func Size(x Expr, sizes map[string]int) int {
	n := 1
	switch x := x.(type) {
	case *Or:
		n += Size(x.X, sizes) + Size(x.Y, sizes)
	case *And:
		n += Size(x.X, sizes) + Size(x.Y, sizes)
	case *Not:
		n += Size(x.X, sizes)
	case *Set:
		if x.Expr == nil {
			break
		}
		size, known := sizes[x.Name]
		if !known {
			size = Size(x.Expr, sizes)
			sizes[x.Name] = size
		}
		n += size
	}
	return min(n, MaxSize+1)
}
