package markup

import (
	"slices"
	"strings"
	"testing"

	"github.com/andybalholm/cascadia"
	"golang.org/x/net/html"
)

// selectorPage has something for every selector below, and traps: templates,
// noscript, comments, references, repeated attributes.
const selectorPage = `<!doctype html><html lang=en class="a b"><head><title>x</title>
<link rel="stylesheet" href="/css/a.css"><script src="/kit/domkit-1.4.js"></script><style id=contact-inline>p{}</style></head>
<body class="home quiet"><!-- <form class="contact"> -->
<form class="wide contact" ID=f><input type=text required><input type=HIDDEN></form>
<div data-x='a "b" c' class="s&#108;ides">1</div><p class=one class=slides>2</p>
<template><form class=contact></form></template><noscript><form class=contact></form></noscript>
<ul><li>a<li class=last>b</ul><table><tr><td class=c>x</table><svg><style>a{}</style><g class=one /></svg>
<a href="/events/?a=1&copy=2" lang=en-GB>y</a><div class="x"><span class="one two">z</span></div></body></html>`

var selectorTests = []string{
	"form.contact", "form", "*", ".slides", "#f", "[required]", "input[type=text]", "input[type='hidden' i]", "input[type=hidden]",
	"[data-x='a \"b\" c']", "[data-x~='\"b\"']", "[lang|=en]", "a[href^='/events']", "a[href$='2']", "a[href*=copy]",
	".one", ".one.two", "p.slides", "p.one", "script[src*=domkit]", "style#contact-inline", "style", "link[rel=stylesheet]",
	"[ data-x = 'a \"b\" c' ]", "[ lang |= en ]", "[ required ]", "body.quiet", "li", "li.last", "td.c", "g.one", "p, span.two", "div .two", "div > span", "ul > li + li", "li ~ li",
	"form:has(input)", ":not(form, div) > .two", "li:first-child", "tbody", "tr td.c", "head script", "body > form", "nav a", ".none .two",
}

// TestSelectors compares the scanner's answers with the selector library on a
// full tree.
func TestSelectors(t *testing.T) {
	src := []byte(selectorPage)
	doc := NewTree(src).doc
	implied, err := ParseSelector("tbody")
	if err != nil || implied.Compound() {
		t.Errorf("an implied tbody is left to the scanner (%v)", err)
	}
	for _, text := range selectorTests {
		s, err := ParseSelector(text)
		if err != nil {
			t.Errorf("%s: %v", text, err)
			continue
		}
		group, err := cascadia.ParseGroup(text)
		if err != nil {
			t.Fatal(err)
		}
		var want []int
		for _, n := range cascadia.QueryAll(doc, group) {
			if at, ok := offsetOf(n); ok {
				want = append(want, at)
			}
		}
		if got, err := Matches(src, s); err != nil || !slices.Equal(got, want) {
			t.Errorf("%s (compound: %v): tags at %v, want %v", text, s.Compound(), got, want)
		}
	}
}

func TestSelectorErrors(t *testing.T) {
	for text, want := range map[string]string{
		"": "empty", "a:hover": `":hover"`, "p::before": "pseudo-element", "a[b!=c]": `"!="`, "div:contains(x)": `":contains"`,
		"a[": "not understood", "a >": "not understood", "[x='y]": "never closed",
	} {
		if _, err := ParseSelector(text); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q: error %v, want one with %s", text, err, want)
		}
	}
}

// TestCanRuleOut: what is ruled out matches nothing.
func TestCanRuleOut(t *testing.T) {
	src := []byte(selectorPage)
	doc, err := html.Parse(strings.NewReader(selectorPage))
	if err != nil {
		t.Fatal(err)
	}
	ruled := 0
	for _, text := range selectorTests {
		s, err := ParseSelector(text)
		if err != nil || s.Compound() || !s.CanRuleOut(src) {
			continue
		}
		ruled++
		if cascadia.Query(doc, s.tree) != nil {
			t.Errorf("%s matches, and was ruled out", text)
		}
	}
	if ruled < 2 {
		t.Errorf("only %d selectors were ruled out", ruled)
	}
}

// TestManyWords: of many selectors those are left out whose word the page has not, however it is spelled.
func TestManyWords(t *testing.T) {
	var list []*Selector
	for _, text := range []string{"[hidden]", `[title="lamp-1"]`, ".lamp-2", `[src*="lamp-3"]`, "#lamp-4", ".lamp-5",
		"p[title]"} {
		s, err := ParseSelector(text)
		if err != nil {
			t.Fatal(err)
		}
		list = append(list, s)
	}
	for html, want := range map[string]string{
		"<p hidden>": "1000000", "<i class=lamp-2>": "0010000", "<i class='lamp-2 lamp-5'>": "0010010", "<i title=lamp-1 id=lamp-4>": "0100100", "<p title=lamp>": "0000001",
		"<i title='l&#97;mp-1'>": "0100000", "<i title='&#x6c;amp-1'><b hidden>": "1100000", "<img src='/a/lamp-3.png'>": "0001000", "<i>lamp-2</i>": "0000000",
	} {
		got := ""
		for _, hits := range Scan([]byte("<!doctype html><title>t</title>"+html), NewWatch(list...)).Hits {
			got += string(rune('0' + len(hits)))
		}
		if got != want {
			t.Errorf("%s: %s, want %s", html, got, want)
		}
	}
}
