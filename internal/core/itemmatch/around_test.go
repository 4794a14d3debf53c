package itemmatch

import (
	"math/rand"
	"slices"
	"strings"
	"testing"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/testsize"
)

// TestFindAround: a piece is found around its anchor wherever it is found in the whole page, folded.
func TestFindAround(t *testing.T) {
	f, problems := gatefile.Parse("g.yaml", []byte(`yellowgate: 1
items:
  note: {code: '<aside class="visit-note" data-k="1"><p>Bring a coat, says the <b>keeper</b></p></aside>', pages: /in/}
  alike: {code: '<aside class="visit-note" data-k="2"><p>Bring a lamp, says the <b>keeper</b></p></aside>', pages: /in/}
  within: {code: '<p>Bring a coat, says the <b>keeper</b></p>', pages: /in/}
  drawn: {code: '<svg class="keeper-map"><g><path d="M0"/></g></svg><p>keeper</p>', pages: /in/}
  holds: {code: '<div class="keeper-box"><b title="the keeper">k</b></div>', pages: /in/}
  held: {code: "<b title='the keeper'>k</b>", pages: /in/}
  remark: {code: "<!-- the keeper's -->", pages: /in/}
  setup: {script-text: "countVisits('keeper', 12);", pages: /in/}
  data: {structured: {type: Place, name: keeper}, pages: /in/}
  styled: {style-text: ".visit-note { color: red }", pages: /in/}
`), nil)
	g, more := pageedit.New(f, "2026-11-25")
	for _, p := range append(problems, more...) {
		t.Fatal(p)
	}
	known := page.Page{Path: "/in/", File: "x.html"}
	written := string(g.Page([]byte(source), known).File)
	var copies []string
	for i := range f.Items {
		text, _, err := g.Render(g.Look([]byte(source), known), i, 0)
		if err != nil {
			t.Fatal(err)
		}
		copies = append(copies, text)
	}
	changes := []*strings.Replacer{
		strings.NewReplacer(`"`, "'"), strings.NewReplacer("<p>", "<P >", "</p>", ""), strings.NewReplacer("> ",
			">\n\t"), strings.NewReplacer(" class", "\n class", ", ", ",  "),
		strings.NewReplacer("keeper", "keep<!-- x -->er"), strings.NewReplacer("<b>",
			"<b><!-- keeper -->"), strings.NewReplacer("</", "<i></i></"),
	}
	junk := []string{"<p>keeper</p>", "<!-- visit-note keeper -->", "<noscript><p>x</noscript>", "<svg><p>", "</svg>",
		"<textarea><p>keeper</textarea>", "<script>'<p>keeper'</script>", "<aside class=visit-note data-k=1>",
		"<template><b>keeper</b></template>", "countVisits"}
	r := rand.New(rand.NewSource(3))
	compared := 0
	for range testsize.Of(200, 5000) {
		text := source
		if r.Intn(2) == 0 {
			text = written
		}
		for range 1 + r.Intn(5) {
			put := junk[r.Intn(len(junk))]
			if r.Intn(2) == 0 {
				put = copies[r.Intn(len(copies))]
				for range r.Intn(3) {
					put = changes[r.Intn(len(changes))].Replace(put)
				}
			}
			at := strings.Index(text, "<p>x</p>")
			if r.Intn(3) == 0 && at > 0 {
				at += len("<p>x</p>")
			}
			text = text[:max(at, 0)] + put + text[max(at, 0):]
		}
		record := Take([]byte(text), known, g, nil)
		h := &holder{
			Comparison: &Comparison{Gate: g, Result: g.Page([]byte(source), known),
				Items: make([]Presence, len(f.Items))}, r: record.Record, folds: map[string]string{},
			claimed: newCover(len(text))}
		h.marks()
		h.expect()
		h.search()
		for _, x := range h.pieces {
			if x.tags != nil {
				continue
			}
			spans, ok := h.findAround(x)
			if !ok {
				continue
			}
			compared++
			want := newHaystack(fold(h.r.Source.Text, h.r.Source.Decode)).find(h.foldedPiece(x))
			if strings.Contains(text, "<svg><p>") { // in the whole page all that follows counts as foreign
				spans = slices.DeleteFunc(spans, func(s markup.Span) bool { return !slices.Contains(want, s) })
			}
			if !slices.Equal(spans, want) {
				t.Fatalf("%s: %v, and in the whole page %v\n%s", x.text, spans, want, text)
			}
		}
	}
	if compared < 300 {
		t.Errorf("only %d were compared", compared)
	}
}
