package rendered

import (
	"fmt"
	"slices"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/pageload"
	"yellowgate/internal/core/problem"
)

var lostItem = &check.Check{
	Name: "lost-item", Family: "rendered", Severity: problem.Error, Says: check.Missing,
	Title: "an expected item is in the page's text, and a script takes it out",
	Doc: `The page's text has the item, and the browser's document has none of it once the page has come to rest:
a script took it out, mostly one that builds a part of the page anew and throws away what stands there. Let the
item stand in a place that no script rebuilds, such as head-end or body-end. A script that ran and took its own
element out is no loss. Reported by an audit with --browser only.`,
	Bad: "-- yellowgate.yaml --\nitems:\n" +
		"  note: {code: <p class=note>New</p>, pages: all, place: {first-in: '#app'}}\n" +
		"-- site/visit/index.html --\n<div id=app></div>\n-- rendered.json --\n" +
		"{\"path\":\"/visit/\",\"screen\":\"1280x800\",\"requests\":[{\"target\":\"/visit/\"}]," +
		"\"elements\":[{\"tag\":\"title\"}],\"removed\":[{\"mark\":\"note\",\"from\":\"div#app\"}]}",
	Good: "-- yellowgate.yaml --\nitems:\n" +
		"  note: {code: <p class=note>New</p>, pages: all, place: {first-in: '#app'}}\n" +
		"-- site/visit/index.html --\n<div id=app></div>\n-- rendered.json --\n" +
		"{\"path\":\"/visit/\",\"screen\":\"1280x800\",\"requests\":[{\"target\":\"/visit/\"}]," +
		"\"elements\":[{\"tag\":\"title\"}],\"items\":[\"note\"]}",
	Page: func(p *check.Pass) {
		eachSeen(p, func(it *gatefile.Item, line, column int, r *pageload.Record) {
			made := p.Made(it.Name)
			isScript := func(e *inventory.Element) bool { return e.El.Tag == markup.TagScript }
			mayHaveRun := len(made) > 0 &&
				!slices.ContainsFunc(made, func(e *inventory.Element) bool { return !isScript(e) })
			if mayHaveRun || inDocument(r, it.Name) {
				return
			}
			took := "a script took it out"
			if x := r.Took(it.Name, made); x != nil {
				took += " of " + x.String()
			}
			p.Once(line, column, it.Name,
				fmt.Sprintf("item %q is in the text and not in the browser: %s", it.Name, took), lostRemedy)
		})
	},
}

const lostRemedy = "let it stand where no script rebuilds the page, such as head-end or body-end"

// eachSeen visits the items that the page's text has, with each visit that has the page's own document.
func eachSeen(p *check.Pass, visit func(it *gatefile.Item, line, column int, r *pageload.Record)) {
	p.EachHad(func(it *gatefile.Item, line, column int) {
		for _, r := range p.Visits() {
			if len(r.Elements) > 0 && !r.Left() { // else a recording without a document, or with that of another page
				visit(it, line, column, r)
			}
		}
	})
}

// inDocument reports whether the browser's document has an item.
func inDocument(r *pageload.Record, item string) bool {
	return slices.Contains(r.Items, item) ||
		slices.ContainsFunc(r.Elements, func(e pageload.DOMElement) bool { return e.Item == item })
}
