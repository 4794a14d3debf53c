package report

import (
	"fmt"
	"strings"

	"yellowgate/internal/core/wording"
	"yellowgate/internal/run"
)

// Where writes where one item is.
func (p *Printer) Where(w *run.WhereItem, verbose bool) {
	p.Heading("%s is on %d of %s", w.Item, len(w.In), wording.Count(w.Pages, "page"))
	for _, part := range w.Parts {
		p.Line("  %s", Clean(part))
	}
	if w.Note != "" {
		p.Line("  note: %s", Clean(w.Note))
	}
	if len(w.Needs) > 0 {
		p.Line("  needs %s", strings.Join(w.Needs, ", "))
	}
	if len(w.NeededBy) > 0 {
		p.Line("  needed by %s", strings.Join(w.NeededBy, ", "))
	}
	if w.Absent > 0 {
		p.Line("  %s", p.dim.Render(fmt.Sprintf("it may stay on %s more, whose source has none of it", wording.Count(w.Absent, "page"))))
	}
	if len(w.Addresses) > 0 {
		p.Heading("addresses that open it: %d", len(w.Addresses))
		limit := 12
		if verbose {
			limit = len(w.Addresses)
		}
		p.wrap(w.Addresses, limit)
	}
	p.grouped("in", w.In, verbose)
	p.grouped("out", w.Out, verbose)
}

// grouped writes pages with one reason together.
func (p *Printer) grouped(word string, pages []run.WherePage, verbose bool) {
	if len(pages) == 0 {
		return
	}
	p.Heading("%s: %d", word, len(pages))
	var order []string
	by := map[string][]string{}
	for _, x := range pages {
		why := strings.TrimPrefix(x.Because, word+", ")
		if _, ok := by[why]; !ok {
			order = append(order, why)
		}
		by[why] = append(by[why], x.Page)
	}
	for _, why := range order {
		p.Line("  %s", p.dim.Render(Clean(why)))
		names := by[why]
		limit := 12
		if verbose {
			limit = len(names)
		}
		p.wrap(names, limit)
	}
}

// wrap writes names in lines that fit the terminal.
func (p *Printer) wrap(names []string, limit int) { p.wrapOf(names, limit, len(names)) }

// wrapOf is wrap for the first of so many names.
func (p *Printer) wrapOf(names []string, limit, of int) {
	width := p.Width
	if width == 0 {
		for _, n := range names {
			p.Line("    %s", Clean(n))
		}
		return
	}
	line := "   "
	for i, n := range names {
		if i == limit {
			p.Line("%s", line)
			p.Line("    %s", p.dim.Render(fmt.Sprintf("and %d more: --verbose shows them", of-limit)))
			return
		}
		if len(line)+len(n)+2 > width && line != "   " {
			p.Line("%s", line)
			line = "   "
		}
		line += " " + Clean(n)
	}
	p.Line("%s", line)
}

// WhereAll writes all items with their counts.
func (p *Printer) WhereAll(lines []run.WhereLine, pages int) {
	p.Heading("%s, %s", wording.Count(len(lines), "item"), wording.Count(pages, "page"))
	t := &table{right: map[int]bool{0: true, 1: true}, wide: []int{5, 4}}
	t.add(p.dim.Render("on"), p.dim.Render("taken out"), p.dim.Render("item"), p.dim.Render("carries"), p.dim.Render("pages"), p.dim.Render("note"))
	for _, l := range lines {
		gone := ""
		if l.Gone > 0 {
			gone = fmt.Sprint(l.Gone)
		}
		on := p.in.Render(fmt.Sprint(l.In))
		if l.In == 0 {
			on = p.out.Render("0")
		}
		t.add(on, gone, p.name.Render(l.Item), l.Kind, Clean(l.Pages), p.dim.Render(Clean(l.Note)))
	}
	p.table(t)
}
