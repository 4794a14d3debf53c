package page

import (
	"regexp"
	"strings"

	"yellowgate/internal/core/markup"
)

// Read fills in what the source of a page says of itself, from its scan.
// hits reports each selector of the gate whether it matched.
func (p *Page) Read(src *markup.Source, scan *markup.Document) {
	p.Meta = nil
	key := Key(p.Path)
	p.key = &key
	titled := false
	for i := range scan.Elements {
		e := &scan.Elements[i]
		if !scan.Describes(e) {
			continue
		}
		switch e.Tag {
		case markup.TagTitle:
			if !titled {
				titled = true
				p.Title = markup.CollapseSpace(markup.DecodeText([]byte(src.String(e.TagEnd, e.ContentEnd))))
			}
		case markup.TagMeta:
			p.readMeta(src, e)
		}
	}
	p.Description = p.Meta["description"]
	p.Redirect = p.Redirect || immediate.MatchString(p.Answer.Field("refresh"))
	if !scan.HTMLTag.None() {
		v, _ := markup.AttrValue(src.Text, scan.HTMLTag.Start, "lang")
		p.Lang = strings.TrimSpace(v)
	}
	p.Heading = Heading(src, scan)
}

func (p *Page) readMeta(src *markup.Source, e *markup.Element) {
	name, ok := src.Attr(e.Start, "name")
	if !ok {
		name, ok = src.Attr(e.Start, "property")
	}
	content, _ := src.Attr(e.Start, "content")
	if !ok {
		if v, _ := markup.AttrValue(src.Text, e.Start, "http-equiv"); strings.EqualFold(v, "refresh") &&
			immediate.MatchString(content) {
			p.Redirect = true
		}
		return
	}
	name = strings.ToLower(strings.TrimSpace(name))
	if p.Meta == nil {
		p.Meta = map[string]string{}
	}
	if _, dup := p.Meta[name]; !dup {
		p.Meta[name] = strings.TrimSpace(content)
	}
}

// immediate is a refresh after no time at all, to another address
// (HTML, 4.2.5.3, refresh state).
var immediate = regexp.MustCompile(`(?i)^\s*0*(\.\d*)?\s*[;,\s]\s*url\s*=`)

// Heading is the text of the page's first h1: references decoded, white space
// collapsed, markup left out.
func Heading(src *markup.Source, scan *markup.Document) string {
	if scan.FirstH1 < 0 {
		return ""
	}
	return markup.TextOf(src, scan.FirstH1, "h1")
}
