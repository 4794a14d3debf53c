package usage

import (
	"maps"
	"slices"

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
	Later   map[string]bool // those of Uses that it does not need as it is read
	Members map[string]bool // names after a dot
	asked   map[string]bool // names that it looks for before it calls them
	usesAny bool            // it gets at global names that it puts together
	Words   map[string]bool // words in its texts, such as classes that it sets
	Early   []string        // global names that it calls at once, before any other script runs
	Granted []string        // ids of elements that it uses at once and does not ask for before, in order
	Unknown Unknown         // what it does that cannot be followed
}

// A Reach is what a stretch of code gets at.
type Reach struct {
	Hooks []Hook
	known map[string]bool // their selectors
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
	w := newWalker()
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
	js.Walk(unseen{w, map[*js.Var]bool{}}, ast)
	for _, lost := range syntax.AsksOf(ast, text).Lost {
		note(&w.script.Unknown.Loads, lost)
	}
	w.global = true
	js.Walk(w, ast)
	for _, f := range w.methods["handleEvent"] { // of what is handed to a listener (DOM, 2.7)
		w.runs(f, true)
	}
	w.bodies()
	w.reach = &w.script.Held
	for _, f := range w.all {
		w.runs(f, w.walked[f] == asDependent)
		w.bodies()
	}
	for loader := range w.loading { // one that it looks for before is there where a script of the page defines it
		if !w.script.asked[loader] {
			note(&w.script.Unknown.Loads, "a module loader")
		}
	}
	w.script.Early, w.script.Later, w.script.Granted = w.earlyCalls(ast), w.usedLater(ast), w.granted(ast, text)
	if local := imported(ast); len(local) > 0 { // bindings of the module, and nothing global
		maps.DeleteFunc(w.script.Uses, func(n string, _ bool) bool { return local[n] })
		w.script.Early = slices.DeleteFunc(w.script.Early, func(n string) bool { return local[n] })
	}
	return w.script
}

func newWalker() *walker {
	return &walker{
		script: &Script{Uses: map[string]bool{}, Words: map[string]bool{}, Members: map[string]bool{},
			asked: map[string]bool{}},
		functions: map[*js.Var][]js.INode{},
		methods:   map[string][]js.INode{},
		alias:     map[*js.Var]string{},
		libraries: map[*js.Var]bool{},
		constants: map[*js.Var]js.INode{},
		changed:   map[*js.Var]bool{},
		walked:    map[js.INode]walk{},
		returned:  map[js.INode][]js.INode{},
		loading:   map[string]bool{},
		named:     map[any]walk{},
		defined:   map[string]bool{},
	}
}

// guards reports whether the script asks whether a name is there before it calls it,
// as in window.kit && kit.go().
func (s *Script) guards(global string) bool { return s.asked[global] }

// Static reports whether all that a reach looks for can be read in the script.
func (r *Reach) Static() bool { return !r.Computed && len(r.Effects) == 0 }

func (r *Reach) hook(selector string) {
	if r.known[selector] {
		return
	}
	if r.known == nil {
		r.known = map[string]bool{}
	}
	r.known[selector] = true
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

// Match reports whether a hook finds something on a page.
func (h *Hook) Match(v *Vocabulary) bool {
	for _, n := range h.needs {
		if !v.Has(n) {
			return false
		}
	}
	return h.parsed == nil || v.match(h.parsed)
}
