package head

import (
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/didyoumean"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/problem"
)

var namelessMeta = &check.Check{
	Name: "nameless-meta", Family: "head", Severity: problem.Warning, Whole: true,
	Title: "a meta element says nothing, for it has no name",
	Doc: `A meta needs a name, a property, an http-equiv, a charset or an itemprop (HTML, 4.2.5). One
without is passed over; mostly the attribute is misspelt.`,
	Bad:  "<head>\n  <meta nmae=\"description\" content=\"Public nights on Tern Hill\">\n  <title>Visit</title>",
	Good: "<head>\n  <meta name=\"description\" content=\"Public nights on Tern Hill\">\n  <title>Visit</title>",
	Page: func(p *check.Pass) {
		kinds := []string{"name", "property", "http-equiv", "charset", "itemprop"}
		for i := range p.Elements {
			e := &p.Elements[i]
			if !check.Own(e) || e.El.Tag != markup.TagMeta {
				continue
			}
			kind, near1 := false, ""
			markup.Attrs(p.Source.Text, e.El.Start, func(a markup.Attr) bool {
				name := strings.ToLower(string(p.Source.Text[a.Name.Start:a.Name.End]))
				for _, k := range kinds {
					kind = kind || k == name
				}
				if name != "content" {
					if b := didyoumean.Best(name, kinds); b != "" && near1 == "" {
						near1 = name + " is probably " + b
					}
				}
				return true
			})
			if kind {
				continue
			}
			why := "it has neither a name nor a property"
			if near1 != "" {
				why += "; " + near1
			}
			p.At(e, "this meta says nothing: "+why, "write name=\"…\", or take the element out")
		}
	},
}
