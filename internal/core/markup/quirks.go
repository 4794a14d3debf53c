package markup

import (
	"bytes"

	"golang.org/x/net/html"
)

// Quirks reports whether a doctype, from its < to its >, puts browsers into quirks mode (HTML, 13.2.6.4.1):
// there, and only there, a table in a paragraph leaves it open.
func Quirks(doctype []byte) bool {
	if bytes.EqualFold(doctype, []byte("<!doctype html>")) {
		return false
	}
	doc, err := html.Parse(bytes.NewReader(append(bytes.ToLower(doctype), "<p><table>"...))) // no case counts
	if err != nil {
		return false
	}
	for n := range doc.Descendants() {
		if n.Type == html.ElementNode && n.Data == "table" {
			return n.Parent.Data == "p"
		}
	}
	return false
}
