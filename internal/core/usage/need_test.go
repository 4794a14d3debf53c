package usage

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"

	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/weburl"
)

// folder is a site of files, held in memory.
type folder map[string]string

func (f folder) Read(path string) ([]byte, bool)   { text, ok := f[path]; return []byte(text), ok }
func (f folder) File(path string) (int, int, bool) { text, ok := f[path]; return len(text), 1, ok }
func (f folder) Text([]byte) int                   { return 1 }
func (f folder) take(path string) *inventory.Record {
	w := struct {
		folder
		*inventory.Imports
	}{f, &inventory.Imports{Weights: f, Read: f.Read}}
	return inventory.Take([]byte("<!doctype html>"+f[path]), page.Page{Path: path, File: path[1:]}, weburl.NewSite(""), w)
}

func (f folder) needs(path string) (*inventory.Record, []*Need) {
	j := &Judge{Library: &Library{Read: f.Read}}
	r := f.take(path)
	return r, j.Needs(r, Read(r.Source, r.Scan, nil))
}

// TestNeeds tells for a page each thing that it loads, and whether it needs it: "+" and
// what for, "-" and how sure that is, "?" where it cannot be told.
func TestNeeds(t *testing.T) {
	files := folder{
		"/kit.css": "form.contact{a:b}", "/kit.js": "document.querySelector('form.contact')", "/base.css": "body{margin:0}", "/vars.css": ":root{--gap:1px}", "/asks.css": "p{margin:var(--gap)} .zz{}",
		"/lib.js": "window.lib = { go: function () { document.querySelector('.slides') } }", "/slides.js": "lib.go(); document.querySelector('.slides')", "/plug.js": "lib.more = function () {}",
		"/count.js": "fetch('/c')", "/reg.js": "lib.register('x'); window.reg = 1", "/ring.js": "const e = document.querySelector('.at'); e.className = 'ring'", "/ring.css": ".ring{}", "/shim.js": "window.shim = { swap: function (d) { d.querySelectorAll('i.old') } }",
		"/mixed.js": "document.querySelector('.gone'); document.body.classList.add('js')", "/m.js": "import './n.js'", "/n.js": "document.querySelector('.deep')", "/bad.js": "this does not parse",
		"/imp.css": "@import 'kit.css';",
	}
	for _, c := range []struct{ html, want string }{
		{"<link rel=stylesheet href=/kit.css>", "/kit.css -certain"},
		{"<link rel=stylesheet href=/kit.css><form class=contact>", "/kit.css +form.contact"},
		{"<link rel=stylesheet href=/kit.css><script src=/kit.js></script>", "/kit.css -possible; /kit.js -possible"},
		{"<link rel=stylesheet href=/imp.css><form class=contact>", "/imp.css +form.contact"},
		{"<link rel=stylesheet href=/base.css>", "/base.css +body"},
		{"<link rel=stylesheet href=/vars.css>", "/vars.css ?"},
		{"<link rel=stylesheet href=/vars.css><link rel=stylesheet href=/asks.css>", "/vars.css +--gap; /asks.css -certain"},
		{"<link rel=stylesheet href=/ring.css><script src=/ring.js></script>", "/ring.css +.ring; /ring.js -possible"},
		{"<link rel=stylesheet href=/kit.css><script src=https://x.example/a.js></script>",
			"/kit.css -possible; https://x.example/a.js ?"},
		{"<link rel=stylesheet href=/kit.css><script src=/count.js></script>", "/kit.css -possible; /count.js ?"},
		{"<link rel=stylesheet href=/kit.css><script src=/bad.js></script>", "/kit.css -possible; /bad.js ?"},
		{"<script src=/lib.js></script>", "/lib.js -possible"},
		{"<script src=/lib.js></script><script src=/slides.js></script>", "/lib.js -possible; /slides.js -possible"},
		{"<script src=/lib.js></script><script src=/slides.js></script><p class=slides>",
			"/lib.js +lib; /slides.js +.slides"},
		{"<script src=/lib.js></script><p onclick='lib.go()'>", "/lib.js +lib"},
		{"<script src=/lib.js></script><script src=/plug.js></script>", "/lib.js -possible; /plug.js -possible"},
		{"<script src=/shim.js></script><script>window.shim && shim.swap(document)</script>", "/shim.js -possible"},
		{"<script src=/shim.js></script><script>shim.swap(document)</script><i class=old>", "/shim.js +i.old"},
		{"<script src=/shim.js></script><script>shim.swap(document); fetch('/x')</script>", "/shim.js +shim; inline ?"},
		{"<script src=/slides.js></script><script>p.innerHTML = '<p class=slides>'</script>",
			"/slides.js +.slides; inline ?"},
		{"<script src=/lib.js></script><script src=/reg.js></script>", "/lib.js +lib; /reg.js ?"},
		{"<script src=/count.js></script>", "/count.js ?"},
		{"<script src=/mixed.js></script>", "/mixed.js -possible"},
		{"<script type=module src=/m.js></script>", "/m.js -possible"},
		{"<script type=module src=/m.js></script><p class=deep>", "/m.js +.deep"},
		{"<!--yg:kit--><link rel=stylesheet href=/kit.css><script src=/lib.js></script><!--/yg:kit--><form class=contact>",
			"kit +form.contact"},
		{"<template><link rel=stylesheet href=/kit.css></template><noscript><style>a{}</style></noscript>", ""},
	} {
		files["/page.html"] = c.html
		_, needs := files.needs("/page.html")
		var all []string
		for _, n := range needs {
			key := n.Key
			if strings.HasPrefix(key, "inline ") {
				key = "inline"
			}
			switch n.State {
			case Used:
				all = append(all, key+" +"+n.By)
			case Unseen:
				all = append(all, key+" ?")
			default:
				all = append(all, key+" -"+n.Certainty.String())
			}
		}
		if got := strings.Join(all, "; "); got != c.want {
			t.Errorf("%s\n  %s\n  want %s", c.html, got, c.want)
		}
	}
}

// TestSuggestions: what a ledger makes of several pages.
func TestSuggestions(t *testing.T) {
	kit := "<link rel=stylesheet href=/kit.css>"
	files := folder{"/kit.css": ".kit{} .kit b{}", "/a/index.html": kit + "<p class=kit>", "/b/index.html": kit,
		"/b/c/index.html": kit + kit, "/d/index.html": "<p class=kit>"}
	var l Ledger
	for _, path := range slices.Sorted(maps.Keys(files)) {
		if strings.HasSuffix(path, ".html") {
			r, needs := files.needs(path)
			r.Path = strings.TrimSuffix(path, "index.html")
			l.Add(r, needs)
		}
	}
	list := l.Suggestions()
	if len(list) != 1 {
		t.Fatalf("%d suggestions", len(list))
	}
	s := list[0]
	if got := fmt.Sprint(s.Needed, s.Without, s.Requests, s.Blocking, s.Bytes); got != "[/a/] [/b/c/ /b/] 3 3 45" {
		t.Errorf("needed, not needed, saves: %s", got)
	}
	if got := strings.Join(s.Queries, " | "); got != "has(.kit) | /a/ | all and not /b/**" {
		t.Errorf("queries: %s", got)
	}
	if got := strings.Join(s.Evidence, " | "); got != ".kit on 1 page | not found on the others: .kit, .kit b" {
		t.Errorf("evidence: %s", got)
	}
}

func TestPaths(t *testing.T) {
	all := strings.Fields("/ /a/ /a/b/ /a/b/c.html /a/d/ /a-z/ /e.html /f/g/ /f/h/")
	for some, want := range map[string]string{
		"/":                           "/",
		"/a/ /a/b/ /a/b/c.html /a/d/": "/a/**",
		"/a/b/ /a/b/c.html /f/g/":     "/a/b/** /f/g/",
		"/f/g/ /f/h/ /e.html":         "/e.html /f/**",
		strings.Join(all, " "):        "all",
		"/a-z/ /a/":                   "/a-z/ /a/",
		"":                            "",
	} {
		sorted := slices.Sorted(slices.Values(all))
		if got := strings.Join(Paths(strings.Fields(some), sorted), " "); got != want {
			t.Errorf("%s: %s, want %s", some, got, want)
		}
	}
	var many, half []string
	for i := range 100 {
		p := fmt.Sprintf("/p-%02d/", i)
		if many = append(many, p); i%2 == 0 {
			half = append(half, p)
		}
	}
	if got := Paths(half, many); got != nil {
		t.Errorf("%d entries for half of the pages", len(got))
	}
}

// FuzzEvidence: whatever a file holds, reading it ends, and finds nothing on an empty
// page that names something.
func FuzzEvidence(f *testing.F) {
	for _, s := range []string{".a > b:not(.c)::before, [d='e' i] { f: g }", "@media x { a { b: c } } @import 'y';",
		"document.querySelector('.a')", "(function (w) { w.x = () => { fetch(`a${b}`) } })(window)", "a{b:c",
		"\\61 {}", "{}}{", "if (x) return"} {
		f.Add([]byte(s))
	}
	empty := vocabulary("<!doctype html>")
	f.Fuzz(func(t *testing.T, text []byte) {
		sheet := ReadSheet(text)
		if sel := sheet.Match(empty); sel != "" {
			for i := range sheet.Selectors {
				if x := &sheet.Selectors[i]; x.Text == sel && len(x.Needs) > 0 {
					t.Errorf("%q matches on an empty page and needs %v", sel, x.Needs)
				}
			}
		}
		if s := ReadScript(text, false); s != nil {
			for i := range s.Load.Hooks {
				h := &s.Load.Hooks[i]
				if h.Match(empty) && len(h.needs) > 0 {
					t.Errorf("hook %q matches on an empty page", h.Selector)
				}
			}
		}
	})
}
