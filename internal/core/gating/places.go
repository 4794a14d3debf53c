package gating

import (
	"fmt"

	"yellowgate/internal/core/gatefile"
)

// Places counts over pages whether items whose place is at a selector find it
// anywhere. It is added to by one goroutine at a time.
type Places struct {
	in, lacking map[*gatefile.Item]int
}

// Add counts one page.
func (p *Places) Add(r *Result) {
	for i := range r.Verdicts {
		it := r.Verdicts[i].Item
		if !r.Verdicts[i].In || it.FoundOnly() || it.Place == nil || it.Place.Selector == nil {
			continue
		}
		if p.in == nil {
			p.in, p.lacking = map[*gatefile.Item]int{}, map[*gatefile.Item]int{}
		}
		p.in[it]++
	}
	for _, it := range r.placeless {
		p.lacking[it]++
	}
}

// Problems tells the items whose place no page offers: the gate file cannot be
// put into effect for them.
func (p *Places) Problems() (out []gatefile.Problem) {
	for it, n := range p.lacking {
		if n == p.in[it] {
			out = append(out, gatefile.Problem{Severity: gatefile.Error, Pos: it.Place.Pos,
				Message: fmt.Sprintf("item %q has no place anywhere: %q matches nothing on any page that it is in on", it.Name, it.Place.Selector),
				Remedy:  "mend the selector, or give the item another place"})
		}
	}
	return out
}
