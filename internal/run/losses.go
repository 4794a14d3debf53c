package run

import (
	"yellowgate/internal/core/evidence"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/gating"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/presence"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/project"
)

// losses finds pages that would lose what they seem to need.
type losses struct {
	project *project.Project
	judge   *judge
}

func newLosses(p *project.Project) *losses { return &losses{p, newJudge(p)} }

// page tells of items that the gate takes out of a source page which seems to need
// them.
func (l *losses) page(g *gating.Result) (out []gating.Problem) {
	goes := map[string]int{}
	for i := range g.Verdicts {
		if v := &g.Verdicts[i]; !v.In && hasSome(g, v.Item) && onlyLoads(v.Item) {
			goes[v.Item.Name] = i
		}
	}
	if g.Fragment || len(goes) == 0 {
		return nil
	}
	before := takeOwned(g.Source.File, g.Page, l.project, l.judge.weights)
	for _, x := range l.lost(before, g, func(item string) bool { _, ok := goes[item]; return ok }) {
		v := &g.Verdicts[goes[x.Item]]
		out = append(out, gating.Problem{Page: g.Page.Path, Problem: problem.Problem{Severity: problem.Warning, Pos: v.Rule,
			Message: "item \"" + x.Item + "\" goes out of the page, and the page seems to need it: " + x.What,
			Remedy:  "let it in there, or take out what needs it as well"}})
	}
	return out
}

// hasSome reports whether the source page has something that an item is found by or
// stands in for.
func hasSome(g *gating.Result, it *gatefile.Item) bool {
	for _, list := range [][]gatefile.Matcher{it.Found, it.Replaces} {
		for i := range list {
			if g.Matched[&list[i]] > 0 {
				return true
			}
		}
	}
	return false
}

// lost holds what a page has before against what apply would write.
func (l *losses) lost(before *inventory.Record, g *gating.Result, goes func(string) bool) []evidence.Loss {
	after := presence.Take(g.File, g.Page, l.project.Gate, l.judge.weights)
	return l.judge.Lost(before, after.Record, evidence.Read(after.Source, after.Scan, nil), goes)
}
