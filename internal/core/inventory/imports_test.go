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
		{`<link rel=stylesheet href=/css/a.css>`, "/css/b.css by /css/a.css; https://fonts.example/f.css by /css/a.css; /css/c.css by /css/b.css; /css/gone.css by /css/b.css dead"},
		{`<link rel=preload as=style href=/css/a.css>`, ""},
		{`<noscript><link rel=stylesheet href=/css/a.css></noscript>`, ""},
		{`<link rel=stylesheet href=/css/r.css>`, "/css/c.css by /css/r.css"},
		{`<link rel=stylesheet href=/css/r.css><link rel=stylesheet href=/css/c.css>`, ""},
		{`<style>@import "late/x.css"; @import "late/x.css"; p{}</style>`, "/visit/late/x.css by  dead"},
		{`<style>p{} @import "/css/a.css";</style>`, ""},
		{`<script type=module src=/js/m.js></script>`, "/js/n.js by /js/m.js; /js/o.js by /js/m.js; /js/d.json by /js/n.js"},
		{`<script type=module async src=/js/m.js></script>`, "/js/n.js by /js/m.js; /js/o.js by /js/m.js; /js/d.json by /js/n.js"},
		{`<script src=/js/m.js></script>`, ""},
		{`<script type=module src=/js/bad.js></script>`, ""},
		{`<script type=module>import "/js/n.js"; import "/js/o.js"</script>`, "/js/n.js by ; /js/o.js by ; /js/m.js by /js/n.js; /js/d.json by /js/n.js"},
	} {
		weights := struct {
			folder
			*Imports
		}{files, &Imports{Weights: files, Read: func(p string) ([]byte, bool) { text, ok := files[p]; return []byte(text), ok }}}
		r := Take([]byte("<!doctype html>"+c.html), page.Page{Path: "/visit/", File: "visit/index.html"}, weburl.NewSite("https://ternhill.example"), weights)
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
