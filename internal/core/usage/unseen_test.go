package usage

import (
	"fmt"
	"strings"
	"testing"
)

// TestUnknown: what a script does that cannot be followed, told as "loads | names".
func TestUnknown(t *testing.T) {
	for code, want := range map[string]string{
		`document.querySelector(".a").classList.add("b")`:                            "|",
		`import("./more.js")`:                                                        "|",
		`import("./" + name + ".js")`:                                                "import()|",
		`var s = document.createElement("script"); s.src = "https://x.example/a.js"`: "|",
		`var s = document.createElement("script"); s.src = url`:                      "a script element that it makes|",
		`var l = document.createElement('LINK')`:                                     "a link element that it makes|",
		`document.createElement("p")`:                                                "|",
		`const tag = "script"; document.createElement(tag)`:                          "a script element that it makes|",
		`document.createElement(kind)`:                                               "|elements whose names it puts together",
		`document.write("<script src=x><\\/script>")`:                                "|",
		`document.write(banner)`:                                                     "document.write|",
		`new Worker("/w.js")`:                                                        "a worker|",
		`navigator.serviceWorker.register("/sw.js")`:                                 "a service worker|",
		`require(["a", "b"], function (a, b) { a() })`:                               "a module loader|",
		`define(["a"], function () {})`:                                              "a module loader|",
		`(function (make) { if (typeof define === "function" && define.amd) define(["kit"], make); else make(kit) })(function () {})`:                        "|",
		`"object" == typeof exports ? module.exports = make(require("kit")) : "function" == typeof define && define.amd ? define(["kit"], make) : make(kit)`: "a module loader|",
		`System.import("a")`:                                  "a module loader|",
		`eval(text)`:                                          "code from a text|",
		`new Function("return 1")`:                            "code from a text|",
		`el.classList.toggle(name)`:                           "|class names that it puts together",
		`el.classList.add("is-" + state)`:                     "|class names that it puts together",
		`el.classList.replace("a", b)`:                        "|class names that it puts together",
		`el.className = "a " + b`:                             "|class names that it puts together",
		"el.className = `a ${b}`":                             "|class names that it puts together",
		`lib.addClass = function (c) { el.classList.add(c) }`: "|",
		`lib.html = function (h) { el.innerHTML = h }`:        "|",
		`mark(el, "is-" + state)`:                             "|class names that it puts together",
		"mark(el, `box is-${state}`)":                         "|class names that it puts together",
		`load("/img/a-" + n + ".png")`:                        "|",
		`el.className = "a b"`:                                "|",
		`el.className += " b"`:                                "|class names that it puts together",
		`el.setAttribute("class", x)`:                         "|class names that it puts together",
		`el.setAttribute("href", x)`:                          "|",
		`$(".a").toggleClass(x)`:                              "|class names that it puts together",
		`$(".a").addClass("b")`:                               "|",
		`el.innerHTML = "<b>x</b>"`:                           "|",
		`el.innerHTML = data.text`:                            "|markup from data",
		`el.insertAdjacentHTML("beforeend", row(x))`:          "|markup from data",
		`new DOMParser().parseFromString(x, "text/html")`:     "|markup from data",
		`list.add(x); set.remove(y); text.replace(a, b)`:      "|",
		`(function () { function later() { import("./a.js") } return later })()`:                               "|",
		`button.addEventListener("click", async () => { panel.innerHTML = await (await fetch("/x")).text() })`: "|markup from data",
	} {
		s := ReadScript([]byte(code), strings.Contains(code, "await"))
		if s == nil {
			t.Errorf("%s does not parse", code)
			continue
		}
		if got := strings.Join(s.Unknown.Loads, ", ") + "|" + strings.Join(s.Unknown.Names, ", "); got != want {
			t.Errorf("%s: %s, want %s", code, got, want)
		}
	}
}

// TestEarnedCertainty: where a page has code, nothing of it is more than possibly unneeded, and what another script
// reads is not called unneeded at all.
func TestEarnedCertainty(t *testing.T) {
	files := folder{"/kit.css": ".kit { color: red }", "/plain.js": `document.querySelector(".none").focus()`,
		"/loads.js":     `import("./" + x)`,
		"/more.js":      `const s = document.createElement("script"); s.src = "/plain.js"; document.querySelector(".none").appendChild(s)`,
		"/loads-kit.js": `document.body.className = "kit"`, "/more.css": "",
		"/joins.js": `for (const e of document.querySelectorAll(".none")) e.classList.add("is-" + e.id)`,
		"/big.js":   "var a = 1;" + strings.Repeat(" ", MaxScript)}
	for html, want := range map[string]string{
		`<link rel=stylesheet href=/kit.css>`:                                                                                "/kit.css certain",
		`<link rel=stylesheet href=/kit.css><script src=/plain.js></script>`:                                                 "/kit.css possible; /plain.js possible",
		`<link rel=stylesheet href=/kit.css><script src=/loads.js></script>`:                                                 "/kit.css possible; /loads.js unseen",
		`<link rel=stylesheet href=/kit.css><script src=/joins.js></script>`:                                                 "/kit.css possible; /joins.js possible",
		`<link rel=stylesheet href=/kit.css><script src=/big.js></script>`:                                                   "/kit.css possible; /big.js unseen",
		`<link rel=stylesheet href=/kit.css><script src=/none.js></script>`:                                                  "/kit.css possible; /none.js unseen",
		`<link rel=stylesheet href=/kit.css><script src=https://v.example/v.js></script>`:                                    "/kit.css possible; https://v.example/v.js unseen",
		`<script>window.vq = window.vq || []; vq.push(["start"])</script><script async src=https://v.example/v.js></script>`: "inline unseen; https://v.example/v.js unseen",
		`<script>settings = {id: 7}</script><script async src=https://v.example/v.js></script>`:                              "inline unseen; https://v.example/v.js unseen",
		// What a script loads is part of it: a file of the site is read, another's cannot be.
		`<link rel=stylesheet href=/kit.css><script src=/more.js></script>`:                                                        "/kit.css possible; /more.js possible",
		`<link rel=stylesheet href=/kit.css><script>import("/loads-kit.js")</script>`:                                              "inline unseen",
		`<link rel=stylesheet href=/kit.css><script>var s = document.createElement("script"); s.src = "/gone.js"</script>`:         "/kit.css possible; inline unseen",
		`<link rel=stylesheet href=/kit.css><script>var s = document.createElement("script"); s.src = "//v.example/v.js"</script>`: "/kit.css possible; inline unseen",
		`<link rel=stylesheet href=/kit.css><script>var s = document.createElement("link"); s.href = "/more.css"</script>`:         "/kit.css possible; inline unseen",
		`<script>settings = {id: 7}</script>`: "inline possible",
	} {
		files["/page.html"] = html
		_, needs := files.needs("/page.html")
		var all []string
		for _, n := range needs {
			key, _, _ := strings.Cut(n.Key, " ")
			switch n.State {
			case Unused:
				all = append(all, fmt.Sprint(key, " ", n.Certainty))
			case Unseen:
				all = append(all, key+" unseen")
			}
		}
		if got := strings.Join(all, "; "); got != want {
			t.Errorf("%s\n  %s\n  want %s", html, got, want)
		}
	}
	files["/page.html"] = `<script src=/big.js></script>`
	if _, needs := files.needs("/page.html"); needs[0].By != "/big.js is over 1 MB, and was not read" {
		t.Errorf("a large script: %s", needs[0].By)
	}
}
