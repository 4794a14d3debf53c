package checks

import (
	"yellowgate/internal/core/gatefile"
)

var idleLine = &Check{
	Name: "idle-line", Family: "gate", Severity: gatefile.Note,
	Title: "a line of the gate file changes nothing",
	Doc: `A per-page in where pages chooses the page already, an exception that excludes
nothing, a matcher that finds nothing on any page: the line does no harm, but who
reads it believes that it does something. Take it out, or mend it. yellowgate check
lists these lines.`,
	Bad:  "pages: all\nexcept: /evnts/**",
	Good: "pages: all\nexcept: /events/**",
}
