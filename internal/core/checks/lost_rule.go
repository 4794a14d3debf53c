package checks

import (
	"bytes"
	"path"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/syntax"
)

var lostRule = &Check{
	Name: "lost-rule", Family: "code", Severity: gatefile.Warning,
	Title: "a browser drops a rule of a stylesheet",
	Doc: `The selector cannot be read, and one mistake in it makes the whole rule void, also for what
else stands in its list: a comma at its end, a full stop with no class behind it, an id that
begins with a number. The rule does nothing, and no browser says so.`,
	Bad:  "<style>.menu, .menu a, { color: navy }</style>",
	Good: "<style>.menu, .menu a { color: navy }</style>",
	Page: func(p *Pass) {
		for i := range p.Elements {
			e := &p.Elements[i]
			if !Own(e) || e.Tag != "style" || e.El.ContentEnd <= e.El.TagEnd {
				continue
			}
			text := p.Source.Text[e.El.TagEnd:e.El.ContentEnd]
			if syntax.CSS(text) != nil || innerTag(text) >= 0 { // code-syntax tells
				continue
			}
			for _, lost := range syntax.LostRules(text) {
				line, column := markup.NewLocator(p.Source.Text).Locate(e.El.TagEnd + lost.Offset)
				p.Report(line, column, e.Item, "a browser drops this rule: "+lost.Message, "mend the selector")
			}
		}
	},
	Site: func(s *SitePass) {
		if s.Site == nil || s.Site.Read == nil {
			return
		}
		for _, file := range s.Site.Code {
			if path.Ext(file) != ".css" || s.Site.loaded[file] == 0 && s.Site.imported[file] == nil {
				continue
			}
			text, ok := s.Site.Read(file)
			if !ok || bytes.HasPrefix(text, []byte("<")) {
				continue
			}
			for n, lost := range syntax.LostRules(text) {
				if n == 5 {
					break // enough to see what is wrong
				}
				line := 1 + bytes.Count(text[:lost.Offset], []byte("\n"))
				s.findings = append(s.findings, Finding{s.check.Name, s.check.Severity.String(), "", file[1:], line, 1, "",
					"a browser drops this rule: " + lost.Message, "mend the selector", 0})
			}
		}
	},
}
