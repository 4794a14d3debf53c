package syntax

import (
	"fmt"
	"strings"
	"testing"
)

// TestScriptAsks: what a script asks for, as "tag URL", with "…" where its end is put
// together and "later" where it waits for somebody; then what cannot be followed.
func TestScriptAsks(t *testing.T) {
	for code, want := range map[string]string{
		// Elements that are made, by name or in place.
		`var s = document.createElement("script"); s.async = 1; s.src = "https://v.example/a.js"; document.head.appendChild(s)`: "script https://v.example/a.js",
		`let s; s = document.createElement('SCRIPT'); s.setAttribute('src', '/js/a.js')`:                                        "script /js/a.js",
		`var d = document, s = d.createElement("script"); s.src = "//v.example/a.js"`:                                           "script //v.example/a.js",
		`document.head.appendChild(Object.assign(document.createElement("script"), {async: true, src: "/a.js"}))`:               "script /a.js",
		`(s = document.createElement("script")).src = "/a.js"`:                                                                  "script /a.js",
		`var l = document.createElement("link"); l.rel = "stylesheet"; l.href = "/a.css"; m.rel = "canonical"`:                  "link /a.css",
		`var l = document.createElement("link"); l.rel = "canonical"; l.href = "/a/"`:                                           "",
		`document.head.append(Object.assign(document.createElement("link"), {rel: "canonical", href: "/a/"}))`:                  "",
		`var l = document.createElement("link"); l.rel = "stylesheet"; l.href = "/a.css"`:                                       "link /a.css",
		`new Image().src = "https://v.example/p.gif?u=" + encodeURIComponent(location.href)`:                                    "img https://v.example/p.gif?u=…",
		`var i = new Image(1, 1); i.src = "https://v.example/p.gif"`:                                                            "img https://v.example/p.gif",
		`var f = document.createElement("iframe"); f.src = "https://v.example/f"`:                                               "iframe https://v.example/f",
		"const s = document.createElement(`script`); s.src = `https://v.example/a.js?id=${id}`":                                 "script https://v.example/a.js?id=…",
		// What a function called in place is given.
		`(function (w, d, s, l, i) { w[l] = w[l] || []; var f = d.getElementsByTagName(s)[0], j = d.createElement(s), dl = l != "dataLayer" ? "&l=" + l : ""; j.async = true; j.src = "https://v.example/t.js?id=" + i + dl; f.parentNode.insertBefore(j, f) })(window, document, "script", "dataLayer", "T-1")`: "script https://v.example/t.js?id=T-1",
		`!function (a, b, c, u, q) { q = b.createElement(c), q.async = 1, q.src = u; b.head.append(q) }(window, document, "script", "https://v.example/b.js")`:                                                                                                                                                   "script https://v.example/b.js",
		`(function () { var g = document.createElement("script"); g.src = ("https:" == document.location.protocol ? "https://s" : "http://w") + ".v.example/g.js"; }).call(this)`:                                                                                                                                "script https://s.v.example/g.js",
		// Functions of its own, by name and as members.
		`function load(u) { var s = document.createElement("script"); s.src = u; document.body.append(s) } load("/a.js"); load("/b.js")`: "script /a.js; script /b.js",
		`var kit = { load: function (u) { var s = document.createElement("script"); s.src = u } }; kit.load("/a.js")`:                    "script /a.js",
		`const load = u => { const s = document.createElement("script"); s.src = base + u }; const base = "/js/"; load("a.js")`:          "script /js/a.js",
		// When it runs.
		`window.onload = function () { var s = document.createElement("script"); s.src = "/a.js" }`:                                     "script /a.js",
		`addEventListener("load", go); function go() { var s = document.createElement("script"); s.src = "/a.js" }`:                     "script /a.js",
		`window.addEventListener("load", go); function go() { var s = document.createElement("script"); s.src = "/a.js" }`:              "script /a.js",
		`document.querySelector("a").addEventListener("click", () => { const f = document.createElement("iframe"); f.src = "/film/" })`: "iframe /film/ later",
		`setTimeout(function () { new Image().src = "/p.gif" }, 3000)`:                                                                  "img /p.gif",
		`function never() { new Image().src = "/p.gif" }`:                                                                               "img /p.gif later",
		`$(".map").on("click", function () { $.getScript("/map.js") })`:                                                                 "script /map.js later",
		`new Promise(function (done) { var s = document.createElement("script"); s.onload = done; s.src = "/a.js" })`:                   "script /a.js",
		`document.write("<script src='https://v.example/a.js'><\/script>")`:                                                             "script https://v.example/a.js",
		`document.write(unescape("%3Cscript src='/a.js'%3E%3C/script%3E"))`:                                                             "lost document.write",
		`document.write('<img src="https://v.example/p.gif?r=' + document.referrer + '" width=1>')`:                                     "img https://v.example/p.gif?r=…; lost document.write",
		`el.innerHTML = '<iframe src="https://v.example/film"></iframe><script src="/no.js"></script>'`:                                 "iframe https://v.example/film",
		`import("./more.js").then(m => m.go())`:                                                                                         "import ./more.js",

		`import("lit")`: "lost import()",

		"import(`./lang/${lang}.js`)":                                                      "lost import()",
		`var s = document.createElement("script"); s.src = url`:                            "lost a script element that it makes",
		`var s = document.createElement("script"); s.text = code; document.head.append(s)`: "lost a script element that it makes",
		`var s = document.createElement("script"); s.src = "/js/" + name + ".js"`:          "lost a script element that it makes",
		`var l = document.createElement("link"); l.href = theme`:                           "lost a link element that it makes",

		`var p = document.createElement("p"); p.src = "/a.js"; other.src = "/b.js"; var i = document.querySelector("img"); i.src = "/c"`: "",

		`var s = document.createElement("script"); s.src = "data:text/javascript,1"`: "",
		`this is no script`:   "",
		`createElement(((`:    "",
		`document.write("x")`: "",
	} {
		got := ScriptAsks([]byte(code))
		var all []string
		for _, a := range got.List {
			s := a.Tag + " " + a.URL
			if a.Open {
				s += "…"
			}
			if a.Later {
				s += " later"
			}
			if a.Offset > 0 &&
				!strings.Contains(code[a.Offset:],
					a.URL[strings.LastIndexByte(strings.TrimRight(a.URL, "/"), '/'):][:1]) {
				s += fmt.Sprint(" at ", a.Offset)
			}
			all = append(all, s)
		}
		for _, l := range got.Lost {
			all = append(all, "lost "+l)
		}
		if s := strings.Join(all, "; "); s != want {
			t.Errorf("%s\n  got  %s\n  want %s", code, s, want)
		}
	}
}

// FuzzScriptAsks: whatever a script is, it is read to its end.
func FuzzScriptAsks(f *testing.F) {
	for _, s := range []string{`a=b;b=a;a.src=b`, `function f(u){f(u);var s=d.createElement("script");s.src=u}f(f)`,
		"x=`${x}`;new Image().src=x", `a=a+a;b=a+a;new Image().src=a+b`} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, code string) { ScriptAsks([]byte(code)) })
}

// TestScriptAsksIsQuick: names that stand for names that stand for names, many times over.
func TestScriptAsksIsQuick(t *testing.T) {
	code := strings.Repeat("a = b + a; b = a + b;\n", 5000) + `function f(u) { f(u + a); var s = document.createElement("script"); s.src = u + b } ` + strings.Repeat("f(a);", 2000)
	if got := ScriptAsks([]byte(code)); len(got.List) > 0 || len(got.Lost) != 1 {
		t.Errorf("%+v", got)
	}
}
