package report

import (
	"encoding/csv"
	"fmt"
	"io"
	"strings"

	"yellowgate/internal/core/wording"
	"yellowgate/internal/result"
)

// cells are the signs of the table of pages and items.
var cells = map[result.Cell]string{
	result.CellIn:     "■",
	result.CellAbsent: "□",
	result.CellTaken:  "×",
	result.CellOut:    "·",
}

// Table writes the table of pages by items: the items are numbered, and named
// below.
func (p *Printer) Table(t *result.WhereTable) {
	p.Heading("%s by %s", wording.Count(len(t.Rows), "page"), wording.Count(len(t.Items), "item"))
	width := 4
	for _, r := range t.Rows {
		width = max(width, len([]rune(Clean(r.Page))))
	}
	if limit := p.Width - 3*len(t.Items) - 4; p.Width > 0 && width > limit && limit > 12 {
		width = limit
	}
	var b strings.Builder
	for i := range t.Items {
		fmt.Fprintf(&b, "%3d", i+1)
	}
	p.Line("  %s%s", strings.Repeat(" ", width), p.dim.Render(b.String()))
	for _, r := range t.Rows {
		name := []rune(Clean(r.Page))
		if len(name) > width {
			name = append(name[:width-1], '…')
		}
		b.Reset()
		for _, c := range r.Cells {
			sign := cells[c]
			switch c {
			case result.CellIn:
				sign = p.in.Render(sign)
			case result.CellTaken:
				sign = p.bad.Render(sign)
			default:
				sign = p.dim.Render(sign)
			}
			b.WriteString("  " + sign)
		}
		p.Line("  %s%s%s", p.name.Render(string(name)), strings.Repeat(" ", width-len(name)), b.String())
	}
	p.Line("")
	p.numbered(t)
	p.Line("")
	p.Line("  %s in   %s taken out of the source   %s may stay, the source has none   %s not there",
		p.in.Render(cells[result.CellIn]), p.bad.Render(cells[result.CellTaken]), cells[result.CellAbsent],
		cells[result.CellOut])
}

// numbered names the items of the columns, with how many pages each is in on.
func (p *Printer) numbered(t *result.WhereTable) {
	in := make([]int, len(t.Items))
	for _, r := range t.Rows {
		for i, c := range r.Cells {
			if c == result.CellIn {
				in[i]++
			}
		}
	}
	longest := 0
	for _, name := range t.Items {
		longest = max(longest, len(name))
	}
	per := 1
	if p.Width > 0 {
		per = max(1, (p.Width-2)/(longest+12))
	}
	down := (len(t.Items) + per - 1) / per
	for row := range down {
		line := ""
		for k := row; k < len(t.Items); k += down {
			line += fmt.Sprintf("%3d  %s%s%s   ", k+1, p.name.Render(t.Items[k]),
				strings.Repeat(" ", longest-len(t.Items[k])), p.dim.Render(fmt.Sprintf("%4d", in[k])))
		}
		p.Line("%s", strings.TrimRight(line, " "))
	}
}

// TableCSV writes the table as CSV (RFC 4180): a row for each page, a column for
// each item.
func TableCSV(w io.Writer, t *result.WhereTable) error {
	c := csv.NewWriter(w)
	c.UseCRLF = true // RFC 4180, 2
	head := []string{"page"}
	for _, it := range t.Items {
		head = append(head, csvCell(it))
	}
	if err := c.Write(head); err != nil {
		return err
	}
	for _, r := range t.Rows {
		row := []string{csvCell(r.Page)}
		for _, x := range r.Cells {
			row = append(row, string(x))
		}
		if err := c.Write(row); err != nil {
			return err
		}
	}
	c.Flush()
	return c.Error()
}

// WhereKey writes the pages by the value of a metadata key.
func (p *Printer) WhereKey(w *result.WhereKey, verbose bool) {
	p.Heading("%s on %s: %s", Clean(w.Key), wording.Count(w.Pages, "page"), wording.Count(len(w.Values), "value"))
	for _, v := range w.Values {
		value := p.name.Render(Clean(v.Value))
		switch {
		case v.Value == "" && v.From == "":
			value = p.dim.Render("(no value)")
		case v.Value == "":
			value = p.dim.Render("(taken out by the gate file)")
		}
		from := ""
		if v.From != "" {
			from = p.dim.Render("  from " + v.From)
		}
		p.Line("  %s%s", value, from)
		limit := 12
		if verbose {
			limit = len(v.Pages)
		}
		p.wrap(v.Pages, limit)
	}
}
