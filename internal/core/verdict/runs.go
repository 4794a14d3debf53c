package verdict

import (
	"fmt"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/problem"
)

// A Phase is when a script runs: blocking ones where they stand, deferred ones
// and modules when parsing ends, asynchronous ones whenever they arrive
// (HTML, 4.12.1).
type Phase int

const (
	Blocking Phase = iota
	Deferred
	Async
)

// A run is one script that an item's own parts put on a page.
type run struct {
	phase Phase
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
	pr := problem.Problem{Severity: problem.Error, Pos: pos}
	switch {
	case a.phase == Async || b.phase == Async:
		pr.Severity = problem.Warning
		pr.Message = fmt.Sprintf("%q needs %q, and an async script has no order: either may run first", it.Name, need.Name)
		pr.Remedy = "give both load: defer"
	case a.phase > b.phase:
		pr.Message = fmt.Sprintf("%q needs %q, which is deferred and would run after it", it.Name, need.Name)
		pr.Remedy = fmt.Sprintf("give %q load: defer, or %q load: now", it.Name, need.Name)
	case a.phase == b.phase && a.place >= 0 && b.place >= 0 && a.place > b.place:
		pr.Message = fmt.Sprintf("%q needs %q, whose place (%s) is later in the page", it.Name, need.Name, placeName(a.place))
		pr.Remedy = fmt.Sprintf("give %q place: %s, or %q place: %s", need.Name, placeName(b.place), it.Name, placeName(a.place))
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
			phase := Blocking
			if it.Load.Value == "module" {
				phase = Deferred
			}
			out = append(out, run{phase, rank})
		case gatefile.Code:
			src := []byte(part.Text)
			for _, e := range markup.Scan(src, nil).Elements {
				if e.Tag == markup.TagScript && e.Inside == markup.InPage {
					if phase, ok := ScriptPhase(src, e.Start); ok {
						out = append(out, run{phase, rank})
					}
				}
			}
		}
	}
	return out
}

func loadPhase(load string) Phase {
	switch load {
	case "defer", "module":
		return Deferred
	case "async":
		return Async
	}
	return Blocking
}

// ScriptPhase tells when the script element at the offset runs; ok is false
// for a data block, which never does.
func ScriptPhase(src []byte, at int) (phase Phase, ok bool) {
	switch markup.ScriptType(src, at) {
	case markup.DataBlock:
		return 0, false
	case markup.Module:
		if _, async := markup.AttrValue(src, at, "async"); async {
			return Async, true
		}
		return Deferred, true
	}
	if _, external := markup.AttrValue(src, at, "src"); external {
		if _, async := markup.AttrValue(src, at, "async"); async {
			return Async, true
		}
		if _, deferred := markup.AttrValue(src, at, "defer"); deferred {
			return Deferred, true
		}
	}
	return Blocking, true
}
