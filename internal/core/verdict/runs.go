package verdict

import (
	"fmt"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/problem"
)

// A run is one script that an item's own parts put on a page.
type run struct {
	phase markup.Phase
	place int // rank of its place in the document, -1 where a selector decides
}

var placeRank = map[string]int{gatefile.HeadStart: 0, gatefile.HeadEnd: 1, gatefile.BodyStart: 2, gatefile.BodyEnd: 3}

// lateNeeds refuses an order in which a need would run after what needs it, as
// far as the gate file alone shows. Found parts are compared with the page.
func (p *Plan) lateNeeds() []problem.Problem {
	var problems []problem.Problem
	for i, it := range p.Gate.Items {
		mine := runs(it)
		for k, n := range p.needs[i] {
			need := p.Gate.Items[n]
			for _, a := range runs(need) {
				for _, b := range mine {
					if pr, ok := late(need, a, it, b, it.Needs[k].Pos); ok {
						problems = append(problems, pr)
						goto next
					}
				}
			}
		next:
		}
	}
	return problems
}

func late(need *gatefile.Item, a run, it *gatefile.Item, b run, pos problem.Position) (problem.Problem, bool) {
	pr := problem.Problem{Severity: problem.Error, Item: it.Name, Pos: pos}
	switch {
	case a.phase == markup.Async || b.phase == markup.Async:
		pr.Severity, pr.Name = problem.Warning, problem.UnorderedNeed
		pr.Message = fmt.Sprintf("%q needs %q, and an async script has no order: either may run first", it.Name,
			need.Name)
		pr.Remedy = "give both load: defer"
	case a.phase > b.phase:
		pr.Message = fmt.Sprintf("%q needs %q, which is deferred and would run after it", it.Name, need.Name)
		pr.Remedy = fmt.Sprintf("give %q load: defer, or %q load: now", it.Name, need.Name)
	case a.phase == b.phase && a.place >= 0 && b.place >= 0 && a.place > b.place:
		pr.Message = fmt.Sprintf("%q needs %q, whose place (%s) is later in the page", it.Name, need.Name,
			placeName(a.place))
		pr.Remedy = fmt.Sprintf("give %q place: %s, or %q place: %s", need.Name, placeName(b.place), it.Name,
			placeName(a.place))
	default:
		return pr, false
	}
	return pr, true
}

func placeName(rank int) string {
	for name, r := range placeRank {
		if r == rank {
			return name
		}
	}
	return ""
}

// runs lists the scripts of an item's own parts.
func runs(it *gatefile.Item) (out []run) {
	for _, part := range it.Parts {
		place := it.PlaceOf(part)
		rank, ok := placeRank[place.Name]
		if !ok {
			rank = -1
		}
		switch part.Kind {
		case gatefile.Script:
			out = append(out, run{loadPhase(it.LoadOf(part)), rank})
		case gatefile.ScriptText:
			phase := markup.Blocking
			if it.Load.Value == "module" {
				phase = markup.Deferred
			}
			out = append(out, run{phase, rank})
		case gatefile.Code:
			src := []byte(part.Text)
			for _, e := range markup.Scan(src, nil).Elements {
				if e.Tag == markup.TagScript && e.Inside == markup.InPage {
					if phase, ok := markup.ScriptPhase(src, e.Start); ok {
						out = append(out, run{phase, rank})
					}
				}
			}
		}
	}
	return out
}

func loadPhase(load string) markup.Phase {
	switch load {
	case "defer", "module":
		return markup.Deferred
	case "async":
		return markup.Async
	}
	return markup.Blocking
}
