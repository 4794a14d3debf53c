package report

import (
	"fmt"
	"strings"

	"yellowgate/internal/core/wording"
	"yellowgate/internal/result"
)

// breaks warns of items that go from pages which seem to need them, those of one
// cause together.
func (p *Printer) breaks(all []result.Break) {
	type cause struct {
		item, what string
		in         bool
	}
	var order []cause
	pages := map[cause][]string{}
	for _, b := range all {
		c := cause{b.Item, b.What, b.In}
		if pages[c] == nil {
			order = append(order, c)
		}
		pages[c] = append(pages[c], b.Page)
	}
	for i, c := range order {
		if i == 0 {
			p.Line("")
		}
		if c.in {
			p.Line("%s %s: %s", p.warn.Render("warning"), wording.List(pages[c], 6), Clean(c.what))
			continue
		}
		p.Line("%s %s goes from %s, and %s to need it: %s", p.warn.Render("warning"), p.name.Render(c.item),
			wording.List(pages[c], 6), wording.Agree(len(pages[c]), "the page seems", "they seem"), Clean(c.what))
	}
}

// Diff writes what apply would change.
func (p *Printer) Diff(d *result.Diff, summary bool) {
	if len(d.Items) > 0 {
		p.changedItems(d.Items)
	}
	p.changes(result.Beyond(d.Changes, d.Items), 12)
	p.breaks(d.Breaks)
	if !summary {
		for _, x := range d.Pages {
			if x.Unified == "" {
				p.Line("")
				p.Line("%s", p.dim.Render("new, as the source has it: "+Clean(x.File)))
				continue
			}
			p.Line("")
			p.unified(x.Unified)
		}
	}
	p.Line("")
	when := "nothing was applied yet; compared with the source"
	if !d.Last.IsZero() {
		when = "last applied " + d.Last.Format("2006-01-02 15:04:05")
	}
	if d.Fragments > 0 {
		p.Line("%s", p.dim.Render(fragments(d.Fragments)))
	}
	if !d.Behind() {
		p.Line("%s %s, %s.", p.in.Render("✓ Nothing to apply:"), wording.Count(d.Total, "page"), when)
		return
	}
	p.behind(d, when)
}

// changedItems writes which pages gain or lose which items.
func (p *Printer) changedItems(items []result.ItemDiff) {
	p.Heading("items")
	t := &table{wide: []int{2}}
	for _, it := range items {
		name := p.name.Render(it.Item)
		if len(it.Gained) > 0 {
			t.add(name, p.in.Render(fmt.Sprintf("+%d", len(it.Gained))), wording.List(it.Gained, 6))
		}
		if len(it.Lost) > 0 {
			t.add(name, p.bad.Render(fmt.Sprintf("-%d", len(it.Lost))), wording.List(it.Lost, 6))
		}
		if len(it.Replaced) > 0 {
			t.add(name, p.bad.Render(fmt.Sprintf("-%d", len(it.Replaced))),
				"what it replaces goes: "+wording.List(it.Replaced, 6))
		}
	}
	p.table(t)
}

// behind writes how much of the output is behind the gate file. when says when it was applied.
func (p *Printer) behind(d *result.Diff, when string) {
	var behind []string
	added, edited := 0, 0
	for _, x := range d.Pages {
		behind = append(behind, x.Page)
		if x.New {
			added++
		}
		if x.Edited {
			edited++
		}
	}
	if len(behind) > 0 {
		p.Line("%s %s behind the gate file (%s): %s",
			p.warn.Render(fmt.Sprintf("%d of %s", len(behind), wording.Count(d.Total, "page"))),
			wording.Agree(len(behind), "is", "are"), when, wording.List(behind, 6))
		if changed := changed(d); d.Last.IsZero() && changed < len(behind) {
			p.Line("  the gate changes %d of them; %d will be written as the source has them", changed,
				len(behind)-changed)
		}
	}
	if len(d.Others) > 0 && !d.Last.IsZero() {
		p.Line("  %s behind the source, to be copied: %s", wording.Count(len(d.Others), "other file"),
			wording.List(d.Others, 3))
	}
	if added > 0 && !d.Last.IsZero() {
		p.Line("  %s not in the output folder yet", wording.Count(added, "page"))
	}
	if edited > 0 {
		p.Line("  %s changed by hand since: apply undoes that", wording.Count(edited, "page"))
	}
	if len(d.Blocked) > 0 {
		p.Line("  %s in the output folder not written by the tool, where apply must write: it would stop (%s); move "+
			"them away, or apply --take-over", wording.Count(len(d.Blocked), "file"), wording.List(d.Blocked, 3))
	}
	if len(d.Gone) > 0 {
		p.Line("  %s of the output without a source, to be removed: %s", wording.Count(len(d.Gone), "file"),
			wording.List(d.Gone, 3))
	}
}

// changed counts the pages that the gate changes.
func changed(d *result.Diff) (n int) {
	for _, x := range d.Pages {
		if x.Unified != "" {
			n++
		}
	}
	return n
}

// unified writes a unified diff.
func (p *Printer) unified(text string) {
	for line := range strings.Lines(text) {
		line = strings.TrimRight(line, "\r\n")
		switch {
		case strings.HasPrefix(line, "+++"), strings.HasPrefix(line, "---"):
			p.Line("%s", p.head.Render(Clean(line)))
		case strings.HasPrefix(line, "+"):
			p.Line("%s", p.in.Render(Clean(line)))
		case strings.HasPrefix(line, "-"):
			p.Line("%s", p.bad.Render(Clean(line)))
		case strings.HasPrefix(line, "@@"):
			p.Line("%s", p.note.Render(Clean(line)))
		default:
			p.Line("%s", Clean(line))
		}
	}
}
