package usage

import (
	"regexp"
	"slices"
	"strings"

	"github.com/tdewolff/parse/v2/js"
)

// What a script does that its text does not tell: then nobody may be certain that
// something on its page is not needed.

// An Unknown is what a script does that cannot be followed, in words, each once.
type Unknown struct {
	// Loads are ways in which it gets more code: "import()", "a script element".
	Loads []string
	// Names are ways in which it puts names of classes together, or markup from data:
	// which elements the page will have, nobody can read in it.
	Names []string
}

func note(list *[]string, what string) {
	if !slices.Contains(*list, what) {
		*list = append(*list, what)
	}
}

// unseen walks a script for what cannot be followed, whether it runs or not.
type unseen struct {
	*walker
	made map[*js.Var]bool // elements whose name is a parameter
}

func (u unseen) Exit(js.INode) {}

func (u unseen) Enter(n js.INode) js.IVisitor {
	switch n := n.(type) {
	case *js.CallExpr:
		u.call(n)
	case *js.NewExpr:
		if v, ok := ungroup(n.X).(*js.Var); ok && (name(v) == "Worker" || name(v) == "SharedWorker") {
			note(&u.script.Unknown.Loads, "a worker")
		}
		if v, ok := ungroup(n.X).(*js.Var); ok && name(v) == "Function" {
			note(&u.script.Unknown.Loads, "code from a text")
		}
	case *js.BindingElement:
		u.makes(n.Binding, n.Default)
	case *js.BinaryExpr:
		switch n.Op {
		case js.EqToken, js.AddEqToken:
			u.makes(n.X, n.Y)
			u.set(n)
		case js.AddToken: // "is-" + state, wherever it goes from here
			if s, ok := u.literal(n.X); ok && beginsName.MatchString(s) {
				if _, whole := u.literal(n.Y); !whole {
					note(&u.script.Unknown.Names, "class names that it puts together")
				}
			}
		}
	case *js.TemplateExpr:
		for _, p := range n.List {
			if beginsName.MatchString(strings.Trim(string(p.Value), "`${}")) {
				note(&u.script.Unknown.Names, "class names that it puts together")
			}
		}
	}
	return u
}

// loaders are functions of module loaders that get a module by its name.
var loaders = map[string]bool{"require": true, "requirejs": true, "define": true, "importScripts": true}

func (u unseen) call(n *js.CallExpr) {
	args := n.Args.List
	fixed := func(i int) bool {
		if i >= len(args) || handedIn(args[i].Value) {
			return true
		}
		_, ok := u.literal(args[i].Value)
		return ok
	}
	first := func() string {
		if len(args) == 0 {
			return ""
		}
		s, _ := u.literal(args[0].Value)
		return strings.ToLower(s)
	}
	out := &u.script.Unknown
	switch callee := ungroup(n.X).(type) {
	case *js.Var:
		switch {
		case free(callee) && loaders[name(callee)] && len(args) > 0:
			u.loading[name(callee)] = true
		case free(callee) && name(callee) == "eval":
			note(&out.Loads, "code from a text")
		}
	case *js.DotExpr:
		u.method(callee, args, fixed, first)
	}
}

// method notes what a call of a method loads or makes that cannot be told. fixed reports whether an argument is known,
// first is the first of them.
func (u unseen) method(callee *js.DotExpr, args []js.Arg, fixed func(i int) bool, first func() string) {
	out := &u.script.Unknown
	of := func(name string) bool {
		d, ok := ungroup(callee.X).(*js.DotExpr)
		return ok && text(d.Y) == name
	}
	switch method := text(callee.Y); method {
	case "createElement", "createElementNS":
		s := first()
		switch {
		case len(args) == 0, method == "createElement" && fixed(0) && s != "style", method == "createElementNS" && fixed(1):
		case fixed(0) && s != "":
			note(&out.Loads, "a "+s+" element that it makes")
		default:
			note(&out.Names, "elements whose names it puts together")
		}
	case "register":
		if of("serviceWorker") {
			note(&out.Loads, "a service worker")
		}
	case "import":
		if v, ok := ungroup(callee.X).(*js.Var); ok && name(v) == "System" {
			note(&out.Loads, "a module loader")
		}
	case "ajaxSetup":
		note(&out.Loads, "a library's loader")
	case "add", "toggle", "remove", "replace":
		if of("classList") && (!fixed(0) || method == "replace" && !fixed(1)) {
			note(&out.Names, "class names that it puts together")
		}
	case "addClass", "toggleClass":
		if len(args) > 0 && !fixed(0) {
			note(&out.Names, "class names that it puts together")
		}
	case "setAttribute":
		if s := first(); len(args) == 2 && (!fixed(0) || (s == "class" || s == "id") && !fixed(1)) {
			note(&out.Names, "class names that it puts together")
		}
	case "insertAdjacentHTML", "createContextualFragment", "parseFromString":
		if i := map[string]int{"insertAdjacentHTML": 1}[method]; !fixed(i) {
			note(&out.Names, "markup from data")
		}
	case "html", "append", "prepend", "after", "before", "replaceWith":
		if len(args) > 0 && !fixed(0) && joins(args[0].Value) {
			note(&out.Names, "markup from data")
		}
	}
}

// makes notes a variable that holds an element whose name is a parameter.
func (u unseen) makes(to, value js.INode) {
	v, ok := to.(*js.Var)
	c, call := ungroup(value).(*js.CallExpr)
	if !ok || !call || len(c.Args.List) == 0 {
		return
	}
	if d, ok := ungroup(c.X).(*js.DotExpr); ok && text(d.Y) == "createElement" && handedIn(c.Args.List[0].Value) {
		u.made[same(v)] = true
	}
}

// set looks at what an assignment sets.
func (u unseen) set(n *js.BinaryExpr) {
	d, ok := n.X.(*js.DotExpr)
	if !ok {
		return
	}
	if _, fixed := u.literal(n.Y); (fixed || handedIn(n.Y)) && n.Op == js.EqToken {
		return
	}
	switch text(d.Y) {
	case "src":
		if v, ok := ungroup(d.X).(*js.Var); ok && u.made[same(v)] {
			note(&u.script.Unknown.Loads, "a script element that it makes")
		}
	case "className", "id":
		if text(d.Y) == "className" || joins(n.Y) {
			note(&u.script.Unknown.Names, "class names that it puts together")
		}
	case "innerHTML", "outerHTML", "srcdoc":
		note(&u.script.Unknown.Names, "markup from data")
	}
}

// beginsName is the first half of a name, such as "is-".
var beginsName = regexp.MustCompile(`^( |.* )?[.#]?[a-zA-Z][\w-]*[-_]$`)

// handedIn reports whether an expression is a parameter: what it is, whoever calls the
// function says, as in the methods of a library.
func handedIn(n js.INode) bool {
	v, ok := ungroup(n).(*js.Var)
	return ok && same(v).Decl == js.ArgumentDecl
}

// joins reports whether an expression puts texts together.
func joins(n js.INode) bool {
	switch n := ungroup(n).(type) {
	case *js.BinaryExpr:
		return n.Op == js.AddToken
	case *js.TemplateExpr:
		return len(n.List) > 0
	case *js.CallExpr:
		return true
	}
	return false
}
