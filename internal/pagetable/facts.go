package pagetable

import (
	"bytes"
	"context"
	"encoding/csv"
	"slices"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/page"
	"yellowgate/internal/gatechange"
	"yellowgate/internal/parallel"
	"yellowgate/internal/project"
	"yellowgate/internal/sheet"
)

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

// factsText is the text of the facts file. A page without a value has no row.
func (s *setter) factsText() ([]byte, error) {
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
		return nil, err
	}
	if err := w.WriteAll(s.facts.Rows); err != nil {
		return nil, err
	}
	return b.Bytes(), nil
}
