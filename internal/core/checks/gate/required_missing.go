package gate

import (
	"fmt"
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

var requiredMissing = &check.Check{
	Name: "required-missing", Family: "gate", Severity: problem.Error,
	Title: "metadata that the gate file requires is not on the page",
	Doc: `The gate file says under require that such a page has the key in the end, and this
one has none, or an empty one. Give it a value in the page, by a rule under metadata
or defaults, or per page.`,
	Bad: "-- yellowgate.yaml --\nrequire: [{pages: all, metadata: [description]}]\n-- site/visit/index.html --\n" +
		"<title>Visit</title>",
	Good: "-- yellowgate.yaml --\nrequire: [{pages: all, metadata: [description]}]\n" +
		"defaults: {description: Public nights under the stars.}\n-- site/visit/index.html --\n<title>Visit</title>",
	Page: func(p *check.Pass) {
		if p.Gated == nil {
			return
		}
		for _, r := range p.Gated.Gate.File.Require {
			if !check.Chosen(r.Pages, p.Gated.Result) {
				continue
			}
			for _, key := range r.Keys {
				if values, _ := p.Metadata(key.Value); strings.Join(values, "") == "" &&
					!check.GateGives(p, key.Value) {
					line, col := p.HeadAt()
					p.Report(line, col, "",
						fmt.Sprintf("the page has no %s, which it is required to have (%s)", key.Value, key.Pos),
						fmt.Sprintf(
							"give it one by a rule under metadata or defaults; yellowgate why %s %s shows what there is",
							p.Path, key.Value)).Of(key.Value)
				}
			}
		}
	},
}
