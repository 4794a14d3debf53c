package usage

import (
	"slices"
	"strings"

	"github.com/tdewolff/parse/v2/js"

	"yellowgate/internal/core/syntax"
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
	named     map[any]walk            // variables and members whose functions were run
	returned  map[js.INode][]js.INode // by function: what it returns
	loading   map[string]bool         // names of module loaders that it calls
	steps     int                     // of looking up what values bring
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

// mostSteps is how many looks at what values bring a script is worth.
const mostSteps = 200_000

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
	if !isFunction(f) {
		for _, given := range w.given(f, 4) {
			w.run(given, dependent, global)
		}
		return
	}
	as := walked
	if dependent {
		as = asDependent
	}
	if f != nil && isFunction(f) && w.walked[f] < as {
		w.walked[f] = as
		w.queue = append(w.queue, call{f, dependent, global})
	}
}

// fresh reports whether the functions of a name, a variable or a member, were not run yet, or
// only with an element in hand; and notes that they are now.
func (w *walker) fresh(name any) bool {
	as := walked
	if w.dependent {
		as = asDependent
	}
	if w.named[name] >= as {
		return false
	}
	w.named[name] = as
	return true
}

// given lists the functions that a value brings to whoever gets it: itself, what a call
// returns, what is in an object or a list.
func (w *walker) given(n js.INode, depth int) (out []js.INode) {
	if depth == 0 {
		return nil
	}
	if w.steps++; w.steps > mostSteps {
		note(&w.script.Unknown.Loads, "more functions than can be followed")
		return nil
	}
	switch n := ungroup(n).(type) {
	case *js.FuncDecl, *js.ArrowFunc, *js.MethodDecl:
		return []js.INode{n}
	case *js.CondExpr:
		return append(w.given(n.X, depth-1), w.given(n.Y, depth-1)...)
	case *js.BinaryExpr:
		if n.Op == js.OrToken || n.Op == js.AndToken || n.Op == js.NullishToken || n.Op == js.EqToken {
			return append(w.given(n.X, depth-1), w.given(n.Y, depth-1)...)
		}
	case *js.ObjectExpr:
		for _, p := range n.List {
			out = append(out, w.given(p.Value, depth-1)...)
		}
	case *js.ArrayExpr:
		for _, e := range n.List {
			out = append(out, w.given(e.Value, depth-1)...)
		}
	case *js.Var:
		switch held := w.constants[same(n)].(type) {
		case *js.ObjectExpr, *js.ArrayExpr, *js.CondExpr, *js.CallExpr:
			return w.given(held, depth-1)
		}
	case *js.CallExpr:
		makers := []js.INode{ungroup(n.X)}
		switch callee := makers[0].(type) {
		case *js.Var:
			makers = w.functions[same(callee)]
		case *js.DotExpr: // f.bind(x), and what a method returns
			makers = append(w.given(callee.X, depth-1), w.methods[text(callee.Y)]...)
			if text(callee.Y) == "bind" {
				return makers
			}
		}
		if w.steps += len(makers); w.steps > mostSteps {
			break
		}
		for _, f := range makers {
			for _, r := range w.returnedBy(f) {
				out = append(out, w.given(r, depth-1)...)
				if v, ok := ungroup(r).(*js.Var); ok {
					out = append(out, w.functions[same(v)]...)
				}
			}
		}
	}
	return out
}

// returnedBy lists what a function returns.
func (w *walker) returnedBy(f js.INode) []js.INode {
	values, known := w.returned[f]
	if !known {
		r := &returns{}
		syntax.WalkBody(r, f)
		values = r.values
		w.returned[f] = values
	}
	return values
}

// returns gathers what a function returns.
type returns struct{ values []js.INode }

func (r *returns) Exit(js.INode) {}

func (r *returns) Enter(n js.INode) js.IVisitor {
	switch n := n.(type) {
	case *js.FuncDecl, *js.ArrowFunc, *js.MethodDecl, *js.ClassDecl:
		return nil
	case *js.ReturnStmt:
		r.values = append(r.values, n.Value)
	}
	return r
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
		w.variable(n)
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
	case *js.IndexExpr:
		if s, ok := w.literal(n.Y); ok && w.window(n.X) {
			w.script.Uses[s] = true
		} else if !ok && w.window(n.X) {
			w.script.usesAny = true
		}
	case *js.NewExpr:
		w.made(n)
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

// variable takes in the use of a variable: what it holds may run.
func (w *walker) variable(n *js.Var) {
	if v := same(n); w.fresh(v) {
		for _, f := range w.functions[v] {
			w.runs(f, w.dependent)
		}
	}
	if list, ok := w.constants[same(n)].(*js.ArrayExpr); ok {
		w.runs(list, w.dependent)
	}
	if free(n) && doesMuch[name(n)] {
		w.effect(name(n))
	}
}

// made takes in a new expression: what it is given may run, and its constructor does.
func (w *walker) made(n *js.NewExpr) {
	if n.Args != nil {
		w.handedOver(n.Args.List, w.dependent)
	}
	if class, ok := ungroup(n.X).(*js.ClassDecl); ok {
		for _, e := range class.List {
			if e.Method != nil && text(&e.Method.Name.Literal) == "constructor" {
				w.runs(e.Method, w.dependent)
			}
		}
	}
}

// doesMuch are functions and objects of browsers with which a script does something
// whatever stands on the page.
var doesMuch = map[string]bool{
	"fetch": true, "XMLHttpRequest": true, "Image": true, "WebSocket": true, "EventSource": true,
	"Worker": true, "SharedWorker": true, "importScripts": true, "eval": true, "alert": true, "confirm": true,
	"prompt": true, "open": true, "setInterval": true,
}

// documentDoes are the members of document with which it does.
var documentDoes = map[string]bool{
	"write": true, "writeln": true, "createElement": true, "cookie": true, "title": true, "body": true,
	"head": true, "documentElement": true, "adoptedStyleSheets": true, "forms": true, "images": true,
	"links": true, "scripts": true, "styleSheets": true,
}

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
	if w.fresh(member) {
		for _, f := range w.methods[member] {
			w.runs(f, w.dependent)
		}
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
		case handler: // of something in the page
			w.runs(n.Y, w.dependent || w.stands(root(to.X)) == "")
			if w.ofAnother(root(to.X)) {
				w.effect("setting " + member)
			}
		case w.window(to.X) && member == "location":
			w.effect("location")
		case w.window(to.X):
			w.define(member)
		case !w.ofAnother(root(to.X)):
		case isFunction(n.Y):
			if !slices.Contains(w.script.Extends, member) {
				w.script.Extends = append(w.script.Extends, member)
			}
		default:
			w.effect("setting " + member)
		}
	case *js.IndexExpr:
		s, ok := w.literal(to.Y)
		switch {
		case !ok || !w.window(to.X):
		case strings.HasPrefix(s, "on"):
			w.runs(n.Y, w.dependent)
		default:
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
	} else if c, ok := callee.(*js.CallExpr); ok { // f()()
		w.runs(c, w.dependent)
	}
	if d, ok := callee.(*js.DotExpr); ok && len(args) == 2 && text(d.Y) == "assign" && w.window(args[0].Value) {
		if o, ok := ungroup(args[1].Value).(*js.ObjectExpr); ok {
			for _, p := range o.List {
				if p.Name != nil {
					w.define(text(&p.Name.Literal))
				}
			}
		}
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
	if v, ok := origin(callee).(*js.Var); ok && w.ofAnother(v) && !w.dependent && len(w.reach.Hooks) == hooks &&
		!slices.Contains(w.reach.Calls, name(v)) {
		w.reach.Calls = append(w.reach.Calls, name(v))
	}
	if i, ok := origin(callee).(*js.IndexExpr); ok && w.window(i.X) && !w.dependent { // window[name]()
		called, fixed := w.literal(i.Y)
		if !fixed {
			called = "a name that it puts together"
		}
		w.reach.Calls = append(w.reach.Calls, called)
	}
	if v, ok := callee.(*js.Var); ok && (name(v) == "setTimeout" || name(v) == "setInterval") && len(args) > 0 {
		if code, ok := w.literal(args[0].Value); ok {
			identifiers(code, w.script.Uses)
		}
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
