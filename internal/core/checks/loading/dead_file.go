package loading

import (
	"fmt"
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

var deadFile = &check.Check{
	Name: "dead-file", Family: "loading", Severity: problem.Error,
	Title: "the page loads a file that the site does not have",
	Doc: `The browser requests the file, waits, and gets an error: what it was for does not
work, and the request failed. Capital letters count: Site.js is not
site.js on most servers. Of a captured site a file is missing where its server said so; of what
it was not asked for nobody knows. Mend the address, or take the element out.`,
	Bad:  "-- site/js/slides.js --\nslides();\n-- site/visit/index.html --\n<script src=\"/js/Slides.js\"></script>",
	Good: "-- site/js/slides.js --\nslides();\n-- site/visit/index.html --\n<script src=\"/js/slides.js\"></script>",
	Page: func(p *check.Pass) {
		if p.Site == nil {
			return
		}
		told := map[string]bool{} // one address is one cause
		for e := range p.All() {
			if check.Own(e) {
				for _, m := range e.Gets() {
					if m.Dead && m.By == "" && !told[m.Target] && !p.Site.Addresses.Unasked(m.Target) {
						told[m.Target] = true
						p.At(e,
							fmt.Sprintf("%s %s %s: the site has no such file", importer(e, &m), m.How(), m.Written()),
							"mend the address there, or take it out")
					}
				}
			}
			if !e.Loads || !e.Ref.Own || e.Inside == "template" || told[e.Tag+" "+e.Target] ||
				check.Unfilled.MatchString(e.URL) ||
				p.Site.HasFile(e.Ref.Path) || p.Site.Addresses.Unasked(e.Ref.Path) {
				continue
			}
			told[e.Tag+" "+e.Target] = true
			f := p.At(e, fmt.Sprintf("%s: the site has no such file", e.URL),
				"mend the address, or take the "+e.Tag+" out")
			if e.Tag == "link" &&
				strings.Contains(strings.ToLower(e.Rel), "icon") { // visitors see one of the browser's
				f.Severity = problem.Note
			}
		}
	},
	Site: func(s *check.SitePass) {
		s.EachAsked(func(a *check.FileRequest) {
			if !a.Dead || check.Unfilled.MatchString(a.Target) || s.Site.Addresses.Unasked(a.Target) {
				return
			}
			f := s.AtAsked(a, a.Says()+": the site has no such file", "mend the address there, or take it out")
			if a.Later { // a browser asks for it only once a rule matches, or somebody clicks
				f.Severity = problem.Warning
			}
		})
	},
}
