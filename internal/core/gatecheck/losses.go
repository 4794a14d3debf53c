package gatecheck

import (
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/itemmatch"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/usage"
)

// A Judge finds pages that would lose what they seem to need.
type Judge struct {
	*usage.Judge
	gate    *pageedit.Gate
	weights inventory.Weights
}

// NewJudge makes a judge for a gate; read returns a file of the site, by its path.
func NewJudge(g *pageedit.Gate, read func(path string) ([]byte, bool), weights inventory.Weights) *Judge {
	byName := map[string]*gatefile.Item{}
	for _, it := range g.File.Items {
		byName[it.Name] = it
	}
	return &Judge{
		&usage.Judge{
			Library: &usage.Library{Read: read},
			Judges:  func(name string) bool { return onlyLoads(byName[name]) },
		},
		g,
		weights,
	}
}

// Owned takes the inventory of a page, with the items named that elements are found by.
func (j *Judge) Owned(text []byte, known page.Page) *inventory.Record {
	return Owned(text, known, j.gate, j.weights)
}

// Owned takes the inventory of a page, with the items of a gate named that elements are found by.
func Owned(text []byte, known page.Page, g *pageedit.Gate, w inventory.Weights) *inventory.Record {
	r := itemmatch.Take(text, known, g, w).Record
	itemmatch.NameOwners(r, g)
	return r
}

// Losses reports items that the gate takes out of a source page which seems to need
// them.
func (j *Judge) Losses(g *pageedit.Result) (out []pageedit.Problem) {
	goes := map[string]int{}
	for i := range g.Verdicts {
		if v := &g.Verdicts[i]; !v.In && hasSome(g, v.Item) && onlyLoads(v.Item) {
			goes[v.Item.Name] = i
		}
	}
	if g.Fragment || len(goes) == 0 {
		return nil
	}
	before := j.Owned(g.Source.File, g.Page)
	for _, x := range j.Lost(before, g, func(item string) bool { _, ok := goes[item]; return ok }) {
		v := &g.Verdicts[goes[x.Item]]
		out = append(out, pageedit.Problem{Page: g.Page.Path, Problem: problem.Problem{Severity: problem.Warning,
			Name: problem.NeededItem, Item: x.Item, Pos: v.Rule,
			Message: "item \"" + x.Item + "\" goes out of the page, and the page seems to need it: " + x.What,
			Remedy:  "let it in there, or take out what needs it as well"}})
	}
	return out
}

// hasSome reports whether the source page has something that an item is found by or
// stands in for.
func hasSome(g *pageedit.Result, it *gatefile.Item) bool {
	for _, list := range [][]gatefile.Matcher{it.Found, it.Replaces} {
		for i := range list {
			if g.Matched[&list[i]] > 0 {
				return true
			}
		}
	}
	return false
}

// Lost compares what a page has before with what apply would write.
func (j *Judge) Lost(before *inventory.Record, g *pageedit.Result, goes func(string) bool) []usage.Loss {
	after := itemmatch.Take(g.File, g.Page, j.gate, j.weights)
	return j.Judge.Lost(before, after.Record, usage.Read(after.Source, after.Scan, nil), goes)
}

// onlyLoads reports whether an item is made of scripts and stylesheets alone, as far
// as the gate file tells.
func onlyLoads(it *gatefile.Item) bool {
	if it == nil {
		return true
	}
	for _, p := range it.Parts {
		switch p.Kind {
		case gatefile.Script, gatefile.Stylesheet, gatefile.ScriptText, gatefile.StyleText:
		default:
			return false
		}
	}
	return true
}
