package gatefile

import (
	"slices"
	"strings"

	"github.com/goccy/go-yaml/ast"

	"yellowgate/internal/core/didyoumean"
	"yellowgate/internal/core/pagequery"
)

// Page sets, and sets that are like others: they take over metadata and parameters that are set for those, where they
// have none of their own.

// sets reads the page sets.
func (r *reader) sets(n ast.Node) {
	for _, e := range r.entries(n, "sets") {
		if slices.Contains(pagequery.Reserved, e.key) {
			r.errorf(e.pos, "a page set cannot be called %q: that is a word of the query language", e.key)
			continue
		}
		r.checkName("a page set", e.key, e.pos)
		if !r.once("the page set", e.key, e.pos) {
			continue
		}
		s := &Set{Name: e.key, Pos: e.pos}
		what := "the page set " + e.key
		pages := e.node
		switch r.resolve(e.node).(type) {
		case *ast.MappingNode, *ast.MappingValueNode:
			pages = nil
			for _, x := range r.mapping(e.node, what, KeysOf(SetShape{})) {
				switch x.key {
				case "pages":
					pages = x.node
				case "like":
					s.Like, _ = r.oneText(x.node, "like")
				case "note":
					s.Note = r.note(x)
				}
			}
		}
		qs := r.queries(pages, what)
		if len(qs) == 0 {
			r.spoil("the page set", e.key)
			if len(r.list(pages)) == 0 && !r.failedAt(e.pos.Line) {
				r.errorf(e.pos, "the page set %q has no query", e.key)
			}
			continue
		}
		s.Query = qs[0]
		for _, q := range qs[1:] { // a list means any of them
			s.Query.Expr = &pagequery.Or{X: s.Query.Expr, Y: q.Expr}
		}
		r.gate.Sets = append(r.gate.Sets, s)
	}
}

// note reads a note.
func (r *reader) note(e entry) string {
	t, _ := r.oneText(e.node, "note")
	return t.Value
}

// likeness settles which sets are like which, and has the rules of a set count for those that are like it.
func (r *reader) likeness() {
	g := r.gate
	for _, s := range g.Sets {
		chain := []string{s.Name}
		for at := s; at.Like.Value != ""; {
			next := g.Set(at.Like.Value)
			if next == nil {
				if at == s && !r.broken["the page set "+s.Like.Value] {
					others := slices.DeleteFunc(g.SetNames(), func(name string) bool { return name == s.Name })
					hint := didyoumean.Suggest(s.Like.Value, others)
					r.errorf(s.Like.Pos, "unknown page set %q%s", s.Like.Value, hint)
				}
				break
			}
			if slices.Contains(chain, next.Name) {
				r.errorf(s.Like.Pos, "page sets are like one another in a circle: %s",
					strings.Join(append(chain, next.Name), " → "))
				s.Like = Text{}
				break
			}
			chain = append(chain, next.Name)
			at = next
		}
		s.likes = chain[1:]
	}
	for _, rule := range g.Rules {
		rule.Pages = g.withLike(rule.Pages)
	}
	for _, it := range g.Items {
		for _, rule := range it.ParamsOn {
			rule.Pages = g.withLike(rule.Pages)
		}
	}
}

// withLike are the queries of a rule, with those of the sets that are like a set that the rule names.
func (g *Gate) withLike(queries []Query) []Query {
	out := queries
	for i := range queries {
		of, ok := queries[i].Expr.(*pagequery.Set)
		if !ok {
			continue
		}
		queries[i].Set = of.Name
		for _, s := range g.Sets {
			if slices.Contains(s.likes, of.Name) {
				q := queries[i]
				q.Expr, q.Like = s.Query.Expr, s.Name
				out = append(slices.Clone(out), q)
			}
		}
	}
	return out
}

// Told is the query of a rule in words: with what a set is like, where that is why it counts.
func (g *Gate) Told(q *Query) string {
	s := g.Set(q.Like)
	if s == nil {
		return q.Text
	}
	told := s.Name
	for _, name := range s.likes {
		if told += ", which is like " + name; name == q.Set {
			break
		}
	}
	return told
}

// Set returns the page set of a name, or nil.
func (g *Gate) Set(name string) *Set {
	for _, s := range g.Sets {
		if s.Name == name {
			return s
		}
	}
	return nil
}

// ByLikeness brings what rules give a page, the strongest first, into the order that counts where sets are like others:
// what is set for a set itself comes before what is set for one that it is like. set is the name of the set that a rule
// names and nothing else, "" for any other.
func ByLikeness[T any](g *Gate, list []T, set func(T) string) {
	if !slices.ContainsFunc(g.Sets, func(s *Set) bool { return len(s.likes) > 0 }) {
		return
	}
	for i := len(list) - 1; i >= 0; i-- {
		to := i
		for k := i + 1; k < len(list); k++ {
			if s := g.Set(set(list[k])); s != nil && slices.Contains(s.likes, set(list[i])) {
				to = k
			}
		}
		moved := list[i]
		copy(list[i:to], list[i+1:to+1])
		list[to] = moved
	}
}
