package gate

import (
	"fmt"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/didyoumean"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/problem"
)

var unknownSpot = &check.Check{
	Name: "unknown-spot", Family: "gate", Severity: problem.Error,
	Title: "a spot names no item",
	Doc: `The author of the page asks for an item at this spot, and the gate file has none of
that name, so nothing comes. Mostly the name is misspelt, or the item was renamed or
removed.`,
	Bad: "-- yellowgate.yaml --\nitems:\n  star-map: {code: <p>The map</p>, place: spot}\n" +
		"-- site/visit/index.html --\n<p>Visit us.</p>\n-- public/visit/index.html, later --\n" +
		"<!-- yg-spot starmap -->",
	Good: "-- yellowgate.yaml --\nitems:\n  star-map: {code: <p>The map</p>, place: spot}\n" +
		"-- site/visit/index.html --\n<p>Visit us.</p>\n<!-- yg-spot star-map -->",
	Page: func(p *check.Pass) {
		if p.Gated == nil {
			return
		}
		file := p.Gated.Gate.File
		for _, s := range spotsOf(p) {
			if file.Item(s.Name) == nil {
				line, col := p.Locate(s.Start)
				p.Report(line, col, "",
					fmt.Sprintf("a spot names %q, which is not an item%s", s.Name,
						didyoumean.Suggest(s.Name, file.ItemNames())), "name an item of the gate file").Of(s.Name)
			}
		}
	},
}

// spotsOf lists the page's spots.
func spotsOf(p *check.Pass) []markup.AuthorSpot { return markup.SpotsOf(p.Source, p.Scan) }
