package head

import (
	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

var titleMissing = &check.Check{
	Name: "title-missing", Family: "head", Severity: problem.Warning, Sought: true,
	Title: "the page has no title",
	Doc: `The title names the page in the browser's tab, in bookmarks, in search results and
to screen readers. Without one, visitors see the address. Give every page a title,
by a metadata rule for example: title: "@{page.heading} | @{site.name}".`,
	Bad:  "<head>\n  <meta charset=\"utf-8\">\n</head>",
	Good: "<head>\n  <meta charset=\"utf-8\">\n  <title>Visit | Tern Hill Observatory</title>\n</head>",
	Page: func(p *check.Pass) {
		if p.Fragment || p.LeadsAway() || len(check.Titles(p)) > 0 || check.GateGives(p, "title") {
			return
		}
		line, col := p.HeadAt()
		p.Report(line, col, "", "the page has no title",
			p.Site.Remedy("write <title>…</title> into its head, or add a metadata rule with title",
				"write <title>…</title> into its head"))
	},
}
