package report

import (
	"fmt"
	"strings"

	"yellowgate/internal/core/pagechange"
	"yellowgate/internal/core/wording"
)

// Changes of pages, told as what they are.

// titles are the headings of the kinds.
var titles = map[pagechange.Kind]string{
	pagechange.Metadata: "metadata", pagechange.Item: "items", pagechange.Class: "classes",
	pagechange.Attribute: "attributes", pagechange.Text: "texts", pagechange.Element: "elements",
}

// changes writes what changed on pages, a heading for each kind.
func (p *Printer) changes(groups []pagechange.Group, limit int) {
	for len(groups) > 0 {
		n := 1
		for n < len(groups) && sectionOf(&groups[n]) == sectionOf(&groups[0]) {
			n++
		}
		p.Heading("%s: %d", titles[sectionOf(&groups[0])], n)
		t := &table{right: map[int]bool{0: true}, wide: []int{2}}
		t.add(p.dim.Render("pages"), p.dim.Render("what"), p.dim.Render("how"), p.dim.Render("where"))
		for i := range groups[:min(n, limit)] {
			g := &groups[i]
			t.add(p.num.Render(fmt.Sprint(len(g.Pages))), p.name.Render(Clean(called(g))), p.became(g), p.dim.Render(onPages(g)))
		}
		p.table(t)
		if n > limit {
			p.Line("  %s", p.dim.Render(fmt.Sprintf("… and %d more: --verbose shows them", n-limit)))
		}
		groups = groups[n:]
	}
}

// called is what a change is of.
func called(g *pagechange.Group) string {
	name := g.Name
	switch g.Kind {
	case pagechange.Text:
		name = "text in " + name
	case pagechange.Attribute:
		name += " " + g.Of
	case pagechange.Item:
		name += ", " + g.Of
	}
	if g.Item != "" {
		return g.Item + ", " + name
	}
	return name
}

// sectionOf is the kind under which a change is reported.
func sectionOf(g *pagechange.Group) pagechange.Kind {
	if g.Item != "" {
		return pagechange.Item
	}
	return g.Kind
}

// onPages names the first pages of a change.
func onPages(g *pagechange.Group) string {
	paths := make([]string, len(g.Pages))
	for i := range g.Pages {
		paths[i] = g.Pages[i].Page
	}
	return Clean(wording.List(paths, 2))
}

// became says how something changed, with the values of the first page.
func (p *Printer) became(g *pagechange.Group) string {
	first, such := &g.Pages[0], ""
	for i := range g.Pages {
		if g.Pages[i].Was != first.Was || g.Pages[i].Is != first.Is {
			such = "such as "
		}
	}
	was, is := Differing(first.Was, first.Is)
	switch g.How {
	case pagechange.Added:
		return p.in.Render("+") + " " + such + Clean(is)
	case pagechange.Removed:
		return p.bad.Render("−") + " " + such + Clean(was)
	case pagechange.Moved:
		such += "moved: "
	}
	return such + Clean(was) + " → " + Clean(is)
}

// mostTold is how many characters of a value are shown.
const mostTold = 90

// Differing cuts two values to where they differ, each in one line.
func Differing(was, is string) (string, string) {
	a, b := []rune(strings.Join(strings.Fields(was), " ")), []rune(strings.Join(strings.Fields(is), " "))
	if len(a) <= mostTold && len(b) <= mostTold {
		return string(a), string(b)
	}
	same := 0
	for same < min(len(a), len(b)) && a[same] == b[same] {
		same++
	}
	from := 0
	if same > 30 && len(a) > 0 && len(b) > 0 {
		from = same - 20
	}
	cut := func(r []rune) string {
		out := string(r[from:min(len(r), from+mostTold)])
		if from > 0 {
			out = "…" + out
		}
		if len(r) > from+mostTold {
			out += "…"
		}
		return out
	}
	return cut(a), cut(b)
}
