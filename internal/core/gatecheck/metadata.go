package gatecheck

import (
	"fmt"
	"slices"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/verdict"
)

// Rules counts what the metadata rules of a gate file come to.
type Rules struct {
	Of []RuleCount // in the gate file's order, defaults first

	byKey   map[*gatefile.Key]int
	pages   int
	noindex map[problem.Position]int // pages that each line keeps out of search engines
	home    *problem.Position        // the line that does so for the home page
}

// A RuleCount is one rule: the pages that it chooses, and those on which a value of it stands in the end.
type RuleCount struct {
	Rule       *gatefile.Rule
	Pages, Set int
}

// NewRules counts those of a gate file.
func NewRules(g *gatefile.Gate) *Rules {
	r := &Rules{byKey: map[*gatefile.Key]int{}, noindex: map[problem.Position]int{}}
	for i, rule := range g.Rules {
		r.Of = append(r.Of, RuleCount{Rule: rule})
		for k := range rule.Keys {
			r.byKey[&rule.Keys[k]] = i
		}
	}
	return r
}

// RuleLines are what the rules do on one page, by their numbers.
type RuleLines struct {
	chosen, set []int
	noindex     *problem.Position // the line that keeps the page out of search engines
}

// Look tells what the rules do on a page; nil for a fragment. It changes nothing, and several goroutines may
// call it.
func (r *Rules) Look(g *pageedit.Result) *RuleLines {
	if g.Fragment {
		return nil
	}
	l := &RuleLines{}
	for _, id := range g.Keys() {
		w := verdict.Winner(g.Metadata(id))
		if w == nil || w.Key == nil {
			continue
		}
		if i, ok := r.byKey[w.Key]; ok && !slices.Contains(l.set, i) {
			l.set = append(l.set, i)
		}
		if id == "robots" && noindexed(w) {
			at := w.Rule
			l.noindex = &at
		}
	}
	for i := range r.Of {
		if _, chosen := r.Of[i].Rule.Chooses(&g.Page); chosen {
			l.chosen = append(l.chosen, i)
		}
	}
	return l
}

// Add takes in what was seen on a page.
func (r *Rules) Add(path string, l *RuleLines) {
	if l == nil {
		return
	}
	r.pages++
	for _, i := range l.chosen {
		r.Of[i].Pages++
	}
	for _, i := range l.set {
		r.Of[i].Set++
	}
	if l.noindex != nil {
		r.noindex[*l.noindex]++
		if path == "/" {
			r.home = l.noindex
		}
	}
}

// Problems reports a noindex that reaches further than anybody means, and rules of which nothing stands.
func (r *Rules) Problems() (out []problem.Problem) {
	warn := func(name string, pos problem.Position, remedy, message string) {
		out = append(out, problem.Problem{Severity: problem.Warning, Name: name, Pos: pos, Message: message, Remedy: remedy})
	}
	const remedy = "search engines drop these pages: narrow the pages of the rule, or take noindex out"
	all := false
	for pos, n := range r.noindex {
		if n == r.pages && n > 1 {
			all = true
			warn(problem.WideNoindex, pos, remedy, fmt.Sprintf("this noindex reaches all %d pages of the site", n))
		}
	}
	if r.home != nil && !all {
		warn(problem.WideNoindex, *r.home, remedy, "this noindex reaches the home page")
	}
	for _, c := range r.Of {
		if c.Pages > 0 && c.Set == 0 && len(c.Rule.Keys) > 0 {
			what, remedy := "later rules and per-page lines have the last word", "take the rule out, or let it stand after those"
			if c.Rule.Default {
				what, remedy = "the pages have values of their own, or other rules set them",
					"put it under metadata, if it is to override them"
			}
			warn(problem.IdleLine, c.Rule.Pos, remedy,
				fmt.Sprintf("this metadata rule chooses %d pages and sets nothing: %s", c.Pages, what))
		}
	}
	return out
}
