package pagetable

import (
	"fmt"
	"slices"
	"strings"

	"yellowgate/internal/core/gateedit"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/failure"
	"yellowgate/internal/gatechange"
	"yellowgate/internal/project"
)

// edit changes the gate file and makes the facts.
func (s *setter) edit(e *gatechange.Edit, p *project.Project, doc func(string) *gateedit.Doc) error {
	g := p.Gate.File
	main := doc(g.File)
	for i := range s.cells {
		c := &s.cells[i]
		switch {
		case s.perPage[c.Page+" "+c.name]:
			s.fact(c.page, &c.column, "")
			if err := s.itemOn(p, doc, c); err != nil {
				return err
			}
		case c.key != "" || c.param != "":
			decide := s.perPageKey
			if c.param != "" {
				decide = perPageParam
			}
			done, err := decide(p, doc, c)
			if err != nil {
				return err
			}
			if !done {
				s.set(c)
			}
		default:
			s.set(c)
		}
	}
	if err := s.rules(g, main, doc); err != nil {
		return err
	}
	if len(s.facts.Rows) == 0 {
		return nil
	}
	if !s.known {
		if err := main.Append(gateedit.Text(FactsFile), "site", "facts"); err != nil {
			return &failure.Usage{Message: err.Error()}
		}
	}
	text, err := s.factsText()
	if err != nil {
		return err
	}
	e.Files = map[string][]byte{FactsFile: text}
	return nil
}

// perPageKey changes a metadata key where per-page gives the page one, and takes one out that is to have no value.
// false where facts do.
func (s *setter) perPageKey(p *project.Project, doc func(string) *gateedit.Doc, c *cell) (done bool, err error) {
	pp := p.Gate.Plan.PerPage(c.page)
	has := pp != nil && slices.ContainsFunc(pp.Keys, func(k gatefile.Key) bool { return k.ID() == c.key })
	if !has && (c.Is != "" || s.fact(c.page, &c.column, "") != "") {
		return false, nil
	}
	file, path := p.Gate.File.File, []string{"per-page", c.Page}
	if pp != nil {
		file, path = pp.Pos.File, []string{"per-page", pp.Path}
	}
	d := doc(file)
	value := gateedit.Text(c.Is)
	if c.Is == "" {
		value = gateedit.Text("none")
	}
	for _, key := range keyPaths(c.column) {
		if d.Has(append(slices.Clone(path), key...)...) {
			return true, d.Set(value, append(path, key...)...)
		}
	}
	return true, d.Set(value, append(path, keyPaths(c.column)[0]...)...)
}

// perPageParam changes a parameter where per-page gives the page one; false where it does not.
func perPageParam(p *project.Project, doc func(string) *gateedit.Doc, c *cell) (done bool, err error) {
	pp := p.Gate.Plan.PerPage(c.page)
	if pp == nil || !slices.ContainsFunc(pp.Params, func(s gatefile.Setting) bool {
		return s.Item == c.item && s.Name == c.param
	}) {
		return false, nil
	}
	path := []string{"per-page", pp.Path, "params", c.item, c.param}
	value := gateedit.Text(c.Is)
	switch {
	case c.Is == "":
		return true, doc(pp.Pos.File).Delete(2, path...)
	case gatefile.IsBare(c.Is):
		value = gateedit.Raw(c.Is)
	}
	return true, doc(pp.Pos.File).Set(value, path...)
}

// keyPaths are the paths of YAML keys under which a metadata key may stand, that in which it is written first.
func keyPaths(c column) (paths [][]string) {
	add := func(name string) {
		group, rest, ok := strings.Cut(name, ".")
		if !ok || !slices.Contains([]string{"meta", "property", "link", "social"}, group) {
			paths = append(paths, []string{name})
			return
		}
		paths = append(paths, []string{group, rest})
	}
	for _, social := range gatefile.KeysOf(gatefile.SocialShape{}) {
		if gatefile.KeyName("social."+social) == c.key {
			add("social." + social)
		}
	}
	add(c.key)
	return paths
}

// itemOn has per-page put an item in on a page, or keep it out.
func (s *setter) itemOn(p *project.Project, doc func(string) *gateedit.Doc, c *cell) error {
	file, path := p.Gate.File.File, c.Page
	if pp := p.Gate.Plan.PerPage(c.page); pp != nil {
		file, path = pp.Pos.File, pp.Path
		other, list := "in", pp.In
		if c.Is == "in" {
			other, list = "out", pp.Out
		}
		if slices.ContainsFunc(list, func(t gatefile.Text) bool { return t.Value == c.item }) {
			if err := doc(file).DeleteFromList(c.item, 3, "per-page", path, other); err != nil {
				return err
			}
		}
	}
	return doc(file).Append(gateedit.Text(c.item), "per-page", path, c.Is)
}

// rules has the gate file read the facts that there are.
func (s *setter) rules(g *gatefile.Gate, main *gateedit.Doc, doc func(string) *gateedit.Doc) error {
	rule := gateedit.NewValue{
		Keys: []string{"pages", "note"},
		Vals: []gateedit.NewValue{gateedit.Text("all"), gateedit.Text("set in a table, " + FactsFile)},
	}
	keys := 0
	for _, c := range s.columns {
		if !slices.Contains(s.facts.Header, factPrefix+c.name) {
			continue
		}
		name := "fact." + factPrefix + c.name
		holder := "@{" + name + "}"
		switch {
		case c.key != "":
			if !readsFact(g, c.key, holder) {
				put(&rule, gateedit.Text(holder), keyPaths(c)[0])
				keys++
			}
		case c.param != "":
			if err := paramRule(g.Item(c.item), c.param, holder, doc); err != nil {
				return err
			}
		default:
			if err := itemQueries(g.Item(c.item), name, s.values(c), doc); err != nil {
				return err
			}
		}
	}
	if keys == 0 {
		return nil
	}
	return main.AppendRule(rule, "metadata")
}

// put puts a value under a path of keys.
func put(m *gateedit.NewValue, v gateedit.NewValue, path []string) {
	i := slices.Index(m.Keys, path[0])
	if i < 0 {
		i = len(m.Keys)
		m.Keys, m.Vals = append(m.Keys, path[0]), append(m.Vals, gateedit.NewValue{})
	}
	if len(path) == 1 {
		m.Vals[i] = v
		return
	}
	put(&m.Vals[i], v, path[1:])
}

// readsFact reports whether a rule of the gate file gives a key the value of a fact.
func readsFact(g *gatefile.Gate, key, holder string) bool {
	return slices.ContainsFunc(g.Rules, func(r *gatefile.Rule) bool {
		return !r.Default && slices.ContainsFunc(r.Keys, func(k gatefile.Key) bool {
			return k.ID() == key && len(k.Values) == 1 && k.Values[0].Text == holder
		})
	})
}

// paramRule has an item's parameter read a fact.
func paramRule(it *gatefile.Item, param, holder string, doc func(string) *gateedit.Doc) error {
	for _, rule := range it.ParamsOn {
		for _, s := range rule.Settings {
			if s.Name == param && s.Value == holder {
				return nil
			}
		}
	}
	v := gateedit.NewValue{
		Keys: []string{"pages", param, "note"},
		Vals: []gateedit.NewValue{
			gateedit.Text("all"),
			gateedit.Text(holder),
			gateedit.Text("set in a table, " + FactsFile),
		},
	}
	d := doc(it.Pos.File)
	if d.Has("items", it.Name, "params-on") {
		return d.AppendRule(v, "items", it.Name, "params-on")
	}
	return d.Set(gateedit.NewValue{List: []gateedit.NewValue{v}}, "items", it.Name, "params-on")
}

// itemQueries has a fact put an item in, or keep it out.
func itemQueries(it *gatefile.Item, fact string, values []string, doc func(string) *gateedit.Doc) error {
	for _, value := range values {
		key, queries := "pages", it.Pages
		if value == "out" {
			key, queries = "except", it.Except
		}
		text := fact + " = " + value
		if slices.ContainsFunc(queries, func(q gatefile.Query) bool { return q.Text == text }) {
			continue
		}
		if err := doc(it.Pos.File).Append(gateedit.Text(text), "items", it.Name, key); err != nil {
			return &failure.Usage{Message: fmt.Sprintf("%s: item %q: %v", it.Pos, it.Name, err)}
		}
	}
	return nil
}
