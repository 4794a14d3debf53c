package code

import (
	"fmt"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

var codeBreaksHead = &check.Check{
	Name: "code-breaks-head", Family: "code", Severity: problem.Error,
	Title: "the code of an item ends the head",
	Doc: `The head cannot hold what the item puts there, so a browser ends the head at it, and
everything after it falls into the body: titles and canonicals are lost to search
engines. Give the item a place in the body.`,
	Bad: "<head>\n  <!--yg:count-pixel--><img src=\"/count.gif\" alt=\"\"><!--/yg:count-pixel-->\n" +
		"  <title>Visit</title>\n</head>\n<body>\n</body>",
	Good: "<head>\n  <title>Visit</title>\n</head>\n<body>\n" +
		"  <!--yg:count-pixel--><img src=\"/count.gif\" alt=\"\"><!--/yg:count-pixel-->\n</body>",
	Page: func(p *check.Pass) {
		b := p.Scan.Breaker
		if r := p.RegionAt(b.Start); r != nil && !b.None() && !p.LeadsAway() {
			p.InRegion(*r, b.Start-r.Content.Start,
				fmt.Sprintf("%s, of the item's code, ends the head here%s", check.BreakerOf(p), check.Fell(p)),
				"give the item a place in the body: body-start or body-end")
		}
	},
}
