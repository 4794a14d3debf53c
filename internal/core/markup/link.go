package markup

import (
	"slices"
	"strings"
)

// What links say (HTML, 4.2.4 and 4.6.7).

// BaseHref is the href of a page's first base element that has one, and where that stands;
// "" where there is none.
func BaseHref(src *Source, scan *Document) (href string, at int) {
	for _, el := range scan.Elements {
		if el.Tag == TagBase && el.Inside == InPage {
			if v, ok := src.Attr(el.Start, "href"); ok {
				return v, el.Start
			}
		}
	}
	return "", 0
}

// RelTokens are the keywords of a rel attribute, in lower case.
func RelTokens(rel string) []string {
	return strings.FieldsFunc(strings.ToLower(rel), func(r rune) bool { return r < 0x80 && IsSpace(byte(r)) })
}

// HasRel reports whether a rel attribute has a keyword.
func HasRel(rel, keyword string) bool { return slices.Contains(RelTokens(rel), keyword) }

// fetched are the keywords of links whose target a browser fetches, first those that count in a
// header, too.
var fetched = []string{
	"stylesheet", "preload", "modulepreload", "prefetch", "icon", "apple-touch-icon", "mask-icon", "manifest",
}

// HeaderLoads reports whether a link of the header with this rel makes a browser fetch something.
func HeaderLoads(rel string) bool {
	return slices.ContainsFunc(RelTokens(rel), func(word string) bool { return slices.Contains(fetched[:4], word) })
}

// LinkLoads reports whether the link at the offset makes a browser fetch something.
func LinkLoads(src []byte, at int) bool {
	rel, _ := AttrValue(src, at, "rel")
	return slices.ContainsFunc(RelTokens(rel), func(word string) bool { return slices.Contains(fetched, word) })
}
