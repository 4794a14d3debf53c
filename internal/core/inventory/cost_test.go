package inventory

import (
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
	}{files, &Imports{Weights: files, Read: func(p string) ([]byte, bool) { text, ok := files[p]; return []byte(text), ok }}}
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
		{"<script src=https://x.example/a.js defer></script><iframe src=https://x.example/b></iframe>", Cost{Requests: 2, ThirdParties: 1}},
		{"<iframe src=https://x.example/b></iframe><iframe src=https://y.example/b></iframe>", Cost{Requests: 2, ThirdParties: 2}},
		{"<template><script src=/a.js></script></template><noscript><link rel=stylesheet href=/a.css></noscript><svg><style>a{}</style></svg>", Cost{}},
		{"<script src=/gone.js defer></script>", Cost{Requests: 1}},
		{"<script src=data:text/javascript,x></script>", Cost{}},
	} {
		r := Take([]byte("<!doctype html>"+c.html), page.Page{Path: "/", File: "index.html"}, weburl.NewSite(""), weights)
		if got := r.Cost(); got != c.want {
			t.Errorf("%s: %+v\nwant %+v", c.html, got, c.want)
		}
	}
}
