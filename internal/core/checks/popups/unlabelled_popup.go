package popups

import (
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/problem"
)

var unlabelledPopup = &check.Check{
	Name: "unlabelled-popup", Family: "popups", Severity: problem.Warning,
	Title: "a popup has no name",
	Doc: `A screen reader says dialog and nothing else when it opens. Give the item a label; a
dialog of the page itself aria-label or aria-labelledby.`,
	Bad:  "<dialog id=\"letter\"><h2>The letter</h2></dialog>",
	Good: "<dialog id=\"letter\" aria-label=\"The letter\"><h2>The letter</h2></dialog>",
	Page: func(p *check.Pass) {
		for i := range p.Elements {
			e := &p.Elements[i]
			if e.Tag != "dialog" || !check.Own(e) {
				continue
			}
			named := false
			for _, name := range []string{"aria-label", "aria-labelledby", "title"} {
				v, _ := markup.AttrValue(p.Source.Text, e.El.Start, name)
				named = named || strings.TrimSpace(v) != ""
			}
			if !named {
				p.At(e, "this dialog has no name for screen readers",
					p.Site.Remedy("give the item a label, or the dialog aria-label", "give the dialog aria-label"))
			}
		}
	},
}
