package code

import (
	"bytes"
	"path"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/syntax"
)

var lostRule = &check.Check{
	Name: "lost-rule", Family: "code", Severity: problem.Warning,
	Title: "a browser drops a rule of a stylesheet",
	Doc: `The selector cannot be read, and one mistake in it makes the whole rule void, also for what
else stands in its list: a comma at its end, a full stop with no class behind it, an id that
begins with a number. The rule does nothing, and no browser says so.`,
	Bad:  "<style>.menu, .menu a, { color: navy }</style>",
	Good: "<style>.menu, .menu a { color: navy }</style>",
	Page: func(p *check.Pass) {
		for i := range p.Elements {
			e := &p.Elements[i]
			if !check.Own(e) || e.Tag != "style" || e.El.ContentEnd <= e.El.TagEnd {
				continue
			}
			text := p.Source.Text[e.El.TagEnd:e.El.ContentEnd]
			if syntax.CSS(text) != nil || innerTag(text) >= 0 { // code-syntax tells
				continue
			}
			for _, lost := range syntax.LostRules(text) {
				line, column := p.Locate(e.El.TagEnd + lost.Offset)
				p.Report(line, column, e.Item, "a browser drops this rule: "+lost.Message, "mend the selector").
					Of(check.SubjectOf(e))
			}
		}
	},
	Site: func(s *check.SitePass) {
		all := check.LoadFact.All(s)
		for _, file := range s.Site.Code {
			if path.Ext(file) != ".css" || !all.Loads(file) {
				continue
			}
			text, ok := s.Site.ReadFile(file)
			if !ok || bytes.HasPrefix(text, []byte("<")) {
				continue
			}
			for n, lost := range syntax.LostRules(text) {
				if n == 5 {
					break // enough to see what is wrong
				}
				line := 1 + bytes.Count(text[:lost.Offset], []byte("\n"))
				s.AtFile(file, line, "a browser drops this rule: "+lost.Message, "mend the selector")
			}
		}
	},
}
