package inventory

import (
	"fmt"
	"strings"
	"testing"

	"yellowgate/internal/core/page"
	"yellowgate/internal/core/weburl"
)

// folder is a site of files, held in memory.
type folder map[string]string

func (f folder) File(path string) (int, int, bool) {
	text, ok := f[path]
	if !ok {
		return 0, 0, false
	}
	return len(text), 1, true
}

func (f folder) Text([]byte) int { return 1 }

// TestImports: what files and texts import is followed, each file once, and is
// part of what the page costs.
func TestImports(t *testing.T) {
	files := folder{
		"/css/a.css":  `@charset "utf-8"; @import url(b.css) screen; @import 'https://fonts.example/f.css'; p{}`,
		"/css/b.css":  `/* x */ @import url( "c.css" ); @layer x; @import "gone.css"; a{}`,
		"/css/c.css":  `b{} @import "late.css";`,
		"/css/r.css":  `@import "r.css"; @import "/css/c.css"`,
		"/js/m.js":    `import n from "./n.js"; export * from "../js/o.js"; import {html} from "lit"; n()`,
		"/js/n.js":    `import "./m.js"; import data from "./d.json" with {type: "json"}; export default 1`,
		"/js/o.js":    `export const o = () => import("./dynamic.js")`,
		"/js/d.json":  `{}`,
		"/js/bad.js":  `import "./o.js"; this does not parse`,
		"/late/x.css": `x{}`,
	}
	for _, c := range []struct{ html, want string }{
		{`<link rel=stylesheet href=/css/a.css>`,
			"/css/b.css by /css/a.css; https://fonts.example/f.css by /css/a.css; /css/c.css by /css/b.css; /css/gone.css by /css/b.css dead"},
		{`<link rel=preload as=style href=/css/a.css>`, ""},
		{`<noscript><link rel=stylesheet href=/css/a.css></noscript>`, ""},
		{`<link rel=stylesheet href=/css/r.css>`, "/css/c.css by /css/r.css"},
		{`<link rel=stylesheet href=/css/r.css><link rel=stylesheet href=/css/c.css>`, ""},
		{`<style>@import "late/x.css"; @import "late/x.css"; p{}</style>`, "/visit/late/x.css by  dead"},
		{`<style>p{} @import "/css/a.css";</style>`, ""},
		{`<script type=module src=/js/m.js></script>`, "/js/n.js by /js/m.js; /js/o.js by /js/m.js; /js/d.json by /js/n.js"},
		{`<script type=module async src=/js/m.js></script>`,
			"/js/n.js by /js/m.js; /js/o.js by /js/m.js; /js/d.json by /js/n.js"},
		{`<script src=/js/m.js></script>`, ""},
		{`<script type=module src=/js/bad.js></script>`, ""},
		{`<script type=module>import "/js/n.js"; import "/js/o.js"</script>`,
			"/js/n.js by ; /js/o.js by ; /js/m.js by /js/n.js; /js/d.json by /js/n.js"},
	} {
		weights := struct {
			folder
			*Imports
		}{files, &Imports{Weights: files,
			Read: func(p string) ([]byte, bool) { text, ok := files[p]; return []byte(text), ok }}}
		r := Take([]byte("<!doctype html>"+c.html), page.Page{Path: "/visit/", File: "visit/index.html"},
			weburl.NewSite("https://ternhill.example"), weights)
		var all []string
		bytes, n := 0, 0
		for _, e := range r.Elements {
			for _, m := range e.Imports {
				s := m.Target + " by " + m.By
				if m.Dead {
					s += " dead"
				}
				all = append(all, s)
				bytes += len(files[m.Target])
				n++
			}
			if e.Loads && e.Inside == "" {
				bytes += e.Bytes
				n++
			}
		}
		if got := strings.Join(all, "; "); got != c.want {
			t.Errorf("%s\n  imports %s\n  want    %s", c.html, got, c.want)
		}
		if cost := r.Cost(); cost.Loaded != bytes || cost.Requests != n {
			t.Errorf("%s: costs %s, want %d requests of %d bytes", c.html, fmt.Sprintf("%+v", cost), n, bytes)
		}
	}
}

// TestBrings: what scripts load as they run is listed with the line that does it, followed
// through the site's files, and part of what the page costs unless somebody has to click
// first.
func TestBrings(t *testing.T) {
	files := folder{
		"/js/a.js":    "// a\nvar s = document.createElement('script');\ns.src = '/js/b.js';",
		"/js/b.js":    `var s = document.createElement("script"); s.src = "https://v.example/v.js"; new Image().src = "/i/p.gif"`,
		"/js/loop.js": `var s = document.createElement("script"); s.src = "/js/loop.js"`,
		"/js/m.js":    `import "./n.js"`,
		"/js/n.js":    `import("./late.js"); export default 1`,
		"/js/late.js": ``,
		"/i/p.gif":    `GIF`,
		"/visit/x.js": ``,
	}
	for _, c := range []struct{ html, want string }{
		{`<script src=/js/a.js></script>`,
			"script /js/b.js by /js/a.js:3; script https://v.example/v.js by /js/b.js:1; img /i/p.gif by /js/b.js:1"},
		{`<script src=/js/a.js></script><script src=/js/b.js></script>`,
			"script https://v.example/v.js by /js/b.js:1; img /i/p.gif by /js/b.js:1"},
		{`<script src=/js/loop.js></script>`, ""},
		{"<script>\n\nvar s = document.createElement('script');\ns.src = 'https://v.example/v.js'</script>",
			"script https://v.example/v.js by :4"},
		{"\n<script\nid=x>var s = document.createElement('script'); s.src = 'x.js'</script>", "script /visit/x.js by :3"},
		{`<script>var s = document.createElement("script"); s.src = "gone.js"</script>`, "script /visit/gone.js by :1 dead"},
		{`<script>var s = document.createElement("script"); s.src = "/js/b.js?v=" + Date.now()</script>`,
			"script /js/b.js by :1 open; script https://v.example/v.js by /js/b.js:1; img /i/p.gif by /js/b.js:1"},
		{`<script>onclick = function () { var s = document.createElement("script"); s.src = "/js/a.js" }</script>`,
			"script /js/a.js by :1 later; script /js/b.js by /js/a.js:3 later; script https://v.example/v.js by /js/b.js:1 later; img /i/p.gif by /js/b.js:1 later"},
		{`<script type=module src=/js/m.js></script>`, "import /js/late.js by /js/n.js:1"},
		{`<script type=text/template>var s = document.createElement("script"); s.src = "/js/a.js"</script>`, ""},
		{`<template><script src=/js/a.js></script></template><noscript><script src=/js/a.js></script></noscript>`, ""},
		{`<script src=https://w.example/w.js></script>`, ""},
	} {
		weights := struct {
			folder
			*Imports
		}{files, &Imports{Weights: files,
			Read: func(p string) ([]byte, bool) { text, ok := files[p]; return []byte(text), ok }}}
		r := Take([]byte("<!doctype html>"+c.html), page.Page{Path: "/visit/", File: "visit/index.html"},
			weburl.NewSite("https://ternhill.example"), weights)
		var all []string
		requests := 0
		for _, e := range r.Elements {
			if e.Loads && e.Inside == "" {
				requests++
			}
			requests += len(e.Imports)
			for _, m := range e.Brings {
				s := fmt.Sprintf("%s %s by %s:%d", m.Tag, m.Target, m.By, m.Line)
				for word, is := range map[string]bool{" dead": m.Dead, " open": m.Open} {
					if is {
						s += word
					}
				}
				if m.Later {
					s += " later"
				} else {
					requests++
				}
				all = append(all, s)
			}
		}
		if got := strings.Join(all, "; "); got != c.want {
			t.Errorf("%s\n  loads %s\n  want  %s", c.html, got, c.want)
		}
		if cost := r.Cost(); cost.Requests != requests {
			t.Errorf("%s: costs %+v, want %d requests", c.html, cost, requests)
		}
	}
}
