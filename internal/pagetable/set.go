package pagetable

import (
	"bytes"
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"slices"
	"strings"

	"yellowgate/internal/core/gateedit"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/page"
	"yellowgate/internal/failure"
	"yellowgate/internal/gatechange"
	"yellowgate/internal/parallel"
	"yellowgate/internal/project"
	"yellowgate/internal/result"
	"yellowgate/internal/sheet"
)

// FactsFile has the values that tables set, relative to the gate file; factPrefix begins their names.
const (
	FactsFile  = "facts/table.csv"
	factPrefix = "table."
)

// A setter takes an edited table back: what differs from what pages have becomes facts, with one rule of the gate file
// that reads them. What is stronger than such a rule, an entry under per-page, is changed where it stands.
type setter struct {
	columns []column
	cells   []cell              // that differ
	perPage map[string]bool     // cells of items that need per-page, by page and name
	facts   *sheet.Table        // of FactsFile
	rows    map[string]int      // of facts, by page key
	bare    map[string][]string // by page: what it would have without those facts
	known   bool                // the gate file names it
}

// A cell is a value that somebody changed.
type cell struct {
	result.CellChange
	column
	page *page.Page
}

// Set takes a table back. name is the file's, for errors; label its encoding, "" for none.
func Set(
	ctx context.Context, e *gatechange.Edit, name string, data []byte, label string, progress parallel.Progress,
) (*result.TableChange, error) {
	t, err := sheet.Read(data, label)
	if err != nil {
		return nil, located(name, err)
	}
	p, _, err := project.Open(e.GateFile, project.Options{Day: e.Day, Outside: e.Outside})
	if err != nil {
		return nil, err
	}
	if err := p.Walk(); err != nil {
		return nil, err
	}
	s := &setter{perPage: map[string]bool{}}
	all, err := s.compare(ctx, p, &table{Table: t, name: name}, progress)
	if err != nil {
		return nil, err
	}
	r := &result.TableChange{
		Cells:      []result.CellChange{},
		GateChange: result.GateChange{GateDiff: result.NewGateDiff(), Spots: []string{}},
	}
	for _, c := range s.cells {
		r.Cells = append(r.Cells, c.CellChange)
	}
	if len(s.cells) == 0 {
		return r, nil
	}
	if err := s.withoutFacts(ctx, e, progress); err != nil {
		return nil, err
	}
	for try := 0; ; try++ {
		if err := s.readFacts(p); err != nil {
			return nil, err
		}
		change, err := s.change(ctx, e, all, progress)
		var unlike *unlikeError
		if errors.As(err, &unlike) && try == 0 && s.byPage(unlike) {
			continue // items that facts cannot decide, since an exception or a line of per-page does
		} else if errors.As(err, &unlike) {
			return nil, unlike.usage()
		}
		if err != nil {
			return nil, err
		}
		r.GateChange = *change
		if e.Files != nil {
			r.Facts = FactsFile
		}
		return r, nil
	}
}

// located is an error of a table with its place.
func located(name string, err error) error {
	var bad *sheet.Error
	if !errors.As(err, &bad) {
		return err
	}
	at := name
	for _, n := range []int{bad.Line, bad.Column} {
		if n > 0 {
			at += fmt.Sprintf(":%d", n)
		}
	}
	return &failure.Usage{Message: at + ": " + bad.Message, Remedy: bad.Remedy}
}

// A table is a sheet of pages that somebody edited.
type table struct {
	*sheet.Table
	name   string
	path   int   // the column that names the pages
	column []int // by column of the setter: that of the sheet
}

// fail is an error at a cell.
func (t *table) fail(row, column int, remedy, format string, args ...any) error {
	line := 1
	if row >= 0 {
		line = t.Lines[row]
	}
	return located(t.name, &sheet.Error{
		Line: line, Column: column + 1, Message: fmt.Sprintf(format, args...), Remedy: remedy,
	})
}

// readHeader finds out what the columns are of.
func (s *setter) readHeader(p *project.Project, t *table) error {
	if t.path = slices.Index(t.Header, PathColumn); t.path < 0 {
		return &failure.Usage{
			Message: fmt.Sprintf(
				"%s: no column is called %s; the header row is %s", t.name, PathColumn, strings.Join(t.Header, " | "),
			),
			Remedy: "begin with a table of this site: yellowgate where title description --format csv --out table.csv",
		}
	}
	for i, h := range t.Header {
		if i == t.path || h == "" {
			continue
		}
		c, err := columnOf(p.Gate.File, h)
		if err != nil {
			return t.fail(-1, i, "take the column out, or call it as where does", "%v", err)
		}
		s.columns, t.column = append(s.columns, c), append(t.column, i)
	}
	return nil
}

// compare finds the cells that differ. all are the values that the table's pages should have in the end, by page.
func (s *setter) compare(
	ctx context.Context, p *project.Project, t *table, progress parallel.Progress,
) (all map[string][]string, err error) {
	if err := s.readHeader(p, t); err != nil {
		return nil, err
	}
	now, err := Read(ctx, p, s.names(), "all or path", progress)
	if err != nil {
		return nil, err
	}
	have := map[string][]string{}
	for _, row := range now.Rows {
		have[row.Page] = row.Values
	}
	pages := map[string]*page.Page{} // most rows name a page as the site does
	for i := range p.Pages {
		pages[p.Pages[i].Path] = &p.Pages[i]
	}
	all = map[string][]string{}
	lines := map[string]int{}
	for i, row := range t.Rows {
		pg := pages[row[t.path]]
		if pg == nil {
			if pg, err = p.Find(row[t.path]); err != nil {
				return nil, t.fail(i, t.path, "take the row out", "%v", err)
			}
		}
		if first, twice := lines[pg.Path]; twice {
			return nil, t.fail(i, t.path, "take one of the rows out", "%s stands in row %d, too", pg.Path, first)
		}
		if lines[pg.Path] = t.Lines[i]; have[pg.Path] == nil {
			return nil, t.fail(i, t.path, "take the row out", "%s is a fragment: the gate leaves it alone", pg.Path)
		}
		if all[pg.Path], err = s.compareRow(p.Gate.File, t, i, pg, have[pg.Path]); err != nil {
			return nil, err
		}
	}
	return all, nil
}

// compareRow finds the cells of a row that differ from what a page has, and returns what it should have.
func (s *setter) compareRow(
	g *gatefile.Gate, t *table, row int, pg *page.Page, values []string,
) (want []string, err error) {
	want = slices.Clone(values)
	for k, c := range s.columns {
		is := t.Rows[row][t.column[k]]
		if same(is, values[k]) {
			continue
		}
		want[k] = result.OfCell(is)
		if sheet.Garbled(want[k], values[k]) {
			return nil, t.fail(
				row, t.column[k], "open it as UTF-8 there, or begin with xlsx: yellowgate where … --format xlsx",
				"%s of %s is %q, which is %q read in a wrong encoding by the program that saved the table",
				c.name, pg.Path, want[k], values[k],
			)
		}
		if why := s.refuses(g, &c, want[k]); why != "" {
			return nil, t.fail(row, t.column[k], "give it another value", "%s of %s: %s", c.name, pg.Path, why)
		}
		change := result.CellChange{Page: pg.Path, Key: c.name, Was: values[k], Is: want[k]}
		s.cells = append(s.cells, cell{change, c, pg})
	}
	return want, nil
}

// same reports whether a cell has the value that a page has, as where writes it.
func same(cell, value string) bool {
	flat := func(s string) string { return strings.Join(strings.Fields(s), " ") }
	value = flat(value)
	return flat(cell) == value || flat(cell) == result.TableCell(value)
}

// refuses says why a column cannot have a value; "" where it can.
func (s *setter) refuses(g *gatefile.Gate, c *column, value string) string {
	switch {
	case c.param != "":
		if value == "" {
			return ""
		}
		return g.Item(c.item).Param(c.param).Refuse(value)
	case c.item != "":
		if value != "in" && value != "out" {
			return fmt.Sprintf("an item is in or out, not %q", value)
		}
	case c.key == "icon" || c.key == "theme-color" || strings.HasPrefix(c.key, "link."):
		return "it may stand on a page several times, so no table sets it"
	}
	return ""
}

// readFacts reads the facts that tables set before.
func (s *setter) readFacts(p *project.Project) error {
	s.facts = &sheet.Table{Header: []string{PathColumn}}
	s.known = slices.ContainsFunc(p.Gate.File.Site.Facts, func(t gatefile.Text) bool { return t.Value == FactsFile })
	for _, n := range p.Named {
		if n.Name == FactsFile {
			t, err := sheet.Read(n.Text, "")
			if err != nil {
				return located(FactsFile, err)
			}
			s.facts = t
		}
	}
	s.rows = map[string]int{}
	at := slices.Index(s.facts.Header, PathColumn)
	for i, row := range s.facts.Rows {
		s.rows[page.Key(row[at])] = i
	}
	return nil
}

// withoutFacts finds out what pages would have if no table had set anything: a value that is that again needs no fact.
func (s *setter) withoutFacts(ctx context.Context, e *gatechange.Edit, progress parallel.Progress) error {
	p, _, err := project.Open(e.GateFile, project.Options{
		Day: e.Day, Outside: e.Outside, Named: map[string][]byte{FactsFile: []byte(PathColumn + "\n")},
	})
	if err == nil {
		err = p.Walk()
	}
	if err != nil {
		return err
	}
	now, err := Read(ctx, p, s.names(), "all or path", progress)
	if err != nil {
		return err
	}
	s.bare = map[string][]string{}
	for _, row := range now.Rows {
		s.bare[row.Page] = row.Values
	}
	return nil
}

// names are those of the columns.
func (s *setter) names() []string {
	names := make([]string, len(s.columns))
	for i := range s.columns {
		names[i] = s.columns[i].name
	}
	return names
}

// set gives a page's fact of a cell its value, or none where the page has that without.
func (s *setter) set(c *cell) {
	value := c.Is
	if bare := s.bare[c.Page]; bare != nil && same(c.Is, bare[slices.Index(s.names(), c.name)]) {
		value = ""
	}
	s.fact(c.page, &c.column, value)
}

// fact gives a page's fact of a column a value, and returns what it was. "" takes it out.
func (s *setter) fact(pg *page.Page, c *column, value string) (was string) {
	at := slices.Index(s.facts.Header, PathColumn)
	col := slices.Index(s.facts.Header, factPrefix+c.name)
	if col < 0 {
		if value == "" {
			return ""
		}
		col = len(s.facts.Header)
		s.facts.Header = append(s.facts.Header, factPrefix+c.name)
	}
	i, ok := s.rows[pg.Key()]
	if !ok && value == "" {
		return ""
	}
	if !ok {
		i = len(s.facts.Rows)
		s.rows[pg.Key()] = i
		s.facts.Rows = append(s.facts.Rows, make([]string, len(s.facts.Header)))
		s.facts.Rows[i][at] = pg.Path
	}
	for len(s.facts.Rows[i]) < len(s.facts.Header) {
		s.facts.Rows[i] = append(s.facts.Rows[i], "")
	}
	was, s.facts.Rows[i][col] = s.facts.Rows[i][col], value
	return was
}

// unlikeError says that pages would not have what the table says.
type unlikeError struct{ cells []result.CellChange } // Is: what they would have

func (e *unlikeError) Error() string { return "the table cannot be put into effect" }

// usage is the error as a user is told of it.
func (e *unlikeError) usage() error {
	x, more := e.cells[0], ""
	if n := len(e.cells) - 1; n > 0 {
		more = fmt.Sprintf(" (and %d more)", n)
	}
	about, _, _ := strings.Cut(x.Key, ".")
	return &failure.Usage{
		Message: fmt.Sprintf("%v: %s of %s would be %q, not %q%s", e, x.Key, x.Page, x.Is, x.Was, more),
		Remedy:  "yellowgate why " + x.Page + " " + about + " shows what decides there; nothing was written",
	}
}

// byPage has per-page decide the items that are not as the table says; false where there is something else.
func (s *setter) byPage(e *unlikeError) bool {
	for _, x := range e.cells {
		c := s.columns[slices.IndexFunc(s.columns, func(c column) bool { return c.name == x.Key })]
		if c.item == "" || c.param != "" {
			return false
		}
		s.perPage[x.Page+" "+x.Key] = true
	}
	return true
}

// change edits the gate file and the facts, once it is sure that every page of the table then has what that says.
func (s *setter) change(
	ctx context.Context, e *gatechange.Edit, all map[string][]string, progress parallel.Progress,
) (*result.GateChange, error) {
	names := s.names()
	e.Verify = func(after *project.Project) error {
		if err := after.Walk(); err != nil {
			return err
		}
		now, err := Read(ctx, after, names, "all or path", progress)
		if err != nil {
			return err
		}
		unlike := &unlikeError{}
		for _, row := range now.Rows {
			for i, want := range all[row.Page] {
				if !same(want, row.Values[i]) {
					unlike.cells = append(
						unlike.cells,
						result.CellChange{Page: row.Page, Key: names[i], Was: want, Is: row.Values[i]},
					)
				}
			}
		}
		if len(unlike.cells) > 0 {
			return unlike
		}
		return nil
	}
	e.Files = nil
	return e.Change(ctx, func(p *project.Project, doc func(string) *gateedit.Doc) error {
		return s.edit(e, p, doc)
	})
}

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
	at := slices.Index(s.facts.Header, PathColumn)
	for i, row := range s.facts.Rows {
		s.facts.Rows[i] = append(row, make([]string, len(s.facts.Header)-len(row))...)
	}
	s.facts.Rows = slices.DeleteFunc(s.facts.Rows, func(row []string) bool {
		return !slices.ContainsFunc(slices.Delete(slices.Clone(row), at, at+1), func(v string) bool { return v != "" })
	})
	var b bytes.Buffer
	w := csv.NewWriter(&b)
	if err := w.Write(s.facts.Header); err != nil {
		return err
	}
	if err := w.WriteAll(s.facts.Rows); err != nil {
		return err
	}
	e.Files = map[string][]byte{FactsFile: b.Bytes()}
	return nil
}

// perPageKey changes a metadata key where per-page gives the page one, and takes one out that is to have no value. false
// where facts do.
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

// values are the different values that the facts of a column have.
func (s *setter) values(c column) (out []string) {
	at := slices.Index(s.facts.Header, factPrefix+c.name)
	for _, row := range s.facts.Rows {
		if at < len(row) && row[at] != "" && !slices.Contains(out, row[at]) {
			out = append(out, row[at])
		}
	}
	slices.Sort(out)
	return out
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
