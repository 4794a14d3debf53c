package syntax

import (
	"bytes"
	"regexp"
	"slices"
	"strings"

	"github.com/tdewolff/parse/v2/js"

	"yellowgate/internal/core/weburl"
)

// What a script asks for as it runs: the elements that it makes for a URL, the markup that it
// writes, the modules that it imports.

// A Request is one URL that a script makes a browser ask for.
type Request struct {
	URL string
	// Open: the end of the URL is put together as the script runs; URL is what is known.
	Open   bool
	Tag    string // of the element that it makes: script, link, img, iframe; "import" for a module
	Offset int    // of the URL's beginning in the script, in bytes; 0 where it is put together
	// Later: not as the script is loaded, but when somebody clicks or calls.
	Later bool
}

// Asks is what a script asks for, and whether that is all.
type Asks struct {
	List []Request
	// Lost are ways in which it asks for code that cannot be followed, in words, each once.
	Lost []string
}

// requestWords are words without one of which no script asks for anything in these ways.
var requestWords = [][]byte{
	[]byte("createElement"),
	[]byte("Image"),
	[]byte(".write"),
	[]byte("import("),
	[]byte("import ("),
	[]byte("getScript"),
	[]byte("HTML"),
	[]byte("importScripts"),
}

// ScriptAsks lists what a script or module asks for as it runs (HTML, 4.12.1; DOM, 4.5;
// ECMAScript, 13.3.10), as far as its text tells: URLs in texts, in variables, and in what its
// own functions are called with. A script that does not parse asks for nothing.
func ScriptAsks(src []byte) Asks {
	if !slices.ContainsFunc(requestWords, func(word []byte) bool { return bytes.Contains(src, word) }) {
		return Asks{}
	}
	ast := Script(src)
	if ast == nil {
		return Asks{}
	}
	return AsksOf(ast, src)
}

// AsksOf is ScriptAsks for a script that was parsed.
func AsksOf(ast *js.AST, src []byte) (out Asks) {
	defer func() {
		if recover() != nil {
			out = Asks{}
		}
	}()
	f := &follower{
		src:       src,
		out:       &out,
		functions: map[*js.Var][]js.INode{},
		methods:   map[string][]js.INode{},
		values:    map[*js.Var][]js.INode{},
		params:    map[*js.Var]param{},
		heldBy:    map[js.INode][]any{},
		calls:     map[any][][]js.Arg{},
		runs:      map[js.INode]bool{},
		started:   map[any]bool{},
		followed:  map[js.INode]bool{},
	}
	js.Walk(names{f}, ast)
	js.Walk(callers{f}, ast)
	js.Walk(running{f}, ast)
	for len(f.queue) > 0 {
		body := f.queue[0]
		f.queue = f.queue[1:]
		WalkBody(running{f}, body)
	}
	js.Walk(&asked{follower: f, listed: map[string]bool{}}, ast)
	for _, m := range f.made {
		if !f.followed[m.node] {
			f.lose("a " + m.tag + " element that it makes")
		}
	}
	return out
}

// A follower knows what the names of a script stand for.
type follower struct {
	src       []byte
	out       *Asks
	functions map[*js.Var][]js.INode // by the variables that hold them
	methods   map[string][]js.INode  // by the names of the members that hold them
	values    map[*js.Var][]js.INode // all that a variable is set to
	params    map[*js.Var]param
	heldBy    map[js.INode][]any // by function: the variables and the names of members that hold it
	calls     map[any][][]js.Arg // by function, variable or name of a member: what it is called with
	runs      map[js.INode]bool  // functions that run as the script is loaded
	queue     []js.INode
	made      []made
	followed  map[js.INode]bool // calls that make an element whose URL is known
	started   map[any]bool      // variables and members whose functions run
	steps     int               // of looking up what names stand for
}

// mostAsked is how many URLs are listed of one script.
const mostAsked = 500

// mostSteps is how many looks at what names stand for a script is worth.
const mostSteps = 100_000

// A made is a call that makes an element which brings code.
type made struct {
	node js.INode
	tag  string
}

// A param is a parameter: of a function, by number.
type param struct {
	function js.INode
	index    int
}

func (f *follower) lose(what string) {
	if !slices.Contains(f.out.Lost, what) {
		f.out.Lost = append(f.out.Lost, what)
	}
}

func bare(n js.INode) js.INode {
	for {
		g, ok := n.(*js.GroupExpr)
		if !ok {
			return n
		}
		n = g.X
	}
}

func origin(v *js.Var) *js.Var {
	for v.Link != nil {
		v = v.Link
	}
	return v
}

func member(n js.INode) string {
	switch n := n.(type) {
	case *js.Var:
		return string(n.Name())
	case js.LiteralExpr:
		return string(n.Data)
	case *js.LiteralExpr:
		return string(n.Data)
	}
	return ""
}

func function(n js.INode) bool {
	switch n.(type) {
	case *js.FuncDecl, *js.ArrowFunc, *js.MethodDecl:
		return true
	}
	return false
}

func paramsOf(n js.INode) []js.BindingElement {
	switch n := n.(type) {
	case *js.FuncDecl:
		return n.Params.List
	case *js.ArrowFunc:
		return n.Params.List
	case *js.MethodDecl:
		return n.Params.List
	}
	return nil
}

// WalkBody walks what a function does, without its parameters; nothing for any other node.
func WalkBody(v js.IVisitor, n js.INode) {
	switch n := n.(type) {
	case *js.FuncDecl:
		js.Walk(v, &n.Body)
	case *js.ArrowFunc:
		js.Walk(v, &n.Body)
	case *js.MethodDecl:
		js.Walk(v, &n.Body)
	}
}

// names notes what variables and members hold.
type names struct{ *follower }

func (f names) Exit(js.INode) {}

func (f names) Enter(n js.INode) js.IVisitor {
	for i, p := range paramsOf(n) {
		if v, ok := p.Binding.(*js.Var); ok {
			f.params[origin(v)] = param{n, i}
		}
	}
	switch n := n.(type) {
	case *js.FuncDecl:
		if n.Name != nil {
			f.holdsFunction(origin(n.Name), n)
		}
	case *js.MethodDecl:
		f.method(member(&n.Name.Literal), n)
	case *js.BindingElement:
		if v, ok := n.Binding.(*js.Var); ok && n.Default != nil {
			f.holds(v, n.Default)
		}
	case *js.Property:
		if n.Name != nil && function(n.Value) {
			f.method(strings.Trim(member(&n.Name.Literal), "\"'"), n.Value)
		}
	case *js.BinaryExpr:
		if n.Op != js.EqToken {
			break
		}
		switch to := n.X.(type) {
		case *js.Var:
			f.holds(to, n.Y)
		case *js.DotExpr:
			if function(bare(n.Y)) {
				f.method(member(to.Y), bare(n.Y))
			}
		}
	}
	return f
}

func (f *follower) holds(v *js.Var, what js.INode) {
	v = origin(v)
	f.values[v] = append(f.values[v], what)
	if fn := bare(what); function(fn) {
		f.holdsFunction(v, fn)
	}
}

func (f *follower) holdsFunction(v *js.Var, fn js.INode) {
	f.functions[v] = append(f.functions[v], fn)
	f.heldBy[fn] = append(f.heldBy[fn], v)
}

func (f *follower) method(name string, fn js.INode) {
	f.methods[name] = append(f.methods[name], fn)
	f.heldBy[fn] = append(f.heldBy[fn], name)
}

// callers notes what functions are called with.
type callers struct{ *follower }

func (f callers) Exit(js.INode) {}

func (f callers) Enter(n js.INode) js.IVisitor {
	c, ok := n.(*js.CallExpr)
	if !ok {
		return f
	}
	callee, args := called(c)
	switch x := callee.(type) {
	case *js.Var:
		f.calls[origin(x)] = append(f.calls[origin(x)], args)
	case *js.DotExpr:
		f.calls[member(x.Y)] = append(f.calls[member(x.Y)], args)
	default:
		if function(x) {
			f.calls[x] = append(f.calls[x], args)
		}
	}
	return f
}

// called is what a call calls, and with what: also for (function () { … }).call(this, …).
func called(c *js.CallExpr) (callee js.INode, args []js.Arg) {
	callee, args = bare(c.X), c.Args.List
	if d, ok := callee.(*js.DotExpr); ok && member(d.Y) == "call" && function(bare(d.X)) {
		callee = bare(d.X)
		args = args[min(1, len(args)):]
	}
	return callee, args
}

// running goes through what runs as the script is loaded.
type running struct{ *follower }

func (f running) Exit(js.INode) {}

// begins are events that come without anybody's doing.
var begins = map[string]bool{"load": true, "DOMContentLoaded": true, "pageshow": true, "readystatechange": true}

// listens are methods that take an event and a function.
var listens = map[string]bool{
	"addEventListener": true, "attachEvent": true, "on": true, "one": true, "bind": true, "live": true,
	"delegate": true, "click": true, "hover": true, "submit": true, "change": true, "focus": true,
	"blur": true, "keydown": true, "keyup": true, "scroll": true, "resize": true, "mouseover": true,
}

func (f running) Enter(n js.INode) js.IVisitor {
	switch n := n.(type) {
	case *js.FuncDecl, *js.ArrowFunc, *js.MethodDecl:
		return nil
	case *js.CallExpr:
		callee, args := called(n)
		f.start(callee)
		waits := false
		if d, ok := callee.(*js.DotExpr); ok {
			f.startAll(member(d.Y), f.methods[member(d.Y)])
			event := ""
			if len(args) > 0 {
				event, _ = f.first(args[0].Value, 2)
			}
			waits = listens[member(d.Y)] && !begins[strings.TrimPrefix(event, "on")]
		}
		if !waits {
			for _, a := range args {
				f.start(a.Value)
			}
		}
	case *js.NewExpr:
		f.start(n.X)
		if n.Args != nil {
			for _, a := range n.Args.List {
				f.start(a.Value)
			}
		}
	case *js.BinaryExpr:
		if d, ok := n.X.(*js.DotExpr); ok && n.Op == js.EqToken && begins[strings.TrimPrefix(member(d.Y), "on")] {
			f.start(n.Y)
		}
	}
	return f
}

// start lets a function run, or those that a variable holds.
func (f *follower) start(n js.INode) {
	n = bare(n)
	if v, ok := n.(*js.Var); ok {
		f.startAll(origin(v), f.functions[origin(v)])
		return
	}
	if function(n) && !f.runs[n] {
		f.runs[n] = true
		f.queue = append(f.queue, n)
	}
}

// startAll starts what a name holds, once.
func (f *follower) startAll(name any, functions []js.INode) {
	if f.started[name] {
		return
	}
	f.started[name] = true
	for _, fn := range functions {
		f.start(fn)
	}
}

// asked goes through all of the script and lists what it asks for.
type asked struct {
	*follower
	listed map[string]bool
	within []bool // functions around, and whether they run as the script is loaded
}

func (a *asked) Exit(n js.INode) {
	if function(n) {
		a.within = a.within[:len(a.within)-1]
	}
}

// sources are the attributes by which elements load something.
var sources = map[string]string{"script": "src", "img": "src", "iframe": "src", "link": "href"}

func (a *asked) Enter(n js.INode) js.IVisitor {
	switch n := n.(type) {
	case *js.FuncDecl, *js.ArrowFunc, *js.MethodDecl:
		a.within = append(a.within, a.runs[n])
	case *js.BinaryExpr:
		d, ok := n.X.(*js.DotExpr)
		if !ok || n.Op != js.EqToken && n.Op != js.AddEqToken {
			break
		}
		switch attr := member(d.Y); attr {
		case "src", "href":
			a.set(d.X, attr, n.Y)
		case "innerHTML", "outerHTML":
			a.markup(n.Y, false)
		}
	case *js.CallExpr:
		a.call(n)
	}
	return a
}

// set looks at an attribute that is set on something: on an element that the script made?
func (a *asked) set(on js.INode, attr string, value js.INode) {
	tag, nodes := a.element(on, 4)
	if tag == "" || sources[tag] != attr {
		return
	}
	if a.urls(tag, value) {
		for _, n := range nodes {
			a.followed[n] = true
		}
	}
}

// describing and loading find the relations of links that say something of a page, and of those that load something
// (HTML, 4.6.7).
var (
	describing = regexp.MustCompile(`["'\x60 ](canonical|alternate|next|prev|author|license|help|me|search)["'\x60]`)
	loading    = regexp.MustCompile(
		`["'\x60 ](stylesheet|icon|apple-touch-icon|manifest|preload|modulepreload|prefetch)["'\x60]`)
)

// urls lists the URLs that an expression may be; false where it may be others.
func (a *asked) urls(tag string, value js.INode) (all bool) {
	if tag == "link" && describing.Match(a.src) && !loading.Match(a.src) {
		return true
	}
	all = true
	for _, t := range a.texts(value, 6) {
		bare := tag == "import" && weburl.IsBare(t.text)
		if bare || t.open && !reaches(t.text) { // of a bare name only an import map or a bundler knows
			all = false
			continue
		}
		a.add(tag, t)
	}
	return all
}

// reaches reports whether the known beginning of a URL tells whose it is: it has a host, or a
// path up to its query.
func reaches(text string) bool {
	if _, rest, ok := strings.Cut(text, "//"); ok {
		return strings.ContainsAny(rest, "/?#")
	}
	return strings.ContainsAny(text, "?#")
}

func (a *asked) add(tag string, t text) {
	url := strings.TrimSpace(t.text)
	if url == "" || strings.HasPrefix(url, "data:") || strings.HasPrefix(url, "blob:") ||
		strings.HasPrefix(url, "javascript:") ||
		strings.HasPrefix(url, "about:") {
		return
	}
	if key := tag + " " + url; a.listed[key] {
		return
	} else if len(a.out.List) == mostAsked {
		a.lose("more than can be followed")
		return
	} else {
		a.listed[key] = true
	}
	x := Request{URL: url, Open: t.open, Tag: tag, Later: slices.Contains(a.within, false)}
	x.Offset = max(bytes.Index(a.src, []byte(url)), 0)
	if x.Offset == 0 { // put together: where its end stands, which tells it best
		if i := strings.LastIndexByte(strings.TrimRight(url, "/"), '/'); i > 0 {
			x.Offset = max(bytes.Index(a.src, []byte(url[i:])), 0)
		}
	}
	a.out.List = append(a.out.List, x)
}

func (a *asked) call(n *js.CallExpr) {
	args := n.Args.List
	switch callee := bare(n.X).(type) {
	case *js.LiteralExpr:
		if callee.TokenType == js.ImportToken && len(args) > 0 && !a.urls("import", args[0].Value) {
			a.lose("import()")
		}
	case *js.Var:
		if member(callee) == "importScripts" {
			for _, x := range args {
				if !a.urls("script", x.Value) {
					a.lose("importScripts")
				}
			}
		}
	case *js.DotExpr:
		switch method := member(callee.Y); {
		case (method == "createElement" || method == "createElementNS") && len(args) > 0:
			if tag, nodes := a.element(n, 1); len(nodes) > 0 && sources[tag] != "" && tag != "img" {
				a.made = append(a.made, made{n, tag})
			}
		case method == "setAttribute" && len(args) == 2:
			if attr, ok := a.first(args[0].Value, 2); ok {
				a.set(callee.X, attr, args[1].Value)
			}
		case method == "assign" && len(args) > 1: // Object.assign(element, {src: …})
			if o, ok := bare(args[1].Value).(*js.ObjectExpr); ok {
				for _, p := range o.List {
					if p.Name != nil {
						a.set(args[0].Value, strings.Trim(member(&p.Name.Literal), `"'`), p.Value)
					}
				}
			}
		case method == "getScript" && len(args) > 0:
			if !a.urls("script", args[0].Value) {
				a.lose("a library's loader")
			}
		case (method == "write" || method == "writeln") && member(bare(callee.X)) == "document":
			for _, x := range args {
				if !a.markup(x.Value, true) {
					a.lose("document.write")
				}
			}
		case method == "insertAdjacentHTML" && len(args) == 2:
			a.markup(args[1].Value, false)
		}
	}
}

// loadsTag finds the tags of markup that load something.
var loadsTag = regexp.MustCompile(
	`(?i)<(script|img|iframe|link)\b[^>]*?\s(?:src|href)\s*=\s*(?:"([^"]*)"?|'([^']*)'?|([^\s"'>]+))`)

// markup lists what markup in a text loads; false where that is not all of it. Scripts run
// only where markup is written as the page is read (HTML, 8.4.3).
func (a *asked) markup(value js.INode, scripts bool) (all bool) {
	all = true
	for _, t := range a.texts(value, 6) {
		if t.open {
			all = false
		}
		for _, m := range loadsTag.FindAllStringSubmatchIndex(t.text, -1) {
			tag := strings.ToLower(t.text[m[2]:m[3]])
			if tag == "script" && !scripts {
				continue
			}
			for k := 4; k < len(m); k += 2 {
				if m[k] >= 0 {
					x := text{t.text[m[k]:m[k+1]], t.open && m[k+1] == len(t.text)}
					if !x.open || reaches(x.text) {
						a.add(tag, x)
					}
				}
			}
		}
	}
	return all
}
