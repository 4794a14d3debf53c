package gate

import (
	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

var unread = &check.Check{
	Name: "unread", Family: "gate", Severity: problem.Error,
	Title: "the page cannot be followed: nothing about it is sure",
	Doc: `The page is beyond what is read: more than a million elements, elements within one
another without end, or a selector of the gate file that would look at them for minutes.
What the audit says of it besides may be wrong. Write the selector so that it looks at fewer
elements, or leave the page out with site.ignore. With --browser it is also reported for a page that
the browser did not read: it crashed or hung. A page that had not come to rest is a note: what it does
later is unknown; and so is one that a script has given another address.`,
	Bad: "-- yellowgate.yaml --\nitems:\n  notice: {code: <p>Open late</p>, pages: \"has(p ~ p ~ i)\"}\n" +
		"-- site/visit/index.html --\n<p>Visit us.</p>\n-- site/visit/index.html, later --\n" +
		"(two thousand notes)<i>x</i>",
	Good: "-- yellowgate.yaml --\nitems:\n  notice: {code: <p>Open late</p>, pages: \"has(p + i)\"}\n" +
		"-- site/visit/index.html --\n(two thousand notes)<i>x</i>",
	Page: func(p *check.Pass) {
		for _, r := range p.Rendered {
			var f *check.Finding
			if r.Cut != "" {
				f = p.Once(1, 1, "", "the browser left the page on a screen of "+r.Screen+": "+r.Cut,
					"what it does later is unknown; --wait waits longer")
			} else if to := r.Moved(); to != "" {
				f = p.Once(1, 1, "",
					"the page is at "+to+
						" in the end, and loaded nothing for that: its items and metadata are those of "+p.Path,
					"look at that address by itself, too")
			}
			if f != nil {
				f.Severity = problem.Note
			}
			if r.Unread != "" {
				p.Once(1, 1, "", "the browser did not read the page on a screen of "+r.Screen+": "+r.Unread,
					"open it in a browser by hand; what it requests and does there is not known here")
			}
		}
		why := p.Scan.Unread
		if p.Gated != nil && why == "" {
			why = p.Gated.Result.View.Unread
		}
		if why != "" {
			p.Report(1, 1, "", "this page is not read: "+why,
				"write the selector so that fewer elements have to be looked at, or list the page under site.ignore")
		}
	},
}
