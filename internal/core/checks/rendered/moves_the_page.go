package rendered

import (
	"fmt"
	"slices"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/pageload"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/wording"
)

var movesThePage = &check.Check{
	Name: "moves-the-page", Family: "rendered", Severity: problem.Warning,
	Title: "what visitors read moves while the page loads",
	Doc: `The layout shift is over 0.1 (Cumulative Layout Shift): text jumps under the eye, and fingers miss
what they aim at. Mostly something without a height comes late: a picture, a banner, an
embed. Give it its room from the beginning. Reported by an audit with --browser only.`,
	Bad: "-- site/visit/index.html --\n<p>x</p>\n-- rendered.json --\n" +
		"{\"path\":\"/visit/\",\"screen\":\"390x844\",\"requests\":[{\"target\":\"/visit/\"}]," +
		"\"measured\":{\"shift\":0.31,\"shifts\":[{\"value\":0.31,\"elements\":[\"main\"]}]}}",
	Good: "-- site/visit/index.html --\n<p>x</p>\n-- rendered.json --\n" +
		"{\"path\":\"/visit/\",\"screen\":\"390x844\",\"requests\":[{\"target\":\"/visit/\"}],\"measured\":{\"shift\":0.02}}",
	Page: func(p *check.Pass) {
		for _, r := range p.Visits() {
			if r.Measured.Shift <= 0.1 {
				continue
			}
			shifts := slices.Clone(r.Measured.Shifts)
			slices.SortStableFunc(shifts, func(a, b pageload.Shift) int { return int(1e6 * (b.Value - a.Value)) })
			moved := ""
			if len(shifts) > 0 && len(shifts[0].Elements) > 0 {
				moved = ", most of it " + wording.List(shifts[0].Elements, 3)
			}
			p.Once(1, 1, "",
				fmt.Sprintf("the layout shifts by %.2f on a screen of %s%s", r.Measured.Shift, r.Screen, moved),
				"give what comes late its room from the beginning")
		}
	},
}

var slowPaint = &check.Check{
	Name: "slow-paint", Family: "rendered", Severity: problem.Note,
	Title: "it takes long until visitors see the page",
	Doc: `The largest part of the page is painted more than 2.5 seconds after the visit began, on this
machine and with a site next door: real visitors wait longer. Look at what blocks, and at
what the largest element waits for. Reported by an audit with --browser only.`,
	Bad: "-- site/visit/index.html --\n<p>x</p>\n-- rendered.json --\n" +
		"{\"path\":\"/visit/\",\"screen\":\"1280x800\",\"requests\":[{\"target\":\"/visit/\"}]," +
		"\"measured\":{\"largestPaint\":4100,\"largestIs\":\"img.dome\"}}",
	Good: "-- site/visit/index.html --\n<p>x</p>\n-- rendered.json --\n" +
		"{\"path\":\"/visit/\",\"screen\":\"1280x800\",\"requests\":[{\"target\":\"/visit/\"}]," +
		"\"measured\":{\"largestPaint\":300}}",
	Page: func(p *check.Pass) {
		for _, r := range p.Visits() {
			if r.Measured.LargestPaint > 2500 {
				is := ""
				if r.Measured.LargestIs != "" {
					is = " (" + r.Measured.LargestIs + ")"
				}
				p.Once(1, 1, "",
					fmt.Sprintf("the largest part%s is painted after %s on a screen of %s", is,
						check.Ms(r.Measured.LargestPaint), r.Screen),
					"look at what blocks, and at what that element waits for")
			}
		}
	},
}
