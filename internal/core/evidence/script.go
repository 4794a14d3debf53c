package evidence

import (
	"regexp"
	"slices"
	"strings"

	"github.com/tdewolff/parse/v2/js"

	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/syntax"
)

// A Script is what a script asks of a page and of other scripts, as far as its
// syntax tree tells (ECMAScript; the methods of DOM, 4.2.6 and 4.5).
type Script struct {
	Load Reach // what it does as soon as it is loaded
	Held Reach // what its functions do once somebody calls them

	Defines []string        // global names that it sets
	Extends []string        // members that it sets on what others define
	Uses    map[string]bool // global names that it mentions
	Members map[string]bool // names after a dot
	asked   map[string]bool // names that it looks for before it calls them
	Words   map[string]bool // words in its texts, such as classes that it sets
}

// A Reach is what a stretch of code gets at.
type Reach struct {
	Hooks []Hook
	// Computed: it looks for elements by a text that is put together as it runs.
	Computed bool
	// Calls are globals of other scripts that it calls.
	Calls []string
	// Effects are what it does that needs no element of the page's own, such as
	// "fetch" or "document.write".
	Effects []string
}

// A Hook is a selector by which a script looks for elements.
type Hook struct {
	Selector string
	parsed   *markup.Selector // nil where it is not understood: it may match
	needs    []string
}

// ReadScript reads a script or module; nil where it does not parse.
func ReadScript(text []byte, module bool) *Script {
	ast := syntax.Script(text)
	if ast == nil {
		return nil
	}
	w := &walker{script: &Script{Uses: map[string]bool{}, Words: map[string]bool{}, Members: map[string]bool{}, asked: map[string]bool{}}, functions: map[*js.Var][]js.INode{}, methods: map[string][]js.INode{},
		alias: map[*js.Var]string{}, libraries: map[*js.Var]bool{}, constants: map[*js.Var]js.INode{}, changed: map[*js.Var]bool{}, walked: map[js.INode]walk{}, defined: map[string]bool{}}
	w.reach = &w.script.Load
	for _, v := range ast.Scope.Undeclared {
		w.script.Uses[name(v)] = true
	}
	if !module {
		for _, v := range ast.Scope.Declared {
			w.define(name(v))
		}
	}
	js.Walk(collector{w}, ast)
	w.global = true
	js.Walk(w, ast)
	w.bodies()
	w.reach = &w.script.Held
	for _, f := range w.all {
		w.runs(f, w.walked[f] == asDependent)
		w.bodies()
	}
	return w.script
}

// guards reports whether the script asks whether a name is there before it calls it,
// as in window.kit && kit.go().
func (s *Script) guards(global string) bool { return s.asked[global] }

// Static reports whether all that a reach looks for can be read in the script.
func (r *Reach) Static() bool { return !r.Computed && len(r.Effects) == 0 }

func (r *Reach) hook(selector string) {
	if slices.ContainsFunc(r.Hooks, func(h Hook) bool { return h.Selector == selector }) {
		return
	}
	h := Hook{Selector: selector}
	if s, err := markup.ParseSelector(selector); err == nil {
		h.parsed = s
		list := ReadSheet([]byte(selector + "{}")).Selectors
		if len(list) == 1 {
			h.needs = list[0].Needs
		}
	}
	r.Hooks = append(r.Hooks, h)
}

// Match reports whether a hook finds something on a page, and where.
func (h *Hook) Match(v *Vocabulary) (offset int, ok bool) {
	for _, n := range h.needs {
		if !v.Has(n) {
			return 0, false
		}
	}
	if h.parsed == nil {
		return 0, true
	}
	return v.match(h.parsed)
}

// effect notes what the code does that needs no element, unless it stands where the
// code has an element in its hands.
func (w *walker) effect(what string) {
	if !w.dependent && !slices.Contains(w.reach.Effects, what) {
		w.reach.Effects = append(w.reach.Effects, what)
	}
}

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
		} else if ok && isFunction(n.Default) {
			c.functions[same(v)] = append(c.functions[same(v)], n.Default)
		}
	case *js.Property:
		if n.Name != nil && isFunction(n.Value) {
			c.methods[text(&n.Name.Literal)] = append(c.methods[text(&n.Name.Literal)], n.Value)
		}
	case *js.UnaryExpr:
		if v, ok := n.X.(*js.Var); ok && (n.Op == js.PreIncrToken || n.Op == js.PostIncrToken || n.Op == js.PreDecrToken || n.Op == js.PostDecrToken) {
			c.changed[same(v)] = true
		}
	case *js.BinaryExpr:
		if v, ok := n.X.(*js.Var); ok && assigns[n.Op] {
			c.changed[same(v)] = true
		}
		if n.Op != js.EqToken || !isFunction(n.Y) {
			break
		}
		switch to := n.X.(type) {
		case *js.Var:
			c.functions[same(to)] = append(c.functions[same(to)], n.Y)
		case *js.DotExpr:
			c.methods[text(to.Y)] = append(c.methods[text(to.Y)], n.Y)
		}
	}
	return c
}

// assigns are the operators that set a variable.
var assigns = map[js.TokenType]bool{js.EqToken: true, js.AddEqToken: true, js.SubEqToken: true, js.MulEqToken: true, js.DivEqToken: true,
	js.OrEqToken: true, js.AndEqToken: true, js.NullishEqToken: true}

// constructors notes what runs when somebody makes one of a class.
func (c collector) constructors(v *js.Var, class *js.ClassDecl) {
	for _, e := range class.List {
		if e.Method != nil && string(e.Method.Name.Literal.Data) == "constructor" {
			c.functions[same(v)] = append(c.functions[same(v)], e.Method)
		}
	}
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
		case !w.library(root(to.X)):
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

// root is what a chain of members begins with.
func root(n js.INode) js.INode {
	for {
		switch x := ungroup(n).(type) {
		case *js.DotExpr:
			n = x.X
		default:
			return x
		}
	}
}

// origin is what a chain of members and calls begins with.
func origin(n js.INode) js.INode {
	for {
		switch x := ungroup(n).(type) {
		case *js.DotExpr:
			n = x.X
		case *js.CallExpr:
			n = x.X
		default:
			return x
		}
	}
}

// bySelector take a selector; byName take a name that makes one.
var (
	bySelector = map[string]bool{"querySelector": true, "querySelectorAll": true, "matches": true, "closest": true}
	byName     = map[string]string{"getElementById": "#", "getElementsByClassName": ".", "getElementsByTagName": "", "contains": "."}
)

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
	if v, ok := origin(callee).(*js.Var); ok && w.library(v) && !w.dependent && len(w.reach.Hooks) == hooks && !slices.Contains(w.reach.Calls, name(v)) {
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

func ungroup(n js.INode) js.INode {
	for {
		g, ok := n.(*js.GroupExpr)
		if !ok {
			return n
		}
		n = g.X
	}
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
			} else if w.library(args[i].Value) {
				w.libraries[same(v)] = true
			}
		}
	}
}

// lookup notes the hook that a call is; it reports whether the first argument is
// one, so that its words are no texts.
func (w *walker) lookup(callee js.INode, args []js.Arg) bool {
	lit, fixed := w.literal(args[0].Value)
	switch callee := callee.(type) {
	case *js.DotExpr:
		method := text(callee.Y)
		prefix, named := byName[method]
		if method == "contains" {
			if d, ok := callee.X.(*js.DotExpr); !ok || text(d.Y) != "classList" {
				return false // of a text, a list or a node
			}
		}
		if method == "define" {
			if text(callee.X) == "customElements" && fixed {
				w.reach.hook(lit)
				return true
			}
			return false
		}
		switch {
		case !bySelector[method] && !named && method != "getElementsByName":
		case !fixed:
			w.reach.Computed = true
			return false
		case w.dependent && w.stands(callee.X) == "":
			return true // within what it has in hand
		case bySelector[method]:
			w.reach.hook(lit)
			return true
		case method == "getElementsByName":
			w.reach.hook(`[name="` + lit + `"]`)
			return true
		default:
			if f := strings.Fields(lit); len(f) > 0 {
				w.reach.hook(prefix + strings.Join(f, prefix))
			}
			return true
		}
		if len(args) > 2 && delegates[method] { // on("click", ".more", …)
			if second, ok := w.literal(args[1].Value); !ok || !w.selecting(second) {
				w.reach.Computed = true
			}
		}
		if ofTexts[method] || !w.library(origin(callee.X)) {
			return false
		}
		return fixed && w.library(callee.X) && w.selecting(lit)
	case *js.Var:
		if w.library(callee) && !fixed && (w.puts(args[0].Value) || isText(args[0].Value)) {
			w.reach.Computed = true
		}
		return fixed && w.library(callee) && w.selecting(lit)
	}
	return false
}

func isText(n js.INode) bool {
	l, ok := n.(*js.LiteralExpr)
	return ok && l.TokenType == js.StringToken
}

// puts reports whether an expression puts a text together as it runs.
func (w *walker) puts(n js.INode) bool {
	switch n := n.(type) {
	case *js.TemplateExpr:
		return true
	case *js.BinaryExpr:
		if n.Op != js.AddToken {
			return false
		}
		_, x := w.literal(n.X)
		_, y := w.literal(n.Y)
		return x || y || w.puts(n.X)
	}
	return false
}

// delegates are methods of libraries that take an event, a selector and a function.
var delegates = map[string]bool{"on": true, "one": true, "delegate": true, "live": true}

// library reports whether an expression is a global that is no browser's: a function
// or object of another script.
func (w *walker) library(n js.INode) bool {
	v, ok := n.(*js.Var)
	return ok && (w.libraries[same(v)] || free(v) && w.stands(n) == "" && !platform[name(v)])
}

// platform are the globals of browsers that take texts and look for nothing.
var platform = map[string]bool{"console": true, "Math": true, "JSON": true, "location": true, "history": true, "localStorage": true, "sessionStorage": true,
	"Object": true, "Array": true, "String": true, "Number": true, "RegExp": true, "Symbol": true, "Promise": true, "CSS": true, "URL": true, "Error": true,
	"require": true, "define": true, "module": true, "exports": true, "screen": true, "navigator": true, "customElements": true, "event": true, "alert": true, "fetch": true, "import": true, "encodeURIComponent": true, "parseInt": true, "parseFloat": true, "Reflect": true, "performance": true}

// ofTexts are methods of texts, lists and storages, which look for no elements.
var ofTexts = map[string]bool{"includes": true, "split": true, "indexOf": true, "lastIndexOf": true, "startsWith": true, "endsWith": true, "replace": true,
	"replaceAll": true, "push": true, "concat": true, "join": true, "test": true, "match": true, "search": true, "getItem": true, "setItem": true, "removeItem": true, "set": true, "get": true, "has": true}

// selecting notes a hook where a text can hardly be anything else: the way in which
// libraries look for elements.
func (w *walker) selecting(text string) bool {
	if !looksSelecting(text) {
		return false
	}
	w.reach.hook(text)
	return true
}

// looksSelecting reports whether a text can hardly be anything but a selector: it
// has a class, an id or an attribute where one can stand.
func looksSelecting(s string) bool {
	if len(s) < 2 || !strings.ContainsAny(s, ".#[") || strings.ContainsAny(s, "/{}()<!?&=;") && !strings.Contains(s, "[") {
		return false
	}
	if s[0] == '#' && isColour(s[1:]) {
		return false
	}
	for i := 0; i+1 < len(s); i++ { // a name follows, and none is a number or a file's ending
		if (s[i] == '.' || s[i] == '#') && !isNameStart(s[i+1]) {
			return false
		}
	}
	if fileEnding[s[strings.LastIndexByte(s, '.')+1:]] || strings.HasSuffix(s, " ") || strings.HasSuffix(s, ".") || strings.HasSuffix(s, "#") {
		return false
	}
	_, err := markup.ParseSelector(s)
	return err == nil
}

var fileEnding = map[string]bool{"js": true, "css": true, "html": true, "htm": true, "json": true, "php": true, "png": true, "jpg": true, "svg": true, "txt": true, "xml": true, "com": true}

func isNameStart(c byte) bool {
	c |= 0x20
	return 'a' <= c && c <= 'z' || c == '_'|0x20 || c == '-' || c >= 0x80
}

func isColour(s string) bool {
	if n := len(s); n != 3 && n != 4 && n != 6 && n != 8 {
		return false
	}
	for i := range len(s) {
		if strings.IndexByte("0123456789abcdefABCDEF", s[i]) < 0 {
			return false
		}
	}
	return true
}

// identifierWords puts the words of a text that can be names of classes or ids into
// a set.
func identifierWords(s string, into map[string]bool) {
	for i := 0; i < len(s); {
		j := i
		for j < len(s) && (s[j] == '_' || s[j] == '-' || s[j] >= 0x80 || 'a' <= lowerByte(s[j]) && lowerByte(s[j]) <= 'z' || j > i && '0' <= s[j] && s[j] <= '9') {
			j++
		}
		if j > i && j-i < 64 {
			into[s[i:j]] = true
		}
		i = max(j, i+1)
	}
}
