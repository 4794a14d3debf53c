// Package samplegates has gate files of one kind of part each, with which speed is measured: none may be much
// dearer than the cheapest that has as many items.
package samplegates

import (
	"fmt"
	"strings"
)

// A Kind is a gate file that has one kind of part alone.
type Kind struct {
	Name string
	item func(n int, pages string) string // the item or rule with a number
}

func anItem(of string) func(int, string) string {
	return func(n int, pages string) string {
		return fmt.Sprintf("  i%d: {%s, pages: '%s'}\n", n, strings.ReplaceAll(of, "#", fmt.Sprint(n)), pages)
	}
}

// matching are the ways in which an item finds elements.
var matching = []string{`'[src*="lamp-#"]'`, `{url: "/js/lamp-#*"}`, `{text: "lampOf#"}`}

// Kinds are all of them.
var Kinds = []Kind{
	{"code", anItem(`code: '<aside class="notice-#"><p>Open late on the #. Friday</p></aside>'`)},
	{"script-text", anItem(`script-text: "lamp.show('night-#', #)"`)},
	{"style-text", anItem(`style-text: ".notice-# { color: red }"`)},
	{"script", anItem(`script: "https://lamp.example/#.js"`)},
	{"stylesheet", anItem(`stylesheet: "https://lamp.example/#.css"`)},
	{"popup", anItem(`popup: '<p>The night letter, number #</p>', label: 'Letter #', open: {fragment: letter-#}`)},
	{"structured", anItem(`structured: {type: Event, name: 'Night # of @{page.title}', location: Tern Hill}`)},
	{"questions", anItem(`questions: [{ask: 'Is the dome warm in night #?', answer: 'No, not on @{page.path}.'}]`)},
	{"classes", anItem(`classes: {body: night-#}`)},
	{"found", func(n int, pages string) string { return anItem("found: "+matching[n%3])(n, pages) }},
	{"replaces", func(n int, pages string) string {
		return anItem(`script: "https://lamp.example/#.js", replaces: `+matching[n%3])(n, pages)
	}},
	{"metadata", func(n int, pages string) string {
		return fmt.Sprintf("  - {pages: '%s', meta: {night-%d: '@{page.title}, night %d'}}\n", pages, n, n)
	}},
}

// Mixed is a gate file with a number of items of all kinds in turn, each in on most pages.
func Mixed(items int) string {
	var b strings.Builder
	b.WriteString(head + "items:\n")
	for n := range items {
		b.WriteString(Kinds[n%(len(Kinds)-1)].item(n, mostPages))
	}
	return b.String()
}

const (
	head      = "yellowgate: 1\nsite: {source: site, output: public, url: \"https://ternhill.example/\"}\n"
	fewPages  = `path matches "/[ab][^/]*$"`
	mostPages = "not " + fewPages
)

// Gate is a gate file of one kind with a number of items, in on most pages or on few.
func (k Kind) Gate(items int, most bool) string {
	var b strings.Builder
	b.WriteString(head)
	pages := fewPages
	if most {
		pages = mostPages
	}
	level := "items"
	if k.Name == "metadata" {
		level = "metadata"
	}
	b.WriteString(level + ":\n")
	for n := range items {
		if k.Name == "metadata" && n == items/2 {
			b.WriteString("defaults:\n")
		}
		b.WriteString(k.item(n, pages))
	}
	return b.String()
}
