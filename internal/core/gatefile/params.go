package gatefile

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/goccy/go-yaml/ast"

	"yellowgate/internal/core/didyoumean"
	"yellowgate/internal/core/placeholder"
	"yellowgate/internal/core/problem"
)

// A Param is a parameter of an item: a value, and what it may be.
type Param struct {
	Name     string
	Value    string
	Bare     bool // a number or a truth value of the gate file
	OneOf    []string
	Min, Max string // numbers or spans of time, "" for no limit
	Pos      problem.Position
}

// Param returns the item's parameter of a name, or nil.
func (it *Item) Param(name string) *Param {
	for _, p := range it.Params {
		if p.Name == name {
			return p
		}
	}
	return nil
}

// ParamNames lists the names of the item's parameters.
func (it *Item) ParamNames() []string {
	names := make([]string, len(it.Params))
	for i, p := range it.Params {
		names[i] = p.Name
	}
	return names
}

// scope is what placeholders of the item's texts may name, and codeScope those of its code.
func (it *Item) scope() placeholder.Scope { return placeholder.Scope{Params: it.ParamNames()} }

func (it *Item) codeScope() placeholder.Scope {
	return placeholder.Scope{Params: it.ParamNames(), Code: true}
}

// Refuse says why the parameter cannot have a value; "" where it can.
func (p *Param) Refuse(v string) string {
	if len(p.OneOf) > 0 && !slices.Contains(p.OneOf, v) {
		return fmt.Sprintf(
			"%s is one of %s, not %q%s",
			p.Name,
			strings.Join(p.OneOf, ", "),
			v,
			didyoumean.Suggest(v, p.OneOf),
		)
	}
	for _, limit := range []struct {
		bound, word string
		sign        float64
	}{{p.Min, "at least", 1}, {p.Max, "at most", -1}} {
		if limit.bound == "" {
			continue
		}
		n, unit, ok := quantity(v)
		m, boundUnit, _ := quantity(limit.bound)
		if !ok || unit != boundUnit {
			return fmt.Sprintf("%s is %s %s, and %q cannot be compared with that", p.Name, limit.word, limit.bound, v)
		}
		if (n-m)*limit.sign < 0 {
			return fmt.Sprintf("%s is %s %s, not %s", p.Name, limit.word, limit.bound, v)
		}
	}
	return ""
}

// quantity reads a number with a unit; spans of time become seconds.
func quantity(v string) (n float64, unit string, ok bool) {
	if s, err := placeholder.ParseSpan(v); err == nil {
		return s, "s", true
	}
	i := len(v)
	for i > 0 && (v[i-1] == '%' || v[i-1] >= 'a' && v[i-1] <= 'z' || v[i-1] >= 'A' && v[i-1] <= 'Z') {
		i--
	}
	n, err := strconv.ParseFloat(v[:i], 64)
	return n, strings.ToLower(v[i:]), err == nil
}

// params reads the parameters of an item.
func (r *reader) params(it *Item, n ast.Node) {
	for _, e := range r.entries(n, "params") {
		r.checkName("a parameter", e.key, e.pos)
		p := &Param{Name: e.key, Pos: e.pos}
		before := len(r.problems)
		switch r.resolve(e.node).(type) {
		case *ast.MappingNode, *ast.MappingValueNode:
			for _, x := range r.mapping(e.node, "parameter "+e.key, KeysOf(ParamOf{})) {
				if x.key == "one-of" {
					for _, t := range r.texts(x.node, x.key) {
						p.OneOf = append(p.OneOf, t.Value)
					}
					continue
				}
				t, bare, ok := r.value(x.node, "params."+e.key)
				switch {
				case !ok:
				case x.key == "value":
					p.Value, p.Bare, p.Pos = t.Value, bare, t.Pos
				default:
					if _, _, ok := quantity(t.Value); !ok {
						r.errorf(t.Pos, "%s should be a number, with a unit or without, not %q", x.key, t.Value)
					} else if x.key == "min" {
						p.Min = t.Value
					} else {
						p.Max = t.Value
					}
				}
			}
			if p.Value == "" && len(r.problems) == before {
				r.problem(problem.Error, e.pos, "write it like "+e.key+": {value: 3, min: 1, max: 9}", "the parameter %q has no value", e.key)
				continue
			}
		default:
			t, bare, ok := r.value(e.node, "params."+e.key)
			if !ok {
				continue
			}
			p.Value, p.Bare, p.Pos = t.Value, bare, t.Pos
		}
		if why := p.Refuse(p.Value); why != "" && p.Value != "" {
			r.errorf(p.Pos, "%s", why)
		}
		it.Params = append(it.Params, p)
	}
}

// value reads a parameter's value, and whether it is a number or a truth value.
func (r *reader) value(n ast.Node, what string) (t Text, bare, ok bool) {
	t, ok = r.oneText(n, what)
	switch r.resolve(n).(type) {
	case *ast.IntegerNode, *ast.FloatNode, *ast.BoolNode:
		bare = IsBare(t.Value)
	}
	return t, bare, ok
}

// settings reads params under per-page.
func (r *reader) settings(pp *PerPage, n ast.Node) {
	for _, item := range r.entries(n, "params") {
		for _, e := range r.entries(item.node, "params of "+item.key) {
			if t, bare, ok := r.value(e.node, "params."+item.key+"."+e.key); ok {
				pp.Params = append(pp.Params, Setting{item.key, e.key, t.Value, bare, e.pos})
			}
		}
	}
}
