package gatefile

import (
	"regexp"
	"strings"

	"github.com/goccy/go-yaml/ast"

	"yellowgate/internal/core/placeholder"
	"yellowgate/internal/core/problem"
)

// A Tree is structured data as the gate file gives it: a mapping, a list, a text
// or a literal.
type Tree struct {
	Keys    []string // of a mapping
	Kids    []*Tree  // of a mapping, or of a list
	IsMap   bool
	IsList  bool
	Text    *placeholder.Template // of a text
	Literal string                // of a number or a truth value, as JSON has it
	// Fact is the placeholder of a text that may be a list fact as a whole.
	Fact *placeholder.Placeholder
	// Asks marks what has to be a list of questions with answers.
	Asks bool
	Pos  problem.Position
}

// Holders calls visit for each placeholder of a tree.
func (t *Tree) Holders(visit func(*placeholder.Placeholder, problem.Position)) {
	if t.Text != nil {
		for _, p := range t.Text.Pieces {
			if p.Placeholder != nil {
				visit(p.Placeholder, t.Pos)
			}
		}
	}
	for _, k := range t.Kids {
		k.Holders(visit)
	}
}

// jsonNumber is a number as JSON has it (RFC 8259, section 6), which is one of
// JavaScript too.
var jsonNumber = regexp.MustCompile(`^-?(0|[1-9][0-9]*)(\.[0-9]+)?([eE][-+]?[0-9]+)?$`)

// IsBare reports whether a value can stand in a script without quotes: a number
// or a truth value.
func IsBare(v string) bool { return v == "true" || v == "false" || jsonNumber.MatchString(v) }

// tree reads structured data.
func (r *reader) tree(n ast.Node, params []string) *Tree {
	n = r.resolve(n)
	if n == nil {
		return nil
	}
	t := &Tree{Pos: r.at(n)}
	switch x := n.(type) {
	case *ast.MappingNode, *ast.MappingValueNode:
		t.IsMap = true
		for _, e := range r.entries(n, "structured") {
			key := e.key
			if key == "type" || key == "id" {
				key = "@" + key
			}
			if kid := r.tree(e.node, params); kid != nil {
				t.Keys = append(t.Keys, key)
				t.Kids = append(t.Kids, kid)
			}
		}
	case *ast.SequenceNode:
		t.IsList = true
		for _, v := range x.Values {
			if kid := r.tree(v, params); kid != nil {
				t.Kids = append(t.Kids, kid)
			}
		}
	case *ast.NullNode:
		r.errorf(t.Pos, "structured data has an empty value here")
		return nil
	case *ast.IntegerNode, *ast.FloatNode, *ast.BoolNode:
		if v := x.GetToken().Value; IsBare(v) {
			t.Literal = v
			return t
		}
		t.Text = &placeholder.Template{Pieces: []placeholder.Piece{{Text: x.GetToken().Value}}}
	default:
		s, ok := r.oneText(n, "structured")
		if !ok {
			return nil
		}
		tmpl, err := placeholder.Parse(s.Value, params...)
		if err != nil {
			r.errorf(r.inside(n, err.(*placeholder.Error).Offset), "%v", err)
			return nil
		}
		t.Text = tmpl
		if p := tmpl.Alone(); p != nil && len(p.Options) == 1 && len(p.Filters) == 0 {
			t.Fact = p
		}
	}
	return t
}

// structured reads the parts of the key structured: one tree, or a list of them.
func (r *reader) structured(it *Item, n ast.Node, params []string) {
	for _, v := range r.list(n) {
		v = r.resolve(v)
		switch v.(type) {
		case *ast.MappingNode, *ast.MappingValueNode:
			before := len(r.problems)
			t := r.tree(v, params)
			switch {
			case t == nil || len(r.problems) > before:
			case len(t.Keys) == 0:
				r.problem(problem.Error, t.Pos, "write it like structured: {type: Event, name: Perseids}", "the structured data of item %q are empty", it.Name)
			default:
				it.Parts = append(it.Parts, &Part{Kind: Structured, Key: "structured", Tree: t, Pos: t.Pos, CodePos: t.Pos})
			}
		default:
			r.problem(problem.Error, r.at(v), "write it like structured: {type: Event, name: Perseids}", "structured should be a mapping, not %s", kindOf(v))
		}
	}
}

// questions reads questions with answers into the tree of a page of them.
func (r *reader) questions(it *Item, n ast.Node, params []string) {
	n = r.resolve(n)
	if n == nil {
		return
	}
	list := &Tree{Pos: r.at(n), Asks: true}
	if _, ok := n.(*ast.StringNode); ok {
		t := r.tree(n, params)
		if t == nil {
			return
		}
		if t.Fact == nil {
			r.problem(
				problem.Error,
				t.Pos,
				"write a list of ask and answer, or one placeholder that names a list fact",
				"questions should be a list of questions with answers",
			)
			return
		}
		list.Text, list.Fact = t.Text, t.Fact
	} else {
		list.IsList = true
		for _, v := range r.list(n) {
			pair := &Tree{IsMap: true, Pos: r.at(v)}
			before := len(r.problems)
			for _, e := range r.mapping(v, "a question", KeysOf(Ask{})) {
				if t := r.tree(e.node, params); t != nil {
					if t.Text != nil && t.Text.Plain() && (len(t.Text.Pieces) == 0 || strings.TrimSpace(t.Text.Pieces[0].Text) == "") {
						r.errorf(t.Pos, "%s of a question has no text", e.key)
					}
					pair.Keys = append(pair.Keys, e.key)
					pair.Kids = append(pair.Kids, t)
				}
			}
			if len(pair.Keys) != 2 {
				if len(r.problems) == before {
					r.errorf(pair.Pos, "a question has an ask and an answer")
				}
				continue
			}
			list.Kids = append(list.Kids, pair)
		}
		if len(list.Kids) == 0 {
			return
		}
	}
	it.Parts = append(it.Parts, &Part{Kind: Structured, Key: "questions", Tree: list, Pos: list.Pos, CodePos: list.Pos})
}
