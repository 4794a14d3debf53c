package gate

import (
	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

// NotApplied is reported by whoever has both lists of pages: no page of the output
// shows it.
var missingPage = &check.Check{
	Name: "missing-page", Family: "gate", Severity: problem.Error,
	Title: "a page that the gate writes is not in the output folder",
	Doc: `The source folder has the page, or the gate file makes it under blank-pages, and the
output folder lacks it: visitors get an error. Mostly the page is new and nobody applied
since, or a step after apply took it away. Run yellowgate apply, and publish the folder.`,
	Bad: "-- yellowgate.yaml --\nitems:\n  notice: {code: <p>Open late</p>, pages: all}\n-- site/index.html --\n" +
		"<p>Tern Hill</p>\n-- site/visit/index.html, later --\n<p>Visit us.</p>",
	Good: "-- yellowgate.yaml --\nitems:\n  notice: {code: <p>Open late</p>, pages: all}\n-- site/index.html --\n" +
		"<p>Tern Hill</p>\n-- site/visit/index.html --\n<p>Visit us.</p>",
}

// NotApplied is the finding for a page that the output folder lacks.
func NotApplied(path, file string) check.Finding {
	return check.Finding{
		Check: missingPage.Name, Severity: missingPage.Severity, Page: path, File: file, Line: 1, Column: 1,
		Message: "the gate writes this page, and the output folder does not have it",
		Remedy:  "run yellowgate apply",
	}
}
