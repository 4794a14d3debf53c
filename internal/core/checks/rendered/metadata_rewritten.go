package rendered

import (
	"fmt"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/pageload"
	"yellowgate/internal/core/problem"
)

var metadataRewritten = &check.Check{
	Name: "metadata-rewritten", Family: "rendered", Severity: problem.Warning,
	Title: "a script changed what the page says of itself: title, description, canonical, robots, languages, " +
		"previews, structured data",
	Doc: `Search engines that run scripts see what the script writes, those that do not see the text: the
page says two things. Decide in the gate file, and take the script's change out. Reported by
an audit with --browser only.`,
	Bad: "-- site/visit/index.html --\n<title>Visit</title>\n-- rendered.json --\n" +
		"{\"path\":\"/visit/\",\"screen\":\"1280x800\",\"requests\":[{\"target\":\"/visit/\"}]," +
		"\"elements\":[{\"tag\":\"title\",\"what\":\"Come in!\",\"came\":\"page\"}]}",
	Good: "-- site/visit/index.html --\n<title>Visit</title>\n-- rendered.json --\n" +
		"{\"path\":\"/visit/\",\"screen\":\"1280x800\",\"requests\":[{\"target\":\"/visit/\"}]," +
		"\"elements\":[{\"tag\":\"title\",\"what\":\"Visit\",\"came\":\"page\"}]}",
	Page: func(p *check.Pass) {
		for _, r := range p.Visits() {
			if len(r.Elements) == 0 || r.Left() || r.Moved() != "" {
				continue // a recording without a document, or with that of another page
			}
			var text []pageload.DOMElement
			lines := []int{}
			for i := range p.Elements {
				if e := &p.Elements[i]; check.Own(e) {
					data := pageload.StructuredData(p.Record, e)
					text = append(text, pageload.DOMElement{Tag: e.Tag, What: e.Label, URL: e.URL, Data: data})
					lines = append(lines, e.Line)
				}
			}
			if is := r.Lang; is != "" && is != p.Page.Lang {
				p.Once(1, 1, "",
					fmt.Sprintf("the language is %q in the text, and %q in the browser", p.Page.Lang, is),
					rewrittenRemedy).Of("lang")
			}
			for _, what := range written {
				was, is := check.MetaOf(text, what), check.MetaOf(r.Elements, what)
				line := 1
				for i := range text {
					if len(check.MetaOf(text[i:i+1], what)) > 0 {
						line = lines[i]
						break
					}
				}
				for k := range max(len(was), len(is)) {
					if k < len(was) && k < len(is) && was[k].Value == is[k].Value {
						continue
					}
					p.Once(line, 1, "", rewritten(r, what, was, is, k), rewrittenRemedy).Of(what)
					break
				}
			}
		}
	},
}

// written are what pages say of themselves in the end: for search engines, and for those who make previews of links.
var written = []string{
	"title", "description", "canonical", "robots", "refresh", "og:title", "og:description", "og:image", "og:url",
	check.Alternates, check.StructuredData,
}

const rewrittenRemedy = "decide it in the gate file, and take the script's change out"

// rewritten says how what a browser has differs from the text from the value with a number on.
func rewritten(r *pageload.Record, what string, was, is []check.Meta, k int) string {
	if what == check.StructuredData {
		return structured(r, was, is, k)
	}
	if k >= len(is) {
		return fmt.Sprintf("the %s is %q in the text, and gone in the browser", what, was[k].Value)
	}
	who := writer(r, is[k])
	switch {
	case k < len(was):
		return fmt.Sprintf("the %s is %q in the text, and %q in the browser, by %s", what, was[k].Value, is[k].Value, who)
	case k == 0:
		return fmt.Sprintf("the %s is not in the text, and %q in the browser, by %s", what, is[k].Value, who)
	}
	return fmt.Sprintf("another %s, %q, is in the browser, by %s", what, is[k].Value, who)
}

// structured is rewritten for structured data, which is too long to be shown.
func structured(r *pageload.Record, was, is []check.Meta, k int) string {
	if k >= len(is) {
		return "structured data is in the text, and gone in the browser"
	}
	who := writer(r, is[k])
	if k < len(was) {
		return "structured data is another in the browser than in the text, by " + who
	}
	return "structured data is in the browser and not in the text, by " + who
}

// writer is who wrote something, as far as that is known.
func writer(r *pageload.Record, m check.Meta) string {
	if m.By == nil {
		return "a script"
	}
	return r.Places(m.By)
}
