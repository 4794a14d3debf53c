package inventory

import (
	"fmt"
	"strings"
	"testing"

	"yellowgate/internal/core/page"
	"yellowgate/internal/core/weburl"
)

type fixed struct{}

func (fixed) File(path string) (int, int, bool) {
	if path == "/js/a.js" || path == "/css/a.css" {
		return 1000, 300, true
	}
	return 0, 0, false
}
func (fixed) Text(text []byte) int { return len(text) / 2 }

// TestElements tells each element as "tag area party runs target bytes item",
// what is empty left out.
func TestElements(t *testing.T) {
	for _, c := range []struct{ html, want string }{
		{`<script src="/js/a.js"></script>`, "script head own blocking /js/a.js 1000"},
		{`<script src="/js/a.js" defer></script>`, "script head own defer /js/a.js 1000"},
		{`<script src="/js/a.js" async defer></script>`, "script head own async /js/a.js 1000"},
		{`<script src="/js/a.js" type=module></script>`, "script head own module /js/a.js 1000"},
		{`<script src="../js/a.js" type=module async></script>`, "script head own async /js/a.js 1000"},
		{`<script type=module>go()</script>`, "script head inline module 4"},
		{`<script defer>go()</script>`, "script head inline blocking 4"},
		{`<script type="application/ld+json" src="/js/a.js">{}</script>`, "script head inline 2"},
		{`<script src="https://ternhill.example/js/a.js"></script>`, "script head own blocking /js/a.js 1000"},
		{`<script src="https://x.example/a.js"></script>`, "script head third blocking https://x.example/a.js"},
		{`<script src="data:text/javascript,a()"></script>`, "script head inline blocking data:text/javascript,a()"},
		{`<link rel=stylesheet href=/css/a.css>`, "link head own blocking /css/a.css 1000"},
		{`<link rel=stylesheet media=print href=/css/a.css>`, "link head own /css/a.css 1000"},
		{`<link rel="alternate stylesheet" href=/css/a.css>`, "link head own /css/a.css 1000"},
		{`<link rel=canonical href=/visit/>`, "link head own /visit/"},
		{`<link rel=preload as=script href=/js/a.js>`, "link head own /js/a.js 1000"},
		{`<style>a{}</style>`, "style head inline blocking 3"},
		{`<noscript><style>a{}</style></noscript>`, "noscript head inline; style head inline 3"},
		{`<body><template><script src="/js/a.js"></script></template>`,
			"template body inline; script body own /js/a.js 1000"},
		{`<body><iframe src="/visit/"></iframe><dialog id=d>x</dialog>`, "iframe body own /visit/; dialog body inline"},
		{`<body><svg><style>a{}</style></svg>`, "style body inline blocking 3"},
		{`<!--yg:counter--><script src="/js/a.js"></script><!--/yg:counter--><meta name=a>`,
			"script head own blocking /js/a.js 1000 counter; meta head inline"},
		{`<base href="https://x.example/y/"><script src="a.js"></script>`,
			"base head inline; script head third blocking https://x.example/y/a.js"},
	} {
		r := Take([]byte("<!doctype html>"+c.html), page.Page{Path: "/visit/", File: "visit/index.html"},
			weburl.NewSite("https://ternhill.example"), fixed{})
		var all []string
		for _, e := range r.Elements {
			parts := []string{e.Tag, e.Area, e.Party, e.Runs, e.Target}
			if e.Bytes > 0 {
				parts = append(parts, fmt.Sprint(e.Bytes))
			}
			parts = append(parts, e.Item)
			all = append(all, strings.Join(strings.Fields(strings.Join(parts, " ")), " "))
		}
		if got := strings.Join(all, "; "); got != c.want {
			t.Errorf("%s\n%s\nwant\n%s", c.html, got, c.want)
		}
	}
}

func TestLengths(t *testing.T) {
	text := "<!doctype html><title>é</title><body>\n<dialog open><p>x</dialog>\n<template><b></b></template>"
	r := Take([]byte(text), page.Page{Path: "/"}, weburl.NewSite(""), nil)
	want := []string{"<title>é</title>", "<dialog open><p>x</dialog>", "<template><b></b></template>"}
	for i, e := range r.Elements {
		if got := text[e.Offset : e.Offset+e.Length]; got != want[i] {
			t.Errorf("element %d is %q, want %q", i, got, want[i])
		}
	}
	if r.Elements[1].Line != 2 || r.Elements[2].Line != 3 || r.Encoding != "utf-8" || r.Bytes != len(text) {
		t.Errorf("%+v", r)
	}
}

// TestAboveBase: what stands above the base element is loaded without it.
func TestAboveBase(t *testing.T) {
	r := Take(
		[]byte(
			"<!doctype html><head><link rel=stylesheet href=a.css><base target=_blank><base href=/deep/><base href=/other/><link rel=stylesheet href=b.css><body><script src=c.js></script>"),
		page.Page{Path: "/visit/", File: "visit/index.html"}, weburl.NewSite("https://ternhill.example"), nil)
	var got []string
	for _, e := range r.Elements {
		if e.Loads {
			got = append(got, e.Target)
		}
	}
	if s := strings.Join(got, " "); s != "/visit/a.css /deep/b.css /deep/c.js" {
		t.Error(s)
	}
}
