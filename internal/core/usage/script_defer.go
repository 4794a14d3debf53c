package usage

import (
	"slices"

	"github.com/tdewolff/parse/v2/js"

	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/syntax"
)

// What happens to a page when a script waits until it has been read.

// A Deferral is what stands in the way of loading a script with defer (HTML, 4.12.1).
type Deferral struct {
	Writes bool   // it writes into the page as it runs, which deferred scripts cannot
	With   []int  // of the record: scripts of files below it that use what it defines, and would have to wait too
	By     int    // of the record: the inline script that uses what they define as it is read; -1 for none
	Name   string // that it uses
	Sure   bool   // all of them could be read
}

// mostBelow bounds how many scripts below another are looked at.
const mostBelow = 100

// Defer says what stands in the way of loading a blocking script of a page with defer.
func (l *Library) Defer(r *inventory.Record, at int) (d Deferral) {
	list, _, whole := l.scriptsOf(r, &r.Elements[at])
	d = Deferral{By: -1, Sure: whole}
	var missed []string // what is not there yet while the page is read
	wait := func(list []*Script) {
		for _, s := range list {
			missed = slices.Concat(missed, s.Defines, s.Extends)
			d.Writes = d.Writes || slices.Contains(s.Load.Effects, "document.write")
		}
	}
	wait(list)
	looked, there := 0, map[string]bool{} // there: what is defined all the same
	for i := range r.Elements {
		e := &r.Elements[i]
		if !e.IsScript() || e.Inside != "" || e.Runs != "blocking" || i == at {
			continue
		}
		if looked++; looked > mostBelow {
			d.Sure = false
			break
		}
		list, _, whole := l.scriptsOf(r, e)
		d.Sure = d.Sure && whole && len(e.Brings) == 0 && !slices.ContainsFunc(list, bringsUnknown)
		for _, s := range list {
			for _, name := range slices.Concat(s.Defines, s.Extends) {
				there[name] = true
			}
		}
		if i < at {
			continue
		}
		switch name := usedAtOnce(list, missed); {
		case name == "":
			for _, s := range list {
				unexplained := func(name string) bool { return !there[name] && !slices.Contains(missed, name) }
				d.Sure = d.Sure && !slices.ContainsFunc(s.Early, unexplained)
			}
			for _, s := range list { // who calls its functions at once needs what they need
				if slices.ContainsFunc(missed, func(name string) bool { return s.Uses[name] }) {
					missed = slices.Concat(missed, s.Defines, s.Extends)
				}
			}
		case e.URL == "":
			d.By, d.Name = i, name
			return d
		default:
			d.With = append(d.With, i)
			wait(list)
		}
	}
	return d
}

// bringsUnknown reports whether a script may bring others that nobody can name. jQuery by itself, which has a
// loader of its own, brings nothing unless another script says so; in a bundle nobody can tell.
func bringsUnknown(s *Script) bool {
	other := func(name string) bool { return name != "jQuery" && name != "$" }
	return len(s.Unknown.Loads) > 0 && (!slices.Contains(s.Defines, "jQuery") || slices.ContainsFunc(s.Defines, other))
}

// usedAtOnce is a name that scripts use as they are read, of some that are missed; "" for none.
func usedAtOnce(list []*Script, missed []string) string {
	for _, s := range list {
		for _, name := range missed {
			if s.Uses[name] && !s.Later[name] {
				return name
			}
		}
	}
	return ""
}

// atOnce notes the globals that a script mentions as it is read: all but those in functions that it
// declares and does not mention, and in those that it leaves for when the page has been read.
type atOnce struct {
	*walker
	declared map[js.INode]bool // functions that a block declares
	names    map[string]bool
	seen     map[js.INode]bool
}

func (v atOnce) Exit(js.INode) {}

func (v atOnce) Enter(n js.INode) js.IVisitor {
	switch n := n.(type) {
	case *js.BlockStmt:
		for _, s := range n.List {
			if f, ok := s.(*js.FuncDecl); ok {
				v.declared[f] = true
			}
		}
	case *js.FuncDecl:
		if v.declared[n] {
			return nil // until something mentions it
		}
	case *js.BindingElement:
		if _, ok := n.Binding.(*js.Var); ok && isFunction(ungroup(n.Default)) {
			return nil
		}
	case *js.BinaryExpr:
		if n.Op == js.EqToken && v.forLoad(n.X) {
			return nil
		}
	case *js.CallExpr:
		if v.untilRead(n) {
			js.Walk(v, n.X)
			for _, arg := range n.Args.List {
				if x, ok := arg.Value.(*js.Var); ok && free(x) {
					v.names[name(x)] = true // it must be there, though it is not called yet
				}
			}
			return nil
		}
	case *js.DotExpr:
		if v.window(n.X) {
			v.names[text(n.Y)] = true
		}
	case *js.IndexExpr:
		if s, ok := v.literal(n.Y); ok && v.window(n.X) {
			v.names[s] = true
		}
	case *js.Var:
		if free(n) {
			v.names[name(n)] = true
		}
		for _, f := range v.functions[same(n)] {
			if !v.seen[f] {
				v.seen[f] = true
				syntax.WalkBody(v, f)
			}
		}
	}
	return v
}

// forLoad reports whether something is set that a browser calls once the page has been read.
func (v atOnce) forLoad(to js.INode) bool {
	switch to := to.(type) {
	case *js.Var:
		return free(to) && name(to) == "onload"
	case *js.DotExpr:
		return v.window(to.X) && text(to.Y) == "onload"
	}
	return false
}

// untilRead reports whether a call leaves a function for when the page has been read, as
// $(function () { … }) does.
func (v atOnce) untilRead(c *js.CallExpr) bool {
	left := func(at int) bool {
		if len(c.Args.List) <= at {
			return false
		}
		arg := ungroup(c.Args.List[at].Value)
		_, named := arg.(*js.Var)
		return named || isFunction(arg)
	}
	called, of, whole := "", js.INode(nil), true // whole: it is of the page, and not of an element
	switch x := ungroup(c.X).(type) {
	case *js.Var:
		called = name(x)
	case *js.DotExpr:
		called, of, whole = text(x.Y), ungroup(x.X), v.stands(x.X) != ""
	}
	switch called {
	case "$", "jQuery":
		return whole && len(c.Args.List) == 1 && isFunction(ungroup(c.Args.List[0].Value))
	case "ready":
		list, ok := of.(*js.CallExpr)
		if !ok || !left(0) {
			return false
		}
		x, ok := ungroup(list.X).(*js.Var)
		return ok && (name(x) == "$" || name(x) == "jQuery")
	case "addEventListener":
		if !whole || !left(1) {
			return false
		}
		event, _ := v.literal(c.Args.List[0].Value)
		return event == "DOMContentLoaded" || event == "load"
	}
	return false
}

// usedLater lists the globals that a script mentions, and never as it is read.
func (w *walker) usedLater(ast *js.AST) map[string]bool {
	v := atOnce{w, map[js.INode]bool{}, map[string]bool{}, map[js.INode]bool{}}
	js.Walk(v, ast)
	later := map[string]bool{}
	for _, x := range ast.Scope.Undeclared {
		if !v.names[name(x)] {
			later[name(x)] = true
		}
	}
	return later
}
