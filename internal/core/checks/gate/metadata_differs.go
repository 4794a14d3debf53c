package gate

import (
	"fmt"
	"slices"
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/verdict"
	"yellowgate/internal/core/wording"
)

var metadataDiffers = &check.Check{
	Name: "metadata-differs", Family: "gate", Severity: problem.Error,
	Title: "a metadata key that the gate sets has another value on the page",
	Doc: `The gate file decides the title, description, canonical or robots of this page, and
the page says something else. Mostly the gate file was changed and not applied, or
a later step of the build writes the page again. yellowgate why PAGE KEY shows all
values and which wins.`,
	Bad: "-- yellowgate.yaml --\nmetadata: [{pages: all, title: \"@{page.heading} | Tern Hill\"}]\n" +
		"-- site/visit/index.html --\n<h1>Visit</h1>\n-- public/visit/index.html, later --\n" +
		"<head><title>Visit us</title></head><body><h1>Visit</h1>",
	Good: "-- yellowgate.yaml --\nmetadata: [{pages: all, title: \"@{page.heading} | Tern Hill\"}]\n" +
		"-- site/visit/index.html --\n<h1>Visit</h1>",
	Page: func(p *check.Pass) {
		if p.Gated == nil {
			return
		}
		for _, key := range p.Gated.Result.Keys() {
			w := verdict.Winner(p.Gated.Result.Metadata(key))
			if w == nil || w.Level == verdict.FromSource {
				continue
			}
			values, at := p.Metadata(key)
			have := strings.Join(values, ", ")
			line, col := p.HeadAt()
			if len(at) > 0 {
				for i := range p.Elements {
					if p.Elements[i].El.Start == at[0].Start {
						line, col = p.Elements[i].Line, p.Elements[i].Column
					}
				}
			}
			remedy := fmt.Sprintf("run yellowgate apply; yellowgate why %s %s shows where the value comes from",
				p.Path, key)
			want, have60 := wording.Cut(strings.Join(w.Values, ", "), 60), wording.Cut(have, 60)
			switch {
			case w.None && len(values) > 0:
				p.Report(line, col, "",
					fmt.Sprintf("the gate says that the page has no %s (%s), and it has %q", key, w.Rule, have60),
					remedy).Of(key)
			case w.None:
			case len(values) == 0:
				p.Report(line, col, "",
					fmt.Sprintf("the gate gives the page the %s %q (%s), and it has none", key, want, w.Rule),
					remedy).Of(key)
			case len(values) > len(w.Values) && len(w.Values) > 0 && !slices.ContainsFunc(values,
				func(v string) bool { return !slices.Contains(w.Values, v) }):
				p.Report(line, col, "",
					fmt.Sprintf("the gate gives the page the %s %q (%s), and it stands there %s", key, want, w.Rule,
						times(len(values))), remedy).Of(key)
			case !slices.Equal(values, w.Values):
				p.Report(line, col, "",
					fmt.Sprintf("the gate gives the page the %s %q (%s), and it has %q", key, want, w.Rule, have60),
					remedy).Of(key)
			default:
				reportMetadataInBody(p, key, w, at)
			}
		}
	},
}

// reportMetadataInBody reports links of a key that stand in the body, where they do not count.
// meta-in-body reports the others.
func reportMetadataInBody(p *check.Pass, key string, w *verdict.Candidate, at []markup.Element) {
	fallen := check.FallenFrom(p)
	for _, el := range at {
		fell := slices.ContainsFunc(fallen,
			func(i int) bool { return p.Elements[i].El.Start == el.Start }) // broken-head reports it
		if el.Tag == markup.TagLink && el.Area == markup.Body && key != "canonical" && !fell {
			p.AtElement(el,
				fmt.Sprintf(
					"the gate gives the page the %s %q (%s), and it stands in the body, where it does not count", key,
					wording.Cut(strings.Join(w.Values, ", "), 60), w.Rule), "run yellowgate apply")
		}
	}
}
