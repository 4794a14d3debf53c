package checks

import (
	"strings"

	"yellowgate/internal/core/gatefile"
)

var insecureLoad = &Check{
	Name: "insecure-load", Family: "loading", Severity: gatefile.Error,
	Title: "the page loads something without encryption",
	Doc: `A browser refuses scripts and stylesheets over http on a page that came over https,
and warns of the rest. Write https.`,
	Bad:  "<script src=\"http://count.example/c.js\"></script>",
	Good: "<script src=\"https://count.example/c.js\"></script>",
	Page: func(p *Pass) {
		for i := range p.Elements {
			if e := &p.Elements[i]; Own(e) && e.Loads && strings.HasPrefix(e.Target, "http://") && p.Base.Secure() {
				p.At(e, e.URL+" is loaded without encryption", "write https://")
			}
		}
	},
}
