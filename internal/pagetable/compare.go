package pagetable

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/page"
	"yellowgate/internal/failure"
	"yellowgate/internal/parallel"
	"yellowgate/internal/project"
	"yellowgate/internal/result"
	"yellowgate/internal/sheet"
)

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
			Message: fmt.Sprintf("%s: no column is called %s; the header row is %s", t.name, PathColumn,
				strings.Join(t.Header, " | ")),
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
func (s *setter) compare(ctx context.Context, p *project.Project, t *table,
	progress parallel.Progress) (all map[string][]string, err error) {
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
func (s *setter) compareRow(g *gatefile.Gate, t *table, row int, pg *page.Page,
	values []string) (want []string, err error) {
	want = slices.Clone(values)
	for k, c := range s.columns {
		is := t.Rows[row][t.column[k]]
		if same(is, values[k]) {
			continue
		}
		want[k] = result.OfCell(is)
		if sheet.Garbled(want[k], values[k]) {
			return nil, t.fail(row, t.column[k],
				"open it as UTF-8 there, or begin with xlsx: yellowgate where … --format xlsx",
				"%s of %s is %q, which is %q read in a wrong encoding by the program that saved the table", c.name,
				pg.Path, want[k], values[k])
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
