package gate

import (
	"fmt"
	"regexp"
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/wording"
)

var placeholderLeft = &check.Check{
	Name: "placeholder-left", Family: "gate", Severity: problem.Error,
	Title: "a placeholder was not filled in",
	Doc: `The page shows @{…} to visitors or search engines, in metadata or in what an item
inserted. Mostly a name is misspelt in code, where only names that exist are
placeholders. A title or description with what a template left, such as {{ page.title }} or
undefined, counts, too.`,
	Bad: "-- yellowgate.yaml --\nitems:\n  notice: {code: <p>Open late</p>, pages: all}\n" +
		"-- site/visit/index.html --\n<title>@{page.titel} | Tern Hill Observatory</title>",
	Good: "-- yellowgate.yaml --\nitems:\n  notice: {code: <p>Open late</p>, pages: all}\n" +
		"-- site/visit/index.html --\n<title>Visit | Tern Hill Observatory</title>",
	Page: func(p *check.Pass) {
		report := func(at int, item string) {
			line, col := p.Locate(at)
			text := string(p.Source.Text[at:min(at+40, len(p.Source.Text))])
			name, _, _ := strings.Cut(text, "}")
			p.Report(line, col, item, "a placeholder was not filled in: "+wording.Cut(text, 30),
				"mend its name in the gate file or in the item's code").Of(name)
		}
		leftByTemplates(p)
		for i := range p.Elements {
			e := &p.Elements[i]
			if e.Tag != "title" && e.Tag != "meta" && !(e.Tag == "link" && !e.IsStylesheet()) || !check.Own(e) {
				continue
			}
			if n := placeholderIn(p.Source.Text[e.El.Start:e.El.End]); n >= 0 {
				report(e.El.Start+n, e.Item)
			}
		}
		for _, r := range p.ItemRegions() {
			if n := placeholderIn(p.Source.Text[r.Content.Start:r.Content.End]); n >= 0 && p.Gated != nil {
				report(r.Content.Start+n, r.Name)
			}
		}
	},
}

// leftover is what a placeholder of the tool looks like.
var leftover = regexp.MustCompile(`@\{\s*(site|page|fact)\.[^}\n]{0,200}\}`)

func placeholderIn(b []byte) int {
	if m := leftover.FindIndex(b); m != nil {
		return m[0]
	}
	return -1
}

// leftByTemplates reports titles and descriptions that a template has left.
func leftByTemplates(p *check.Pass) {
	for _, key := range []string{"title", "description"} {
		values, at := p.Metadata(key)
		for i, v := range values {
			v = strings.TrimSpace(v)
			if left := templateLeft.FindString(v); left != "" && i < len(at) &&
				!strings.Contains(p.Page.Heading, left) {
				p.AtElement(at[i], fmt.Sprintf("the %s has what a template left: %s", key, wording.Cut(left, 40)),
					"mend the template, or set it by a metadata rule").
					Of(key)
			}
		}
	}
}

// templateLeft are what templates write where a value is missing, or where nobody fills them in.
var templateLeft = regexp.MustCompile(
	`\{\{.*?\}\}|\{%.*?%\}|<%.*?%>|\$\{[^}]*\}|^(?:undefined|null|\[object Object\]|TODO|FIXME|(?i:untitled(?: (?:document|page))?|lorem ipsum.*))$|\[object Object\]`)
