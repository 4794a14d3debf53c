package head

import (
	"fmt"
	"regexp"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/problem"
)

var viewportFixed = &check.Check{
	Name: "viewport-fixed", Family: "head", Severity: problem.Warning, Whole: true,
	Title: "the viewport has a fixed width",
	Doc: `With width=1024 a phone lays the page out as wide as that, and shows it small or cut. Write
width=device-width, initial-scale=1.`,
	Bad:  "<head>\n  <meta name=\"viewport\" content=\"width=1024\">\n  <title>Visit</title>",
	Good: "<head>\n  <meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n  <title>Visit</title>",
	Page: func(p *check.Pass) {
		eachViewport(p, func(v string, at markup.Element) {
			if m := fixedWidth.FindStringSubmatch(v); m != nil {
				p.AtElement(at, fmt.Sprintf("the viewport is %s pixels wide on every screen", m[1]),
					"write width=device-width, initial-scale=1")
			}
		})
	},
}

var fixedWidth = regexp.MustCompile(`(?i)(?:^|[,;\s])width\s*=\s*(\d+)`)
