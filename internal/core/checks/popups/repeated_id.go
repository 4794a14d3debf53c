package popups

import (
	"fmt"
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/problem"
)

var repeatedId = &check.Check{
	Name: "repeated-id", Family: "popups", Severity: problem.Error,
	Title: "the id of a popup stands twice on the page",
	Doc: `A link to the fragment, and the script that opens the popup, find the first element
with the id: it may be the wrong one. Give one of them another id.`,
	Bad: "<h2 id=\"letter\">The letter</h2> <dialog id=\"letter\" aria-label=\"The letter\"><p>Dear visitor</p></dialog>",
	Good: "<h2 id=\"about-the-letter\">The letter</h2> <dialog id=\"letter\" aria-label=\"The letter\"><p>Dear " +
		"visitor</p></dialog>",
	Page: func(p *check.Pass) {
		told := map[string]bool{}
		var starts map[string][]int
		for i := range p.Elements {
			e := &p.Elements[i]
			if e.Tag != "dialog" || !check.Own(e) || e.Label == "" || strings.ContainsAny(e.Label, `"\\`) {
				continue
			}
			if told[e.Label] {
				continue
			}
			told[e.Label] = true
			if starts == nil {
				starts = elementByID(p)
			}
			for _, at := range starts[e.Label] {
				if at != e.El.Start {
					line, col := p.Locate(at)
					p.Report(line, col, e.Item,
						fmt.Sprintf("the id %q is that of the dialog in line %d, too", e.Label, e.Line),
						"give one of them another id").Of(e.Label)
				}
			}
		}
	},
}

// elementByID lists the offsets of the start tags that have an id, in order, by id.
func elementByID(p *check.Pass) map[string][]int {
	tags := p.Scan.Tags
	if tags == nil {
		tags = markup.ScanTags(p.Source.Text, nil).Tags
	}
	out := map[string][]int{}
	for i := range tags {
		if id, ok := p.Source.Attr(int(tags[i].Start), "id"); ok && id != "" {
			out[id] = append(out[id], int(tags[i].Start))
		}
	}
	return out
}
