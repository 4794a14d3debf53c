package pagequery

import (
	"fmt"
	"strings"

	"yellowgate/internal/core/wording"
)

// Words says in words, for somebody who knows no queries, which pages a query chooses: "all pages but the members
// pages".
func Words(x Expr) string {
	switch x := x.(type) {
	case *Or:
		return list(terms(x))
	case *And:
		return both(x)
	case *Not:
		if y, ok := x.X.(*Not); ok {
			return Words(y.X)
		}
		return "all pages but " + Words(x.X)
	case Const:
		if x {
			return "all pages"
		}
		return "no page"
	case *Glob:
		return x.words()
	case *Set:
		return "the " + x.Name + " pages"
	case *Has:
		return "pages with an element " + x.Selector.String()
	case *Field:
		return "pages " + x.words()
	}
	return x.String()
}

// terms are the sides of an or, however it is nested.
func terms(x Expr) []Expr {
	if or, ok := x.(*Or); ok {
		return append(terms(or.X), terms(or.Y)...)
	}
	return []Expr{x}
}

// factors are the sides of an and, however it is nested.
func factors(x Expr) []Expr {
	if and, ok := x.(*And); ok {
		return append(factors(and.X), factors(and.Y)...)
	}
	return []Expr{x}
}

// both says what several queries choose together: the first that chooses, which of those, and without which.
func both(x *And) string {
	var chosen, but []Expr
	for _, f := range factors(x) {
		if not, ok := f.(*Not); ok {
			but = append(but, not.X)
		} else {
			chosen = append(chosen, f)
		}
	}
	out := "all pages"
	for i, f := range chosen {
		field, isField := f.(*Field)
		switch {
		case i == 0:
			out = Words(f)
		case isField:
			out += map[bool]string{true: " and ", false: ", those "}[i > 1] + field.words()
		default:
			out += ", those that are also among " + Words(f)
		}
	}
	if len(but) > 0 {
		out += ", but not " + list(but)
	}
	return out
}

// list says it of several queries: a, b and c.
func list(all []Expr) string {
	words := make([]string, len(all))
	for i, x := range all {
		words[i] = Words(x)
	}
	return wording.Both(words)
}

func (x *Glob) words() string {
	pattern := strings.TrimSuffix(x.Pattern, "/")
	switch x.kind {
	case exactPath:
		if pattern == "" {
			return "the home page"
		}
		return "the page " + x.Pattern
	case anyBelow:
		if x.prefix == "" {
			return "all pages"
		}
		return x.prefix + "/ and all pages below it"
	case oneBelow:
		return "the pages right below " + x.prefix + "/"
	}
	return "pages whose address is like " + x.Pattern
}

// words says what a field asks of a page: "whose title begins with …".
func (x *Field) words() string {
	name := map[string]string{
		"path": "address", "heading": "first heading", "lang": "language", "file": "file", "status": "status code",
	}[x.Name]
	if name == "" {
		kind, rest, ok := strings.Cut(x.Name, ".")
		switch {
		case ok && kind == "fact":
			name = "fact " + rest
		case ok && kind == "query":
			name = "parameter " + rest
		default:
			name = strings.Replace(x.Name, "meta.", "meta ", 1)
		}
	}
	if x.Op == "" {
		return "with a " + name
	}
	verb := map[string]string{
		"=": "is", "!=": "is not", "^=": "begins with", "$=": "ends with", "*=": "contains", "~=": "has the word",
		"matches": "matches", "<": "is less than", "<=": "is at most", ">": "is more than", ">=": "is at least",
	}[x.Op]
	return fmt.Sprintf("whose %s %s “%s”", name, verb, x.Value)
}
