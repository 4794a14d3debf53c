package loading

import (
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

var insecureLoad = &check.Check{
	Name: "insecure-load", Family: "loading", Severity: problem.Error,
	Title: "the page loads something without encryption",
	Doc: `A browser refuses scripts and stylesheets over http on a page that came over https,
and warns of the rest. Write https.`,
	Bad:  "<script src=\"http://count.example/c.js\"></script>",
	Good: "<script src=\"https://count.example/c.js\"></script>",
	Page: func(p *check.Pass) {
		for e := range p.All() {
			if !check.Own(e) || !p.Base.Secure() {
				continue
			}
			if e.Loads && strings.HasPrefix(e.Target, "http://") {
				p.At(e, e.URL+" is loaded without encryption", "write https://")
			}
			for _, m := range e.Gets() {
				if m.By == "" && strings.HasPrefix(m.Target, "http://") {
					p.At(e, importer(e, &m)+" "+m.How()+" "+m.Written()+" without encryption", "write https:// there")
				}
			}
		}
	},
	Site: func(s *check.SitePass) {
		s.EachAsked(func(a *check.FileRequest) {
			if a.Secure && strings.HasPrefix(a.Target, "http://") {
				s.AtAsked(a, a.Says()+" without encryption", "write https:// there")
			}
		})
	},
}
