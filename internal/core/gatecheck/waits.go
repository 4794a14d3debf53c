package gatecheck

import (
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/problem"
)

// Waits notes what the head of a page waits for that the gateway lets flow. What the page itself makes it wait
// for, such as an encoding that it does not say, stands at the line of the origin.
func Waits(g *pageedit.Result, origin problem.Position) []pageedit.Problem {
	if g.Fragment {
		return nil
	}
	b := g.Head()
	if b.Waits == "" {
		return nil
	}
	p := problem.Problem{
		Severity: problem.Note, Name: problem.WaitsForBody, Pos: origin,
		Message: "behind the gateway, the head waits for " + b.Waits,
		Remedy:  "write </head>, the body tag and the encoding out in the page, and no selector that asks what follows",
	}
	switch {
	case len(b.For) > 0:
		p.Pos = b.For[0]
		p.Remedy = "let what depends on the body go to the body's end, or choose the pages by their addresses"
	case b.Waits == pageedit.FirstHeading:
		p.Remedy = "use page.title or a fact where page.heading stands, or leave it: a page waits no longer than for its h1"
	}
	return []pageedit.Problem{{Problem: p, Page: g.Page.Path, File: g.Page.File}}
}
