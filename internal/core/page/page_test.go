package page

import (
	"testing"

	"yellowgate/internal/core/markup"
)

func TestPaths(t *testing.T) {
	bare, slashless := Spelling{Extensionless: true}, Spelling{Slashless: true}
	for _, c := range []struct {
		file string
		as   Spelling
		want string
	}{
		{"index.html", Spelling{}, "/"}, {"visit/index.html", Spelling{}, "/visit/"}, {"visit/index.htm", bare, "/visit/"},
		{"about.html", Spelling{}, "/about.html"}, {"about.html", bare, "/about"}, {"a/b.htm", bare, "/a/b"},
		{"cafe\u0301/index.html", Spelling{}, "/caf\u00e9/"}, {"visit/index.html", slashless, "/visit"},
		{"index.html", slashless, "/"}, {"a/b/index.htm", slashless, "/a/b"}, {"about.html", slashless, "/about.html"},
	} {
		if got := c.as.PathOf(c.file); got != c.want {
			t.Errorf("%s: %s, want %s", c.file, got, c.want)
		}
	}
	for written, want := range map[string]string{
		"/visit": "/visit", "/visit/": "/visit/", "/visit/index.html": "/visit/", "visit/": "/visit/", "/a//b/../c/": "/a/c/",
		"/caf%C3%A9/?x=1#y": "/café/", "/cafe%CC%81/": "/café/", "": "/", "/index.html": "/", "/100%": "/100%",
	} {
		if got := Clean(written); got != want {
			t.Errorf("Clean(%q) = %q, want %q", written, got, want)
		}
	}
	if Key("/visit") != Key("/visit/index.html") || Key("/") != "" {
		t.Error("two spellings of one page have two keys")
	}
	if got := URLPath("/a b/é"); got != "/a%20b/%C3%A9" {
		t.Errorf("as a URL: %s", got)
	}
}

func TestRead(t *testing.T) {
	read := func(text string) *Page {
		src := markup.Read([]byte(text))
		p := &Page{}
		p.Read(src, markup.Scan(src.Text, nil))
		return p
	}
	p := read(`<html lang=" en "><head><title> A &amp;
 B </title><meta name=Description content=" one "><meta name=description content=two><meta property="og:type" content=article>
<template><meta name=x content=y></template></head><body><svg><title>no</title></svg><h1>Ring <em>the</em><br>bell<script>no()</script> &lt;</h1>`)
	for field, want := range map[string]string{"title": "A & B", "description": "one", "lang": "en",
		"meta.og:type": "article", "meta.x": "", "heading": "Ring the bell <", "fact.x": "", "nonsense": ""} {
		if got := p.Field(field); got != want {
			t.Errorf("%s is %q, want %q", field, got, want)
		}
	}
	for content, want := range map[string]bool{"0; url=/x/": true, "0;URL=x": true, " 00.0 , url=x": true,
		"5; url=/x/": false, "0": false, "0; x": false} {
		if got := read(`<meta http-equiv=Refresh content="` + content + `">`).Redirect; got != want {
			t.Errorf("refresh %q: redirect %v", content, got)
		}
	}
}

// TestCalled: a page takes the address of an answer that is a spelling of its own, and no other.
func TestCalled(t *testing.T) {
	for _, c := range []struct{ path, answered, want string }{
		{"/plays/", "/plays", "/plays"}, {"/plays", "/plays/", "/plays/"}, {"/plays/", "", "/plays/"},
		{"/plays/", "/visit", "/plays/"}, {"/a.html", "/a", "/a.html"}, {"/", "/", "/"},
	} {
		p := Page{Path: c.path}
		p.Called(&Answer{Path: c.answered})
		if p.Path != c.want {
			t.Errorf("%s, answered at %s: %s, want %s", c.path, c.answered, p.Path, c.want)
		}
		p.Called(nil)
	}
}
