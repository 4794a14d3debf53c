package checks

import (
	"strings"
	"testing"
)

// TestIgnoredElement: what a browser passes over, and what only looks like it.
func TestIgnoredElement(t *testing.T) {
	for html, want := range map[string]string{
		`<script src=/a.js>go()</script>`:                                      "1 ignored-element",
		`<script src=/a.js type=text/javascript>go()</script>`:                 "1 ignored-element",
		`<script src=/a.js type=module>go()</script>`:                          "1 ignored-element",
		`<script src=/a.js> </script>`:                                         "",
		`<script src=/a.js>// why</script>`:                                    "",
		`<script src=/a.js>/* why */ // and so</script>`:                       "",
		`<script src=/a.js><!-- old --></script>`:                              "",
		`<script src=/a.js type=text/x-config>{"a": 1}</script>`:               "",
		`<script scr=/a.js></script>`:                                          "1 ignored-element",
		`<script sr=/a.js></script>`:                                           "1 ignored-element",
		`<script href=/a.js></script>`:                                         "",
		`<script data-src=/a.js></script>`:                                     "",
		`<script scr=/a.js>go()</script>`:                                      "",
		`<script type=text/javascrpt>go()</script>`:                            "1 ignored-element",
		`<script type=aplication/javascript>go()</script>`:                     "1 ignored-element",
		`<script type=modul>go()</script>`:                                     "1 ignored-element",
		`<script type=application/ld+jsn>{}</script>`:                          "1 ignored-element",
		`<script type=text/ecmascript>go()</script>`:                           "",
		`<script type=text/template>x</script>`:                                "",
		`<script type=text/babel>x</script>`:                                   "",
		`<script type=text/plain>x</script>`:                                   "",
		`<script type="">x()</script>`:                                         "",
		`<link rel=styleshet href=/a.css>`:                                     "1 ignored-element",
		`<link rel=cannonical href=/>`:                                         "1 ignored-element",
		`<link rel=preconect href=https://v.example>`:                          "1 ignored-element",
		`<link href=/a.css>`:                                                   "1 ignored-element",
		`<link rel=stylesheet hreff=/a.css>`:                                   "1 ignored-element",
		`<link rel=stylesheet herf=/a.css>`:                                    "1 ignored-element",
		`<link rel="shortcut icon" href=/a.ico>`:                               "",
		`<link rel=icons href=/a.ico>`:                                         "",
		`<link rel=webmention href=/w>`:                                        "",
		`<link rel=next href=/2/><link rel=prev href=/1/><link rel=up href=/>`: "",
		`<link rel=preload href=/a.js>`:                                        "1 ignored-element",
		`<link rel=preload as=script href=/a.js>`:                              "",
		`<link rel=preload as=font href=/a.woff2>`:                             "1 ignored-element",
		`<link rel=preload as=font href=/a.woff2 crossorigin>`:                 "",
		`<link rev=made href=mailto:a@ternhill.example>`:                       "",
		`<link itemprop=url href=/a>`:                                          "",
		`<template><link rel=styleshet href=/a.css></template>`:                "",
	} {
		if got := onPage("/", "<!doctype html>"+html, folder{}, Named("ignored-element")); got != want {
			t.Errorf("%s: %q, want %q", html, got, want)
		}
	}
}

// TestHeadConflicts: two encodings, a refresh to nowhere, pictures for shared links.
func TestHeadConflicts(t *testing.T) {
	files := folder{"/img/a.jpg": "x", "/visit/": "x"}
	for html, want := range map[string]string{
		`<meta charset=utf-8>`: "",
		`<meta charset=utf-8><meta http-equiv=content-type content="text/html; charset=UTF-8">`:        "",
		"<meta charset=utf-8>\n<meta http-equiv=content-type content='text/html; charset=iso-8859-1'>": "2 charset-conflict",
		"<meta charset=latin1>\n<meta charset=windows-1252>":                                           "",
		"<meta charset=utf-8><p>Gr\xfc\xdfe":                                                           "1 charset-conflict",
		"<meta charset=iso-8859-1><p>Gr\xfc\xdfe":                                                      "",
		"<meta charset=utf-8>\n<meta charset=shift_jis>":                                               "2 charset-conflict",
		`<meta http-equiv=content-type content="text/html">`:                                           "",
		`<meta name=charset content=iso-8859-1><meta charset=utf-8>`:                                   "",
		"\xef\xbb\xbf<!doctype html>\n<meta charset=iso-8859-1>":                                       "2 charset-conflict",
		"\xef\xbb\xbf<!doctype html>\n<meta charset=utf-8>":                                            "",
		`<meta http-equiv=refresh content="0; url=/visit/">`:                                           "",
		`<meta http-equiv=refresh content="0; url=/vist/">`:                                            "1 dead-refresh",
		`<meta http-equiv=refresh content="5;URL='/vist/'">`:                                           "1 dead-refresh",
		`<meta http-equiv=Refresh content="5 /vist/">`:                                                 "1 dead-refresh",
		`<meta http-equiv=refresh content="300">`:                                                      "",
		`<meta http-equiv=refresh content="0; url=https://elsewhere.example/">`:                        "",
		`<meta http-equiv=refresh content="0; url=/visit/#top">`:                                       "",
		`<meta property=og:image content=https://ternhill.example/img/a.jpg>`:                          "",
		`<meta property=og:image content=https://ternhill.example/img/b.jpg>`:                          "1 social-image",
		`<meta property=og:image content=/img/a.jpg>`:                                                  "1 social-image",
		`<meta property=og:image content=//ternhill.example/img/a.jpg>`:                                "1 social-image",
		`<meta property=og:image content="">`:                                                          "1 social-image",
		`<meta property=og:image content=https://elsewhere.example/x.jpg>`:                             "",
		`<meta name=twitter:image content=img/a.jpg>`:                                                  "1 social-image",
		`<meta property=og:image:alt content="a dome"><meta property=og:image:width content=200>`:      "",
	} {
		page := "<!doctype html>" + html
		if strings.HasPrefix(html, "\xef") {
			page = html
		}
		if got := onPage("/", page, files, Named("charset-conflict"), Named("dead-refresh"),
			Named("social-image")); got != want {
			t.Errorf("%s: %q, want %q", html, got, want)
		}
	}
}

// TestBlockedByPolicy: what the page's own policy stops, by kind.
func TestBlockedByPolicy(t *testing.T) {
	policy := func(text, rest string) string {
		return "<meta http-equiv=Content-Security-Policy content=\"" + text + "\">\n" + rest
	}
	for html, want := range map[string]string{
		policy("default-src 'self'",
			"<script src=/a.js></script><img src=/a.png><link rel=stylesheet href=/a.css>"): "",
		policy("default-src 'self'", "<script src=https://v.example/a.js></script>"):                 "2 blocked-by-policy",
		policy("default-src 'self'", "<img src=https://v.example/a.png alt=x width=9>"):              "2 blocked-by-policy",
		policy("img-src 'self' data:", "<img src=data:image/gif;base64,R0>"):                         "",
		policy("frame-src 'none'", "<iframe src=/map/></iframe>"):                                    "2 blocked-by-policy",
		policy("media-src 'none'", "<video src=/a.mp4></video>\n<audio><source src=/a.mp3></audio>"): "2 blocked-by-policy; 3 blocked-by-policy",
		policy("object-src 'none'", "<object data=/a.pdf></object>"):                                 "2 blocked-by-policy",
		policy("script-src 'self'", "<script>go()</script>"):                                         "2 blocked-by-policy",
		policy("script-src 'self' 'unsafe-inline'", "<script>go()</script><p onclick=go()>x"):        "",
		policy("script-src 'self'", "<p onclick=go()>x\n<p onload=go()>y"):                           "2 blocked-by-policy",
		policy("style-src 'self'", "<p style='color: red'>x\n<p style='color: red'>y"):               "2 blocked-by-policy",
		policy("style-src 'self'", "<style>p { }</style>"):                                           "2 blocked-by-policy",
		policy("script-src 'self' 'unsafe-inline'",
			"<script>var s = document.createElement('script'); s.src = 'https://v.example/v.js'</script>"): "2 blocked-by-policy",
		policy("script-src 'none'",
			"<script type=application/ld+json>{}</script><script type=text/template>x</script>"): "",
		policy("script-src 'none'", "<template><script src=/a.js></script></template>"):          "",
		"<script>go()</script>" + policy("script-src 'self'", ""):                                "",
		"<title>x</title><body>" + policy("script-src 'self'", "<script>go()</script>"):          "",
		"<meta name=Content-Security-Policy content=\"script-src 'none'\"><script>go()</script>": "",
	} {
		if got := onPage("/", "<!doctype html>"+html, folder{"/a.js": "a()", "/a.css": "p{}"},
			Named("blocked-by-policy")); got != want {
			t.Errorf("%s: %q, want %q", html, got, want)
		}
	}
}
