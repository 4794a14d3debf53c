package checks

import (
	"fmt"
	"strings"
	"testing"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/weburl"
)

// audit of one page by some checks, as "line check".
func onPage(path, html string, files folder, list ...*check.Check) string {
	var out []string
	for _, f := range foundOn(page.Page{Path: path, File: "x.html"}, html, files) {
		for _, c := range list {
			if f.Check == c.Name {
				out = append(out, fmt.Sprint(f.Line, " ", f.Check))
			}
		}
	}
	return strings.Join(out, "; ")
}

// foundOn lists what all checks find on a page.
func foundOn(of page.Page, html string, files folder) []check.Finding {
	known := check.Known{Read: files.Read, HasFile: func(p string) bool { _, ok := files[p]; return ok }}
	for p := range files {
		if strings.HasSuffix(p, ".js") || strings.HasSuffix(p, ".css") {
			known.Code = append(known.Code, p)
		}
	}
	w := struct {
		weights
		*inventory.Imports
	}{weights(files), &inventory.Imports{Weights: weights(files), Read: files.Read}}
	r := inventory.Take([]byte(html), of, weburl.NewSite("https://ternhill.example"), w)
	found, _ := RunPage(&check.Pass{Record: r, Site: check.NewSite(known)})
	return found
}

// TestSelfClosed: what a slash does not close, and what it need not.
func TestSelfClosed(t *testing.T) {
	const begin = "<!doctype html>\n"
	for html, want := range map[string]string{
		`<a id="x"/>x`:               "note /> does not close <a>: it goes on through all that follows, up to the next </a>",
		`<a id=x/>x`:                 `note /> does not close <a>: it goes on through all that follows, up to the next </a>; and its id is "x/"`,
		`<a href="/"/>x`:             "warning /> does not close <a>: it goes on through all that follows, up to the next </a>",
		`<i/><p>x<I CLASS=x /><i/>`:  "warning /> does not close <i>: it goes on through all that follows, up to the next </i> (and 2 more)",
		`<x-map/>`:                   "warning /> does not close <x-map>: it goes on to the end of what it stands in",
		`<textarea/>x`:               "error /> does not close <textarea>: it goes on up to the next </textarea>: that is its text, and is not shown",
		`<a id="x"/></a><b /> </B>`:  "", // it is closed at once
		`<a href=/visit/>Visit</a>`:  "", // the slash is the address's
		`<svg><a/><title/></svg>`:    "",
		`<br/><p/><li/><img src=a.>`: "",
	} {
		var got []string
		for _, f := range foundOn(page.Page{Path: "/"}, begin+html, folder{}) {
			if f.Check == "ignored-element" {
				got = append(got, f.Severity.String()+" "+f.Message)
			}
		}
		if s := strings.Join(got, "; "); s != want {
			t.Errorf("%s: %s\n\twant %s", html, s, want)
		}
	}
	asXML := &page.Answer{Fields: map[string][]string{"content-type": {"application/xhtml+xml"}}}
	for _, f := range foundOn(page.Page{Path: "/", Answer: asXML}, begin+`<a id="x"/>x`, folder{}) {
		if f.Check == "ignored-element" {
			t.Errorf("in XML: %s", f.Message)
		}
	}
}

// TestTooEarly: what is called before it is there, and what only looks so.
func TestTooEarly(t *testing.T) {
	files := folder{"/kit.js": "window.kit = { start: function () {} }; function plain() {}",
		"/calls.js": "kit.start()", "/loader.js": "import(x)", "/imports.js": "import kit from './m.js'; kit.start()",
		"/m.js": "export default 1; window.kit = {}"}
	for html, want := range map[string]string{
		"<script src=/kit.js defer></script>\n<script>kit.start()</script>":                                         "2 too-early",
		"<script src=/kit.js async></script>\n<script>kit.start()</script>":                                         "2 too-early",
		"<script>kit.start()</script>\n<script src=/kit.js></script>":                                               "1 too-early",
		"<script type=module src=/m.js></script>\n<script>new kit()</script>":                                       "2 too-early",
		"<script src=/calls.js></script><script src=/kit.js></script>":                                              "1 too-early",
		"<script>window.kit.start()</script><script src=/kit.js></script>":                                          "1 too-early",
		"<script>(function () { kit.start() })()</script><script src=/kit.js></script>":                             "1 too-early",
		"<script>go(); function go() { kit.start() }</script><script src=/kit.js></script>":                         "1 too-early",
		"<script src=/gone.js></script>\n<script>kit.start()</script>":                                              "2 too-early",
		"<script src=/kit.js async></script>\n<script src=/calls.js defer></script>":                                "2 too-early",
		"<script src=/kit.js></script>\n<script src=/kit.js async></script>\n<script src=/calls.js defer></script>": "",
		"<script src=/kit.js async></script>\n<script src=/imports.js type=module></script>":                        "",
		"<p>x\n<script>document.getElementById('box').hidden = true</script>":                                       "2 too-early",
		"<script>document.getElementById('box').hidden = true</script><p id=box>x":                                  "1 too-early",
		"<p id=box>x<script>document.getElementById('box').hidden = true</script>":                                  "",
		"<script src=/kit.js></script><script>kit.start()</script>":                                                 "",
		"<script src=/kit.js defer></script><script src=/calls.js defer></script>":                                  "",
		"<script src=/kit.js defer></script><script>addEventListener('load', function () { kit.start() })</script>": "",
		"<script src=/kit.js defer></script><script>setTimeout(function () { kit.start() }, 9)</script>":            "",
		"<script src=/kit.js defer></script><script>window.kit && kit.start()</script>":                             "",
		"<script src=/kit.js defer></script><script>if (window.kit) kit.start()</script>":                           "",
		"<script src=/kit.js defer></script><script>try { kit.start() } catch (e) {}</script>":                      "",
		"<script src=/kit.js defer></script><script>window.kit?.start()</script>":                                   "",
		"<script src=/kit.js defer></script><script>function later() { kit.start() }</script>":                      "",
		"<script src=/kit.js defer></script><script>var kit = { start: function () {} }; kit.start()</script>":      "",
		"<script src=/kit.js defer></script><script>setTimeout(x, 1); alert(1); console.log(1)</script>":            "",
		"<script src=https://v.example/v.js></script><script>kit.start()</script><script src=/kit.js></script>":     "",
		"<script src=/loader.js></script><script>kit.start()</script><script src=/kit.js></script>":                 "",
		"<script src=/gone.js></script><script>kit.start()</script><form id=kit></form>":                            "",
		"<script>kit.start()</script>": "",
		"<button onclick='kit.start()'>x</button><script src=/kit.js defer></script>":    "",
		"<script src=/kit.js defer></script><script type=module>kit.start()</script>":    "",
		"<template><script>kit.start()</script></template><script src=/kit.js></script>": "",
	} {
		if got := onPage("/", "<!doctype html>"+html, files, Named("too-early")); got != want {
			t.Errorf("%s: %q, want %q", html, got, want)
		}
	}
}

// TestDoubleLoad: one file twice, by elements or by code that makes one.
func TestDoubleLoad(t *testing.T) {
	const loader = "<script>var s = document.createElement('script'); s.src = 'https://v.example/v.js'; document.head.append(s)</script>"
	for html, want := range map[string]string{
		"<script src=/a.js></script>\n<script src=/a.js></script>":                                    "2 double-load",
		"<link rel=stylesheet href=/a.css>\n<link rel=stylesheet href=/a.css>":                        "2 double-load",
		"<link rel=stylesheet href=/a.css media=screen><link rel=stylesheet href=/a.css media=print>": "",
		"<link rel=preload as=style href=/a.css><link rel=stylesheet href=/a.css>":                    "",
		"<img src=/a.png><img src=/a.png>":                                                            "",
		loader + "\n" + strings.Replace(loader, "var s", "var t = 1, s", 1):                           "2 double-load",
		loader: "",
		"<script src=https://v.example/v.js></script>\n" + loader: "",
	} {
		if got := onPage("/", "<!doctype html>"+html, folder{"/a.js": "a()", "/a.css": "p{}", "/a.png": "x"},
			Named("double-load")); got != want {
			t.Errorf("%s: %q, want %q", html, got, want)
		}
	}
}

// TestAside: pages that lead away, and those of a server's errors, are not asked for what
// others have.
func TestAside(t *testing.T) {
	for _, c := range []struct{ path, html, want string }{
		{"/", "<!doctype html><title>x</title><p>x", "1 description-missing; 1 canonical-missing"},
		{"/404.html", "<!doctype html><title>x</title><p>x", ""},
		{"/404/", "<!doctype html><title>x</title><p>x", ""},
		{"/old/", "<!doctype html><title>x</title><meta http-equiv=refresh content='0; url=/'>", ""},
		{"/old/", "<!doctype html><title>x</title><script>location.href = '/new/'</script>", ""},
		{"/old/",
			"<!doctype html><title>x</title><script>window.location.replace('/new/' + location.hash)</script><p>Moved",
			""},
		{"/old/", "<!doctype html><title>x</title><script>var here = location.href</script><p>x",
			"1 description-missing; 1 canonical-missing"},
		{"/old/", "<!doctype html><title>x</title><script>if (location.href == '/') go()</script><p>x",
			"1 description-missing; 1 canonical-missing"},
		{"/old/",
			"<!doctype html><title>x</title><script>location = '/new/'</script>" +
				strings.Repeat("<p>much else to read</p>", 80), "1 description-missing; 1 canonical-missing"},
	} {
		got := onPage(c.path, c.html, folder{}, Named("description-missing"), Named("canonical-missing"))
		if sorted := strings.Join(reverse(strings.Split(got, "; ")), "; "); got != c.want && sorted != c.want {
			t.Errorf("%s %.90s: %q, want %q", c.path, c.html, got, c.want)
		}
	}
}

func reverse(list []string) (out []string) {
	for _, s := range list {
		out = append([]string{s}, out...)
	}
	return out
}

// TestWhole: what all pages have alike is one finding, with their number; what some have is
// reported each, but for what only matters to a page that stands in no frame, as /c/ does.
func TestWhole(t *testing.T) {
	of := func(name, message string, pages ...string) (out []check.Finding) {
		for _, p := range pages {
			out = append(out, check.Finding{Check: name, Message: message, Page: p, File: p + "index.html", Line: 3})
		}
		return out
	}
	all := []string{"/a/", "/b/", "/c/"}
	for _, c := range []struct {
		name  string
		fs    []check.Finding
		pages int
		want  string
	}{
		{"all of them", of("icon-missing", "no icon", all...), 3, " on all 3 pages: no icon 3"},
		{"one has it", of("icon-missing", "no icon", all...), 4, "/a/ no icon 0; /b/ no icon 0"},
		{"what matters in a frame, too", of("lang-missing", "no lang", all...), 4,
			"/a/ no lang 0; /b/ no lang 0; /c/ no lang 0"},
		{"two pages", of("icon-missing", "no icon", all[:2]...), 2, "/a/ no icon 0; /b/ no icon 0"},
		{"another check", of("dead-file", "gone", all...), 3, "/a/ gone 0; /b/ gone 0; /c/ gone 0"},
		{"each another message", append(of("no-integrity", "a.js", all...), of("no-integrity", "b.js", "/a/")...), 3,
			" on all 3 pages: a.js 3; /a/ b.js 0"},
	} {
		var got []string
		pages := NewGathered()
		pages.Sought = c.pages
		check.LoadFact.All(&check.SitePass{Gathered: pages}).Framed = map[string]bool{"/c/": true}
		for _, f := range Whole(c.fs, pages) {
			got = append(got, fmt.Sprint(f.Page, " ", f.Message, " ", f.Pages))
		}
		if s := strings.Join(got, "; "); s != c.want {
			t.Errorf("%s: %s, want %s", c.name, s, c.want)
		}
	}
}

// TestAskedOnce: what is wrong with a file that another file asks for is told once, however
// many pages load that.
func TestAskedOnce(t *testing.T) {
	files := folder{"/s.css": "p { background: url(/none.png) }\n@font-face { src: url(x.eot); src: url(x.woff2) }",
		"/x.woff2": "f", "/l.js": "var s = document.createElement('script');\ns.src = '/gone.js'"}
	for _, p := range []string{"/a.html", "/b.html", "/c.html"} {
		files[p] = "<!doctype html><title>x</title><link rel=stylesheet href=/s.css><script src=/l.js></script><p>x"
	}
	if got := strings.Join(files.audit(Named("dead-file")), "; "); got != "l.js:2 dead-file; s.css:1 dead-file" {
		t.Error(got)
	}
}
