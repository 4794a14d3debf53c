package capture

import (
	"net/http"
	"net/url"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"yellowgate/internal/core/page"
	"yellowgate/internal/site"
)

// TestPageReferences: what leads to a page, what to a file, and what to neither.
func TestPageReferences(t *testing.T) {
	for _, c := range []struct {
		html string
		want string // P for a page, F for a file
	}{
		{`<a href=/a>`, "P/a"},
		{`<a href="/a&amp;b">`, "P/a&b"},
		{`<a href="">`, ""},
		{`<a name=top>`, ""},
		{`<area href=/a>`, "P/a"},
		{`<iframe src=/a></iframe>`, "P/a"},
		{`<embed src=/a>`, "P/a"},
		{`<frameset cols="1,2"><frame src=/a><frameset><FRAME src=/b></frameset><noframes><a href=/c></noframes></frameset>`,
			"P/a P/b"},
		{`<object data=/a></object>`, "P/a"},
		{`<script src=/a.js></script>`, "F/a.js"},
		{`<script type=module src=/a.js></script>`, "F/a.js"},
		{`<script type=module>import x from "./a.js"; import "bare"; export * from "https://ternhill.example/b.js"</script>`,
			"F./a.js Fhttps://ternhill.example/b.js"},
		{`<script>import("/later.js")</script>`, "F/later.js"},
		{`<script>var s = document.createElement("script"); s.src = "js/more.js"; document.head.append(s)</script>`,
			"Fjs/more.js"},
		{`<script>var f = document.createElement("iframe"); f.src = "/map/"; document.body.append(f)</script>`, "P/map/"},
		{`<script>var s = document.createElement("script"); s.src = "/v/" + version; document.head.append(s)</script>`, ""},
		{`<script type="application/json">{"src": "/no.js"}</script>`, ""},
		{`<script>var s = document.createElement("script"); s.src = "/v.js?" + version; document.head.append(s)</script>`,
			""},
		{`<script>"<a href=/not>"</script>`, ""},
		{`<!-- <a href=/not> -->`, ""},
		{`<style>@import "/a.css"; b { background: url(/b.png) }</style>`, "F/a.css F/b.png"},
		{`<img src=/a.png srcset="/b.png 1x, /c.png 2x,, ">`, "F/a.png F/b.png F/c.png"},
		{`<picture><source srcset="/a.webp 100w"></picture>`, "F/a.webp"},
		{`<video src=/a.webm poster=/a.png></video>`, "F/a.webm F/a.png"},
		{`<track src=/a.vtt>`, "F/a.vtt"},
		{`<input type=image src=/a.png>`, "F/a.png"},
		{`<link rel=stylesheet href=/a.css>`, "F/a.css"},
		{`<link rel=icon href=/a.svg>`, "F/a.svg"},
		{`<link rel=canonical href=/a>`, "P/a"},
		{`<link rel="alternate" hreflang=de href=/de/>`, "P/de/"},
		{`<link rel=dns-prefetch href=//elsewhere.example>`, ""},
	} {
		_, refs := pageReferences([]byte("<!doctype html>"+c.html), &page.Answer{})
		var got []string
		for _, r := range refs {
			kind := "F"
			if r.page {
				kind = "P"
			}
			got = append(got, kind+r.raw)
		}
		if g := strings.Join(got, " "); g != c.want {
			t.Errorf("%s leads to %q, want %q", c.html, g, c.want)
		}
	}
	base, refs := pageReferences([]byte("<base href=/x/><a href=a>"), &page.Answer{})
	if base != "/x/" || len(refs) != 1 || refs[0].raw != "a" {
		t.Errorf("base %q, %v", base, refs)
	}
	// The encoding of the header counts: two bytes of EUC-KR are one letter.
	_, refs = pageReferences([]byte("<base href=/x/>"),
		&page.Answer{
			Fields: map[string][]string{"link": {`<a.css>; rel=preload, <b>; rel=next, <c>; rel=icon`},
				"refresh": {"3; url=d"}}})
	if len(refs) != 3 || refs[0] != (reference{"a.css", false, true}) || refs[1] != (reference{"b", true, true}) ||
		refs[2] != (reference{"d", true, true}) {
		t.Errorf("what the head of an answer leads to: %v", refs)
	}
	_, refs = pageReferences([]byte("<a href=/\xb0\xa1>"),
		&page.Answer{Fields: map[string][]string{"content-type": {"text/html; charset=euc-kr"}}})
	if len(refs) != 1 || refs[0].raw != "/가" {
		t.Errorf("%v", refs)
	}
}

// TestFileReferences: what stylesheets and scripts load.
func TestFileReferences(t *testing.T) {
	for _, c := range []struct{ file, text, want string }{
		{"a.css", `@import "b.css"; c { background: url("d.png") }`, "b.css d.png"},
		{"a.CSS", `c { background: url(d.png) } /* url(not.png) */`, "d.png"},
		{"a.js", `import "./b.js"; export { c } from "/d.js"`, "./b.js /d.js"},
		{"a.mjs", `import e from "bare"`, ""},
		{"a.js", `"import './not.js'"`, ""},
		{"a.js", `var s = document.createElement("script"); s.src = "/js/more.js"; document.head.append(s)`, "/js/more.js"},
		{"a.js", `var s = document.createElement("script"); s.src = "more.js"; document.head.append(s)`,
			""}, // from the page's place
		{"a.js", `addEventListener("click", () => import("./later.js"))`, "./later.js"},
		{"a.png", `@import "not.css"`, ""},
	} {
		var got []string
		for _, r := range fileReferences(c.file, []byte(c.text)) {
			if r.page {
				t.Errorf("%s: %s is no page", c.file, r.raw)
			}
			got = append(got, r.raw)
		}
		if g := strings.Join(got, " "); g != c.want {
			t.Errorf("%s %s loads %q, want %q", c.file, c.text, g, c.want)
		}
	}
}

// FuzzFileOf: whatever address a site makes up, it is kept within the folder, under a name that
// neither hides nor decides, and one address has one place.
func FuzzFileOf(f *testing.F) {
	for _, p := range []string{"/", "/a", "/a/b.html", "/../../x", "/%2e%2e/%2e%2e/x", "/a//b", "/.git/config",
		"/a\\..\\b", "/%5c..%5c", "/yellowgate.yaml", "/a?b=../../c", "/con", "/caf%C3%A9", "/cafe%CC%81", "/%00",
		"/a%2Fb", "/index.html?x", "/?../x"} {
		f.Add(p, true, true)
		f.Add(p, false, false)
	}
	f.Fuzz(func(t *testing.T, raw string, isPage, withQuery bool) {
		u, err := url.Parse("http://ternhill.example/" + strings.TrimPrefix(raw, "/"))
		if err != nil {
			return
		}
		file, why := FileOf(u, isPage, withQuery)
		if (file == "") == (why == "") {
			t.Fatalf("%q: the file %q, and %q", raw, file, why)
		}
		if why != "" {
			return
		}
		if !filepath.IsLocal(filepath.FromSlash(file)) || strings.HasSuffix(file, "/") ||
			strings.ContainsAny(file, "\\\x00\r\n\x1b") {
			t.Fatalf("%q: %q", raw, file)
		}
		for segment := range strings.SplitSeq(file, "/") {
			if segment == "" || strings.HasPrefix(segment, ".") || strings.EqualFold(segment, "yellowgate.yaml") ||
				len(segment) > 255 {
				t.Fatalf("%q: %q", raw, file)
			}
		}
		if isPage != site.IsPage(file) && isPage {
			t.Fatalf("%q is a page, and no command takes %q for one", raw, file)
		}
		if again, _ := FileOf(u, isPage, withQuery); again != file {
			t.Fatalf("%q: %q, then %q", raw, file, again)
		}
	})
}

// TestSitemaps: lists of every form, and what is none.
func TestSitemaps(t *testing.T) {
	o := newOrigin(t)
	o.page("/", "")
	for _, name := range []string{"a", "b", "c", "d"} {
		o.page("/"+name, "")
	}
	o.text("/robots.txt", "text/plain",
		"Sitemap: /one.xml\nSitemap: "+o.URL+
			"/gz.xml.gz\nSitemap: https://elsewhere.example/s.xml\nSitemap: /page\nSitemap: /broken.xml\n")
	o.text("/one.xml", "application/xml",
		`<?xml version="1.0"?><urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9"><url><loc> `+o.URL+
			`/a </loc></url><url><loc>https://elsewhere.example/no</loc></url></urlset>`)
	o.mux.HandleFunc("/gz.xml.gz", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "application/gzip")
		_, _ = w.Write(zipped("<urlset><url><loc>" + o.URL + "/b</loc></url></urlset>"))
	})
	o.page("/page", "a page where a sitemap should be")
	o.text("/broken.xml", "application/xml", "<urlset><url><loc>/d</loc>")
	o.text("/sitemap.xml", "application/xml", "<sitemapindex><sitemap><loc>/deep1.xml</loc></sitemap></sitemapindex>")
	for i, next := range []string{"/deep2.xml", "/deep3.xml", "/deep4.xml", "/deep5.xml"} {
		o.text([]string{"/deep1.xml", "/deep2.xml", "/deep3.xml", "/deep4.xml"}[i], "application/xml",
			"<sitemapindex><sitemap><loc>"+next+"</loc></sitemap></sitemapindex>")
	}
	s, dir := o.capture(t, nil)
	got := files(t, dir)
	for _, name := range []string{"a/index.html", "b/index.html", "one.xml", "gz.xml.gz", "robots.txt", "sitemap.xml",
		"deep3.xml"} {
		if !slices.Contains(got, name) {
			t.Errorf("no %s in %q", name, got)
		}
	}
	for _, name := range []string{"c/index.html", "d/index.html", "page", "page/index.html", "broken.xml", "deep4.xml"} {
		if slices.Contains(got, name) {
			t.Errorf("%s is in %q", name, got)
		}
	}
	if s.Pages != 3 {
		t.Errorf("%+v", s)
	}
}
