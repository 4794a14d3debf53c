package head

import (
	"bytes"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/problem"
)

var oldDoctype = &check.Check{
	Name: "old-doctype", Family: "head", Severity: problem.Warning, Whole: true,
	Title: "browsers show the page in quirks mode",
	Doc: `Without a doctype, or with one of those that the standard lists (HTML, 13.2.6.4.1), browsers
go into quirks mode: sizes, tables and selectors work otherwise than written. Begin the page
with <!doctype html>.`,
	Bad: "-- site/visit/index.html --\n<!doctype html public \"-//W3C//DTD HTML 3.2//EN\">\n" +
		"<html lang=\"en\"><head><title>Visit</title></head><body><p>Visit us.</p></body></html>",
	Good: "-- site/visit/index.html --\n<!doctype html>\n" +
		"<html lang=\"en\"><head><title>Visit</title></head><body><p>Visit us.</p></body></html>",
	Page: func(p *check.Pass) {
		if p.Fragment || p.LeadsAway() {
			return
		}
		text := p.Source.Text
		end := p.Scan.DoctypeEnd
		at := bytes.LastIndexByte(text[:end], '<')
		switch {
		case end == 0 || at < 0:
			p.Report(1, 1, "", "the page has no doctype: browsers show it in quirks mode",
				"begin it with <!doctype html>")
		case markup.Quirks(text[at:end]):
			line, col := markup.NewLocator(text).Locate(at)
			p.Report(line, col, "", "with this doctype browsers show the page in quirks mode",
				"write <!doctype html> instead")
		}
	},
}
