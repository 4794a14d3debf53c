package server

import (
	"fmt"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

var canonicalRedirects = &check.Check{
	Name: "canonical-redirects", Family: "server", Severity: problem.Warning,
	Title: "the canonical URL redirects",
	Doc: `The canonical says which address stands for the page, and the server says of that address
that the page is elsewhere: search engines have to choose. Name the address that the
server ends at. Reported for a captured site only.`,
	Bad: "-- site/visit/index.html --\n<link rel=\"canonical\" href=\"https://ternhill.example/visit\">\n" +
		"-- site/.yellowgate-capture.ndjson --\n" +
		"{\"url\":\"https://ternhill.example/visit\",\"final\":\"https://ternhill.example/visit/\",\"status\":301}",
	Good: "-- site/visit/index.html --\n<link rel=\"canonical\" href=\"https://ternhill.example/visit/\">\n" +
		"-- site/.yellowgate-capture.ndjson --\n" +
		"{\"url\":\"https://ternhill.example/visit\",\"final\":\"https://ternhill.example/visit/\",\"status\":301}",
	Page: func(p *check.Pass) {
		if p.LeadsAway() || p.Site == nil {
			return
		}
		for _, e := range check.Canonicals(p) {
			if e.URL == "" || !e.Ref.Own {
				continue
			}
			if to, steps := p.Site.Addresses.Redirects(e.Ref.Path); steps > 0 {
				p.At(e, fmt.Sprintf("canonical URL %s redirects to %s", e.URL, to),
					"name the address that the server ends at")
			}
		}
	},
}
