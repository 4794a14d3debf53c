package checks

import (
	"fmt"
	"regexp"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/gating"
	"yellowgate/internal/core/verdict"
)

// leftover is what a placeholder of the tool looks like.
var leftover = regexp.MustCompile(`@\{\s*(site|page|fact)\.[^}\n]{0,200}\}`)

func placeholderIn(b []byte) int {
	if m := leftover.FindIndex(b); m != nil {
		return m[0]
	}
	return -1
}

var metadataDiffers = &Check{
	Name: "metadata-differs", Family: "gate", Severity: gatefile.Error,
	Title: "a metadata key that the gate sets has another value on the page",
	Doc: `The gate file decides the title, description, canonical or robots of this page, and
the page says something else. Mostly the gate file was changed and not applied, or
a later step of the build writes the page again. yellowgate why PAGE KEY shows all
values and which wins.`,
	Bad:  "metadata:\n  - {pages: all, title: \"@{page.heading}\"}\n(and the page has another title)",
	Good: "(the page has the title that the gate file gives it)",
	Page: func(p *Pass) {
		if p.Gated == nil {
			return
		}
		for _, key := range gatefile.MetadataKeys {
			w := verdict.Winner(p.Gated.Result.Metadata(key))
			if w == nil || w.Level == verdict.FromSource {
				continue
			}
			have, at := gating.MetadataOf(p.Source, p.Scan, key)
			line, col := p.headAt()
			if len(at) > 0 {
				for i := range p.Elements {
					if p.Elements[i].El.Start == at[0].Start {
						line, col = p.Elements[i].Line, p.Elements[i].Column
					}
				}
			}
			remedy := fmt.Sprintf("run yellowgate apply; yellowgate why %s %s shows where the value comes from", p.Path, key)
			switch {
			case w.None && len(at) > 0:
				p.Report(line, col, "", fmt.Sprintf("the gate says that the page has no %s (%s), and it has %q", key, w.Rule, cutTo(have, 60)), remedy)
			case w.None:
			case len(at) == 0:
				p.Report(line, col, "", fmt.Sprintf("the gate gives the page the %s %q (%s), and it has none", key, cutTo(w.Value, 60), w.Rule), remedy)
			case have != w.Value:
				p.Report(line, col, "", fmt.Sprintf("the gate gives the page the %s %q (%s), and it has %q", key, cutTo(w.Value, 60), w.Rule, cutTo(have, 60)), remedy)
			}
		}
	},
}

var staleOutput = &Check{
	Name: "stale-output", Family: "gate", Severity: gatefile.Warning,
	Title: "the page is behind the gate file, its facts or its source",
	Doc: `Something that decides about this page was changed after the page was applied: visitors
still get the old one. Run yellowgate apply, and publish the output folder.`,
	Bad:  "(the gate file was changed this morning, the page applied yesterday)",
	Good: "(yellowgate apply has run since)",
	Page: func(p *Pass) {
		if p.State == Stale {
			p.Report(1, 1, "", "the page is behind the gate file, its facts or its source", "run yellowgate apply")
		}
	},
}

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

var unclaimedElement = &Check{
	Name: "unclaimed-element", Family: "gate", Severity: gatefile.Note,
	Title: "a script, stylesheet or embed belongs to no item",
	Doc: `The page loads it, and the gate file does not know it: nothing decides where it
belongs. That is fine for what every page needs. Give it a name, with found, to
decide.`,
	Bad:  "<script src=\"/js/glyphs.js\"></script>\n(and no item with it)",
	Good: "items:\n  glyph-shim: {found: 'script[src*=\"glyphs\"]', pages: none}",
	Page: func(p *Pass) {
		if p.Gated == nil {
			return
		}
		for i := range p.Elements {
			e := &p.Elements[i]
			if e.Item != "" || !Own(e) || !e.IsScript() && !e.IsStylesheet() && e.Tag != "style" && e.Tag != "iframe" {
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

var idleLine = &Check{
	Name: "idle-line", Family: "gate", Severity: gatefile.Note,
	Title: "a line of the gate file changes nothing",
	Doc: `A per-page in where pages chooses the page already, an exception that excludes
nothing, a matcher that finds nothing on any page: the line does no harm, but who
reads it believes that it does something. Take it out, or mend it. yellowgate check
lists these lines.`,
	Bad:  "pages: all\nexcept: /evnts/**",
	Good: "pages: all\nexcept: /events/**",
}
