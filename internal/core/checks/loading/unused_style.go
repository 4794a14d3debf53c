package loading

import (
	"fmt"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/wording"
)

var unusedStyle = &check.Check{
	Name: "unused-style", Family: "loading", Severity: problem.Note,
	Title: "a stylesheet styles nothing on the page",
	Doc: `The browser waits for the file before it shows the page, and then has no use for it.
Mostly a kit for one page was put on all of them. What the page's own scripts may add
counts as there; what a third party's code adds cannot be seen. yellowgate suggest
says on which pages it is needed, and the lines that keep it to them.`,
	Bad: "-- site/kit/contact.css --\nform.contact { padding: 1em }\n-- site/visit/index.html --\n" +
		"<link rel=\"stylesheet\" href=\"/kit/contact.css\">\n<p>No form here.</p>",
	Good: "-- site/kit/contact.css --\nform.contact { padding: 1em }\n-- site/visit/index.html --\n" +
		"<link rel=\"stylesheet\" href=\"/kit/contact.css\">\n<form class=\"contact\"></form>",
	Page: func(p *check.Pass) {
		for _, i := range stylesOf(p).Unmatched {
			e := &p.Elements[i]
			if is := kindOfFile(e.Target); is != "" && is != "style" {
				continue // wrong-kind has that
			}
			p.At(e, fmt.Sprintf("%s (%s) styles nothing on this page", e.URL, wording.Bytes(e.Bytes)),
				"load it only on pages that use it; yellowgate suggest lists them")
		}
	},
}

// UnneededBytes is how many bytes of stylesheets the page loads of which no selector matches.
func UnneededBytes(p *check.Pass) (bytes int) {
	for _, i := range stylesOf(p).Unmatched {
		bytes += p.Elements[i].Bytes
	}
	return bytes
}
