package head

import (
	"yellowgate/internal/core/check"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/problem"
)

var iconMissing = &check.Check{
	Name: "icon-missing", Family: "head", Severity: problem.Note, Sought: true, Whole: true,
	Title: `no <link rel="icon">`,
	Doc: `A browser asks the server for /favicon.ico where no <link rel=\"icon\">, and shows an
empty sheet where there is none. One rule sets it for all pages: icon: /icon.svg.`,
	Bad:  "<head>\n  <title>Visit</title>",
	Good: "<head>\n  <title>Visit</title>\n  <link rel=\"icon\" href=\"/icon.svg\">",
	Page: func(p *check.Pass) {
		if p.LeadsAway() || p.Fragment || p.Frameset || check.GateGives(p, "icon") {
			return
		}
		if p.Site != nil && p.Site.HasFile("/favicon.ico") {
			return
		}
		for i := range p.Elements {
			if e := &p.Elements[i]; e.Tag == "link" && check.Own(e) && markup.HasRel(e.Label, "icon") {
				return
			}
		}
		line, col := p.HeadAt()
		p.Report(line, col, "", `no <link rel="icon">`,
			p.Site.Remedy("set it for all pages by a metadata rule: icon: /icon.svg",
				`write <link rel="icon" href="/icon.svg"> into the head`))
	},
}
