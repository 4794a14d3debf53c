package head

import (
	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

var unbuiltPage = &check.Check{
	Name: "unbuilt-page", Family: "head", Severity: problem.Note, Templates: true,
	Title: "the file is a generator's template",
	Doc: `It begins with a generator's settings (front matter) or with what a generator fills in, and
nobody has filled it in. If it is on the server, visitors who come upon it see that. Nothing
else is reported of such a file. Name the folder that the generator writes into, or leave the file
out with site.ignore.`,
	Bad: "-- site/index.html --\n<h1>Tern Hill</h1>\n-- site/visit/index.html --\n---\ntitle: Visit\n---\n" +
		"<h1>{{ page.title }}</h1>",
	Good: "<!doctype html>\n<title>Visit</title>\n<h1>Visit</h1>",
	Page: func(p *check.Pass) {
		p.Report(1, 1, "", "the file is a generator's template, not a finished page",
			"keep it off the site, or build the page")
	},
}
