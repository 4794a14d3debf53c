package report

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"yellowgate/internal/core/wording"
	"yellowgate/internal/result"
)

// Where writes where one item is.
func (p *Printer) Where(w *result.WhereItem, verbose bool) {
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
		p.Line("  %s",
			p.dim.Render(
				fmt.Sprintf("it may stay on %s more, whose source has none of it", wording.Count(w.Absent, "page"))))
	}
	if w.Replaced > 0 {
		p.Line("  it takes out what it replaces: %s of %s", wording.Count(w.Replaced, "element"),
			wording.Count(w.ReplacedOn, "page"))
	}
	if len(w.Addresses) > 0 {
		p.Heading("addresses that open it: %d", len(w.Addresses))
		limit := 12
		if verbose {
			limit = len(w.Addresses)
		}
		p.wrap(w.Addresses, limit)
	}
	p.params(w.In, verbose)
	p.grouped("in", w.In, verbose)
	p.grouped("out", w.Out, verbose)
	if b := w.Browser; b != nil {
		p.inBrowser(w, b, verbose)
	}
}

// params writes the values of an item's parameters, each with the pages that have it.
func (p *Printer) params(pages []result.WherePage, verbose bool) {
	type value struct{ name, text string }
	var order []value
	by := map[value][]string{}
	for _, x := range pages {
		for _, param := range x.Params {
			v := value{param.Name, p.param(param) + "  " + p.rule(param.Rule)}
			if by[v] == nil {
				order = append(order, v)
			}
			by[v] = append(by[v], x.Page)
		}
	}
	slices.SortStableFunc(order, func(a, b value) int { return cmp.Compare(a.name, b.name) })
	name := ""
	for _, v := range order {
		if v.name != name {
			name = v.name
			p.Heading("%s", name)
		}
		p.Line("  %s", v.text)
		limit := 12
		if verbose {
			limit = len(by[v])
		}
		p.wrap(by[v], limit)
	}
}

// inBrowser writes where a browser has an item, and where that is not what the gate says.
func (p *Printer) inBrowser(w *result.WhereItem, b *result.InBrowser, verbose bool) {
	p.Heading("a browser has it on %d of %s (%s)", len(b.Has), wording.Count(w.Pages, "page"),
		strings.Join(b.Screens, ", "))
	if len(b.Lacks)+len(b.Leaks)+len(b.Unread) == 0 {
		p.Line("  %s", p.in.Render(asGated))
	}
	list := func(what string, pages []string) {
		if len(pages) > 0 {
			limit := 12
			if verbose {
				limit = len(pages)
			}
			p.Line("  %s", p.bad.Render(what))
			p.wrap(pages, limit)
		}
	}
	list("in, and a browser has none of it", b.Lacks)
	if len(b.Leaks) > 0 {
		p.Line("  %s", p.bad.Render("excluded, and a browser still has it"))
		t := &table{}
		for _, x := range b.Leaks {
			t.add(Clean(x.Page), p.dim.Render("by "+cmp.Or(Clean(x.By), "the page itself")))
		}
		p.table(t)
	}
	list("not read", b.Unread)
}

// grouped writes pages with one reason together.
func (p *Printer) grouped(word string, pages []result.WherePage, verbose bool) {
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
func (p *Printer) WhereAll(lines []result.WhereLine, pages, unread int) {
	p.Heading("%s, %s", wording.Count(len(lines), "item"), wording.Count(pages, "page"))
	seen := len(lines) > 0 && lines[0].Browser != nil
	t := &table{right: map[int]bool{0: true, 1: true}, wide: []int{5, 4}}
	if seen {
		t = &table{right: map[int]bool{0: true, 1: true, 2: true}, wide: []int{5, 4}}
		t.add(p.dim.Render("on"), p.dim.Render("taken out"), p.dim.Render("browser has it"), p.dim.Render("item"),
			p.dim.Render("carries"), p.dim.Render("pages"))
	} else {
		t.add(p.dim.Render("on"), p.dim.Render("taken out"), p.dim.Render("item"), p.dim.Render("carries"),
			p.dim.Render("pages"), p.dim.Render("note"))
	}
	for _, l := range lines {
		gone := ""
		if l.Gone > 0 {
			gone = fmt.Sprint(l.Gone)
		}
		on := p.in.Render(fmt.Sprint(l.In))
		if l.In == 0 {
			on = p.out.Render("0")
		}
		if seen {
			has := fmt.Sprint(*l.Browser)
			if *l.Browser != l.In {
				has = p.bad.Render(has)
			}
			t.add(on, gone, has, p.name.Render(l.Item), l.Kind, Clean(l.Pages))
			continue
		}
		t.add(on, gone, p.name.Render(l.Item), l.Kind, Clean(l.Pages), p.dim.Render(Clean(l.Note)))
	}
	p.table(t)
	if unread > 0 {
		p.Line("  %s", p.bad.Render(wording.Count(unread, "page")+" could not be read in the browser"))
	}
}
