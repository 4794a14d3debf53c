package rendered

import (
	"fmt"
	"maps"
	"slices"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/wording"
)

var mostlyUnused = &check.Check{
	Name: "mostly-unused", Family: "rendered", Severity: problem.Note,
	Title: "of a large file hardly anything is used on any page that loads it",
	Doc: `The file has more than 20 kB, and on every page that loads it less than a fifth of it ran or
matched. What nobody clicked or scrolled to was not tried: a menu that opens on a click may
need more. Look for a smaller build, or load it where it is needed. Reported by an audit with
--browser only.`,
	Bad: "-- site/visit/index.html --\n<script src=\"/js/kit.js\" defer></script>\n-- site/js/kit.js --\nkit();\n" +
		"-- rendered.json --\n" +
		"{\"path\":\"/visit/\",\"screen\":\"1280x800\",\"requests\":[{\"target\":\"/visit/\"}]," +
		"\"used\":[{\"target\":\"/js/kit.js\",\"kind\":\"script\",\"bytes\":90000,\"used\":4000}]}",
	Good: "-- site/visit/index.html --\n<script src=\"/js/kit.js\" defer></script>\n-- site/js/kit.js --\nkit();\n" +
		"-- rendered.json --\n" +
		"{\"path\":\"/visit/\",\"screen\":\"1280x800\",\"requests\":[{\"target\":\"/visit/\"}]," +
		"\"used\":[{\"target\":\"/js/kit.js\",\"kind\":\"script\",\"bytes\":90000,\"used\":64000}]}",
	Site: func(s *check.SitePass) {
		all := *usedFact.All(s)
		for _, target := range slices.Sorted(maps.Keys(all)) {
			u := all[target]
			if u.bytes > 20_000 && u.most*5 < u.bytes {
				s.AtFile(target, 1,
					fmt.Sprintf("of %s, %s, at most %s is used on any of %s that load it", target,
						wording.Size(int64(u.bytes)), wording.Size(int64(u.most)), wording.Count(u.pages, "page")),
					"look for a smaller build, or load it only where it is needed")
			}
		}
	},
}

// usedOn is what one page uses of the files that it loads.
type usedOn struct {
	Files []usedFile `json:"files"`
}

type usedFile struct {
	Target string `json:"target"`
	Bytes  int    `json:"bytes"`
	Used   int    `json:"used"`
}

// usedOfAll is what the pages use of one file.
type usedOfAll struct{ pages, bytes, most int }

// usedFact keeps how much of its files a page uses, at most over its screens.
var usedFact = &check.Kind[usedOn, map[string]*usedOfAll]{
	ID: "used",
	Of: func(p *check.Pass) *usedOn {
		most := map[string]usedFile{}
		for _, r := range p.Visits() {
			for _, u := range r.Used {
				if x := most[u.Target]; u.Used >= x.Used {
					most[u.Target] = usedFile{u.Target, u.Bytes, u.Used}
				}
			}
		}
		if len(most) == 0 {
			return nil
		}
		f := &usedOn{}
		for _, target := range slices.Sorted(maps.Keys(most)) {
			f.Files = append(f.Files, most[target])
		}
		return f
	},
	Add: func(sum *map[string]*usedOfAll, _ check.PageAt, fact *usedOn) {
		if *sum == nil {
			*sum = map[string]*usedOfAll{}
		}
		for _, x := range fact.Files {
			u := (*sum)[x.Target]
			if u == nil {
				u = &usedOfAll{}
				(*sum)[x.Target] = u
			}
			u.pages++
			u.bytes, u.most = max(u.bytes, x.Bytes), max(u.most, x.Used)
		}
	},
}
