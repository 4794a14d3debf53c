package run

import (
	"slices"

	"yellowgate/internal/core/checks"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/gating"
	"yellowgate/internal/site"
)

// Check reads the gate file against the site and writes nothing. problems are
// those that opening the project told already.
func Check(p *site.Project, problems []gatefile.Problem, progress Progress) (*CheckResult, error) {
	r := &CheckResult{Project: p, Problems: append(problems, p.CheckPages()...), Files: len(p.Pages)}
	t := checks.NewTally(p.Gate)
	var onPages []gating.Problem
	var places gating.Places
	needs := slices.ContainsFunc(p.Gate.File.Items, func(it *gatefile.Item) bool { return len(it.Needs) > 0 })
	err := all(p, progress, func(_ int, g *gating.Result) error {
		t.Add(g)
		places.Add(g)
		onPages = append(onPages, g.Problems...)
		if needs && !g.Fragment {
			onPages = append(onPages, lateNeeds(p, g)...)
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	r.Pages = t.Pages
	r.Problems = append(r.Problems, site.GroupProblems(p.Gate.File, onPages)...)
	r.Problems = append(r.Problems, places.Problems()...)
	r.Problems = append(r.Problems, t.Problems()...)
	r.Problems = append(r.Problems, sameURL(p.Gate.File)...)
	for i := range r.Problems {
		if text := p.Gate.File.TextOf(r.Problems[i].Pos.File); r.Problems[i].Line == "" && text != nil {
			r.Problems[i].Line = site.LineOf(text, r.Problems[i].Pos.Line)
		}
	}
	gatefile.SortProblems(r.Problems)
	for i, it := range p.Gate.File.Items {
		r.Tally = append(r.Tally, ItemCount{it, t.In[i], t.Found[i]})
	}
	return r, nil
}

// lateNeeds looks at a page as apply would write it for needs that would run
// late there: with found parts, only the page shows.
func lateNeeds(p *site.Project, g *gating.Result) (out []gating.Problem) {
	record := takeGated(g.File, g.Page, p, nil)
	for _, f := range checks.LateNeeds(&checks.Pass{Record: record, Gated: checks.Hold(record, p.Gate, g)}) {
		it := p.Gate.File.Item(f.Item)
		out = append(out, gating.Problem{Page: g.Page.Path, Problem: gatefile.Problem{Severity: gatefile.Error, Pos: it.Needs[0].Pos, Message: f.Message, Remedy: f.Remedy}})
	}
	return out
}

// sameURL tells of two items that carry one URL.
func sameURL(g *gatefile.Gate) (problems []gatefile.Problem) {
	first := map[string]*gatefile.Item{}
	for _, it := range g.Items {
		for _, p := range it.Parts {
			if !p.Kind.Tagged() {
				continue
			}
			if other := first[p.Text]; other != nil && other != it {
				problems = append(problems, gatefile.Problem{Severity: gatefile.Warning, Pos: p.Pos,
					Message: "items \"" + it.Name + "\" and \"" + other.Name + "\" both carry " + p.Text,
					Remedy:  "make it an item of its own that both need"})
			}
			if first[p.Text] == nil {
				first[p.Text] = it
			}
		}
	}
	return problems
}
