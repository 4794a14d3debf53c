package markup

import (
	"fmt"
	"math/rand"
	"slices"
	"strings"
	"testing"
)

// nestSelectors are asked of every page.
var nestSelectors = func() (out []*Selector) {
	for _, text := range []string{"div a", "div > a", "ul li a", "table p", "td > p", ".a .b", ".a > .b", "#x .a",
		"p b", "p > b", "li > p", "ul > li > ul a", "div div div", "[class] [id]", "body a, html .a", ".a *",
		"table .a", ".a > .b .a", "dl dd p", "dd > p, dt > a", "form input", "section > h2", "blockquote p a",
		"select .a", "div span, ul span", "nav a[href]", ".a td.b, .a > tr .b", "* > .a", "head meta, div > p"} {
		s, err := ParseSelector(text)
		if err != nil {
			panic(err)
		}
		out = append(out, s)
	}
	return out
}()

// nestAgrees compares what a nest says with the full tree. plain is false where the page has no
// nest.
func nestAgrees(src []byte) (plain bool, err error) {
	nest, ok := NewNest(src, Scan(src, nil))
	if !ok {
		return false, nil
	}
	tree := NewTree(src)
	for _, s := range nestSelectors {
		got, ok := nest.Match(s)
		if !ok {
			continue
		}
		want, err := tree.Match(s)
		if err != nil {
			return true, nil
		}
		if !slices.Equal(got, want) {
			return true, fmt.Errorf("%s: the nest says %v, the tree %v", s, got, want)
		}
	}
	return true, nil
}

// TestNest: what stands in what, end tags left out or not, and pages that are left to the tree.
func TestNest(t *testing.T) {
	for _, c := range []struct {
		body  string
		plain bool
	}{
		{"<div class=a><p>x<a class=b>y</a></div>", true},
		{"<ul class=a><li>x<li><p class=b>y<ul><li>z</ul><li>w</ul>", true},
		{"<p>x<div class=a>y</div>", true}, {"<p><b>x<div>y</div></b>", false}, {"<b><p class=a>x</b>y</p>", false}, {"<div class=a></p></div>", true}, {"<p>x<table class=a><tr><td class=b>y</table>", true},
		{"<table class=a><tr><td class=b>x<td>y<tr><th>z</table>", true}, {
			"<table><tbody><tr><td><p class=a>x</table>", true}, {"<table>x<tr><td>y</table>", false}, {
			"<table><div class=a></div></table>", false},
		{"<table class=a><caption class=b>x</caption><col class=a><tr class=b><td>y<table><tr><td class=b>z</table></table>",
			true},
		{"<dl class=a><dt>x<dd><p>y<dt>z</dl>", true}, {"<select class=a><option>x<option class=b>y</select>",
			true}, {"<select><p>x</select>", false},
		{"<a class=a>x<a class=b>y</a>", false}, {"<form><form class=a></form></form>", false}, {
			"<svg class=a><a class=b></a></svg>", false}, {
			"<p><svg class=a><path class=b /><g class=a><rect class=b></rect></g></svg><b class=a>x</b>", true}, {
			"<svg><p class=a></svg>", false}, {"<svg><title>x</title></svg>", false}, {
			"<template><p class=a></template>", false},
		{"<div class=a/><p class=b>x", true}, {"<div class=a><br><img class=b><input></div>", true}, {
			"<h1>x<h2 class=a>y</h2>", false}, {"<button><p>x<button>y</button>", false},
		{"<div class=a></body></html>", false}, {"<p class=a>x</body></html>\n<!-- y -->\n", true}, {
			"<p>x</body><p class=a>y", false}, {"<noscript><p class=a></noscript><div class=a><i class=b>x</i></div>", true},
		{"<script>'<div class=a>'</script><div class=a><textarea><p class=b></textarea><p class=b>x</div>", true}, {
			"</div>", false}, {"<p>x</br>", false}, {"<ul><li class=a><b>x<li>y</ul>", false},
		{"<body class=a><p class=b>x", false}, // a second body tag
	} {
		src := []byte(
			"<!doctype html>\n<html class=a>\n<head>\n<meta charset=utf-8 class=b>\n<title>x</title>\n</head>\n<body id=x>\n" +
				c.body)
		plain, err := nestAgrees(src)
		if err != nil {
			t.Errorf("%s: %v", c.body, err)
		}
		if plain != c.plain {
			t.Errorf("%s: plain %v, want %v", c.body, plain, c.plain)
		}
	}
}

// someTags are pages by chance, of tags that like to go wrong.
func someTags(r *rand.Rand) []byte {
	names := []string{"div", "p", "a", "b", "ul", "li", "table", "tr", "td", "tbody", "dl", "dt", "dd", "h2",
		"section", "select", "option", "form", "button", "span", "br", "i", "caption", "col", "th", "blockquote",
		"input", "svg", "path", "g"}
	var b strings.Builder
	if r.Intn(2) == 0 {
		b.WriteString("<!doctype html>")
	}
	if r.Intn(2) == 0 {
		b.WriteString("<html><head><title>x</title></head><body>")
	}
	var open []string
	wild := r.Intn(3) == 0
	for range r.Intn(25) {
		switch n := r.Intn(10); {
		case n < 5:
			name := names[r.Intn(len(names))]
			fmt.Fprintf(&b, "<%s%s>", name, []string{"", " class=a", " class=b", " id=x", " class='a b'"}[r.Intn(5)])
			if !voidElement([]byte(name)) {
				open = append(open, name)
			}
		case n < 8 && len(open) > 0:
			at := len(open) - 1
			if wild {
				at = r.Intn(len(open))
			}
			fmt.Fprintf(&b, "</%s>", open[at])
			open = open[:at]
		case n == 8:
			b.WriteString([]string{"x", " ", "\n"}[r.Intn(3)])
		}
	}
	for i := len(open) - 1; i >= 0 && r.Intn(5) > 0; i-- {
		fmt.Fprintf(&b, "</%s>", open[i])
	}
	return []byte(b.String())
}

// TestNestByChance compares nests with full trees on pages by chance, many of which are plain.
func TestNestByChance(t *testing.T) {
	r := rand.New(rand.NewSource(14))
	plain := 0
	for range 20_000 {
		src := someTags(r)
		ok, err := nestAgrees(src)
		if err != nil {
			t.Fatalf("%s\n%v", src, err)
		}
		if ok {
			plain++
		}
	}
	if plain < 4000 {
		t.Errorf("only %d of the pages are plain", plain)
	}
}

// FuzzNest: whatever a page holds, a nest says what the full tree says.
func FuzzNest(f *testing.F) {
	for seed := range int64(50) {
		f.Add(someTags(rand.New(rand.NewSource(seed))))
	}
	f.Fuzz(func(t *testing.T, src []byte) {
		if _, err := nestAgrees(src); err != nil {
			t.Fatal(err)
		}
	})
}

// TestForeignNests compares nests with full trees on foreign pages.
func TestForeignNests(t *testing.T) {
	plain, all := 0, 0
	foreignPages(t, func(name string, src []byte) {
		all++
		ok, err := nestAgrees(src)
		if err != nil {
			t.Errorf("%s: %v", name, err)
		}
		if ok {
			plain++
		}
	})
	t.Logf("%d of %d pages are plain", plain, all)
}
