package evidence

import (
	"slices"
	"strings"

	"github.com/tdewolff/parse/v2/js"
)

// What runs, in which order, and what the code has in its hands there.

// A walker goes through the code that runs when a script is loaded: the top level,
// functions called in place or handed over to be called, and those that it names on
// the way. What is left is walked as held.
type walker struct {
	script    *Script
	reach     *Reach
	functions map[*js.Var][]js.INode
	methods   map[string][]js.INode
	all       []js.INode
	walked    map[js.INode]walk
	queue     []call
	alias     map[*js.Var]string   // parameters that stand for window or document
	constants map[*js.Var]js.INode // what variables are declared with
	changed   map[*js.Var]bool     // those that are set anew
	libraries map[*js.Var]bool     // parameters that stand for a global of another script
	defined   map[string]bool
	// dependent: what is walked runs only with an element in hand: in a function
	// handed to a method of something, or after a look whether it is there.
	dependent bool
	global    bool // this is the window: at the top level, or in a function called in place
}

// A call is a function that will run.
type call struct {
	function  js.INode
	dependent bool
	global    bool
}

// walk is how a function was walked.
type walk uint8

const (
	notWalked walk = iota
	asDependent
	walked
)

func (w *walker) define(global string) {
	if !w.defined[global] {
		w.defined[global] = true
		w.script.Defines = append(w.script.Defines, global)
	}
}

// runs puts a function in the queue.
func (w *walker) runs(f js.INode, dependent bool) { w.run(f, dependent, false) }

// run is runs; global says that the function is called in place, so that its this may
// be the window.
func (w *walker) run(f js.INode, dependent, global bool) {
	f = ungroup(f)
	as := walked
	if dependent {
		as = asDependent
	}
	if f != nil && isFunction(f) && w.walked[f] < as {
		w.walked[f] = as
		w.queue = append(w.queue, call{f, dependent, global})
	}
}

// bodies walks the functions in the queue.
func (w *walker) bodies() {
	for len(w.queue) > 0 {
		c := w.queue[0]
		w.queue = w.queue[1:]
		w.dependent, w.global = c.dependent, c.global
		w.body(c.function)
	}
	w.dependent, w.global = false, false
}

// body walks what a function does.
func (w *walker) body(f js.INode) {
	switch f := f.(type) {
	case *js.FuncDecl:
		js.Walk(w, &f.Params)
		js.Walk(w, &f.Body)
	case *js.ArrowFunc:
		js.Walk(w, &f.Params)
		js.Walk(w, &f.Body)
	case *js.MethodDecl:
		js.Walk(w, &f.Params)
		js.Walk(w, &f.Body)
	}
}

func (w *walker) Exit(js.INode) {}

// Enter implements js.IVisitor.
func (w *walker) Enter(n js.INode) js.IVisitor {
	switch n := n.(type) {
	case *js.FuncDecl, *js.ArrowFunc, *js.MethodDecl:
		return nil // until it is known to run
	case *js.Var:
		for _, f := range w.functions[same(n)] {
			w.runs(f, w.dependent)
		}
		if free(n) && doesMuch[name(n)] {
			w.effect(name(n))
		}
	case *js.LiteralExpr:
		if n.TokenType == js.StringToken {
			identifierWords(unquote(n.Data), w.script.Words)
		}
	case *js.TemplateExpr:
		for _, p := range n.List {
			identifierWords(string(p.Value), w.script.Words)
		}
		identifierWords(string(n.Tail), w.script.Words)
	case *js.BinaryExpr:
		if n.Op == js.AndToken {
			w.asks(n.X)
		}
		if n.Op != js.EqToken {
			break
		}
		w.assignment(n)
		switch to := n.X.(type) { // what is set is not asked for
		case *js.Var:
		case *js.DotExpr:
			js.Walk(w, to.X)
		default:
			js.Walk(w, n.X)
		}
		js.Walk(w, n.Y)
		return nil
	case *js.DotExpr:
		w.member(n)
		js.Walk(w, n.X)
		return nil // a property's name is no variable
	case *js.NewExpr:
		if v, ok := n.X.(*js.Var); ok && n.Args != nil && free(v) {
			w.handedOver(n.Args.List, w.dependent)
		}
	case *js.BlockStmt:
		w.statements(n.List)
		return nil
	case *js.IfStmt:
		w.asks(n.Cond)
		js.Walk(w, n.Cond)
		before := w.dependent
		w.dependent = before || asksForLocal(n.Cond, false)
		js.Walk(w, n.Body)
		w.dependent = before
		js.Walk(w, n.Else)
		return nil
	case *js.CallExpr:
		w.call(n)
		return nil
	}
	return w
}

// doesMuch are functions and objects of browsers with which a script does something
// whatever stands on the page.
var doesMuch = map[string]bool{"fetch": true, "XMLHttpRequest": true, "Image": true, "WebSocket": true, "EventSource": true, "Worker": true,
	"SharedWorker": true, "importScripts": true, "eval": true, "alert": true, "confirm": true, "prompt": true, "open": true, "setInterval": true}

// documentDoes are the members of document with which it does.
var documentDoes = map[string]bool{"write": true, "writeln": true, "createElement": true, "cookie": true, "title": true, "body": true,
	"head": true, "documentElement": true, "adoptedStyleSheets": true, "forms": true, "images": true, "links": true, "scripts": true, "styleSheets": true}

// window reports whether an expression is the global object, or what stands for it.
func (w *walker) window(n js.INode) bool { return w.stands(n) == "window" }

// stands tells what an expression is: "window", "document" or "".
func (w *walker) stands(n js.INode) string {
	switch n := n.(type) {
	case *js.Var:
		if a := w.alias[same(n)]; a != "" {
			return a
		}
		if free(n) || same(n).Decl == js.ArgumentDecl { // a parameter called so is given that
			switch name(n) {
			case "window", "self", "globalThis", "top", "parent":
				return "window"
			case "document":
				return "document"
			}
		}
	case *js.LiteralExpr:
		if n.TokenType == js.ThisToken && w.global {
			return "window"
		}
	case *js.GroupExpr:
		return w.stands(n.X)
	case *js.CondExpr:
		if s := w.stands(n.X); s != "" {
			return s
		}
		return w.stands(n.Y)
	case *js.BinaryExpr:
		if s := w.stands(n.X); s != "" && n.Op == js.OrToken {
			return s
		}
	case *js.DotExpr:
		if w.window(n.X) && text(n.Y) == "document" {
			return "document"
		}
	}
	return ""
}

// member looks at X.Y.
func (w *walker) member(n *js.DotExpr) {
	member := text(n.Y)
	w.script.Members[member] = true
	for _, f := range w.methods[member] {
		w.runs(f, w.dependent)
	}
	if v, ok := n.X.(*js.Var); ok && name(v) == "navigator" && (member == "sendBeacon" || member == "serviceWorker") {
		w.effect("navigator." + member)
	}
	switch w.stands(n.X) {
	case "window":
		w.script.Uses[member] = true
		if doesMuch[member] {
			w.effect(member)
		}
	case "document":
		if documentDoes[member] {
			w.effect("document." + member)
		}
	}
}

// assignment notes the global names that are set.
func (w *walker) assignment(n *js.BinaryExpr) {
	switch to := n.X.(type) {
	case *js.Var:
		if free(to) {
			if name(to) == "location" {
				w.effect("location")
				return
			}
			w.define(name(to))
		}
	case *js.DotExpr:
		member := text(to.Y)
		handler := strings.HasPrefix(member, "on")
		switch {
		case w.stands(to.X) != "" && handler: // an event of the whole page
			w.runs(n.Y, w.dependent)
		case w.window(to.X) && member == "location":
			w.effect("location")
		case w.window(to.X):
			w.define(member)
		case !w.ofAnother(root(to.X)):
		case isFunction(n.Y) && !handler:
			if !slices.Contains(w.script.Extends, member) {
				w.script.Extends = append(w.script.Extends, member)
			}
		default:
			w.effect("setting " + member)
		}
	case *js.IndexExpr:
		if s, ok := w.literal(to.Y); ok && w.window(to.X) {
			w.define(s)
		}
	}
}

// handedOver runs the functions among the arguments of a call.
func (w *walker) handedOver(args []js.Arg, dependent bool) {
	for _, a := range args {
		w.runs(a.Value, dependent)
	}
}

// statements walks a block. After a look whether something is there, and a return
// where it is not, the rest has it in hand.
func (w *walker) statements(list []js.IStmt) {
	before := w.dependent
	for _, s := range list {
		js.Walk(w, s)
		if i, ok := s.(*js.IfStmt); ok && i.Else == nil && leaves(i.Body) && asksForLocal(i.Cond, true) {
			w.dependent = true
		}
	}
	w.dependent = before
}

// asks notes the global names that a condition is about.
func (w *walker) asks(n js.INode) {
	switch n := ungroup(n).(type) {
	case *js.Var:
		w.script.asked[name(n)] = true
	case *js.DotExpr:
		if w.window(n.X) {
			w.script.asked[text(n.Y)] = true
		}
	case *js.UnaryExpr: // !x, typeof x
		w.asks(n.X)
	case *js.BinaryExpr:
		w.asks(n.X)
		w.asks(n.Y)
	}
}

// leaves reports whether a statement does nothing but return.
func leaves(s js.IStmt) bool {
	if b, ok := s.(*js.BlockStmt); ok && len(b.List) == 1 {
		s = b.List[0]
	}
	_, ok := s.(*js.ReturnStmt)
	return ok
}

// asksForLocal reports whether a condition is about something that the code has
// found: a variable of its own or its length; negated, that it is not there.
func asksForLocal(n js.INode, negated bool) bool {
	n = ungroup(n)
	if u, ok := n.(*js.UnaryExpr); ok && u.Op == js.NotToken && negated {
		return asksForLocal(u.X, false)
	}
	if b, ok := n.(*js.BinaryExpr); ok && (b.Op == js.EqEqToken || b.Op == js.EqEqEqToken) && negated {
		return asksForLocal(b.X, false)
	}
	if negated {
		return false
	}
	if d, ok := n.(*js.DotExpr); ok && text(d.Y) == "length" {
		n = d.X
	}
	v, ok := n.(*js.Var)
	return ok && !free(v) && same(v).Decl != js.ArgumentDecl
}

// effect notes what the code does that needs no element, unless it stands where the
// code has an element in its hands.
func (w *walker) effect(what string) {
	if !w.dependent && !slices.Contains(w.reach.Effects, what) {
		w.reach.Effects = append(w.reach.Effects, what)
	}
}

// call looks at a call and walks what is in it.
func (w *walker) call(n *js.CallExpr) {
	callee := ungroup(n.X)
	args := n.Args.List
	if d, ok := callee.(*js.DotExpr); ok && isFunction(ungroup(d.X)) { // (function () { … }).call(this)
		callee = ungroup(d.X)
		if len(args) > 0 {
			args = args[1:]
		}
	}
	if isFunction(callee) {
		w.stand(callee, args)
		w.run(callee, w.dependent, w.global)
	}
	if v, ok := callee.(*js.Var); ok { // a function that was handed over, and gets what it needs here
		for _, f := range w.functions[same(v)] {
			w.stand(f, args)
		}
	}
	w.handedOver(n.Args.List, w.dependent || w.inHand(callee))
	skip := -1
	hooks := len(w.reach.Hooks)
	if len(n.Args.List) > 0 && w.lookup(callee, n.Args.List) {
		skip = 0
	}
	if v, ok := origin(callee).(*js.Var); ok && w.ofAnother(v) && !w.dependent && len(w.reach.Hooks) == hooks && !slices.Contains(w.reach.Calls, name(v)) {
		w.reach.Calls = append(w.reach.Calls, name(v))
	}
	for i := range n.Args.List {
		if i != skip {
			js.Walk(w, n.Args.List[i].Value)
		}
	}
	js.Walk(w, n.X)
}

// inHand reports whether a call is of a method of something that the code has found:
// not of the window or document, a library, or a promise.
func (w *walker) inHand(callee js.INode) bool {
	d, ok := callee.(*js.DotExpr)
	if !ok || text(d.Y) == "then" || text(d.Y) == "ready" {
		return false
	}
	switch x := ungroup(d.X).(type) {
	case *js.Var:
		return w.stands(x) == "" && !free(x)
	case *js.CallExpr:
		return len(x.Args.List) > 0
	}
	return false
}

// stand notes the parameters of a function called in place that stand for the window
// or the document.
func (w *walker) stand(f js.INode, args []js.Arg) {
	var params []js.BindingElement
	switch f := f.(type) {
	case *js.FuncDecl:
		params = f.Params.List
	case *js.ArrowFunc:
		params = f.Params.List
	}
	for i := range min(len(args), len(params)) {
		if v, ok := params[i].Binding.(*js.Var); ok {
			if f := ungroup(args[i].Value); isFunction(f) {
				w.functions[same(v)] = append(w.functions[same(v)], f)
			}
			if s := w.stands(args[i].Value); s != "" {
				w.alias[same(v)] = s
			} else if w.ofAnother(args[i].Value) {
				w.libraries[same(v)] = true
			}
		}
	}
}
