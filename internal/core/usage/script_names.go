package usage

import (
	"regexp"
	"strings"

	"github.com/tdewolff/parse/v2/js"
)

// What the names in a script stand for: functions that can be called by them, and texts
// that never change.

// name is a variable's name.
func name(v *js.Var) string { return string(v.Name()) }

func same(v *js.Var) *js.Var {
	for v.Link != nil {
		v = v.Link
	}
	return v
}

// free reports whether a variable is declared nowhere in the script: it is global.
func free(v *js.Var) bool { return same(v).Decl == js.NoDecl }

// A collector notes the functions of a script by the names under which the rest of
// it can call them.
type collector struct{ *walker }

func (c collector) Exit(js.INode) {}

func (c collector) Enter(n js.INode) js.IVisitor {
	switch n := n.(type) {
	case *js.FuncDecl:
		c.all = append(c.all, n)
		if n.Name != nil {
			c.functions[same(n.Name)] = append(c.functions[same(n.Name)], n)
		}
	case *js.ArrowFunc:
		c.all = append(c.all, n)
	case *js.ClassDecl:
		if n.Name != nil {
			c.constructors(n.Name, n)
		}
	case *js.MethodDecl:
		c.all = append(c.all, n)
		if n.Name.Literal.Data != nil {
			c.methods[text(&n.Name.Literal)] = append(c.methods[text(&n.Name.Literal)], n)
		}
	case *js.BindingElement:
		v, ok := n.Binding.(*js.Var)
		if ok && n.Default != nil {
			if c.constants[same(v)] != nil {
				c.changed[same(v)] = true // declared twice
			}
			c.constants[same(v)] = n.Default
		}
		if class, is := n.Default.(*js.ClassDecl); ok && is {
			c.constructors(v, class)
		} else if ok {
			c.functions[same(v)] = append(c.functions[same(v)], alternatives(n.Default, 4)...)
		}
	case *js.Property:
		if n.Name != nil && isFunction(n.Value) {
			c.methods[text(&n.Name.Literal)] = append(c.methods[text(&n.Name.Literal)], n.Value)
		}
	case *js.UnaryExpr:
		if v, ok := n.X.(*js.Var); ok &&
			(n.Op == js.PreIncrToken || n.Op == js.PostIncrToken || n.Op == js.PreDecrToken ||
				n.Op == js.PostDecrToken) {
			c.changed[same(v)] = true
		}
	case *js.BinaryExpr:
		if v, ok := n.X.(*js.Var); ok && assigns[n.Op] {
			c.changed[same(v)] = true
		}
		if n.Op != js.EqToken {
			break
		}
		switch to := n.X.(type) {
		case *js.Var:
			c.functions[same(to)] = append(c.functions[same(to)], alternatives(n.Y, 4)...)
		case *js.DotExpr:
			c.methods[text(to.Y)] = append(c.methods[text(to.Y)], alternatives(n.Y, 4)...)
		}
	}
	return c
}

// assigns are the operators that set a variable.
var assigns = map[js.TokenType]bool{
	js.EqToken: true, js.AddEqToken: true, js.SubEqToken: true, js.MulEqToken: true, js.DivEqToken: true,
	js.OrEqToken: true, js.AndEqToken: true, js.NullishEqToken: true,
}

// constructors notes what runs when somebody makes one of a class.
func (c collector) constructors(v *js.Var, class *js.ClassDecl) {
	for _, e := range class.List {
		if e.Method != nil && string(e.Method.Name.Literal.Data) == "constructor" {
			c.functions[same(v)] = append(c.functions[same(v)], e.Method)
		}
	}
}

// alternatives lists the functions that an expression may be.
func alternatives(n js.INode, depth int) []js.INode {
	n = ungroup(n)
	if isFunction(n) {
		return []js.INode{n}
	}
	if depth == 0 {
		return nil
	}
	switch n := n.(type) {
	case *js.CondExpr:
		return append(alternatives(n.X, depth-1), alternatives(n.Y, depth-1)...)
	case *js.BinaryExpr:
		if n.Op == js.OrToken || n.Op == js.NullishToken || n.Op == js.EqToken {
			return append(alternatives(n.X, depth-1), alternatives(n.Y, depth-1)...)
		}
	}
	return nil
}

func isFunction(n js.INode) bool {
	switch n.(type) {
	case *js.FuncDecl, *js.ArrowFunc, *js.MethodDecl:
		return true
	}
	return false
}

// text is a literal's or a name's text, without quotes.
func text(n js.INode) string {
	switch n := n.(type) {
	case *js.Var:
		return name(n)
	case js.LiteralExpr:
		return unquote(n.Data)
	case *js.LiteralExpr:
		return unquote(n.Data)
	}
	return ""
}

func unquote(b []byte) string {
	if len(b) >= 2 && (b[0] == '"' || b[0] == '\'') {
		b = b[1 : len(b)-1]
	}
	return string(b)
}

// escapes are those that a selector in a text needs; odd finds any other.
var (
	escapes = strings.NewReplacer(`\\`, `\`, `\'`, "'", `\"`, `"`)
	odd     = regexp.MustCompile(`(?:^|[^\\])(?:\\\\)*\\[^\\'"]`)
)

// literal is a text that stands in the code as it is, or in a variable that never has
// another value.
func (w *walker) literal(n js.INode) (string, bool) { return w.text(n, 4) }

func (w *walker) text(n js.INode, depth int) (string, bool) {
	switch n := n.(type) {
	case *js.LiteralExpr:
		if n.TokenType == js.StringToken {
			raw := unquote(n.Data)
			return escapes.Replace(raw), !odd.MatchString(raw)
		}
	case *js.TemplateExpr:
		if len(n.List) == 0 && n.Tag == nil && len(n.Tail) >= 2 {
			return strings.Trim(string(n.Tail), "`"), true
		}
	case *js.GroupExpr:
		return w.text(n.X, depth)
	case *js.BinaryExpr:
		if n.Op == js.AddToken && depth > 0 {
			x, known := w.text(n.X, depth-1)
			y, also := w.text(n.Y, depth-1)
			return x + y, known && also
		}
	case *js.Var:
		if v := same(n); depth > 0 && w.constants[v] != nil && !w.changed[v] {
			return w.text(w.constants[v], depth-1)
		}
	}
	return "", false
}

func ungroup(n js.INode) js.INode {
	for {
		g, ok := n.(*js.GroupExpr)
		if !ok {
			return n
		}
		n = g.X
	}
}

// imported lists the names under which a module has what it imports (ECMAScript, 16.2.2).
func imported(ast *js.AST) map[string]bool {
	names := map[string]bool{}
	for _, s := range ast.List {
		i, ok := s.(*js.ImportStmt)
		if !ok {
			continue
		}
		if len(i.Default) > 0 {
			names[string(i.Default)] = true
		}
		for _, a := range i.List {
			if len(a.Binding) > 0 {
				names[string(a.Binding)] = true
			}
		}
	}
	return names
}
