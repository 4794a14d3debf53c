package popups

import (
	"encoding/json"
	"fmt"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/problem"
)

var popupClash = &check.Check{
	Name: "popup-clash", Family: "popups", Severity: problem.Warning,
	Title: "two popups open at the same moment",
	Doc: `Both open by themselves after the same time, at the same place of the page, or when
the pointer leaves: one of them is never seen. Give them different moments, or
different pages.`,
	Bad: "-- yellowgate.yaml --\nitems:\n" +
		"  letter: {popup: <p>The letter</p>, label: Letter, open: {after: 8s}, pages: all}\n" +
		"  survey: {popup: <p>Five questions</p>, label: Survey, open: {after: 8s}, pages: all}\n" +
		"-- site/visit/index.html --\n<p>Visit us.</p>",
	Good: "-- yellowgate.yaml --\nitems:\n" +
		"  letter: {popup: <p>The letter</p>, label: Letter, open: {after: 8s}, pages: all}\n" +
		"  survey: {popup: <p>Five questions</p>, label: Survey, open: {scroll: 60%}, pages: all}\n" +
		"-- site/visit/index.html --\n<p>Visit us.</p>",
	Page: func(p *check.Pass) {
		first := map[string]*inventory.Element{}
		for i := range p.Elements {
			e := &p.Elements[i]
			if e.Tag != "dialog" || !check.Own(e) {
				continue
			}
			v, _ := markup.AttrValue(p.Source.Text, e.El.Start, "data-yg-open")
			var opens [][]any
			if json.Unmarshal([]byte(v), &opens) != nil {
				continue
			}
			for _, o := range opens {
				if len(o) == 0 || o[0] == "click" || o[0] == "fragment" {
					continue
				}
				when := fmt.Sprint(o...)
				if f := first[when]; f != nil && f != e {
					p.At(e,
						fmt.Sprintf("this popup opens by itself at the same moment as the one in line %d", f.Line),
						"give them different moments, or different pages")
					break
				}
				first[when] = e
			}
		}
	},
}
