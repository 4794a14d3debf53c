package head

import (
	"slices"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/wording"
)

var metaInBody = &check.Check{
	Name: "meta-in-body", Family: "head", Severity: problem.Warning,
	Title: "a meta, title, base or canonical link stands in the body",
	Doc: `Metadata counts in the head. In the body, search engines and social sites pass over
it, and so do browsers for most of it. Move the element into the head; a metadata
rule of the gate file does that by itself for the keys it sets; one of these in the body is an error. Elements that fell
into the body because the head is broken are reported by broken-head, once. A meta
with itemprop belongs where it stands.`,
	Bad:  "<body>\n  <meta name=\"description\" content=\"Dark skies\">",
	Good: "<head>\n  <meta name=\"description\" content=\"Dark skies\">\n</head>",
	Page: func(p *check.Pass) {
		if p.LeadsAway() {
			return
		}
		fallen := check.FallenFrom(p)
		for i := range p.Elements {
			e := &p.Elements[i]
			if e.Area != "body" || !check.Own(e) || slices.Contains(fallen, i) {
				continue
			}
			switch e.Tag {
			case "meta":
				if _, item := markup.AttrValue(p.Source.Text, e.El.Start, "itemprop"); item {
					continue
				}
			case "title", "base":
			case "link":
				if !markup.HasRel(e.Label, "canonical") {
					continue
				}
			default:
				continue
			}
			what := e.Tag
			if e.Label != "" {
				what += " (" + wording.Cut(e.Label, 60) + ")"
			}
			f := p.At(e, "this "+what+" stands in the body, where it does not count", "move it into the head")
			if givenByGate(p, e) {
				f.Severity = problem.Error
			}
		}
	},
}

// givenByGate reports whether an element carries a metadata key that the gate gives the page.
func givenByGate(p *check.Pass, e *inventory.Element) bool {
	if p.Gated == nil {
		return false
	}
	return slices.ContainsFunc(p.Gated.Result.Keys(), func(key string) bool {
		_, at := p.Metadata(key)
		return check.GateGives(p, key) &&
			slices.ContainsFunc(at, func(el markup.Element) bool { return el.Start == e.El.Start })
	})
}
