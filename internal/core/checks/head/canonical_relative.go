package head

import (
	"fmt"
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/weburl"
)

var canonicalRelative = &check.Check{
	Name: "canonical-relative", Family: "head", Severity: problem.Warning,
	Title: "the canonical is not an absolute address",
	Doc: `A canonical such as /visit/ is read against the address under which the page happened
to be fetched: on a test server, or with another scheme, it names another page. Write
it in full.`,
	Bad:  "<link rel=\"canonical\" href=\"/visit/\">",
	Good: "<link rel=\"canonical\" href=\"https://ternhill.example/visit/\">",
	Page: func(p *check.Pass) {
		if p.LeadsAway() {
			return
		}
		for _, e := range check.Canonicals(p) {
			if e.URL != "" && !weburl.IsAbsolute(e.URL) && !strings.HasPrefix(strings.TrimSpace(e.URL), "//") {
				p.At(e, fmt.Sprintf("canonical URL %s is not absolute", e.URL),
					p.Site.Remedy(`write it in full, or set it by a metadata rule: canonical: "@{page.url}"`,
						"write it with https:// and the host"))
			}
		}
	},
}
