package head

import (
	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

var viewportMissing = &check.Check{
	Name: "viewport-missing", Family: "head", Severity: problem.Warning, Sought: true, Whole: true,
	Title: "the page has no viewport",
	Doc: `Without a viewport meta a phone shows the page as on a wide screen, very small. Write
<meta name="viewport" content="width=device-width, initial-scale=1">, or set it for
all pages by a rule: viewport: width=device-width, initial-scale=1.`,
	Bad:  "<head>\n  <title>Visit</title>",
	Good: "<head>\n  <meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n  <title>Visit</title>",
	Page: func(p *check.Pass) {
		if p.LeadsAway() || p.Fragment || p.Frameset || check.GateGives(p, "viewport") {
			return
		}
		if _, at := p.Metadata("viewport"); len(at) == 0 {
			line, col := p.HeadAt()
			p.Report(line, col, "", "the page has no viewport",
				p.Site.Remedy(
					"set it for all pages by a metadata rule: viewport: width=device-width, initial-scale=1",
					`write <meta name="viewport" content="width=device-width, initial-scale=1"> into the head`))
		}
	},
}
