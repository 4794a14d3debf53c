package usage

import (
	"fmt"
	"slices"
	"strings"
	"testing"
)

// TestFollowedFunctions: by whatever way a function comes to run as a script is loaded, what
// it looks for is found.
func TestFollowedFunctions(t *testing.T) {
	for _, code := range []string{
		`document.querySelector(".a")`,
		`document.addEventListener("DOMContentLoaded", (function () { return function () { document.querySelector(".a").focus() } })())`,
		`document.addEventListener("click", (() => () => document.querySelector(".a"))())`,
		`window.onload = (function () { return function () { document.querySelector(".a") } }())`,
		`addEventListener("load", go); function go() { document.querySelector(".a") }`,
		`addEventListener("load", kit.go); var kit = { go: function () { document.querySelector(".a") } }`,
		`addEventListener("load", kit.go.bind(kit)); kit.go = function () { document.querySelector(".a") }`,
		`document.addEventListener("click", { handleEvent(e) { document.querySelector(".a") } })`,
		`const on = { handleEvent: function (e) { document.querySelector(".a") } }; document.addEventListener("click", on)`,
		`class Menu { constructor() { addEventListener("click", this) } handleEvent() { document.querySelector(".a") } } new Menu()`,
		`class Menu { static start() { document.querySelector(".a") } } addEventListener("load", Menu.start)`,
		`window["onload"] = function () { document.querySelector(".a") }`,
		`var kit = {}; kit.menu = {}; kit.menu.open = function () { document.querySelector(".a") }; kit.menu.open()`,
		`const make = () => { document.querySelector(".a") }; setTimeout(make, 10)`,
		`const f = cond ? function () { document.querySelector(".a") } : null; f && f()`,
		`(async () => { await 0; document.querySelector(".a") })()`,
		`[1].forEach(function () { document.querySelector(".a") })`,
		`new class { constructor() { document.querySelector(".a") } }`,
		`const o = { get a() { return document.querySelector(".a") } }; o.a`,
		`document.documentElement.onclick = () => document.querySelector(".a")`,
		`function f() { return g } function g() { document.querySelector(".a") } f()()`,
		`var run = [function () { document.querySelector(".a") }]; run.map(f => f())`,
		`function start(fn) { fn() } start(function () { document.querySelector(".a") })`,
		`Object.assign(window, { onload() { document.querySelector(".a") } })`,
	} {
		s := ReadScript([]byte(code), strings.Contains(code, "await"))
		if s == nil {
			t.Errorf("%s does not parse", code)
			continue
		}
		if !slices.ContainsFunc(s.Load.Hooks, func(h Hook) bool { return h.Selector == ".a" }) {
			t.Errorf("%s: .a is not among %+v", code, s.Load.Hooks)
		}
	}
	s := ReadScript(
		[]byte(
			`customElements.define("x-map", class extends HTMLElement { connectedCallback() { document.querySelector(".a") } })`),
		false)
	if len(s.Load.Hooks) != 1 || s.Load.Hooks[0].Selector != "x-map" {
		t.Errorf("a custom element: %+v", s.Load.Hooks)
	}
}

// TestFollowedNames: by whatever way one script names another, the other is needed where the
// one is.
func TestFollowedNames(t *testing.T) {
	for _, c := range []struct{ lib, page string }{
		{`window.lib = { go() {} }`, `<script>lib.go()</script>`},
		{`window["lib"] = { go() {} }`, `<script>window["lib"].go()</script>`},
		{`window.lib = { go() {} }`, `<script>const name = "lib"; window[name].go()</script>`},
		{`window.lib = { go() {} }`, `<script>for (const name of names()) window[name].go()</script>`},
		{`window.lib = { go() {} }`, `<button onclick="lib.go()">x</button>`},
		{`function go() {}`, `<form onsubmit="return go(this)"></form>`},
		{`function go() {}`, `<body onload=go()>`},
		{`function go() {}`, `<a href="javascript:go()">x</a>`},
		{`function go() {}`, `<script>addEventListener("load", go)</script>`},
		{`function go() {}`, `<script>setTimeout("go()", 10)</script>`},
		{`var lib = {}; lib.part = { name: function () {} }`, `<script>lib.part.name()</script>`},
		{`app.part = app.part || {}; app.part.name = function () {}`,
			`<script>var app = {}; addEventListener("load", () => app.part.name())</script>`},
		{`app.fn.slides = function () {}`, `<i class=x></i><script>window.app = { fn: {} }; app(".x").slides()</script>`},
		{`class Lib {}`, `<script>new Lib()</script>`},
		{`const lib = () => {}`, `<script>lib()</script>`},
		{`(function (root) { root.lib = {} })(this)`, `<script>lib.go()</script>`},
		{`(function (root, make) { root.lib = make() })(typeof self !== "undefined" ? self : this, function () { return {} })`,
			`<script>lib.go()</script>`},
		{`globalThis.lib = {}`, `<script>if (globalThis.lib) lib.go()</script>`},
		{`Object.defineProperty(window, "lib", { value: {} })`, `<script>lib.go()</script>`},
		{`Object.assign(window, { lib: {} })`, `<script>lib.go()</script>`},
		{`customElements.define("x-map", class extends HTMLElement {})`, `<x-map></x-map>`},
		{`customElements.define("x-map", class extends HTMLElement {})`,
			`<script>document.body.append(document.createElement("x-map"))</script>`},
	} {
		files := folder{"/lib.js": c.lib, "/page.html": "<!doctype html><script src=/lib.js></script>" + c.page}
		_, needs := files.needs("/page.html")
		for _, n := range needs {
			if n.Key == "/lib.js" && n.State == Unused {
				t.Errorf("%s\n  is not needed by %s: %s", c.lib, c.page, n.By)
			}
		}
	}
}

// TestFollowedSheets: rules in whatever at-rule or selector hold what they style.
func TestFollowedSheets(t *testing.T) {
	for css, needed := range map[string]bool{
		`@import "/more.css" print;`: true,
		`@import url(/more.css) layer(a) supports(color: red) screen and (min-width: 10em);`: true,
		`@import "/none.css" print;`:                                false,
		`@layer base { .a { } }`:                                    true,
		`@layer base, more; @layer more { .none { } }`:              false,
		`@supports (display: grid) { .a { } }`:                      true,
		`@container (width > 10em) { .a { } }`:                      true,
		`@container side (width > 10em) { .none { } }`:              false,
		`@scope (.a) to (.b) { :scope { } }`:                        true,
		`@media print { @layer x { @supports (a: b) { .a { } } } }`: true,
		`:is(.a, .none) { }`:                                        true,
		`:where(.a) { }`:                                            true,
		`p:has(> .a) { }`:                                           true,
		`.none:has(.a) { }`:                                         false,
		`.none { .a { } }`:                                          false,
		`.a { .none { } }`:                                          true,
		`.a { &:hover { } }`:                                        true,
		`@media screen { .none { &.a { } } }`:                       false,
		`@property --x { syntax: "*"; inherits: false }`:            false,
		`@font-face { font-family: x; src: url(/x.woff2) }`:         false,
	} {
		files := folder{"/s.css": css, "/more.css": ".a { }", "/none.css": ".none { }",
			"/page.html": `<!doctype html><link rel=stylesheet href=/s.css><p><b class=a>x</b>`}
		_, needs := files.needs("/page.html")
		got := ""
		for _, n := range needs {
			got = fmt.Sprint(n.State == Used)
			if n.State == Unseen && !needed {
				got = "false"
			}
		}
		if got != fmt.Sprint(needed) {
			t.Errorf("%s: needed %s, want %v", css, got, needed)
		}
	}
}
