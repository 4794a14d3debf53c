package pageedit

import (
	"strings"
	"testing"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/page"
)

// TestMeant: what was meant by a matcher that matches nothing.
func TestMeant(t *testing.T) {
	urls := []string{"/js/site.js", "/kit/contact/contact.js", "/kit/contact/contact.css", "/lib/stars.min.js",
		"https://v.example/a.js", "https://v.example/lib/b.js"}
	for matcher, want := range map[string]string{
		"{url: /js/sites.js}":                `"/js/site.js"`,
		"{url: /site.js}":                    `"/js/site.js"`,
		"{url: /JS/Site.js}":                 "upper and lower case",
		"{url: /lib/stars.js}":               `"/lib/stars.min.js"`,
		"{url: /js/site.css}":                `"/js/site.js"`,
		"{url: '/js/site.js?v=3'}":           "without the query",
		"{url: /kit/contakt/**}":             `"/kit/contact/**"`,
		"{url: /obs/js/site.js}":             "leave out the folder /obs",
		"{url: /nothing/like/it.js}":         "",
		`'script[src="/js/sit.js"]'`:         `"/js/site.js"`,
		`'link[href*="contact/contct.css"]'`: `"/kit/contact/contact.css"`,
		"{url: 'https://v.exmple/a.js'}":     `"https://v.example/a.js"`,
		"{url: 'https://v.exmple/lib/**'}":   `"https://v.example/lib/**"`,
		"{url: 'https://v.exmple/**'}":       `"https://v.example/**"`,
		"{text: counter}":                    "",
		"'#foo'":                             "",
	} {
		f, problems := gatefile.Parse("g.yaml",
			[]byte(
				"yellowgate: 1\nsite: {url: 'https://ternhill.example/obs'}\nitems: {a: {found: "+matcher+
					", pages: none}}\n"), nil)
		g, more := New(f, "2026-11-25")
		if ps := append(problems, more...); len(ps) > 0 {
			t.Fatal(matcher, ps)
		}
		got := g.Meant(&f.Items[0].Found[0], urls)
		if want == "" && got != "" || !strings.Contains(got, want) {
			t.Errorf("%s: %q, want %q", matcher, got, want)
		}
	}
}

// TestKeepsEncoding: what is written never changes how a browser decodes the rest.
func TestKeepsEncoding(t *testing.T) {
	pad := strings.Repeat("x", 930)
	for _, c := range []struct{ name, yaml, source, want string }{
		{"pushed out",
			"items: {a: {code: '<meta name=a content=" + strings.Repeat("y", 100) +
				">', place: {before: title}, pages: all}}\n",
			"<html><head><title>" + pad + "</title><meta charset=iso-8859-1></head><body>\xe9</body>",
			"beyond the first 1,024 bytes"},
		{"declared by code", "items: {a: {code: '<meta charset=utf-16>', pages: all}}\n",
			"<html><head></head><body>\xe9</body>", "declares the encoding"},
		{"lang is short", "metadata: [{pages: all, lang: en}]\n",
			"<html><head><meta charset=iso-8859-1></head><body>\xe9</body>", ""},
		{"after the charset",
			"items: {a: {code: '<meta name=a content=" + strings.Repeat("y", 1100) +
				">', place: head-start, pages: all}}\n",
			"<html><head><meta charset=iso-8859-1></head><body>\xe9</body>", ""},
	} {
		r := gate(t, c.yaml).Page([]byte(c.source), page.Page{Path: "/x", File: "x.html"})
		got := ""
		for _, p := range r.Problems {
			got += p.Message
		}
		if (c.want == "") != (got == "") || !strings.Contains(got, c.want) {
			t.Errorf("%s: %q, want %q", c.name, got, c.want)
		}
	}
}

// TestStays: found elements as they are written, where they stay.
func TestStays(t *testing.T) {
	g := gate(t,
		"items:\n  a: {found: 'script[src]', attrs: {data-a: '1'}, load: defer, pages: all}\n  b: {found: i, pages: none}\n  c: {found: em, place: body-end, pages: all}\n")
	r := g.Page([]byte("<html><head><script src=/x.js></script></head><body><i>gone</i><em>moved</em></body></html>"),
		page.Page{Path: "/x", File: "x.html"})
	got := r.Stays()
	if len(got) != 1 || got[0].Part != FoundPart || !strings.Contains(got[0].Text, "defer") ||
		!strings.Contains(got[0].Text, `data-a="1"`) || !strings.Contains(string(r.File), got[0].Text) {
		t.Errorf("%+v in\n%s", got, r.File)
	}
}

// TestEmptyNoscript: a noscript whose only content goes, goes too.
func TestEmptyNoscript(t *testing.T) {
	g := gate(t, "items: {p: {found: 'img[src*=\"count\"]', pages: none}}\n")
	for source, want := range map[string]string{
		"<html><head></head><body>\n<noscript> <img src=/count.gif> </noscript>\n<p>x</p></body></html>": "<html><head></head><body>\n<p>x</p></body></html>",
		"<html><head></head><body><noscript><img src=/count.gif><p>y</p></noscript></body></html>":       "<html><head></head><body><noscript><p>y</p></noscript></body></html>",
		"<html><head></head><body><p><img src=/count.gif></p></body></html>":                             "<html><head></head><body><p></p></body></html>",
	} {
		r := g.Page([]byte(source), page.Page{Path: "/x", File: "x.html"})
		if string(r.File) != want || len(r.Problems) > 0 || string(r.Undo()) != source {
			t.Errorf("%s\nbecomes\n%s %v", source, r.File, r.Problems)
		}
	}
}

// TestMatchByQuery: a query in the glob of a url matcher is compared with that of the URL.
func TestMatchByQuery(t *testing.T) {
	for glob, want := range map[string]int{"/x.js": 3, "/x.js?v=1": 1, "/x.js?v=*": 2, "/x.js?*=2*": 1,
		"/x.js?w=1": 0, "/*.js?v=2&a=b": 1} {
		g := gate(t, "items: {p: {found: {url: '"+glob+"'}, pages: none}}\n")
		r := g.Page(
			[]byte(
				"<html><head></head><body><script src=/x.js></script><script src='/x.js?v=1'></script><script src='/x.js?v=2&amp;a=b#c'></script></body></html>"),
			page.Page{Path: "/x", File: "x.html"})
		if r.Present[0] != want {
			t.Errorf("%s: %d elements, want %d", glob, r.Present[0], want)
		}
	}
}

// TestItemOfCode: an address of somebody else in an item's code is the item's; one with a parameter in it
// is nobody's.
func TestItemOfCode(t *testing.T) {
	f, problems := gatefile.Parse("g.yaml", []byte(`yellowgate: 1
site: {url: 'https://ternhill.example'}
items:
  pixel: {code: '<noscript><img src="https://count.example/p.gif?a=1&amp;b=2" alt=""></noscript>', pages: /thanks/}
  later: {script-text: "load('https://tags.example/t.js#now'); load('https://count.example/p.gif')", pages: all}
  sized: {code: '<img src="https://map.example/@{page.path}.png" alt="">', pages: all}
  file: {script: 'https://own.example/f.js', pages: all}
`), nil)
	g, more := New(f, "2026-11-25")
	if ps := append(problems, more...); len(ps) > 0 {
		t.Fatal(ps)
	}
	for target, want := range map[string]string{
		"https://count.example/p.gif?c=3": "pixel", "https://count.example/p.gif": "pixel", "https://tags.example/t.js": "later",
		"https://map.example/": "", "https://own.example/f.js": "", "https://count.example/p": "", "": "",
	} {
		if got := g.ItemOfCode(target); got != want {
			t.Errorf("%s: %q, want %q", target, got, want)
		}
	}
}
