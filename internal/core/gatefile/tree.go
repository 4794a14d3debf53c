package gatefile

import (
	"regexp"
	"slices"
	"strings"

	"github.com/goccy/go-yaml/ast"

	"yellowgate/internal/core/markup"
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
	// List is the placeholder of a text that may be a list as a whole: a list fact, or page.all.
	List *placeholder.Placeholder
	// From finds the rows of the page for each of which the one kid is written; nil for none.
	From *markup.Selector
	// Asks marks what has to be a list of questions with answers, and Pairs where the page has them.
	Asks  bool
	Pairs *Pairs
	Pos   problem.Position
}

// Pairs say where a page has questions and answers: each that Ask finds in an element that From finds, with what Answer
// finds behind it, up to the next question.
type Pairs struct{ From, Ask, Answer *markup.Selector }

// isFact reports whether a placeholder is a fact and nothing else: then it may be a list.
func isFact(p *placeholder.Placeholder) bool {
	return len(p.Options) == 1 && len(p.Filters) == 0 && strings.HasPrefix(p.Options[0].Name, "fact.")
}

// asksAll reports whether a placeholder asks for all elements of a page that a selector matches.
func asksAll(p *placeholder.Placeholder) bool {
	return slices.ContainsFunc(p.Options, func(o placeholder.Option) bool { return o.Call != nil && o.Call.What == "all" })
}

// jsonNumber is a number as JSON has it (RFC 8259, section 6), which is one of
// JavaScript too.
var jsonNumber = regexp.MustCompile(`^-?(0|[1-9][0-9]*)(\.[0-9]+)?([eE][-+]?[0-9]+)?$`)

// IsBare reports whether a value can stand in a script without quotes: a number
// or a truth value.
func IsBare(v string) bool { return v == "true" || v == "false" || jsonNumber.MatchString(v) }

// tree reads structured data.
func (r *reader) tree(n ast.Node, scope placeholder.Scope) *Tree {
	n = r.resolve(n)
	if n == nil {
		return nil
	}
	t := &Tree{Pos: r.at(n)}
	switch x := n.(type) {
	case *ast.MappingNode, *ast.MappingValueNode:
		if slices.ContainsFunc(r.entriesQuietly(n), func(e entry) bool { return e.key == "each" }) {
			return r.rows(n, scope)
		}
		t.IsMap = true
		for _, e := range r.entries(n, "structured") {
			key := e.key
			if key == "type" || key == "id" {
				key = "@" + key
			}
			if kid := r.tree(e.node, scope); kid != nil {
				t.Keys = append(t.Keys, key)
				t.Kids = append(t.Kids, kid)
			}
		}
	case *ast.SequenceNode:
		t.IsList = true
		for _, v := range x.Values {
			if kid := r.tree(v, scope); kid != nil {
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
		if t.Text, ok = r.template(n, s.Value, scope); !ok {
			return nil
		}
		if p := t.Text.Alone(); p != nil && (isFact(p) || asksAll(p)) {
			t.List = p
		}
	}
	return t
}

// rows reads what is written for each row of the page.
func (r *reader) rows(n ast.Node, scope placeholder.Scope) *Tree {
	t := &Tree{Pos: r.at(n)}
	before := len(r.problems)
	scope.Rows = true
	for _, e := range r.mapping(n, "what is written for each row", KeysOf(RowsShape{})) {
		switch e.key {
		case "from":
			t.From = r.contentSelector(e)
		case "each":
			if kid := r.tree(e.node, scope); kid != nil {
				t.Kids = []*Tree{kid}
			}
		}
	}
	if t.From != nil && t.Kids != nil {
		return t
	}
	if len(r.problems) == before {
		r.problem(problem.Error, t.Pos,
			"write it like {from: \"#programme li\", each: {type: Event, name: \"@{row.text(b)}\"}}",
			"what is written for each row has from and each")
	}
	return nil
}

// contentSelector reads a selector of what is read from pages.
func (r *reader) contentSelector(e entry) *markup.Selector {
	t, ok := r.oneText(e.node, e.key)
	if !ok {
		return nil
	}
	r.hiddenComment(e.node, t)
	s, err := markup.ParseSelector(t.Value)
	if err != nil {
		r.selectorError(r.resolve(e.node), err)
		return nil
	}
	r.gate.ContentSelectors = append(r.gate.ContentSelectors, s)
	return s
}

// pairs reads where pages have questions and answers.
func (r *reader) pairs(n ast.Node) *Pairs {
	before := len(r.problems)
	p := &Pairs{}
	for _, e := range r.mapping(n, "where questions stand", KeysOf(PairsShape{})) {
		switch e.key {
		case "from":
			p.From = r.contentSelector(e)
		case "ask":
			p.Ask = r.contentSelector(e)
		case "answer":
			p.Answer = r.contentSelector(e)
		}
	}
	if p.From != nil && p.Ask != nil && p.Answer != nil {
		return p
	}
	if len(r.problems) == before {
		r.problem(problem.Error, r.at(n), "write it like questions: {from: dl.faq, ask: dt, answer: dd}",
			"questions of a page have from, ask and answer, each a selector")
	}
	return nil
}

// structured reads the parts of the key structured: one tree, or a list of them.
func (r *reader) structured(it *Item, n ast.Node) {
	for _, v := range r.list(n) {
		v = r.resolve(v)
		switch v.(type) {
		case *ast.MappingNode, *ast.MappingValueNode:
			before := len(r.problems)
			t := r.tree(v, it.scope())
			switch {
			case t == nil || len(r.problems) > before:
			case len(t.Keys) == 0:
				r.problem(problem.Error, t.Pos, "write it like structured: {type: Event, name: Perseids}",
					"the structured data of item %q are empty", it.Name)
			default:
				it.Parts = append(it.Parts, &Part{Kind: Structured, Key: "structured", Tree: t, Pos: t.Pos, CodePos: t.Pos})
			}
		default:
			r.problem(problem.Error, r.at(v), "write it like structured: {type: Event, name: Perseids}",
				"structured should be a mapping, not %s", kindOf(v))
		}
	}
}

// questions reads questions with answers into the tree of a page of them.
func (r *reader) questions(it *Item, e entry) {
	one := func(n ast.Node) bool {
		return slices.ContainsFunc(r.entriesQuietly(r.resolve(n)), func(x entry) bool { return x.key == "only" })
	}
	if one(e.node) || slices.ContainsFunc(r.list(e.node), one) {
		r.eachPart(it, e, func(n ast.Node) { r.questionsOf(it, n) })
		return
	}
	r.questionsOf(it, e.node)
}

func (r *reader) questionsOf(it *Item, n ast.Node) {
	n = r.resolve(n)
	if n == nil {
		return
	}
	list := &Tree{Pos: r.at(n), Asks: true}
	if _, ok := n.(*ast.StringNode); ok {
		t := r.tree(n, it.scope())
		if t == nil {
			return
		}
		if t.List == nil || asksAll(t.List) {
			r.problem(problem.Error, t.Pos,
				"write a list of ask and answer, or one placeholder that names a list fact",
				"questions should be a list of questions with answers")
			return
		}
		list.Text, list.List = t.Text, t.List
	} else if slices.ContainsFunc(r.entriesQuietly(n), func(e entry) bool { return e.key == "from" }) {
		if list.Pairs = r.pairs(n); list.Pairs == nil {
			return
		}
	} else {
		list.IsList = true
		for _, v := range r.list(n) {
			pair := &Tree{IsMap: true, Pos: r.at(v)}
			before := len(r.problems)
			for _, e := range r.mapping(v, "a question", KeysOf(Ask{})) {
				if t := r.tree(e.node, it.scope()); t != nil {
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
