package syntax

import (
	"slices"
	"strings"

	"github.com/tdewolff/parse/v2/js"
)

// What the expressions of a script stand for, as far as its text tells: elements that it makes,
// and texts.

// element tells what an expression makes: the tag, and the calls that make it.
func (f *follower) element(n js.INode, depth int) (tag string, nodes []js.INode) {
	if f.steps++; depth == 0 || f.steps > mostSteps {
		return "", nil
	}
	switch n := bare(n).(type) {
	case *js.CallExpr:
		d, ok := n.X.(*js.DotExpr)
		if !ok {
			return "", nil
		}
		at := map[string]int{"createElement": 1, "createElementNS": 2}[member(d.Y)]
		if at == 0 || len(n.Args.List) < at {
			return "", nil
		}
		s, ok := f.first(n.Args.List[at-1].Value, 4)
		if !ok {
			return "", nil
		}
		return strings.ToLower(s), []js.INode{n}
	case *js.NewExpr:
		if v, ok := n.X.(*js.Var); ok && member(v) == "Image" {
			return "img", []js.INode{n}
		}
	case *js.BinaryExpr:
		if n.Op == js.EqToken {
			return f.element(n.Y, depth)
		}
	case *js.Var:
		for _, v := range f.values[origin(n)] {
			if t, more := f.element(v, depth-1); t != "" {
				tag, nodes = t, append(nodes, more...)
			}
		}
	}
	return tag, nodes
}

// A text is what is known of a value: all of it, or its beginning.
type text struct {
	text string
	open bool
}

// first is the first text that an expression may be; ok where it is known to its end.
func (f *follower) first(n js.INode, depth int) (s string, ok bool) {
	for _, t := range f.texts(n, depth) {
		if !t.open {
			return t.text, true
		}
	}
	return "", false
}

// mostTexts is how many texts are reported one expression.
const mostTexts = 8

// texts lists the texts that an expression may be.
func (f *follower) texts(n js.INode, depth int) (out []text) {
	unknown := []text{{"", true}}
	if f.steps++; depth == 0 || f.steps > mostSteps {
		return unknown
	}
	switch n := bare(n).(type) {
	case *js.LiteralExpr:
		if n.TokenType == js.StringToken && len(n.Data) >= 2 {
			return []text{{unescape(string(n.Data[1 : len(n.Data)-1])), false}}
		}
		if n.TokenType == js.IntegerToken || n.TokenType == js.DecimalToken {
			return []text{{string(n.Data), false}}
		}
	case *js.TemplateExpr:
		if n.Tag != nil {
			return unknown
		}
		out = []text{{}}
		for _, p := range n.List {
			out = f.joined(out,
				[]text{
					{strings.Trim(strings.TrimSuffix(strings.TrimPrefix(string(p.Value), "}"), "${"), "`"), false}})
			out = f.joined(out, f.texts(p.Expr, depth-1))
		}
		return f.joined(out, []text{{strings.TrimPrefix(strings.Trim(string(n.Tail), "`"), "}"), false}})
	case *js.BinaryExpr:
		switch n.Op {
		case js.AddToken:
			return f.joined(f.texts(n.X, depth-1), f.texts(n.Y, depth-1))
		case js.OrToken, js.NullishToken, js.AndToken:
			return known(f.texts(n.X, depth-1), f.texts(n.Y, depth-1))
		case js.EqToken:
			return f.texts(n.Y, depth-1)
		}
	case *js.CondExpr:
		if yes, ok := f.holdsTrue(n.Cond, depth-1); ok && yes {
			return f.texts(n.X, depth-1)
		} else if ok {
			return f.texts(n.Y, depth-1)
		}
		return known(f.texts(n.X, depth-1), f.texts(n.Y, depth-1))
	case *js.DotExpr:
		if member(n.Y) == "protocol" { // of the page, which comes over https
			return []text{{"https:", false}}
		}
	case *js.CallExpr:
		d, ok := n.X.(*js.DotExpr)
		if ok && member(d.Y) == "concat" {
			out = f.texts(d.X, depth-1)
			for _, a := range n.Args.List {
				out = f.joined(out, f.texts(a.Value, depth-1))
			}
			return out
		}
	case *js.Var:
		if out = f.ofVariable(origin(n), depth); len(out) > 0 {
			return few(out)
		}
	}
	return unknown
}

// ofVariable lists the texts that a variable or a parameter may be.
func (f *follower) ofVariable(v *js.Var, depth int) (out []text) {
	for _, x := range f.values[v] {
		if len(out) <= mostTexts {
			out = append(out, f.texts(x, depth-1)...)
		}
	}
	p, ok := f.params[v]
	if !ok {
		return out
	}
	for _, name := range append([]any{p.function}, f.heldBy[p.function]...) {
		for _, args := range f.calls[name] {
			if len(out) > mostTexts {
				break
			}
			if p.index < len(args) {
				out = append(out, f.texts(args[p.index].Value, depth-1)...)
			}
		}
	}
	return out
}

// holdsTrue decides a comparison of two texts; ok is false where it cannot.
func (f *follower) holdsTrue(n js.INode, depth int) (yes, ok bool) {
	b, is := bare(n).(*js.BinaryExpr)
	if !is || depth == 0 {
		return false, false
	}
	x, known := f.first(b.X, depth)
	y, also := f.first(b.Y, depth)
	if !known || !also {
		return false, false
	}
	switch b.Op {
	case js.EqEqToken, js.EqEqEqToken:
		return x == y, true
	case js.NotEqToken, js.NotEqEqToken:
		return x != y, true
	}
	return false, false
}

// known puts two lists of texts together; what is wholly unknown is left out where something
// is known.
func known(x, y []text) (out []text) {
	for _, t := range append(slices.Clone(x), y...) {
		if t.text != "" || !t.open {
			out = append(out, t)
		}
	}
	if len(out) == 0 {
		return []text{{"", true}}
	}
	return few(out)
}

// few cuts a list of texts, and says so.
func few(list []text) []text {
	if len(list) > mostTexts {
		return append(list[:mostTexts-1:mostTexts-1], text{"", true})
	}
	return list
}

// joined puts each of some texts before each of others.
func (f *follower) joined(x, y []text) (out []text) {
	for _, a := range x {
		if a.open {
			out = append(out, a)
			continue
		}
		for _, b := range y {
			out = append(out, text{a.text + b.text, b.open})
		}
	}
	return few(out)
}

// escapesOf are the escapes of a string that URLs and markup have (ECMAScript, 12.9.4).
var escapesOf = strings.NewReplacer(`\\`, `\`, `\/`, `/`, `\'`, `'`, `\"`, `"`, `\n`, "\n", `\t`, "\t", `\x3C`, "<",
	`\x3c`, "<", `\x3E`, ">", `\x3e`, ">", `\u003C`, "<", `\u003c`, "<", `\u003E`, ">", `\u003e`, ">", `\x26`, "&")

func unescape(s string) string {
	if !strings.Contains(s, `\`) {
		return s
	}
	return escapesOf.Replace(s)
}
