package inventory

import (
	"fmt"
	"strings"
	"testing"

	"yellowgate/internal/core/page"
	"yellowgate/internal/core/weburl"
)

// TestMedia: what a page shows and plays, as "tag target" with how it runs in brackets, "|"
// and what it brings besides; pixels stand among the elements.
func TestMedia(t *testing.T) {
	files := folder{"/i/a.png": "12345", "/i/b.png": "123", "/i/p.gif": "1", "/f/a.mp4": "1234567"}
	for html, want := range map[string]string{
		`<img src=/i/a.png>`:                                      "img /i/a.png",
		`<IMG SRC=/i/a.png alt="" loading=lazy>`:                  "img /i/a.png [lazy]",
		`<img src=/i/a.png srcset="/i/b.png 2x, /i/none.png 3x">`: "img /i/a.png | later /i/b.png, later /i/none.png dead",
		`<img srcset="/i/a.png,/i/b.png 2x">`:                     "img /i/a.png,/i/b.png",
		`<img srcset="/i/a.png 1x,/i/b.png 2x">`:                  "img /i/a.png | later /i/b.png",
		`<img srcset="data:image/gif;base64,R0lGO, /i/b.png 2x">`: "img data:image/gif;base64,R0lGO [data] | later /i/b.png",
		`<img alt=x>`:  "",
		`<img src="">`: "",
		`<picture><source srcset="/i/b.png" type=image/png><img src=/i/a.png></picture>`:                                 "source /i/b.png [on demand]; img /i/a.png",
		`<video src=/f/a.mp4 poster=/i/a.png></video>`:                                                                   "video /f/a.mp4 | /i/a.png",
		`<video preload=none src=/f/a.mp4></video>`:                                                                      "video /f/a.mp4 [on demand]",
		`<video preload=none autoplay src=/f/a.mp4></video>`:                                                             "video /f/a.mp4",
		`<video><source src=/f/a.mp4><source src=/f/a.webm><track src=/f/a.vtt><track default src=/f/b.vtt></video>`:     "video ; source /f/a.mp4; source /f/a.webm [on demand]; track /f/a.vtt [on demand]; track /f/b.vtt",
		`<audio preload=none><source src=/f/a.mp3></audio><picture><source srcset=/i/b.png><img src=/i/a.png></picture>`: "audio  [on demand]; source /f/a.mp3 [on demand]; source /i/b.png [on demand]; img /i/a.png",
		`<object data=/f/a.pdf></object><embed src=/f/b.pdf>`:                                                            "object /f/a.pdf; embed /f/b.pdf",
		`<input type=image src=/i/a.png><input type=text src=/i/b.png>`:                                                  "input /i/a.png",
		`<svg><use href="#in"/><use href="/i/s.svg#a"/><use xlink:href="/i/t.svg#a"/><image href=/i/a.png /></svg>`:      "use /i/s.svg; use /i/t.svg; image /i/a.png",
		`<p style="background: url(/i/a.png), url('/i/b.png')">`:                                                         "p /i/a.png | /i/b.png",
		`<p style="background: url(data:image/gif;base64,R0lGO)">`:                                                       "p data:image/gif;base64,R0lGO [data]",
		`<p style="fill: url(#a)" title="url(/x)">`:                                                                      "",
		`<noscript><img src=/i/a.png></noscript>`:                                                                        "img /i/a.png in noscript",
		`<template><noscript><img src=/i/a.png></noscript></template><img src=/i/b.png>`:                                 "img /i/a.png in template; img /i/b.png",
		`<!-- <img src=/i/a.png> --><textarea><img src=/i/a.png></textarea><script>"<img src=/i/a.png>"</script>`:        "",
		`<img src=https://v.example/photo.jpg>`:                                                                          "img https://v.example/photo.jpg",
		`<img src=https://v.example/photo?id=7 alt="Orion" width=300>`:                                                   "img https://v.example/photo?id=7",
		`<img src=https://v.example/t?id=7>`:                                                                             "PIXEL https://v.example/t?id=7",
		`<img src=https://v.example/t?id=7 style="display: none">`:                                                       "PIXEL https://v.example/t?id=7",
		`<img src=/i/p.gif width=1 height=1 alt="">`:                                                                     "PIXEL /i/p.gif",
		`<img src=/i/p.gif style="width:1px; height: 1px">`:                                                              "PIXEL /i/p.gif",
		`<img src=/i/p.gif width=100% height=1>`:                                                                         "img /i/p.gif",
		`<noscript><img height="1" width="1" style="display:none" src="https://v.example/tr?id=1&ev=View"></noscript>`:   "PIXEL https://v.example/tr?id=1&ev=View in noscript",
	} {
		w := struct {
			folder
			*Imports
		}{files, &Imports{Weights: files,
			Read: func(p string) ([]byte, bool) { text, ok := files[p]; return []byte(text), ok }}}
		r := Take([]byte("<!doctype html><title>x</title><body>"+html),
			page.Page{Path: "/visit/", File: "visit/index.html"}, weburl.NewSite("https://ternhill.example"), w)
		var all []string
		requests := 0
		tell := func(e *Element, tag string) {
			s := tag + " " + e.Target
			if e.Ref.Data {
				s += " [data]"
			}
			if e.Runs != "" {
				s += " [" + e.Runs + "]"
			}
			if e.Inside != "" {
				s += " in " + e.Inside
			}
			if e.Loads && e.Inside == "" {
				requests++
			}
			var more []string
			for _, m := range e.Brings {
				b := m.Target
				if m.Later {
					b = "later " + b
				} else {
					requests++
				}
				if m.Dead {
					b += " dead"
				}
				more = append(more, b)
			}
			if len(more) > 0 {
				s += " | " + strings.Join(more, ", ")
			}
			if e.Party == "own" && e.Loads && e.Bytes != len(files[e.Target]) {
				s += fmt.Sprint(" weighs ", e.Bytes)
			}
			if e.Loads != e.Fetched() {
				s += " is fetched or not"
			}
			all = append(all, s)
		}
		for i := range r.Elements {
			if r.Elements[i].Pixel {
				tell(&r.Elements[i], "PIXEL")
			}
		}
		for i := range r.Media {
			tell(&r.Media[i], r.Media[i].Tag)
		}
		if got := strings.Join(all, "; "); got != want {
			t.Errorf("%s\n  got  %s\n  want %s", html, got, want)
		}
		if c := r.Cost(); c.Requests != requests {
			t.Errorf("%s: %d requests, want %d", html, c.Requests, requests)
		}
		for i := 1; i < len(r.Elements); i++ {
			if r.Elements[i].El.Start < r.Elements[i-1].El.Start {
				t.Errorf("%s: elements are not in order", html)
			}
		}
	}
}

// TestStyleFiles: what stylesheets name with url() is listed with its line, once, fonts apart;
// of a font a browser asks for one file.
func TestStyleFiles(t *testing.T) {
	files := folder{
		"/css/a.css":   "@import 'b.css';\n.a { background: url(../i/a.png) }\n.b { background: URL( \"/i/none.png\" ) }\n.c { background: url(../i/a.png), url(data:image/gif,x), url(#x), url(https://v.example/x.png) }",
		"/css/b.css":   "@font-face { font-family: x; src: url(x.eot); src: url(x.woff2) format('woff2'), url(x.woff) }\n@font-face { src: url(y.woff2), url(y.woff) }",
		"/css/x.woff2": "font", "/i/a.png": "png",
	}
	w := struct {
		folder
		*Imports
	}{files, &Imports{Weights: files,
		Read: func(p string) ([]byte, bool) { text, ok := files[p]; return []byte(text), ok }}}
	r := Take(
		[]byte(
			"<!doctype html>\n<link rel=stylesheet href=/css/a.css>\n<style>\np { background: url(here.png) }</style>"),
		page.Page{Path: "/visit/", File: "visit/index.html"}, weburl.NewSite("https://ternhill.example"), w)
	var got []string
	for _, e := range r.Elements {
		for _, m := range e.Files {
			s := fmt.Sprintf("%s %s %s:%d", m.Tag, m.Target, m.By, m.Line)
			if m.Dead {
				s += " dead"
			}
			got = append(got, s)
		}
	}
	want := "img /i/a.png /css/a.css:2; img /i/none.png /css/a.css:3 dead; img https://v.example/x.png /css/a.css:4; font /css/x.eot /css/b.css:1; font /css/x.woff2 /css/b.css:1; font /css/x.woff /css/b.css:1; font /css/y.woff2 /css/b.css:2 dead; font /css/y.woff /css/b.css:2; img /visit/here.png :4 dead"
	if s := strings.Join(got, "; "); s != want {
		t.Errorf("%s\nwant %s", s, want)
	}
	sums := ""
	for _, s := range r.MediaSums() {
		sums += fmt.Sprintf("%s %d %d %d %d; ", s.Kind, s.Files, s.Bytes, s.Third, s.Dead)
	}
	if sums != "pictures that stylesheets name 4 3 1 2; fonts that stylesheets name 5 4 0 1; " {
		t.Error(sums)
	}
	if c := r.Cost(); c.Requests != 2 {
		t.Errorf("what a rule may ask for counts: %+v", c)
	}
}

func TestCandidates(t *testing.T) {
	for srcset, want := range map[string]string{
		"":                                "",
		"a.png":                           "a.png",
		"a.png 1x, b.png 2x":              "a.png b.png",
		" a.png 1x ,\n\tb.png 100w,":      "a.png b.png",
		"a.png, b.png":                    "a.png b.png",
		"a,b.png 2x":                      "a,b.png",
		"data:image/png;base64,A== 1x, b": "data:image/png;base64,A== b",
		"a.png calc(1px, 2px), b.png":     "a.png b.png",
		",,a.png":                         "a.png",
	} {
		if got := strings.Join(candidates(srcset), " "); got != want {
			t.Errorf("%q: %s, want %s", srcset, got, want)
		}
	}
}
