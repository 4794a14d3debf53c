package head

import (
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

var descriptionMissing = &check.Check{
	Name: "description-missing", Family: "head", Severity: problem.Warning, Sought: true, Whole: true,
	Title: "the page has no description",
	Doc: `The description is what search engines may show below the title, and what many
programs show for a link. Without one they take words from the page, often from its
menu. Give defaults for all pages, better ones by kind or per page. A page that is
kept out of search engines (robots: noindex) needs none.`,
	Bad: "<title>Visit</title>",
	Good: "<title>Visit</title>\n" +
		"<meta name=\"description\" content=\"Opening hours, the way up the hill, and what to wear.\">",
	Page: func(p *check.Pass) {
		if p.Fragment || p.Frameset || p.Aside() || p.Noindex() || check.GateGives(p, "description") {
			return
		}
		if values, _ := p.Metadata("description"); strings.Join(values, "") != "" {
			return
		}
		line, col := p.HeadAt()
		if ts := check.Titles(p); len(ts) > 0 {
			line, col = ts[0].Line, ts[0].Column
		}
		p.Report(line, col, "", "the page has no description",
			p.Site.Remedy("add one to the gate file: defaults with description, or under per-page",
				`write <meta name="description" content="…"> into the head`))
	},
}
