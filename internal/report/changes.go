package report

import (
	"fmt"

	"yellowgate/internal/core/wording"
	"yellowgate/internal/result"
)

// Changes of pages, told as what they are.

// changes writes what changed on pages, a heading for each kind.
func (p *Printer) changes(groups []result.Change, limit int) {
	for len(groups) > 0 {
		n := 1
		for n < len(groups) && groups[n].Section() == groups[0].Section() {
			n++
		}
		p.Heading("%s: %d", groups[0].Section(), n)
		t := &table{right: map[int]bool{0: true}, wide: []int{2}}
		t.add(p.dim.Render("pages"), p.dim.Render("what"), p.dim.Render("how"), p.dim.Render("where"))
		for i := range groups[:min(n, limit)] {
			g := &groups[i]
			t.add(p.num.Render(fmt.Sprint(len(g.Pages))), p.name.Render(Clean(g.Called())), p.became(g),
				p.dim.Render(onPages(g)))
		}
		p.table(t)
		if n > limit {
			p.Line("  %s", p.dim.Render(fmt.Sprintf("… and %d more: --verbose shows them", n-limit)))
		}
		groups = groups[n:]
	}
}

// onPages names the first pages of a change.
func onPages(g *result.Change) string {
	paths := make([]string, len(g.Pages))
	for i := range g.Pages {
		paths[i] = g.Pages[i].Page
	}
	return Clean(wording.List(paths, 2))
}

// became says how something changed, with the values of the first page.
func (p *Printer) became(g *result.Change) string {
	sign, text := g.Words()
	switch sign {
	case "+":
		sign = p.in.Render(sign) + " "
	case "−":
		sign = p.bad.Render(sign) + " "
	}
	return sign + Clean(text)
}
