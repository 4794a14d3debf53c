package loading

import (
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/problem"
)

var unusedPreload = &check.Check{
	Name: "unused-preload", Family: "loading", Severity: problem.Note,
	Title: "a file is preloaded and not used",
	Doc: `A preload fetches a file before anything else, and the page loads no such script or
stylesheet: it is fetched and not used, in front of what is needed. Take it out, or
mend its address.`,
	Bad:  "<link rel=\"preload\" href=\"/js/old.js\" as=\"script\">",
	Good: "<link rel=\"preload\" href=\"/js/site.js\" as=\"script\">\n<script src=\"/js/site.js\" defer></script>",
	Page: func(p *check.Pass) {
		used := map[string]bool{}
		for i := range p.Elements {
			if e := &p.Elements[i]; check.Own(e) && (e.Tag == "script" || e.IsStylesheet()) {
				used[e.Target] = true
			}
		}
		for i := range p.Elements {
			e := &p.Elements[i]
			if e.Tag != "link" || !check.Own(e) || !markup.HasRel(e.Label, "preload") {
				continue
			}
			as, _ := markup.AttrValue(p.Source.Text, e.El.Start, "as")
			if as = strings.ToLower(strings.TrimSpace(as)); (as == "script" || as == "style") && !used[e.Target] &&
				(kindOfFile(e.Target) == as || kindOfFile(e.Target) == "") { // else wrong-kind has it

				p.At(e, e.URL+" is preloaded, and the page does not load it",
					"take the preload out, or mend its address")
			}
		}
	},
}
