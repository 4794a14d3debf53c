package gatefile

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/goccy/go-yaml/ast"

	"yellowgate/internal/core/didyoumean"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/placeholder"
	"yellowgate/internal/core/problem"
)

// A Param is a parameter of an item: a value, and what it may be.
type Param struct {
	Name     string
	Value    string
	Bare     bool                  // a number or a truth value of the gate file
	Template *placeholder.Template // of a value with placeholders, else nil
	OneOf    []string
	Min, Max string // numbers or spans of time, "" for no limit
	Pos      problem.Position
}

// A ParamRule gives parameters of an item values on the pages that it chooses.
type ParamRule struct {
	Pages, Except []Query
	Settings      []Setting
	Note          string
	Pos           problem.Position
}

// Chooses returns the entry of the rule's pages that chooses a page; ok is false where none does.
func (r *ParamRule) Chooses(pg *page.Page) (*Query, bool) { return chooses(r.Pages, r.Except, pg) }

// Chooses returns the entry of the rule's pages that chooses a page; ok is false where none does.
func (r *Rule) Chooses(pg *page.Page) (*Query, bool) { return chooses(r.Pages, r.Except, pg) }

// Any reports whether any of some queries chooses a page.
func Any(queries []Query, pg *page.Page) bool {
	_, ok := chooses(queries, nil, pg)
	return ok
}

// chooses returns the first of some queries that chooses a page, unless one of except does.
func chooses(pages, except []Query, pg *page.Page) (*Query, bool) {
	for i := range except {
		if except[i].Eval(pg) {
			return nil, false
		}
	}
	for i := range pages {
		if pages[i].Eval(pg) {
			return &pages[i], true
		}
	}
	return nil, false
}

// settingsOn are all settings under params-on.
func (it *Item) settingsOn() (list []Setting) {
	for _, rule := range it.ParamsOn {
		list = append(list, rule.Settings...)
	}
	return list
}

// ParamsVary reports whether a parameter of the item may have another value on another page, but for per-page and
// spots.
func (it *Item) ParamsVary() bool {
	return len(it.ParamsOn) > 0 || slices.ContainsFunc(it.Params, func(p *Param) bool { return p.Template != nil })
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
		return fmt.Sprintf("%s is one of %s, not %q%s", p.Name, strings.Join(p.OneOf, ", "), v,
			didyoumean.Suggest(v, p.OneOf))
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
					p.Template = r.filled(x.node, t)
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
				r.problem(problem.Error, e.pos, "write it like "+e.key+": {value: 3, min: 1, max: 9}",
					"the parameter %q has no value", e.key)
				continue
			}
		default:
			t, bare, ok := r.value(e.node, "params."+e.key)
			if !ok {
				continue
			}
			p.Value, p.Bare, p.Pos = t.Value, bare, t.Pos
			p.Template = r.filled(e.node, t)
		}
		if why := p.Refuse(p.Value); why != "" && p.Value != "" && p.Template == nil {
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

// filled is the template of a value with placeholders, nil for any other: of the page and its facts, not of parameters.
func (r *reader) filled(n ast.Node, t Text) *placeholder.Template {
	if !strings.Contains(t.Value, "@{") {
		return nil
	}
	tmpl, _ := r.template(n, t.Value, placeholder.Scope{})
	return tmpl
}

// setting reads the value that a parameter of an item has somewhere.
func (r *reader) setting(item string, e entry, list *[]Setting) {
	if t, bare, ok := r.value(e.node, "params."+item+"."+e.key); ok {
		*list = append(*list, Setting{item, e.key, t.Value, bare, r.filled(e.node, t), e.pos})
	}
}

// settings reads params under per-page.
func (r *reader) settings(pp *PerPage, n ast.Node) {
	for _, item := range r.entries(n, "params") {
		for _, e := range r.entries(item.node, "params of "+item.key) {
			r.setting(item.key, e, &pp.Params)
		}
	}
}

// paramsOn reads the values that parameters of an item have on some of its pages.
func (r *reader) paramsOn(it *Item, n ast.Node) {
	for _, v := range r.list(n) {
		rule := &ParamRule{Pos: r.at(v)}
		for _, e := range r.entries(v, "an entry of params-on") {
			switch e.key {
			case "pages":
				rule.Pages = r.queries(e.node, "pages")
			case "except":
				rule.Except = r.queries(e.node, "except")
			case "note":
				rule.Note = r.note(e)
			default:
				r.setting(it.Name, e, &rule.Settings)
			}
		}
		if (len(rule.Pages) == 0 || len(rule.Settings) == 0) && !r.failedAt(rule.Pos.Line) {
			r.problem(problem.Error, rule.Pos, "write it like params-on: [{pages: /events/*, delay: 3s}]",
				"an entry of params-on has pages, and parameters with their values")
		}
		it.ParamsOn = append(it.ParamsOn, rule)
	}
}

// checkSettings refuses values of parameters that an item does not have, or that they cannot have.
func (r *reader) checkSettings(it *Item, list []Setting) {
	for _, s := range list {
		param := it.Param(s.Name)
		if param == nil {
			r.errorf(s.Pos, "item %q has no parameter %q%s", s.Item, s.Name,
				didyoumean.Suggest(s.Name, it.ParamNames()))
		} else if why := param.Refuse(s.Value); why != "" && s.Template == nil {
			r.errorf(s.Pos, "%s", why)
		}
	}
}
