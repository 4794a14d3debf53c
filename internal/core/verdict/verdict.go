// Package verdict decides, for one page and each item, in or out; in which order
// items stand; and which metadata value wins. It decides from the gate and what
// is known of the page, and keeps for each decision the line that made it.
package verdict

import (
	"fmt"
	"slices"
	"strings"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/problem"
)

// A Reason is the code of the line of the decision table that applied.
type Reason string

// The reasons, strongest first.
const (
	Disabled  Reason = "disabled"
	Dates     Reason = "dates"
	PerPage   Reason = "per-page"
	Except    Reason = "except"
	Pages     Reason = "pages"
	Spot      Reason = "spot"
	Needed    Reason = "needed"
	Elsewhere Reason = "elsewhere"
)

// A Verdict is in or out, for one item on one page, with its reason.
type Verdict struct {
	Item   *gatefile.Item
	In     bool
	Reason Reason
	Rule   problem.Position // the line that decided
	Query  *gatefile.Query  // the entry of pages or except that decided, if one did
	By     *gatefile.Item   // the item that needs it, where that decided
}

// Word is "in" or "out".
func (v *Verdict) Word() string {
	if v.In {
		return "in"
	}
	return "out"
}

// A Plan is a gate prepared to decide: names looked up, items in order.
type Plan struct {
	Gate  *gatefile.Gate
	Day   string // as 2026-11-23, for items with dates
	Order []int  // item numbers in the order in which they stand within a place
	// PageAt finds the page at a path, by either spelling, and returns the path that it has; nil where nobody knows
	// which pages there are.
	PageAt func(path string) (string, bool)

	spots  []bool // by item: whether a spot puts it in
	not    [][]not
	needs  [][]int // by item: the items it needs
	pages  map[string]*perPage
	byName map[string]int
	rules  map[string][]ruled // by the name of a metadata key
}

// A ruled is a key that a metadata rule sets.
type ruled struct {
	rule *gatefile.Rule
	key  *gatefile.Key
}

type perPage struct {
	*gatefile.PerPage
	in, out map[int]problem.Position
}

// not is an item that must not be met, and the line that says so.
type not struct {
	item int
	pos  problem.Position
}

// NewPlan makes a gate ready to decide on a day, written as 2026-11-23. Problems
// are circles among needs, before and
// after, and needs that would run late.
func NewPlan(g *gatefile.Gate, day string) (*Plan, []problem.Problem) {
	p := &Plan{Gate: g, Day: day, pages: map[string]*perPage{}, byName: map[string]int{}, rules: map[string][]ruled{}}
	for _, r := range slices.Backward(g.Rules) { // the last counts first
		for k := range r.Keys {
			name := r.Keys[k].Name
			p.rules[name] = append(p.rules[name], ruled{r, &r.Keys[k]})
		}
	}
	for i, it := range g.Items {
		p.byName[it.Name] = i
	}
	p.needs = make([][]int, len(g.Items))
	p.spots, p.not = make([]bool, len(g.Items)), make([][]not, len(g.Items))
	for i, it := range g.Items {
		p.needs[i] = p.numbers(it.Needs)
		p.spots[i] = it.HasSpot()
		for _, t := range it.NotWith {
			if n, ok := p.byName[t.Value]; ok {
				p.not[i] = append(p.not[i], not{n, t.Pos})
			}
		}
	}
	for _, pp := range g.Pages {
		x := &perPage{pp, map[int]problem.Position{}, map[int]problem.Position{}}
		for _, t := range pp.In {
			if i, ok := p.byName[t.Value]; ok {
				x.in[i] = t.Pos
			}
		}
		for _, t := range pp.Out {
			if i, ok := p.byName[t.Value]; ok {
				x.out[i] = t.Pos
			}
		}
		p.pages[page.Key(page.Identify(pp.Path, g.Site.Query))] = x
	}
	problems := p.order()
	return p, append(problems, p.lateNeeds()...)
}

func (p *Plan) numbers(names []gatefile.Text) (out []int) {
	for _, t := range names {
		if i, ok := p.byName[t.Value]; ok {
			out = append(out, i)
		}
	}
	return out
}

// PerPage returns what the gate file says under per-page for the page, or nil.
func (p *Plan) PerPage(pg *page.Page) *gatefile.PerPage {
	if x := p.pages[pg.Key()]; x != nil {
		return x.PerPage
	}
	return nil
}

// Decide returns a verdict for each item, in the gate's order, and what
// contradicts itself on this page.
func (p *Plan) Decide(pg *page.Page) ([]Verdict, []problem.Problem) {
	out := make([]Verdict, len(p.Gate.Items))
	pp := p.pages[pg.Key()]
	var queue []int
	for i, it := range p.Gate.Items {
		out[i] = p.direct(i, it, pg, pp)
		if out[i].In && len(p.needs[i]) > 0 {
			queue = append(queue, i)
		}
	}
	var problems []problem.Problem
	for len(queue) > 0 {
		i := queue[0]
		queue = queue[1:]
		for k, n := range p.needs[i] {
			v := &out[n]
			switch {
			case v.In:
			case v.Reason == Elsewhere:
				it := p.Gate.Items[n]
				*v = Verdict{
					Item:   it,
					In:     true,
					Reason: Needed,
					Rule:   p.Gate.Items[i].Needs[k].Pos,
					By:     p.Gate.Items[i],
				}
				queue = append(queue, n)
			default:
				problems = append(problems, problem.Problem{
					Severity: problem.Error,
					Pos:      p.Gate.Items[i].Needs[k].Pos,
					Message: fmt.Sprintf("item %q is in and needs %q, which is out there (%s, %s)",
						p.Gate.Items[i].Name, v.Item.Name, v.Reason, v.Rule),
					Remedy: fmt.Sprintf("let %q in on those pages, or keep %q out of them", v.Item.Name,
						p.Gate.Items[i].Name),
				})
			}
		}
	}
	return out, append(problems, p.met(out)...)
}

// met reports variants that are in together.
func (p *Plan) met(vs []Verdict) (problems []problem.Problem) {
	for i := range vs {
		if !vs[i].In {
			continue
		}
		for _, n := range p.not[i] {
			if other := &vs[n.item]; other.In {
				problems = append(problems, problem.Problem{Severity: problem.Error, Pos: n.pos,
					Message: fmt.Sprintf("items %q and %q must never meet, and both are in (%s, %s)", vs[i].Item.Name,
						other.Item.Name, vs[i].Rule, other.Rule),
					Remedy: "keep one of them out of those pages"})
			}
		}
	}
	return problems
}

// Variants calls visit for each pair of items that must not meet.
func (p *Plan) Variants(visit func(a, b int, line problem.Position)) {
	for i := range p.not {
		for _, n := range p.not[i] {
			visit(i, n.item, n.pos)
		}
	}
}

// direct applies the lines of the table that look at one item alone.
func (p *Plan) direct(i int, it *gatefile.Item, pg *page.Page, pp *perPage) Verdict {
	if it.Disabled {
		return Verdict{Item: it, Reason: Disabled, Rule: it.DisabledPos}
	}
	if it.From.Value != "" && p.Day < it.From.Value {
		return Verdict{Item: it, Reason: Dates, Rule: it.From.Pos}
	}
	if it.Until.Value != "" && p.Day > it.Until.Value {
		return Verdict{Item: it, Reason: Dates, Rule: it.Until.Pos}
	}
	if pp != nil {
		if pos, ok := pp.out[i]; ok {
			return Verdict{Item: it, Reason: PerPage, Rule: pos}
		}
		if pos, ok := pp.in[i]; ok {
			return Verdict{Item: it, In: true, Reason: PerPage, Rule: pos}
		}
	}
	for k := range it.Except {
		if it.Except[k].Eval(pg) {
			return Verdict{Item: it, Reason: Except, Rule: it.Except[k].Pos, Query: &it.Except[k]}
		}
	}
	for k := range it.Pages {
		if it.Pages[k].Eval(pg) {
			return Verdict{Item: it, In: true, Reason: Pages, Rule: it.Pages[k].Pos, Query: &it.Pages[k]}
		}
	}
	if p.spots[i] && pg.Spots[it.Name] {
		return Verdict{Item: it, In: true, Reason: Spot, Rule: it.Pos}
	}
	if p.spots[i] && pg.Later != nil {
		pg.Later(page.Asked{Spot: it.Name})
	}
	return Verdict{Item: it, Reason: Elsewhere, Rule: it.Pos}
}

// OutOfDates tells the per-page lines that put an item in outside its dates: they
// change nothing on this day.
func (p *Plan) OutOfDates() (problems []problem.Problem) {
	for _, pp := range p.Gate.Pages {
		for _, in := range pp.In {
			it := p.Gate.Item(in.Value)
			if it == nil || it.Disabled ||
				(it.From.Value == "" || p.Day >= it.From.Value) && (it.Until.Value == "" || p.Day <= it.Until.Value) {
				continue
			}
			problems = append(problems, problem.Problem{Severity: problem.Note, Name: problem.OutsideDates,
				Item: it.Name, Pos: in.Pos,
				Message: fmt.Sprintf("item %q is put in on %s, but on %s it is outside its dates (%s)", it.Name,
					pp.Path, p.Day, datesOf(it))})
		}
	}
	return problems
}

func datesOf(it *gatefile.Item) string {
	switch {
	case it.From.Value == "":
		return "until " + it.Until.Value
	case it.Until.Value == "":
		return "from " + it.From.Value
	}
	return it.From.Value + " to " + it.Until.Value
}

// order sorts the items so that needs, before and after are honoured, and
// otherwise the gate file's order is kept.
func (p *Plan) order() []problem.Problem {
	n := len(p.Gate.Items)
	earlier := make([][]int, n) // by item: those that must stand before it
	for i, it := range p.Gate.Items {
		earlier[i] = append(earlier[i], p.needs[i]...)
		earlier[i] = append(earlier[i], p.numbers(it.After)...)
		for _, j := range p.numbers(it.Before) {
			earlier[j] = append(earlier[j], i)
		}
	}
	state := make([]int, n) // 1 on the way, 2 placed
	var problems []problem.Problem
	var trail []int
	var place func(i int)
	place = func(i int) {
		state[i] = 1
		trail = append(trail, i)
		for _, j := range earlier[i] {
			switch state[j] {
			case 0:
				place(j)
			case 1:
				var names []string
				for k := len(trail) - 1; k >= 0; k-- {
					names = append(names, p.Gate.Items[trail[k]].Name)
					if trail[k] == j {
						break
					}
				}
				names = append(names, names[0])
				problems = append(problems, problem.Problem{Severity: problem.Error, Pos: p.Gate.Items[j].Pos,
					Message: "items in a circle of needs, before and after: " + strings.Join(names, " before "),
					Remedy:  "take one of these lines out"})
			}
		}
		trail = trail[:len(trail)-1]
		state[i] = 2
		p.Order = append(p.Order, i)
	}
	for i := range n {
		if state[i] == 0 {
			place(i)
		}
	}
	return problems
}
