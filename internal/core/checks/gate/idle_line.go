package gate

import (
	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

var idleLine = &check.Check{
	Name: "idle-line", Family: "gate", Severity: problem.Note,
	Title: "a line of the gate file changes nothing",
	Doc: `A per-page in where pages chooses the page already, an exception that excludes
nothing, a matcher that finds nothing on any page: the line does no harm, but who
reads it believes that it does something. Take it out, or mend it. yellowgate check
lists these lines.`,
	Bad: "-- yellowgate.yaml --\nitems:\n  notice: {code: <p>Open late</p>, pages: all, except: /evnts/**}\n" +
		"-- site/events/index.html --\n<p>Events</p>\n-- site/visit/index.html --\n<p>Visit us.</p>",
	Good: "-- yellowgate.yaml --\nitems:\n  notice: {code: <p>Open late</p>, pages: all, except: /events/**}\n" +
		"-- site/events/index.html --\n<p>Events</p>\n-- site/visit/index.html --\n<p>Visit us.</p>",
}
