package pageedit

import (
	"fmt"
	"slices"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/verdict"
)

// The second step: deciding.

// A Decision is what is decided of a page that was read, before anything of it is changed: the
// second step.
type Decision struct {
	*View
	Verdicts []verdict.Verdict         // in the gate file's order
	Present  []int                     // by item: how many of its found elements the source has
	Matched  map[*gatefile.Matcher]int // how many elements each matcher matches

	owner    map[int]owned // by the offset of an element that a matcher finds
	standers map[int][]int // by the offset of an element that items replace: those items, in the gate file's order
	order    []int         // these offsets, in order, once asked for
	problems []problem.Problem
}

// owned says whose an element is.
type owned struct {
	item     int
	replaced bool // the item stands in for it
}

// decide decides the verdicts on a page, and whose its elements are.
func (g *Gate) decide(v *View) *Decision {
	d := &Decision{View: v}
	d.Verdicts, d.problems = g.Plan.Decide(&v.Page)
	d.settleOwners()
	d.reportAbsent()
	return d
}

// on is the decision for the same page as it is once something was taken out of it: the verdicts
// stay, its elements stand elsewhere.
func (d *Decision) on(v *View) *Decision {
	next := &Decision{View: v, Verdicts: d.Verdicts, problems: d.problems}
	next.settleOwners()
	return next
}

func (d *Decision) problem(p problem.Problem) { d.problems = append(d.problems, p) }

// settleOwners settles to which item each element of the page belongs: the first in the
// gate file that matches it.
func (d *Decision) settleOwners() {
	d.owner = map[int]owned{}
	d.Present = make([]int, len(d.gate.File.Items))
	var refs []loaded
	for i, it := range d.gate.File.Items {
		for k := range len(it.Found) + len(it.Replaces) {
			replaced := k >= len(it.Found)
			var m *gatefile.Matcher
			if replaced {
				m = &it.Replaces[k-len(it.Found)]
			} else {
				m = &it.Found[k]
			}
			if m.URL != "" && refs == nil {
				refs = d.loads()
			}
			hits := d.matched(m, refs)
			if len(hits) > 0 {
				if d.Matched == nil {
					d.Matched = map[*gatefile.Matcher]int{}
				}
				d.Matched[m] += len(hits)
			}
			for _, at := range hits {
				if replaced && !slices.Contains(d.standers[at], i) {
					if d.standers == nil {
						d.standers = map[int][]int{}
					}
					d.standers[at] = append(d.standers[at], i)
				}
				if _, taken := d.owner[at]; !taken {
					d.owner[at] = owned{i, replaced}
					if !replaced {
						d.Present[i]++
					}
				}
			}
		}
	}
}

// reportAbsent reports what should be found in the source and is not.
func (d *Decision) reportAbsent() {
	for i := range d.Verdicts {
		v := &d.Verdicts[i]
		if !v.In || !v.Item.FoundOnly() || d.Present[i] > 0 {
			continue
		}
		switch v.Reason {
		case verdict.Needed:
			d.nothingToPut(v,
				fmt.Sprintf("item %q needs %q, which is found parts alone, and the page's source has none of them",
					v.By.Name, v.Item.Name))
		case verdict.PerPage:
			d.nothingToPut(v,
				fmt.Sprintf("item %q is put in, but it is found parts alone, and the page's source has none of them",
					v.Item.Name))
		}
	}
	d.neededButAbsent()
}

// neededButAbsent reports needs that are in by their own pages and have nothing
// to put where the source lacks them.
func (d *Decision) neededButAbsent() {
	for i := range d.Verdicts {
		if !d.Verdicts[i].In {
			continue
		}
		it := d.Verdicts[i].Item
		for _, need := range it.Needs {
			for n := range d.Verdicts {
				v := &d.Verdicts[n]
				if v.Item.Name != need.Value || !v.In || v.Reason != verdict.Pages || !v.Item.FoundOnly() ||
					d.Present[n] > 0 {
					continue
				}
				d.problem(problem.Problem{Severity: problem.Error, Pos: need.Pos,
					Message: fmt.Sprintf(
						"item %q needs %q, which is found parts alone, and the page's source has none of them",
						it.Name, v.Item.Name),
					Remedy: "give " + need.Value + " a script or code of its own, or keep " + it.Name + " out of those pages"})
			}
		}
	}
}

func (d *Decision) nothingToPut(v *verdict.Verdict, message string) {
	d.problem(problem.Problem{Severity: problem.Error, Pos: v.Rule, Message: message,
		Remedy: "give " + v.Item.Name + " a script or code of its own, or take this line out"})
}

// starts lists the offsets of the elements that matchers find, in order.
func (d *Decision) starts() []int {
	if d.order == nil {
		d.order = make([]int, 0, len(d.owner))
		for at := range d.owner {
			d.order = append(d.order, at)
		}
		slices.Sort(d.order)
	}
	return d.order
}

// breakerGoes reports whether what broke the head is of an item that is out.
func (d *Decision) breakerGoes() bool {
	b := d.Scan.Breaker
	if b.None() {
		return false
	}
	for _, at := range d.starts() {
		if at > b.Start {
			break
		}
		if o := d.owner[at]; !d.Verdicts[o.item].In {
			if end, err := d.endOf(at); err == nil && b.Start < end {
				return true
			}
		}
	}
	return false
}

// Owners returns, by the offset of its start tag, the item to which each element
// of a page belongs by the matchers of the gate file. The page may be any, a
// source or an output; scan is from ScanForOwners.
func (g *Gate) Owners(src *markup.Source, scan *markup.Document, known page.Page) map[int]Owner {
	if len(g.found.selectors) == 0 && !g.foundByText() {
		return nil
	}
	v := &View{gate: g, look: g.found, Source: src, Page: known, Scan: scan}
	d := &Decision{View: v}
	d.settleOwners()
	owners := make(map[int]Owner, len(d.owner))
	for at, o := range d.owner {
		owners[at] = Owner{o.item, o.replaced}
	}
	return owners
}

// An Owner is the item that an element belongs to.
type Owner struct {
	Item     int
	Replaced bool // the item stands in for it
}

func (g *Gate) foundByText() bool {
	for _, it := range g.File.Items {
		for _, m := range slices.Concat(it.Found, it.Replaces) {
			if m.Text != nil {
				return true
			}
		}
	}
	return false
}
