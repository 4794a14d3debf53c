package checks

import (
	"fmt"
	"strings"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
)

var repeatedId = &Check{
	Name: "repeated-id", Family: "popups", Severity: gatefile.Error,
	Title: "the id of a popup stands twice on the page",
	Doc: `A link to the fragment, and the script that opens the popup, find the first element
with the id: it may be the wrong one. Give one of them another id.`,
	Bad:  "<h2 id=\"letter\">…</h2> <dialog id=\"letter\">…</dialog>",
	Good: "<h2 id=\"about-the-letter\">…</h2> <dialog id=\"letter\">…</dialog>",
	Page: func(p *Pass) {
		for i := range p.Elements {
			e := &p.Elements[i]
			if e.Tag != "dialog" || !Own(e) || e.Label == "" || strings.ContainsAny(e.Label, `"\\`) {
				continue
			}
			s, err := markup.ParseSelector(`[id="` + e.Label + `"]`)
			if err != nil {
				continue
			}
			for _, at := range markup.Matches(p.Source.Text, s) {
				if at != e.El.Start {
					line, col := markup.NewLocator(p.Source.Text).Locate(at)
					p.Report(line, col, e.Item, fmt.Sprintf("the id %q is that of the dialog in line %d, too", e.Label, e.Line), "give one of them another id")
				}
			}
		}
	},
}
