package pageedit

import (
	"fmt"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/placeholder"
	"yellowgate/internal/core/problem"
)

// The values of parameters on a page: a spot's, else that of per-page, of params-on, of params.

// A ParamValue is the value that a parameter of an item has on a page, and the line that gives it.
type ParamValue struct {
	Param *gatefile.Param
	Value string          // "" where the placeholders of all its values come to nothing
	Bare  bool            // a number or a truth value that a script has without quotes
	Query *gatefile.Query // of params-on that chooses the page, else nil
	Pos   problem.Position
	// Failed says why a value cannot be had; nil where it can.
	Failed *placeholder.Failure
}

// Told is the query of a rule in words, with what a set is like.
func (v *View) Told(q *gatefile.Query) string { return v.gate.File.Told(q) }

// Params are the values of an item's parameters on the page; spots of the page may set others.
func (v *View) Params(it *gatefile.Item) (out []ParamValue) {
	for _, p := range it.Params {
		out = append(out, v.param(it, p, nil))
	}
	return out
}

// param is the value of a parameter on the page, and at a spot of it.
func (v *View) param(it *gatefile.Item, p *gatefile.Param, spot *markup.AuthorSpot) ParamValue {
	if spot != nil {
		for _, s := range spot.Params {
			if s.Name == p.Name {
				return ParamValue{Param: p, Value: s.Value, Bare: p.Bare && gatefile.IsBare(s.Value), Pos: p.Pos}
			}
		}
	}
	var failed *placeholder.Failure
	fill := func(x ParamValue, t *placeholder.Template) (ParamValue, bool) {
		if x.Param = p; t == nil {
			return x, true
		}
		x.Value, x.Failed = t.Fill(v.Lookup)
		if one := t.Alone(); one != nil && x.Failed == nil {
			value, _ := one.Value(v.Lookup)
			x.Bare = value.Number
		}
		if x.Failed != nil && failed == nil {
			failed = x.Failed
		}
		return x, x.Failed == nil || !x.Failed.Missing() // without a value, the next one counts
	}
	set := func(list []gatefile.Setting, q *gatefile.Query) (ParamValue, bool) {
		for i := len(list) - 1; i >= 0; i-- {
			if s := &list[i]; s.Item == it.Name && s.Name == p.Name {
				return fill(ParamValue{Value: s.Value, Bare: s.Bare, Query: q, Pos: s.Pos}, s.Template)
			}
		}
		return ParamValue{}, false
	}
	if pp := v.gate.Plan.PerPage(&v.Page); pp != nil {
		if x, ok := set(pp.Params, nil); ok {
			return x
		}
	}
	type chosen struct {
		rule *gatefile.ParamRule
		q    *gatefile.Query
	}
	var rules []chosen
	for i := len(it.ParamsOn) - 1; i >= 0; i-- {
		if q, ok := it.ParamsOn[i].Chooses(&v.Page); ok {
			rules = append(rules, chosen{it.ParamsOn[i], q})
		}
	}
	gatefile.ByLikeness(v.gate.File, rules, func(c chosen) string { return c.q.Set })
	for _, c := range rules {
		if x, ok := set(c.rule.Settings, c.q); ok {
			return x
		}
	}
	x, ok := fill(ParamValue{Value: p.Value, Bare: p.Bare, Pos: p.Pos}, p.Template)
	if !ok {
		x.Value, x.Failed = "", failed
	}
	return x
}

// params gives an item's parameters their values on the page, and at a spot of it; nil where they are those of params.
func (v *View) params(it *gatefile.Item, spot *markup.AuthorSpot) func(*gatefile.Param) (string, bool) {
	if v.gate.Plan.PerPage(&v.Page) == nil && spot == nil && !it.ParamsVary() {
		return nil
	}
	return func(p *gatefile.Param) (value string, bare bool) {
		x := v.param(it, p, spot)
		return x.Value, x.Bare
	}
}

// checkParams reports values of parameters that they cannot have, where what the page says makes them.
func (pl *planner) checkParams(it *gatefile.Item) (ok bool) {
	ok = true
	if !it.ParamsVary() && pl.gate.Plan.PerPage(&pl.Page) == nil {
		return ok
	}
	for _, x := range pl.Params(it) {
		why := ""
		if x.Failed != nil && !x.Failed.Missing() {
			why = x.Failed.Error()
		} else if x.Value != "" {
			why = x.Param.Refuse(x.Value)
		}
		if why != "" {
			ok = false
			pl.problem(problem.Problem{
				Severity: problem.Error, Pos: x.Pos, Message: fmt.Sprintf("item %q: %s", it.Name, why),
				Remedy: "give it another value, or keep the item out of those pages",
			})
		}
	}
	return ok
}
