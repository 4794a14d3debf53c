package checks

import (
	"fmt"
	"slices"
	"strings"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/inventory"
)

var canonicalRepeated = &Check{
	Name: "canonical-repeated", Family: "head", Severity: gatefile.Error,
	Title: "the page has more than one canonical",
	Doc: `The canonical link tells search engines which address stands for the page. With two of
them, they may ignore both. Keep one; a metadata rule with canonical keeps the
first, gives it the right value and takes the others out.`,
	Bad:  "<link rel=\"canonical\" href=\"https://ternhill.example/journal/\">\n<link rel=\"canonical\" href=\"https://ternhill.example/\">",
	Good: "<link rel=\"canonical\" href=\"https://ternhill.example/journal/\">",
	Page: func(p *Pass) {
		if p.Page.Redirect {
			return
		}
		all := canonicals(p)
		for i, e := range all {
			if i > 0 {
				p.At(e, fmt.Sprintf("a second canonical, %s; the first is in line %d", e.URL, all[0].Line), "keep one of them")
			}
		}
	},
}

var canonicalDead = &Check{
	Name: "canonical-dead", Family: "head", Severity: gatefile.Error,
	Title: "the canonical points to a page that the site does not have",
	Doc: `A canonical that leads nowhere tells search engines to drop this page in favour of
one that does not exist. Mostly a page was moved or the link copied. Point it to
the page itself: canonical: "@{page.url}".`,
	Bad:  "<link rel=\"canonical\" href=\"https://ternhill.example/old-journal/\">",
	Good: "<link rel=\"canonical\" href=\"https://ternhill.example/journal/\">",
	Page: func(p *Pass) {
		if p.Page.Redirect || p.Site == nil {
			return
		}
		for _, e := range canonicals(p) {
			if e.URL == "" || !e.Ref.Own || p.Site.HasPage(e.Ref.Path) {
				continue
			}
			p.At(e, fmt.Sprintf("the canonical points to %s, and the site has no such page", e.URL), `point it to the page itself: canonical: "@{page.url}"`)
		}
	},
}

// canonicals lists the canonical links of the page itself.
func canonicals(p *Pass) (out []*inventory.Element) {
	for i := range p.Elements {
		e := &p.Elements[i]
		if e.Tag == "link" && Own(e) && slices.Contains(strings.Fields(strings.ToLower(e.Label)), "canonical") {
			out = append(out, e)
		}
	}
	return out
}
