package checks

import (
	"fmt"

	"yellowgate/internal/core/gatefile"
)

var deadFile = &Check{
	Name: "dead-file", Family: "loading", Severity: gatefile.Error,
	Title: "the page loads a file that the site does not have",
	Doc: `The browser asks for the file, waits, and gets an error: what it was for does not
work, and the request was for nothing. Capital letters count: Site.js is not
site.js on most servers. Mend the address, or take the element out.`,
	Bad:  "-- site/js/slides.js --\nslides();\n-- site/visit/index.html --\n<script src=\"/js/Slides.js\"></script>",
	Good: "-- site/js/slides.js --\nslides();\n-- site/visit/index.html --\n<script src=\"/js/slides.js\"></script>",
	Page: func(p *Pass) {
		if p.Site == nil {
			return
		}
		for i := range p.Elements {
			e := &p.Elements[i]
			if Own(e) {
				for _, m := range e.Gets() {
					if m.Dead {
						p.At(e, fmt.Sprintf("%s %s %s: the site has no such file", importer(e, &m), m.How(), m.Written()), "mend the address there, or take it out")
					}
				}
			}
			if !e.Loads || !e.Ref.Own || e.Inside == "template" || p.Site.HasFile(e.Ref.Path) {
				continue
			}
			p.At(e, fmt.Sprintf("%s: the site has no such file", e.URL), "mend the address, or take the "+e.Tag+" out")
		}
	},
}
