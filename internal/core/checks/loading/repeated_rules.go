package loading

import (
	"fmt"
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/problem"
)

var repeatedRules = &check.Check{
	Name: "repeated-rules", Family: "loading", Severity: problem.Note,
	Title: "most rules of a stylesheet stand again in another",
	Doc: `A bundle has swallowed the file, or the file was copied into it, and the page loads
both: the same rules twice. A change in one of them may then do nothing. Leave the
smaller one out.`,
	Bad: "-- site/css/menu.css --\na { b: 1 } i { b: 2 } p { b: 3 } q { b: 4 } s { b: 5 }\n" +
		"-- site/css/all.css --\na { b: 1 } i { b: 2 } p { b: 3 } q { b: 4 } s { b: 5 } u { b: 6 }\n" +
		"-- site/visit/index.html --\n<link rel=\"stylesheet\" href=\"/css/menu.css\">\n" +
		"<link rel=\"stylesheet\" href=\"/css/all.css\">",
	Good: "-- site/css/all.css --\na { b: 1 } i { b: 2 } p { b: 3 } q { b: 4 } s { b: 5 } u { b: 6 }\n" +
		"-- site/visit/index.html --\n<link rel=\"stylesheet\" href=\"/css/all.css\">",
	Page: func(p *check.Pass) {
		if p.Site == nil || p.Site.Library == nil {
			return
		}
		var sheets []*inventory.Element
		seen := map[string]bool{}
		for i := range p.Elements {
			// Every two of them are compared: of more than a hundred, the first hundred.
			if e := &p.Elements[i]; check.Own(e) && e.IsStylesheet() && e.Loads && e.Party == "own" && e.Bytes > 0 &&
				!seen[e.Ref.Path] &&
				len(sheets) < 100 {
				seen[e.Ref.Path] = true
				sheets = append(sheets, e)
			}
		}
		for _, e := range sheets {
			for _, other := range sheets {
				if e.Ref.Path == other.Ref.Path || e.Bytes >= other.Bytes || !sameMedia(e, other) {
					continue
				}
				if n, of := p.Site.Repeated(e.Ref.Path, other.Ref.Path); n >= 5 && n*10 > of*6 {
					p.At(e,
						fmt.Sprintf("%d of the %d rules of %s stand in %s too, which line %d loads", n, of, e.URL,
							other.URL, other.Line), "leave it out where the other is")
					break
				}
			}
		}
	},
}

// sameMedia reports whether another stylesheet counts wherever one does: the rules of one for
// print are not repeated by one for the screen.
func sameMedia(e, other *inventory.Element) bool {
	one, two := strings.ToLower(strings.TrimSpace(e.Media)), strings.ToLower(strings.TrimSpace(other.Media))
	return one == two || two == "" || two == "all"
}
