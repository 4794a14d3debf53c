package report

import (
	"fmt"
	"strings"

	"yellowgate/internal/core/wording"
	"yellowgate/internal/result"
)

// Pages writes the pages that a query chose.
func (p *Printer) Pages(lines []result.PageLine, query string, why bool) {
	if query == "" {
		query = "all pages"
	}
	p.Heading("%s: %s", query, wording.Count(len(lines), "page"))
	if len(lines) == 0 {
		return
	}
	t := &table{wide: []int{1, 3, 2}}
	head := []string{"path", "title", "sets", "items"}
	if why {
		head = []string{"path", "title", "chosen by"}
	}
	for i := range head {
		head[i] = p.dim.Render(head[i])
	}
	t.add(head...)
	for _, l := range lines {
		if why {
			t.add(p.name.Render(Clean(l.Path)), Clean(l.Title), Clean(l.Branch))
			continue
		}
		t.add(p.name.Render(Clean(l.Path)), Clean(l.Title), strings.Join(l.Sets, " "),
			p.dim.Render(strings.Join(l.Items, " ")))
	}
	p.table(t)
}

// Fields writes the words that queries can use.
func (p *Printer) Fields(lines []result.FieldLine) {
	titles := map[string]string{"field": "Fields", "meta": "Metadata of the pages", "fact": "Facts", "set": "Page sets"}
	for _, kind := range []string{"field", "meta", "fact", "set"} {
		t := &table{right: map[int]bool{1: true}, wide: []int{2}}
		for _, l := range lines {
			if l.Kind == kind {
				t.add(p.name.Render(l.Name), p.dim.Render(fmt.Sprintf("on %d", l.Pages)), Clean(l.Example))
			}
		}
		if len(t.rows) > 0 {
			p.Heading("%s", titles[kind])
			p.table(t)
		}
	}
	p.Heading("And")
	p.Line("  all, none, globs such as /events/*, has(SELECTOR); and, or, not, parentheses")
}
