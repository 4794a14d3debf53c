package gate

import (
	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

var unclaimedElement = &check.Check{
	Name: check.UnclaimedElement, Family: "gate", Severity: problem.Note,
	Title: "a script, stylesheet or embed belongs to no item",
	Doc: `The page loads it, and the gate file does not know it: nothing decides where it
belongs. That is fine for what every page needs. Give it a name, with found, to
decide.`,
	Bad: "-- yellowgate.yaml --\nitems:\n  notice: {code: <p>Open late</p>, pages: all}\n" +
		"-- site/visit/index.html --\n<script src=\"/js/glyphs.js\"></script>",
	Good: "-- yellowgate.yaml --\nitems:\n  glyph-shim: {found: 'script[src*=\"glyphs\"]', pages: all}\n" +
		"-- site/visit/index.html --\n<script src=\"/js/glyphs.js\"></script>",
	Page: func(p *check.Pass) {
		if p.Gated == nil {
			return
		}
		for i := range p.Elements {
			e := &p.Elements[i]
			if e.Item != "" || !check.Own(e) ||
				!e.IsScript() && !e.IsStylesheet() && e.Tag != "style" && e.Tag != "iframe" {
				continue
			}
			what := e.URL
			if what == "" {
				what = "an inline " + e.Tag
			}
			p.At(e, what+" belongs to no item", "name it in the gate file with found, to decide where it belongs")
		}
	},
}
