package markup

import (
	"bytes"
	"testing"

	"golang.org/x/net/html"
)

// benchPages are what the benchmarks read: the folder given with -pages, up to
// 32 MB of it, or a page made for the purpose.
func benchPages(b *testing.B) (pages [][]byte, size int64) {
	if *pagesDir == "" {
		row := []byte(
			"<p>The <a class=\"ref\" href=\"/dome/#s1\">dome</a> opens when the <em>sky</em> is clear.</p>\n<table><tr><td>1</td><td><code>a&lt;b</code></td></tr></table>\n")
		page := append(
			[]byte(
				"<!doctype html><html lang=en><head><meta charset=utf-8><title>x</title><link rel=stylesheet href=/a.css><script src=/a.js></script></head><body>\n"),
			bytes.Repeat(row, 200)...)
		return [][]byte{page}, int64(len(page))
	}
	walkPages(b, *pagesDir, func(_ string, src []byte) bool {
		pages = append(pages, src)
		size += int64(len(src))
		return size < 32<<20
	})
	return pages, size
}

func BenchmarkScan(b *testing.B) {
	pages, size := benchPages(b)
	b.SetBytes(size)
	b.ReportAllocs()
	p := &Document{}
	for b.Loop() {
		for _, src := range pages {
			ScanInto(p, src, nil)
		}
	}
}

// BenchmarkGeneralTokenizer is what the scanner is compared with: a general
// tokeniser reading all tokens of the same pages.
func BenchmarkGeneralTokenizer(b *testing.B) {
	pages, size := benchPages(b)
	b.SetBytes(size)
	b.ReportAllocs()
	for b.Loop() {
		for _, src := range pages {
			z := html.NewTokenizer(bytes.NewReader(src))
			for z.Next() != html.ErrorToken {
				z.TagName()
			}
		}
	}
}

func BenchmarkFullTree(b *testing.B) {
	pages, size := benchPages(b)
	b.SetBytes(size)
	for b.Loop() {
		for _, src := range pages {
			if _, err := html.Parse(bytes.NewReader(src)); err != nil {
				b.Fatal(err)
			}
		}
	}
}

func BenchmarkWatch(b *testing.B) {
	pages, size := benchPages(b)
	var list []*Selector
	for _, s := range []string{"form.contact", ".slides", "#star-map", "table.data-7", `script[src*="domkit"]`,
		"video[controls]"} {
		sel, err := ParseSelector(s)
		if err != nil {
			b.Fatal(err)
		}
		list = append(list, sel)
	}
	w := NewWatch(list...)
	b.SetBytes(size)
	p := &Document{}
	for b.Loop() {
		for _, src := range pages {
			ScanInto(p, src, w)
		}
	}
}
