package usage

import (
	"bytes"
	"slices"
	"strings"

	"github.com/tdewolff/parse/v2/js"

	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/syntax"
)

// What a script calls the very moment it is run, before anything below it on the page.

// early goes through what runs at once: the top level, functions called in place, and those
// of the script that are called by name. Functions handed over may run later, and what stands
// in a try, or behind a look whether a name is there, does not fail.
type early struct {
	*walker
	names *[]string
	seen  map[js.INode]bool
}

func (v early) Exit(js.INode) {}

func (v early) Enter(n js.INode) js.IVisitor {
	switch n := n.(type) {
	case *js.FuncDecl, *js.ArrowFunc, *js.MethodDecl, *js.ClassDecl, *js.TryStmt:
		return nil
	case *js.IfStmt, *js.CondExpr, *js.SwitchStmt, *js.WhileStmt, *js.ForStmt, *js.ForInStmt, *js.ForOfStmt:
		return nil // perhaps it runs, perhaps not
	case *js.BinaryExpr:
		if n.Op == js.AndToken || n.Op == js.OrToken || n.Op == js.NullishToken {
			js.Walk(v, n.X)
			return nil
		}
	case *js.CallExpr:
		if !n.Optional {
			v.called(n.X)
		}
	case *js.NewExpr:
		v.called(n.X)
	}
	return v
}

// called notes the global that a call begins with, or goes into a function of the script.
func (v early) called(callee js.INode) {
	callee = ungroup(callee)
	if f := inPlace(callee); f != nil {
		v.into(f)
		return
	}
	for {
		d, ok := callee.(*js.DotExpr)
		if !ok || d.Optional {
			break
		}
		if v.window(d.X) {
			v.note(text(d.Y))
			return
		}
		callee = ungroup(d.X)
	}
	x, ok := callee.(*js.Var)
	if !ok {
		return
	}
	if free(x) {
		v.note(name(x))
		return
	}
	for _, f := range v.functions[same(x)] {
		v.into(f)
	}
}

// inPlace is the function that is called where it stands: (function () { … })(), (function () { … }).call(this).
func inPlace(callee js.INode) js.INode {
	callee = ungroup(callee)
	if d, ok := callee.(*js.DotExpr); ok && isFunction(ungroup(d.X)) {
		callee = ungroup(d.X)
	}
	if !isFunction(callee) {
		return nil
	}
	return callee
}

// failsLater reports whether a function's failure is not its caller's: that of one that is async, or a generator.
func failsLater(f js.INode) bool {
	switch f := f.(type) {
	case *js.FuncDecl:
		return f.Async || f.Generator
	case *js.ArrowFunc:
		return f.Async
	}
	return false
}

func (v early) into(f js.INode) {
	if !v.seen[f] && !failsLater(f) {
		v.seen[f] = true
		syntax.WalkBody(v, f)
	}
}

func (v early) note(global string) {
	if !slices.Contains(*v.names, global) {
		*v.names = append(*v.names, global)
	}
}

// earlyCalls lists the globals that a script calls at once and does not ask for before.
func (w *walker) earlyCalls(ast *js.AST) (out []string) {
	js.Walk(early{w, &out, map[js.INode]bool{}}, ast)
	return slices.DeleteFunc(out,
		func(n string) bool { return w.script.asked[n] || w.defined[n] || platform[n] || ofBrowsers[n] })
}

// ofBrowsers are functions that every window has (HTML, 7.2.2 and 8; CSSOM View, 4).
var ofBrowsers = map[string]bool{
	"setTimeout": true, "setInterval": true, "clearTimeout": true, "clearInterval": true,
	"requestAnimationFrame": true, "cancelAnimationFrame": true, "requestIdleCallback": true,
	"queueMicrotask": true, "structuredClone": true, "addEventListener": true, "removeEventListener": true,
	"dispatchEvent": true, "postMessage": true, "matchMedia": true, "getComputedStyle": true,
	"getSelection": true, "open": true, "close": true, "stop": true, "focus": true, "blur": true,
	"print": true, "confirm": true, "prompt": true, "scroll": true, "scrollTo": true, "scrollBy": true,
	"moveTo": true, "moveBy": true, "resizeTo": true, "resizeBy": true, "find": true, "atob": true,
	"btoa": true, "eval": true, "isNaN": true, "isFinite": true, "decodeURI": true,
	"decodeURIComponent": true, "encodeURI": true, "escape": true, "unescape": true, "Date": true,
	"Map": true, "Set": true, "WeakMap": true, "WeakSet": true, "Proxy": true, "Boolean": true,
	"Function": true, "BigInt": true, "Image": true, "Audio": true, "Option": true, "Event": true,
	"CustomEvent": true, "MouseEvent": true, "URLSearchParams": true, "FormData": true, "Headers": true,
	"Request": true, "Response": true, "Blob": true, "File": true, "FileReader": true, "XMLHttpRequest": true,
	"WebSocket": true, "Worker": true, "MutationObserver": true, "IntersectionObserver": true,
	"ResizeObserver": true, "PerformanceObserver": true, "AbortController": true, "DOMParser": true,
	"XMLSerializer": true, "TextEncoder": true, "TextDecoder": true, "Intl": true, "crypto": true,
	"caches": true, "indexedDB": true, "document": true, "window": true, "self": true, "globalThis": true,
	"top": true, "parent": true, "frames": true, "opener": true, "name": true, "status": true, "origin": true,
	"length": true, "speechSynthesis": true, "visualViewport": true, "customElements": true,
	"Notification": true, "createImageBitmap": true, "reportError": true,
}

// Early are the names that a page calls before they are there.
type Early struct {
	Element int    // of the record: the script that calls
	In      string // the file that does so, if it is one that the script brings
	Name    string // of a global
	By      int    // of the record: the script that defines it, later
	Runs    string // how that runs
}

// running is an element of a page and the scripts that it runs; nil for what cannot be read.
type running struct {
	at      int
	scripts []*Script
	files   []string // as scriptsOf has them
}

// TooEarly lists what the scripts of a page call at once and only later ones define. It is
// silent from the first script on that cannot be read, or that may bring others.
func (l *Library) TooEarly(r *inventory.Record) (out []Early) {
	now, later, missing := l.running(r)
	sure := !slices.ContainsFunc(later, func(x running) bool { return x.scripts == nil })
	defined := map[string]bool{}
	for _, x := range now {
		if x.scripts == nil {
			return out // who knows what it defines
		}
		for _, s := range x.scripts {
			for _, d := range slices.Concat(s.Defines, s.Extends) {
				defined[d] = true
			}
		}
		for k, s := range x.scripts {
			for _, n := range s.Early {
				if defined[n] {
					continue
				}
				by, runs := definedLater(r, later, x.at, n)
				if by < 0 && len(missing) > 0 && missing[0] < x.at && sure && !named(r, n) {
					by, runs = likely(r, n, missing, x.at), "missing"
				}
				if by >= 0 {
					out = append(out, Early{x.at, x.files[k], n, by, runs})
					defined[n] = true // told once
				}
			}
		}
	}
	if sure {
		out = append(out, afterParsing(r, later, defined)...)
	}
	return out
}

// running lists the scripts that a page runs: now are those that block, later all that may define what those call.
// missing are the numbers of those of the site whose file is not there.
func (l *Library) running(r *inventory.Record) (now, later []running, missing []int) {
	for i := range r.Elements {
		e := &r.Elements[i]
		if !e.IsScript() || e.Inside != "" {
			continue
		}
		list, files, whole := l.scriptsOf(r, e)
		if e.Runs == "blocking" {
			if e.Loads && e.Party == "own" && l.gone(e.Ref.Path) {
				missing = append(missing, i) // it defines nothing
				continue
			}
			if !whole || slices.ContainsFunc(list, func(s *Script) bool { return len(s.Unknown.Loads) > 0 }) ||
				len(e.Brings) > 0 {
				now = append(now, running{at: i})
				continue
			}
			now = append(now, running{i, list, files})
		}
		later = append(later, running{i, list, files})
	}
	return now, later, missing
}

// definedLater is the first element that defines a name and runs after the element at; -1 for none. runs is when.
func definedLater(r *inventory.Record, later []running, at int, name string) (by int, runs string) {
	for _, y := range later {
		runs := r.Elements[y.at].Runs
		if y.at != at && (y.at > at || runs != "blocking") &&
			slices.ContainsFunc(y.scripts, func(s *Script) bool { return slices.Contains(s.Defines, name) }) {
			if runs == "blocking" {
				runs = "further down"
			}
			return y.at, runs
		}
	}
	return -1, ""
}

// afterParsing lists what deferred scripts and modules call at once and only a script defines that comes
// whenever it comes. defined are the names that are there before.
func afterParsing(r *inventory.Record, scripts []running, defined map[string]bool) (out []Early) {
	whenever := map[string]int{} // name -> the first such script that defines it
	for _, x := range scripts {
		if r.Elements[x.at].Runs != "async" {
			continue
		}
		for _, s := range x.scripts {
			for _, n := range s.Defines {
				if _, known := whenever[n]; !known {
					whenever[n] = x.at
				}
			}
		}
	}
	for _, x := range scripts {
		if runs := r.Elements[x.at].Runs; runs != "defer" && runs != "module" {
			continue
		}
		for _, s := range x.scripts {
			for _, d := range slices.Concat(s.Defines, s.Extends) {
				defined[d] = true
			}
		}
		for k, s := range x.scripts {
			for _, n := range s.Early {
				if by, ok := whenever[n]; ok && !defined[n] {
					out = append(out, Early{x.at, x.files[k], n, by, "async"})
					defined[n] = true // told once
				}
			}
		}
	}
	return out
}

// likely is the script, of those above a place that are missing, which by its name defines a
// global: the only one, or one whose file is called alike; -1 for none.
func likely(r *inventory.Record, global string, missing []int, before int) int {
	var above []int
	for _, i := range missing {
		if i < before {
			above = append(above, i)
		}
	}
	for _, i := range above {
		file := strings.ToLower(r.Elements[i].Target)
		if len(global) > 1 && strings.Contains(file[strings.LastIndexByte(file, '/')+1:], strings.ToLower(global)) ||
			(global == "$" || global == "jQuery") && strings.Contains(file, "jquery") {
			return i
		}
	}
	if len(above) == 1 {
		return above[0]
	}
	return -1
}

// gone reports whether the site has no such script.
func (l *Library) gone(path string) bool {
	return l.missing.Get(path, func() bool {
		_, ok := l.Read(path)
		return !ok
	})
}

// named reports whether an element of the page may be reached by a name (HTML, 7.2.2.3).
func named(r *inventory.Record, name string) bool {
	for _, quote := range []string{`"`, "'", ""} {
		if bytes.Contains(r.Source.Text, []byte("="+quote+name)) {
			return true
		}
	}
	return false
}
