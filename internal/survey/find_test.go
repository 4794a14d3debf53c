package survey

import (
	"os"
	"path/filepath"
	"sort"
	"strings"
	"testing"
)

// TestFindKinds: in which way a word occurs, by where it stands.
func TestFindKinds(t *testing.T) {
	dir := t.TempDir()
	for html, want := range map[string]string{
		`<script src=/star.js></script>`:                         "load",
		`<link rel=stylesheet href=/star.css>`:                   "load",
		`<link rel=icon href=/star.svg>`:                         "load",
		`<link rel=canonical href=/star/>`:                       "metadata",
		`<img src=/a.png srcset="/star.png 2x">`:                 "load",
		`<video poster=/star.png></video>`:                       "load",
		`<source src=/star.mp4>`:                                 "load",
		`<track src=/star.vtt>`:                                  "load",
		`<object data=/star.pdf></object>`:                       "load",
		`<p data=star>`:                                          "attribute",
		`<embed src=/star.pdf>`:                                  "load",
		`<input type=image src=/star.png>`:                       "load",
		`<svg><use href="/star.svg#a"/></svg>`:                   "load",
		`<svg><use xlink:href="/star.svg#a"/></svg>`:             "load",
		`<svg><image href="/star.png"/></svg>`:                   "load",
		`<a href=/star/>x</a>`:                                   "attribute",
		`<p style="background: url(/star.png)">`:                 "load",
		`<p style="background: URL('/star.png') no-repeat">`:     "load",
		`<p style="background: url(/a.png); --star: 1px">`:       "inline code",
		`<p onclick="star()">`:                                   "inline code",
		`<script>star()</script>`:                                "inline code",
		`<style>.star { }</style>`:                               "inline code",
		`<script type=application/ld+json>{"a":"star"}</script>`: "metadata",
		`<meta name=author content=star>`:                        "metadata",
		`<title>star</title>`:                                    "metadata",
		`<p>star</p>`:                                            "text",
		`<!-- star -->`:                                          "comment",
		`<noscript><img src=/star.png></noscript>`:               "load",
		`<p>STAR and <b class=star>x</b>`:                        "attribute text",
	} {
		if err := os.WriteFile(filepath.Join(dir, "index.html"), []byte("<!doctype html>"+html), 0o644); err != nil {
			t.Fatal(err)
		}
		r, err := Find(t.Context(), dir, "star", nil, nil)
		if err != nil {
			t.Fatal(err)
		}
		var kinds []string
		for _, h := range r.Hits {
			kinds = append(kinds, h.Kind)
		}
		sort.Strings(kinds)
		if got := strings.Join(kinds, " "); got != want {
			t.Errorf("%s: %s, want %s", html, got, want)
		}
	}
}
