package rendered

import (
	"fmt"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/pageload"
	"yellowgate/internal/core/problem"
)

var rebuiltPlace = &check.Check{
	Name: problem.RebuiltPlace, Family: "rendered", Severity: problem.Warning,
	Title: "an item stands in an element that a script rebuilds",
	Doc: `A script builds a part of the page anew, as frameworks do that take over what a server has rendered, and met
the item there: it took its mark out. Such scripts throw away what they do not know, or build their own content a
second time beside it. An audit with --browser sees that, and keeps it by the page's source: check and diff then
warn without a browser.`,
	Bad: "-- yellowgate.yaml --\nitems:\n" +
		"  note: {code: <p class=note>New</p>, pages: all, place: {first-in: '#app'}}\n" +
		"-- site/visit/index.html --\n<div id=app></div>\n-- rendered.json --\n" +
		"{\"path\":\"/visit/\",\"screen\":\"1280x800\",\"requests\":[{\"target\":\"/visit/\"}]," +
		"\"elements\":[{\"tag\":\"title\"}],\"items\":[\"note\"],\"removed\":[{\"mark\":\"note\"," +
		"\"from\":\"div#app\"}]}",
	Good: "-- yellowgate.yaml --\nitems:\n" +
		"  note: {code: <p class=note>New</p>, pages: all, place: {first-in: '#app'}}\n" +
		"-- site/visit/index.html --\n<div id=app></div>\n-- rendered.json --\n" +
		"{\"path\":\"/visit/\",\"screen\":\"1280x800\",\"requests\":[{\"target\":\"/visit/\"}]," +
		"\"elements\":[{\"tag\":\"title\"}],\"items\":[\"note\"]}",
	Page: func(p *check.Pass) {
		eachSeen(p, func(it *gatefile.Item, line, column int, r *pageload.Record) {
			if x := r.TookMark(it.Name); x != nil && inDocument(r, it.Name) {
				message := fmt.Sprintf(
					"a script that rebuilds %s took item %q apart: look whether its content stands twice", x, it.Name)
				p.Once(line, column, it.Name, message, lostRemedy)
			}
		})
	},
}
