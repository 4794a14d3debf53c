package checks

import (
	"yellowgate/internal/core/gatefile"
)

var editedOutput = &Check{
	Name: "edited-output", Family: "gate", Severity: gatefile.Warning,
	Title: "the page was changed after it was applied",
	Doc: `The file in the output folder is not what the tool wrote. The next apply writes it
again, and the change is lost. Make the change in the source pages or in the gate
file.`,
	Bad:  "(somebody edited public/visit/index.html)",
	Good: "(somebody edited site/visit/index.html, and applied)",
	Page: func(p *Pass) {
		if p.State == Edited {
			p.Report(1, 1, "", "the page was changed after it was applied; the next apply undoes that", "make the change in the source page or in the gate file")
		}
	},
}
