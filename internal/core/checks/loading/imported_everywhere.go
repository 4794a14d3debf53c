package loading

import (
	"fmt"
	"maps"
	"slices"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

var importedEverywhere = &check.Check{
	Name: "imported-everywhere", Family: "loading", Severity: problem.Note,
	Title: "every page gets a file only because another file imports it",
	Doc: `No tag of any page names the file, so nobody sees it in the source, and no gate can
leave it out anywhere: whatever page loads the one file loads the other. A browser
learns of it late, once the first has come. On some pages none of its selectors matches:
take the import out and let the file in by an item of its own, where it is needed.`,
	Bad: "-- site/css/site.css --\n@import \"slides.css\";\nbody { margin: 0 }\n-- site/css/slides.css --\n" +
		".slides { height: 20em }\n-- site/index.html --\n<link rel=\"stylesheet\" href=\"/css/site.css\">\n" +
		"-- site/visit/index.html --\n<link rel=\"stylesheet\" href=\"/css/site.css\">",
	Good: "-- site/css/site.css --\nbody { margin: 0 }\n-- site/css/slides.css --\n.slides { height: 20em }\n" +
		"-- site/index.html --\n<link rel=\"stylesheet\" href=\"/css/site.css\">\n" +
		"<link rel=\"stylesheet\" href=\"/css/slides.css\">\n-- site/visit/index.html --\n" +
		"<link rel=\"stylesheet\" href=\"/css/site.css\">",
	Site: func(s *check.SitePass) {
		all, needless := check.LoadFact.All(s), styleFact.All(s).needless
		if all.Pages < 2 {
			return
		}
		for _, target := range slices.Sorted(maps.Keys(all.Imported)) {
			m := all.Imported[target]
			if m.By == "" || m.Pages < all.Pages || all.Loaded[target] > 0 || needless[target] == 0 {
				continue
			}
			s.AtFile(m.By, s.LineOf(m.By, target),
				fmt.Sprintf("all %d pages get %s only because %s imports it, and on %d of them it styles nothing",
					m.Pages, target, m.By, needless[target]),
				s.Site.Remedy("take the import out, and make the file an item of its own",
					"take the import out, and link the file from the pages that use it"))
		}
	},
}
