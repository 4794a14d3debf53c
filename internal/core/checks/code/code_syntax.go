package code

import (
	"bytes"
	"maps"
	"slices"
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/syntax"
)

var codeSyntax = &check.Check{
	Name: "code-syntax", Family: "code", Severity: problem.Error,
	Title: "a script, a style or data does not parse",
	Doc: `A browser stops at the mistake: an inline script with one does nothing at all, a style
loses what follows. The finding stands at the mistake. Of files, those are parsed that an item
of the gate file loads.`,
	Bad:  "<script>if (a { b() }</script>",
	Good: "<script>if (a) { b() }</script>",
	Page: func(p *check.Pass) {
		for i := range p.Elements {
			e := &p.Elements[i]
			if !check.Own(e) || e.El.ContentEnd <= e.El.TagEnd || e.URL != "" {
				continue
			}
			text := p.Source.Text[e.El.TagEnd:e.El.ContentEnd]
			if len(bytes.TrimSpace(text)) == 0 || innerTag(text) >= 0 && e.Tag != "noscript" {
				continue
			}
			var m *syntax.Mistake
			switch {
			case e.Tag == "style":
				m = p.Parse("css", text, syntax.CSS)
			case e.IsScript():
				m = p.Parse("js", text, syntax.JavaScript)
			case e.Tag == "script" && dataKind(e.Label) == "json":
				m = p.Parse("json", text, syntax.JSON)
			}
			if m != nil {
				line, col := p.Locate(e.El.TagEnd + m.Offset)
				f := p.Report(line, col, e.Item, m.Message, "mend it, or take the element out").Of(check.SubjectOf(e))
				if e.Tag == "style" { // the rules before it apply
					f.Severity = problem.Warning
				}
			}
		}
	},
	Site: func(s *check.SitePass) {
		items := check.LoadFact.All(s).Items
		for _, file := range slices.Sorted(maps.Keys(items)) {
			text, ok := s.Site.ReadFile(file)
			if !ok {
				continue
			}
			if line, m := syntax.File(file, text); m != nil {
				s.AtFile(file, line, m.Message, "mend the file, or name another").Item = items[file]
			}
		}
	},
}

// dataKind is json for a script type that holds JSON and is no structured data,
// which has a check of its own.
func dataKind(scriptType string) string {
	t := strings.ToLower(strings.TrimSpace(scriptType))
	if t == "application/json" || t == "importmap" || t == "speculationrules" ||
		strings.HasSuffix(t, "+json") && t != "application/ld+json" {
		return "json"
	}
	return ""
}
