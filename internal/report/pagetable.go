package report

import (
	"encoding/csv"
	"io"

	"yellowgate/internal/core/wording"
	"yellowgate/internal/result"
)

// PageTable writes pages with their values.
func (p *Printer) PageTable(t *result.PageTable) {
	p.Heading("%s", wording.Count(len(t.Rows), "page"))
	wide := make([]int, len(t.Keys))
	head := []string{p.dim.Render("path")}
	for i, key := range t.Keys {
		wide[i] = i + 1
		head = append(head, p.dim.Render(Clean(key)))
	}
	out := &table{wide: wide}
	out.add(head...)
	for _, row := range t.Rows {
		cells := []string{p.name.Render(Clean(row.Page))}
		for _, v := range row.Values {
			cells = append(cells, Clean(v))
		}
		out.add(cells...)
	}
	p.table(out)
}

// PageTableCSV writes pages with their values as CSV (RFC 4180): a row for each page, a column for each key. It begins
// with a byte order mark, without which spreadsheets take the text for another encoding than UTF-8.
func PageTableCSV(w io.Writer, t *result.PageTable) error {
	if _, err := io.WriteString(w, "\uFEFF"); err != nil {
		return err
	}
	return csv.NewWriter(w).WriteAll(t.Cells(csvCell))
}

// TableChange writes what an edited table changes, and what that does to the gate file and the pages.
func (p *Printer) TableChange(r *result.TableChange, verbose bool) {
	if len(r.Cells) == 0 {
		p.Line("%s", p.in.Render("✓ nothing differs: every page has what the table says."))
		return
	}
	p.Heading("%s of the table %s from the pages", wording.Count(len(r.Cells), "value"),
		wording.Agree(len(r.Cells), "differs", "differ"))
	t := &table{wide: []int{2, 3}}
	for i, c := range r.Cells {
		if i == 40 && !verbose {
			break
		}
		t.add(p.name.Render(Clean(c.Page)), Clean(c.Key), p.dim.Render(value(c.Was)), value(c.Is))
	}
	p.table(t)
	if n := len(r.Cells) - 40; n > 0 && !verbose {
		p.Line("  %s", p.dim.Render(wording.Count(n, "more value")+": --verbose shows them"))
	}
	if r.Facts != "" && r.Written {
		p.Line("  %s", p.dim.Render("the values are in "+r.Facts))
	}
	p.Line("")
	p.Edited("", &r.GateChange, verbose)
}

// value is a value of a table, or that there is none.
func value(s string) string {
	if s == "" {
		return "–"
	}
	return Clean(s)
}
