package head

import (
	"fmt"
	"regexp"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

var brokenHead = &check.Check{
	Name: "broken-head", Family: "head", Severity: problem.Error,
	Title: "the head ends early",
	Doc: `An element that the head may not hold, or text, ends the head where it stands: a
browser opens the body there, and everything after it, up to </head>, falls into
the body. Titles, descriptions and canonicals that fall are lost to search
engines; stylesheets and scripts load late. Move the element that breaks the head
into the body. The finding names it, and what fell.`,
	Bad:  "<head>\n  <img src=\"/count.gif\" alt=\"\">\n  <title>Press</title>\n</head>",
	Good: "<head>\n  <title>Press</title>\n</head>\n<body>\n  <img src=\"/count.gif\" alt=\"\">",
	Page: func(p *check.Pass) {
		b := p.Scan.Breaker
		if b.None() || p.LeadsAway() || p.RegionAt(b.Start) != nil {
			return // an item's code that breaks it is told as such
		}
		line, col := p.Locate(b.Start)
		item, whose := "", ""
		if p.Gated != nil {
			if item = p.Gated.ItemAt(b.Start); item != "" {
				whose = fmt.Sprintf(" of item %q", item)
			}
		}
		breaker, remedy := check.BreakerOf(p), "move it into the body"
		if unfilled.MatchString(breaker) {
			remedy = "mend the template that left it there: in the body visitors would see it"
		}
		p.Report(line, col, item, fmt.Sprintf("%s%s ends the head here%s", breaker, whose, check.Fell(p)), remedy).
			Of(breaker)
	},
}

// unfilled are texts that generators mean to be replaced.
var unfilled = regexp.MustCompile(`^the text ".*(__\w+__|\{\{|\{%|<%|%%\w+%%|@@\w+@@)`)
