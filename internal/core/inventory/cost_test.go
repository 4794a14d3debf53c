package inventory

import (
	"encoding/json"
	"testing"

	"yellowgate/internal/core/page"
	"yellowgate/internal/core/weburl"
)

// TestCost: what counts as requests, blocking, scripts and styles; what is inert costs
// nothing.
func TestCost(t *testing.T) {
	files := folder{"/a.js": "12345", "/a.css": "@import 'b.css';", "/b.css": "123", "/i.svg": "1"}
	weights := struct {
		folder
		*Imports
	}{files, &Imports{Weights: files,
		Read: func(p string) ([]byte, bool) { text, ok := files[p]; return []byte(text), ok }}}
	for _, c := range []struct {
		html string
		want Cost
	}{
		{"<p>x", Cost{}},
		{"<script src=/a.js></script>", Cost{Requests: 1, Blocking: 1, Scripts: 5, Loaded: 5, LoadedGzip: 1}},
		{"<script src=/a.js async></script>", Cost{Requests: 1, Scripts: 5, Loaded: 5, LoadedGzip: 1}},
		{"<link rel=stylesheet href=/a.css>", Cost{Requests: 2, Blocking: 2, Styles: 19, Loaded: 19, LoadedGzip: 2}},
		{"<link rel=stylesheet href=/a.css media=print>", Cost{Requests: 2, Styles: 19, Loaded: 19, LoadedGzip: 2}},
		{"<link rel=icon href=/i.svg>", Cost{Requests: 1, Loaded: 1, LoadedGzip: 1}},
		{"<script>go()</script><style>a{}</style>", Cost{Scripts: 4, Styles: 3, Inline: 7, InlineGzip: 2}},
		{"<script type=application/ld+json>{}</script>", Cost{Scripts: 2, Inline: 2, InlineGzip: 1}},
		{"<script src=https://x.example/a.js defer></script><iframe src=https://x.example/b></iframe>",
			Cost{Requests: 2, ThirdParties: 1}},
		{"<iframe src=https://x.example/b></iframe><iframe src=https://y.example/b></iframe>",
			Cost{Requests: 2, ThirdParties: 2}},
		{"<template><script src=/a.js></script></template><noscript><link rel=stylesheet href=/a.css></noscript><svg><style>a{}</style></svg>",
			Cost{}},
		{"<script src=/gone.js defer></script>", Cost{Requests: 1}},
		{"<script src=data:text/javascript,x></script>", Cost{}},
	} {
		r := Take([]byte("<!doctype html>"+c.html), page.Page{Path: "/", File: "index.html"}, weburl.NewSite(""), weights)
		if got := r.Cost(); got != c.want {
			t.Errorf("%s: %+v\nwant %+v", c.html, got, c.want)
		}
	}
}

// TestSavedCost: a record that was written as JSON and read again costs what it cost.
func TestSavedCost(t *testing.T) {
	files := folder{"/a.js": "var s = document.createElement('script'); s.src = '/b.js'; new Image().src = '/i.png'",
		"/b.js": "12", "/i.png": "1", "/j.png": "22", "/f.mp4": "333", "/a.css": "p { background: url(j.png) }"}
	weights := struct {
		folder
		*Imports
	}{files, &Imports{Weights: files,
		Read: func(p string) ([]byte, bool) { text, ok := files[p]; return []byte(text), ok }}}
	for _, html := range []string{
		"<script src=/a.js></script><link rel=stylesheet href=/a.css>",
		"<img src=/i.png srcset='/j.png 2x'><img src=/i.png><img src=data:image/gif;base64,R0>",
		"<picture><source srcset=/j.png><img src=/i.png loading=lazy></picture>",
		"<video preload=none src=/f.mp4></video><video poster=/i.png><source src=/f.mp4><source src=/g.webm><track src=/t.vtt></video>",
		"<img src=/i.png width=1 height=1><noscript><img src=/i.png width=1 height=1></noscript>",
		"<p style='background: url(/i.png), url(/j.png)'><svg><use href='/i.svg#a'/><use href='#b'/></svg>",
		"<link rel=icon href=/i.png><link rel=canonical href=/><link rel=preload as=image href=/j.png><iframe src=/x/></iframe><iframe></iframe>",
	} {
		r := Take([]byte("<!doctype html>"+html), page.Page{Path: "/", File: "index.html"}, weburl.NewSite(""), weights)
		want := r.Cost()
		text, err := json.Marshal(r)
		if err != nil {
			t.Fatal(err)
		}
		var saved Record
		if err := json.Unmarshal(text, &saved); err != nil {
			t.Fatal(err)
		}
		saved.Restore()
		if got := saved.Cost(); got != want {
			t.Errorf("%s\n  saved it costs %+v\n  and did cost   %+v", html, got, want)
		}
		r.Lean()
		if got := r.Cost(); got != want {
			t.Errorf("%s\n  made lean it costs %+v\n  and did cost       %+v", html, got, want)
		}
	}
}
