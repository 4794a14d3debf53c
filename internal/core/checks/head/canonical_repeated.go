package head

import (
	"fmt"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/problem"
)

var canonicalRepeated = &check.Check{
	Name: "canonical-repeated", Family: "head", Severity: problem.Warning,
	Title: "the page has more than one canonical",
	Doc: `The canonical link tells search engines which address stands for the page. With two of
them, they may ignore both. Keep one; a metadata rule with canonical keeps the
first, gives it the right value and takes the others out. A canonical of the header Link
counts as one more where a capture keeps it and it names another address.`,
	Bad: "<link rel=\"canonical\" href=\"https://ternhill.example/journal/\">\n" +
		"<link rel=\"canonical\" href=\"https://ternhill.example/\">",
	Good: "<link rel=\"canonical\" href=\"https://ternhill.example/journal/\">",
	Page: func(p *check.Pass) {
		if p.LeadsAway() {
			return
		}
		all := check.Canonicals(p)
		for i, e := range all {
			switch {
			case i == 0 || e.Area != inventory.HeaderArea && check.GateGives(p, "canonical"):
			case e.Area == inventory.HeaderArea && e.Target == all[0].Target: // they agree
			case e.Area == inventory.HeaderArea:
				p.At(e, fmt.Sprintf("the header Link names another canonical, %s; %s", e.URL, canonicalAt(all[0])),
					"keep one: in the page, or in the server's settings")
			default:
				p.At(e, fmt.Sprintf("a second canonical, %s; the first is in line %d", e.URL, all[0].Line),
					"keep one of them")
			}
		}
	},
}

// canonicalAt says where a canonical stands.
func canonicalAt(e *inventory.Element) string {
	if e.Area == inventory.HeaderArea {
		return "its first is " + e.URL
	}
	return fmt.Sprintf("line %d says %s", e.Line, e.URL)
}
