package usage

import (
	"fmt"
	"slices"
	"sort"
	"strings"
	"testing"

	"yellowgate/internal/core/markup"
)

func vocabulary(html string) *Vocabulary {
	src := markup.Read([]byte(html))
	return Read(src, markup.Scan(src.Text, nil), nil)
}

// TestSheets: which selector of a stylesheet matches first on a page, "" for none.
func TestSheets(t *testing.T) {
	const page = `<!doctype html><html lang=en class=dark><body id=top><nav class="menu wide"><a class=Book href=/book/>Book</a></nav>
<main><p>x<template><i class=late></i></template></main><script>".in-script"</script><!-- <b class=comment> --><textarea><b></textarea>`
	v := vocabulary(page)
	for _, c := range []struct{ css, want string }{
		{`.menu { color: red }`, ".menu"},
		{`.gone { } .wide { }`, ".wide"},
		{`.book { }`, ""},
		{`.Book { }`, ".Book"},
		{`#top { }`, "#top"},
		{`.menu.gone, .gone .menu, .in-script, .comment, b { }`, ""},
		{`.menu a.Book:hover::before { }`, ".menu a.Book:hover::before"},
		{`a .menu { }`, ""},
		{`main > nav { }`, ""},
		{`nav > a { }`, "nav>a"},
		{`nav + main { }`, "nav+main"},
		{`[href^="/shop"] { }`, ""},
		{`[href^="/book"] { }`, `[href^="/book"]`},
		{`[lang|=en] { }`, "[lang|=en]"},
		{`.late { }`, ".late"},
		{`html.dark { } `, "html.dark"},
		{`body.dark { } `, ""},
		{`* { } `, "*"},
		{`body { margin: 0 }`, "body"},
		{`@media print { @supports (display: grid) { .menu { } } }`, ".menu"},
		{`@font-face { font-family: x; src: url(x) } @keyframes k { from { top: 0 } to { top: 1px } } @page { margin: 0 }`,
			""},
		{`.gone { .menu & { color: red } }`, ""},
		{`.menu { .gone & { color: red } }`, ".menu"},
		{`:is(.gone, .away) b { }`, ""},
		{`:is(.menu, .away) a { }`, ":is(.menu,.away) a"},
		{`.sm\:gone, .\6d enu { }`, `.\6d enu`},
		{`main:has(.menu) { }`, "main:has(.menu)"},
		{`:root { --edge: 1px; --gap: 2px }`, ""},
		{`:root { --edge: 1px; color: red }`, ":root"},
		{`<!-- .menu { } -->`, ".menu"},
		{`} .menu { `, ".menu"},
		{`.a{content:"}"} .menu{}`, ".menu"},
		{``, ""},
	} {
		if got := ReadSheet([]byte(c.css)).Match(v); got != c.want {
			t.Errorf("%s: %q matches, want %q", c.css, got, c.want)
		}
	}
	if got := ReadSheet([]byte(".BOOK{}")).Match(vocabulary(strings.TrimPrefix(page, "<!doctype html>"))); got != ".BOOK" {
		t.Errorf("in quirks mode .BOOK does not match: %q", got)
	}
	s := ReadSheet([]byte(":root{--a:1px;--b:2px} p{margin:var(--c);--d:var(--e, 1px)}"))
	if !s.Sets["--a"] || !s.Sets["--b"] || s.Sets["--d"] || !s.Asks["--c"] || !s.Asks["--e"] || len(s.Asks) != 2 {
		t.Errorf("sets %v, asks %v", s.Sets, s.Asks)
	}
	one, other := ReadSheet([]byte("@media print { a , b { color:red;top:0 } } p{x:1}")),
		ReadSheet([]byte("@media  print{a,b{ color: red; top: 0 }}\n\n@media screen { p{x:1} }"))
	both := 0
	for rule := range one.Rules {
		if other.Rules[rule] {
			both++
		}
	}
	if both != 1 || len(one.Rules) != 2 || len(other.Rules) != 2 {
		t.Errorf("%d of %d and %d rules are the same, want 1 of 2 and 2", both, len(one.Rules), len(other.Rules))
	}
}

// TestScripts tells a script as "load: hooks; held: hooks; sets: names", with "?" for
// what is computed and effects in brackets.
func TestScripts(t *testing.T) {
	for _, c := range []struct{ js, want string }{
		{`document.querySelector('form.contact')`, "form.contact"},
		{"for (const a of document.querySelectorAll(`.menu a`)) a.closest('li')", ".menu a, li"},
		{`document.getElementById('sky').textContent = 1; document.getElementsByClassName("a b"); x.getElementsByName('q')`,
			`#sky, .a.b, [name="q"]`},
		{`document.querySelector(where)`, "?"},
		{`document.querySelector('.' + name)`, "?"},
		{`(function () { var f = document.querySelector('.kit'); if (!f) return; f.go() })()`, ".kit"},
		{`(() => { document.querySelector('.kit') })(); !function () { document.querySelector('.two') }()`, ".kit, .two"},
		{`(function () { document.querySelector('.kit') }).call(this)`, ".kit"},
		{`window.kit = function () { document.querySelector('.kit') }`, "held .kit sets kit"},
		{`function kit() { document.querySelector('.kit') }`, "held .kit sets kit"},
		{`function kit() { inner() } function inner() { document.querySelector('.kit') } kit()`, ".kit sets inner kit"},
		{`var kit = { init: function () { document.querySelector('.kit') }, other() { document.querySelector('.b') } }; kit.init()`,
			".kit held .b sets kit"},
		{`document.addEventListener('DOMContentLoaded', () => { document.querySelector('.kit') })`, ".kit"},
		{`document.addEventListener('DOMContentLoaded', start); function start() { document.querySelector('.kit') }`,
			".kit sets start"},
		{`addEventListener('click', e => { if (e.target.classList.contains('more')) x() })`, ".more"},
		{`list.contains('more'); text.includes('.more'); s.split('.x'); console.log('#done'); domkit('#ffffff'); kit('a.js')`,
			""},
		{`domkit('.slides').each(function (box) { domkit('figure', box) })`, ".slides"},
		{`lantern.card('#lantern-card').ready(function (card) {})`, "#lantern-card"},
		{`customElements.define('sky-map', class extends HTMLElement { connectedCallback() { this.querySelector('.in') } })`,
			"sky-map held .in"},
		{`fetch('/x'); navigator.sendBeacon('/y'); new Image().src = '/z'`, "[Image fetch navigator.sendBeacon]"},
		{`document.write('<p>'); document.body.append(1); document.cookie`, "[document.body document.cookie document.write]"},
		{`(function (w, d) { w.kit = 1; d.body.x = 1; w['two'] = 2 })(window, document)`, "[document.body] sets kit two"},
		{`(function (root, make) { root.kit = make() })(typeof self !== 'undefined' ? self : this, function () { return 1 })`,
			"sets kit"},
		{`domkit('.slides').each(function (box) { setInterval(next, 5) })`, ".slides"},
		{`var box = document.querySelector('.box'); if (!box) return; setInterval(next, 5)`, "none"},
		{`(function () { var box = document.querySelector('.box'); if (!box) return; setInterval(next, 5) })()`, ".box"},
		{`(function () { var box = document.querySelector('.box'); setInterval(next, 5); if (box) fetch('/x') })()`,
			".box [setInterval]"},
		{`document.querySelectorAll('.box').forEach(b => b.addEventListener('click', () => fetch('/x')))`, ".box"},
		{`(function () { var form = document.querySelector('form.a'); if (!form) return; form.querySelector('textarea'); document.querySelector('.b') })()`,
			".b, form.a"},
		{`addEventListener('load', () => fetch('/x'))`, "[fetch]"},
		{`domkit.ready(() => fetch('/x'))`, "[fetch]"},
		{`function fetch2() { fetch('/x') }`, "held [fetch] sets fetch2"},
		{`counter = 1; window.other = 2; let own = 3; own = 4`, "sets counter other own"},
		{`window.onload = function () { document.querySelector('.kit') }; document.onclick = e => fetch('/x')`,
			".kit [fetch]"},
		{`window.onload = start; function start() { document.querySelector('.kit') }`, ".kit sets start"},
		{`document.querySelectorAll('*'); function all(e) { return e.querySelectorAll('*') } all(document.createElement('p'))`,
			"* [document.createElement] sets all"},
		{`box.innerHTML = '<p>'; box.onclick = function () { document.querySelector('.in') }`,
			".in [setting innerHTML setting onclick]"},
		{`class App { constructor() { this.start() } start() { document.querySelector('.app') } other() { document.querySelector('.o') } } new App()`,
			".app held .o sets App"},
		{`const App = class { constructor() { document.querySelector('.app') } }; new App()`, ".app sets App"},
		{`function App() { } App.prototype.start = function () { document.querySelector('.app') }; new App().start()`,
			".app sets App"},
		{`domkit(document).on('click', '.more', function () { fetch('/x') })`, ".more"},
		{`domkit.ready(function () { domkit('#menu').on('click', 'a.sub', f) })`, "#menu, a.sub"},
		{`(function ($) { $('.tabs').each(function () {}); $.fn.tabs = function () {} })(domkit)`, ".tabs"},
		{`(function () { var base = 1; go(function () { base = 2 }) })()`, ""},
		{`domkit("div.a\\-b span.k"); domkit('a[title="it\'s"]')`, `a[title="it's"], div.a\-b span.k`},
		{`document.querySelector("a\x2eb")`, "?"},
		{`(function (global, factory) { typeof exports === 'object' ? factory(exports) : factory(global.kit = {}) })(this, (function (exports) { document.querySelector('.kit') }))`,
			".kit sets kit"},
		{`(function (g, f) { f(g) })(typeof window !== 'undefined' ? window : this, function (window, no) { window.kit = window.k = function () {} })`,
			"sets k kit"},
		{`var kit = { count: function () { this.n = 1 } }; kit.count()`, "sets kit"},
		{`(function () { this.kit = 1 }).call(this)`, "sets kit"},
		{`(function () { var ONE = '.one', two = '.two'; two = x; domkit(ONE + ' b'); document.querySelector(two) })()`,
			".one b ?"},
		{`domkit(document).on('click', SELECTOR, go)`, "?"},
		{`const SEL = '[data-open]'; domkit(document).on('click', SEL, go)`, "[data-open] sets SEL"},
		{`module.exports = function () {}; exports.x = 1`, ""},
		{`this does not parse`, "none"},
	} {
		s := ReadScript([]byte(c.js), false)
		if s == nil {
			if c.want != "none" {
				t.Errorf("%s: does not parse", c.js)
			}
			continue
		}
		say := func(r *Reach) string {
			var all []string
			for _, h := range r.Hooks {
				all = append(all, h.Selector)
			}
			sort.Strings(all)
			out := strings.Join(all, ", ")
			if r.Computed {
				out += " ?"
			}
			if slices.Sort(r.Effects); len(r.Effects) > 0 {
				out += fmt.Sprint(" ", r.Effects)
			}
			return strings.TrimSpace(out)
		}
		got := say(&s.Load)
		if h := say(&s.Held); h != "" {
			got += " held " + h
		}
		if slices.Sort(s.Defines); len(s.Defines) > 0 {
			got += " sets " + strings.Join(s.Defines, " ")
		}
		if got = strings.TrimSpace(got); got != c.want {
			t.Errorf("%s\n  %s\n  want %s", c.js, got, c.want)
		}
	}
	s := ReadScript(
		[]byte(
			`ring.className = 'pointer-ring on'; box.innerHTML = "<p class='x-1'>"; domkit('.hooked'); glyphs.swap(window.other)`),
		true)
	if !s.Words["pointer-ring"] || !s.Words["on"] || !s.Words["x-1"] || s.Words["hooked"] || !s.Uses["glyphs"] ||
		!s.Uses["other"] || len(s.Defines) > 0 {
		t.Errorf("words %v uses %v sets %v", s.Words, s.Uses, s.Defines)
	}
}
