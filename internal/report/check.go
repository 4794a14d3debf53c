package report

import (
	"fmt"

	"yellowgate/internal/core/wording"
	"yellowgate/internal/result"
)

// Check writes what check found.
func (p *Printer) Check(r *result.Check, verbose bool) {
	p.Problems(r.Problems, verbose)
	e, w, n, accepted := Counts(r.Problems)
	g := r.Gate
	title := g.File
	if g.Site.Name.Value != "" {
		title = g.Site.Name.Value + ", " + g.File
	}
	p.Heading("%s: %s on %s", title, wording.Count(len(g.Items), "item"), wording.Count(r.Pages, "page"))
	t := &table{right: map[int]bool{1: true}, wide: []int{3, 2}}
	t.add(p.dim.Render("item"), p.dim.Render("in on"), p.dim.Render("pages"))
	for _, c := range r.Tally {
		where := p.in.Render(fmt.Sprint(c.In))
		if c.In == 0 {
			where = p.out.Render("0")
		}
		detail := ""
		if len(c.Item.Found) > 0 {
			detail = fmt.Sprintf("found in the source of %s", wording.Count(c.Found, "page"))
		}
		t.add(p.name.Render(c.Item.Name), where, result.ChosenBy(c.Item), p.dim.Render(detail))
	}
	p.table(t)
	if len(r.Rules) > 0 {
		p.Line("")
		p.metadataRules(r)
	}
	if len(r.Fragments) > 0 {
		p.Line("  %s",
			p.dim.Render(
				fmt.Sprintf("%s without html, head, body or title: copied as %s; site.pages can call one a page: %s",
					wording.Count(len(r.Fragments), "file"), wording.Agree(len(r.Fragments), "it is", "they are"),
					wording.List(r.Fragments, 6))))
	}
	p.Line("")
	switch {
	case e > 0:
		p.Line("%s", p.bad.Render(wording.Count(e, "error")+": mend them before you apply."))
	case w > 0:
		p.Line("%s The gate file can be applied.", p.warn.Render(wording.Count(w, "warning")+"."))
	default:
		p.Line("%s The gate file can be applied.", p.in.Render("No errors, no warnings."))
	}
	if accepted > 0 {
		p.Line("%s", p.dim.Render(wording.Count(accepted, "finding")+" accepted in the gate file, and not shown."))
	}
	if n > 0 && !verbose {
		p.Line("%s", p.dim.Render(wording.Count(n, "note")+": --verbose shows them."))
	}
}

// metadataRules writes which metadata rule sets what on how many pages.
func (p *Printer) metadataRules(r *result.Check) {
	t := &table{right: map[int]bool{1: true}, wide: []int{2, 3}}
	t.add(p.dim.Render("metadata rule"), p.dim.Render("pages"), p.dim.Render("sets"), "")
	for _, c := range r.Rules {
		var keys []string
		for i := range c.Rule.Keys {
			keys = append(keys, c.Rule.Keys[i].ID())
		}
		detail := ""
		if c.Set < c.Pages {
			detail = fmt.Sprintf("has the last word on %d", c.Set)
		}
		t.add(c.Rule.Pos.String(), fmt.Sprint(c.Pages), wording.List(keys, 6), p.dim.Render(detail))
	}
	p.table(t)
}
