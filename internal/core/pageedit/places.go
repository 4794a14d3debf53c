package pageedit

import (
	"fmt"
	"slices"
	"strings"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/problem"
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
		if !r.Verdicts[i].In || atSelector(it) == nil {
			continue
		}
		if p.in == nil {
			p.in, p.lacking = map[*gatefile.Item]int{}, map[*gatefile.Item]int{}
		}
		p.in[it]++
	}
	seen := map[*gatefile.Item]bool{}
	for _, it := range r.placeless {
		if !seen[it] {
			seen[it] = true
			p.lacking[it]++
		}
	}
}

// atSelector is a place of the item that is at a selector, or nil.
func atSelector(it *gatefile.Item) *gatefile.Place {
	for _, part := range it.Parts {
		if p := it.PlaceOf(part); p.Selector != nil && part.Kind != gatefile.Classes {
			return &p
		}
	}
	if p := it.FoundPlace(); p != nil && p.Selector != nil {
		return p
	}
	return nil
}

// Problems tells the items whose place no page offers: the gate file cannot be
// put into effect for them.
func (p *Places) Problems() (out []problem.Problem) {
	for it, n := range p.lacking {
		if n == p.in[it] {
			place := atSelector(it)
			out = append(out, problem.Problem{Severity: problem.Error, Pos: place.Pos,
				Message: fmt.Sprintf("item %q has no place anywhere: %q matches nothing on any page that it is in on",
					it.Name, place.Selector),
				Remedy: "mend the selector, or give the item another place"})
		}
	}
	slices.SortFunc(out, func(a, b problem.Problem) int { return strings.Compare(a.Message, b.Message) })
	return out
}

// SomePages names up to three pages and counts the rest.
func SomePages(paths []string) string {
	switch n := len(paths); {
	case n == 1:
		return paths[0]
	case n <= 3:
		return fmt.Sprintf("%d pages: %s", n, strings.Join(paths, ", "))
	default:
		return fmt.Sprintf("%d pages: %s and %d more", n, strings.Join(paths[:3], ", "), n-3)
	}
}
