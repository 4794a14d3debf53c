package head

import (
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/problem"
)

var socialIncomplete = &check.Check{
	Name: "social-incomplete", Family: "head", Severity: problem.Note, Whole: true,
	Title: "what a shared link shows is set in part",
	Doc: `A page with some Open Graph properties and without og:title, og:image or og:url shows
up with a hole when somebody shares it. Set them together: social: {title: …, image:
…}.`,
	Bad:  "<meta property=\"og:title\" content=\"Visit\">",
	Good: "<meta property=\"og:title\" content=\"Visit\">\n<meta property=\"og:image\" content=\"https://ternhill.example/img/dome.svg\">",
	Page: func(p *check.Pass) {
		var first *inventory.Element
		have := map[string]bool{}
		for i := range p.Elements {
			e := &p.Elements[i]
			name, _, ok := strings.Cut(e.Label, " = ")
			if e.Tag == "meta" && check.Own(e) && ok && strings.HasPrefix(name, "og:") {
				have[name] = true
				if first == nil {
					first = e
				}
			}
		}
		if first == nil {
			return
		}
		var missing []string
		for _, name := range []string{"og:title", "og:image"} {
			if !have[name] {
				missing = append(missing, name)
			}
		}
		if len(missing) > 0 {
			p.At(
				first,
				"the page sets some of what a shared link shows, and not "+strings.Join(missing, " and "),
				"set them together: social: {title: …, image: …}",
			)
		}
	},
}
