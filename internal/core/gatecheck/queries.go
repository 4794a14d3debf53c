package gatecheck

import (
	"fmt"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pagequery"
	"yellowgate/internal/core/problem"
)

// LostPaths reports paths within longer queries that are no page of the site. A query that is one path alone
// chooses nothing, which is told already.
func LostPaths(g *gatefile.Gate, pages []page.Page) (out []problem.Problem) {
	paths := make([]string, len(pages))
	for i := range pages {
		paths[i] = pages[i].Path
	}
	look := func(q *gatefile.Query) {
		if _, alone := q.Expr.(*pagequery.Glob); alone || q.Expr == nil {
			return
		}
		pagequery.Walk(q.Expr, func(x pagequery.Expr) {
			glob, ok := x.(*pagequery.Glob)
			if !ok {
				return
			}
			for i := range pages {
				if glob.Eval(&pages[i]) {
					return
				}
			}
			out = append(out, problem.Problem{Severity: problem.Warning, Name: problem.LostPath, Pos: q.Pos,
				Message: fmt.Sprintf("%s, in %s, is not a page of the site%s", glob, q.Text,
					pagequery.Meant(glob.String(), paths)), Remedy: "yellowgate pages lists the paths there are"})
		})
	}
	each := func(list []gatefile.Query) {
		for i := range list {
			look(&list[i])
		}
	}
	for _, s := range g.Sets {
		look(&s.Query)
	}
	for _, it := range g.Items {
		each(it.Pages)
		each(it.Except)
	}
	for _, r := range g.Rules {
		each(r.Pages)
		each(r.Except)
	}
	return out
}
