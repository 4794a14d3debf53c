package code

import (
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

var tagsInText = &check.Check{
	Name: "tags-in-text", Family: "code", Severity: problem.Error,
	Title: "a script or style begins with a tag of its own",
	Doc: `Somebody put code with its <script> or <style> tags into a place that has them already.
The script does not run, or the first rule of the style is lost. Take the inner tags
out: script-text and style-text take the text alone, code takes it with its tags.`,
	Bad:  "<style><style>p { margin: 0 }</style>",
	Good: "<style>p { margin: 0 }</style>",
	Page: func(p *check.Pass) {
		for i := range p.Elements {
			e := &p.Elements[i]
			if !check.Own(e) || e.URL != "" || e.Tag != "style" && !e.IsScript() {
				continue
			}
			if at := innerTag(p.Source.Text[e.El.TagEnd:max(e.El.ContentEnd, e.El.TagEnd)]); at >= 0 {
				line, col := p.Locate(e.El.TagEnd + at)
				p.Report(line, col, e.Item, "the "+e.Tag+" begins with a tag of its own", "take the inner tags out").Of(e.Tag)
			}
		}
	},
}

// innerTag is where a script or style begins with a tag; -1 where it does not.
func innerTag(text []byte) int {
	s := strings.ToLower(string(text[:min(len(text), 256)]))
	at := len(s) - len(strings.TrimLeft(s, " \t\r\n\f"))
	for _, tag := range []string{"<script", "<style", "</script", "</style", "<noscript"} {
		if strings.HasPrefix(s[at:], tag) {
			return at
		}
	}
	return -1
}
