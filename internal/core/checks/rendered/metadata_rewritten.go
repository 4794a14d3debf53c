package rendered

import (
	"fmt"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/pageload"
	"yellowgate/internal/core/problem"
)

var metadataRewritten = &check.Check{
	Name: "metadata-rewritten", Family: "rendered", Severity: problem.Warning,
	Title: "a script changed the title, the description, the canonical or the robots meta",
	Doc: `Search engines that run scripts see what the script writes, those that do not see the text: the
page says two things. Decide in the gate file, and take the script's change out. Told of
an audit with --browser only.`,
	Bad: "-- site/visit/index.html --\n<title>Visit</title>\n-- rendered.json --\n" +
		"{\"path\":\"/visit/\",\"screen\":\"1280x800\",\"requests\":[{\"target\":\"/visit/\"}],\"elements\":[{\"tag\":\"title\",\"what\":\"Come in!\",\"came\":\"page\"}]}",
	Good: "-- site/visit/index.html --\n<title>Visit</title>\n-- rendered.json --\n" +
		"{\"path\":\"/visit/\",\"screen\":\"1280x800\",\"requests\":[{\"target\":\"/visit/\"}],\"elements\":[{\"tag\":\"title\",\"what\":\"Visit\",\"came\":\"page\"}]}",
	Page: func(p *check.Pass) {
		for _, r := range p.Visits() {
			if len(r.Elements) == 0 || r.Left() {
				continue // a recording without a document, or with that of another page
			}
			var text []pageload.DOMElement
			lines := []int{}
			for i := range p.Elements {
				if e := &p.Elements[i]; check.Own(e) {
					text = append(text, pageload.DOMElement{Tag: e.Tag, What: e.Label, URL: e.URL})
					lines = append(lines, e.Line)
				}
			}
			for _, what := range []string{"title", "description", "canonical", "robots"} {
				was, _, had := check.MetaOf(text, what)
				is, by, has := check.MetaOf(r.Elements, what)
				if was == is && had == has {
					continue
				}
				line := 1
				for i := range text {
					if v, _, ok := check.MetaOf(text[i:i+1], what); ok && v == was {
						line = lines[i]
						break
					}
				}
				who := "a script"
				if by != nil {
					who = r.Places(by)
				}
				p.Once(
					line,
					1,
					"",
					fmt.Sprintf(
						"the %s is %q in the text, and %s in the browser, by %s",
						what,
						was,
						saidOf(is, has),
						who,
					),
					"decide it in the gate file, and take the script's change out",
				).Of(what)
			}
		}
	},
}

func saidOf(value string, has bool) string {
	if !has {
		return "gone"
	}
	return fmt.Sprintf("%q", value)
}
