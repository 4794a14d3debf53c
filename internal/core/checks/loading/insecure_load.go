package loading

import (
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

// upgraded are elements whose http addresses are requested by https (Mixed Content, Level 2, 4.1).
var upgraded = map[string]bool{"img": true, "video": true, "audio": true, "source": true, "image": true}

var insecureLoad = &check.Check{
	Name: "insecure-load", Family: "loading", Severity: problem.Error,
	Title: "the page loads something without encryption",
	Doc: `A browser refuses scripts, stylesheets and frames over http on a page that came over https.
Pictures, films and sounds it requests by https instead: those are a note. Write https.`,
	Bad:  "<script src=\"http://count.example/c.js\"></script>",
	Good: "<script src=\"https://count.example/c.js\"></script>",
	Page: func(p *check.Pass) {
		for e := range p.All() {
			if !check.Own(e) || !p.Base.Secure() {
				continue
			}
			if e.Loads && strings.HasPrefix(e.Target, "http://") {
				f := p.At(e, e.URL+" is loaded without encryption", "write https://")
				if upgraded[e.Tag] {
					f.Severity, f.Message = problem.Note, e.URL+" names http; a browser requests it by https"
				}
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
