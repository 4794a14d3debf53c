package checks

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"yellowgate/internal/core/gatefile"
)

var importedEverywhere = &Check{
	Name: "imported-everywhere", Family: "loading", Severity: gatefile.Note,
	Title: "every page gets a file only because another file imports it",
	Doc: `No tag of any page names the file, so nobody sees it in the source, and no gate can
leave it out anywhere: whatever page loads the one file loads the other. A browser
learns of it late, once the first has come. On some pages none of its selectors matches:
take the import out and let the file in by an item of its own, where it is needed.`,
	Bad:  "-- site/css/site.css --\n@import \"slides.css\";\nbody { margin: 0 }\n-- site/css/slides.css --\n.slides { height: 20em }\n-- site/index.html --\n<link rel=\"stylesheet\" href=\"/css/site.css\">\n-- site/visit/index.html --\n<link rel=\"stylesheet\" href=\"/css/site.css\">",
	Good: "-- site/css/site.css --\nbody { margin: 0 }\n-- site/css/slides.css --\n.slides { height: 20em }\n-- site/index.html --\n<link rel=\"stylesheet\" href=\"/css/site.css\">\n<link rel=\"stylesheet\" href=\"/css/slides.css\">\n-- site/visit/index.html --\n<link rel=\"stylesheet\" href=\"/css/site.css\">",
	Site: func(s *SitePass) {
		if s.Site == nil || len(s.Pages) < 2 {
			return
		}
		for _, target := range slices.Sorted(maps.Keys(s.Site.imported)) {
			m := s.Site.imported[target]
			if m.by == "" || m.pages < len(s.Pages) || s.Site.loaded[target] > 0 || s.Site.needless[target] == 0 {
				continue
			}
			file := strings.TrimPrefix(m.by, "/")
			s.findings = append(s.findings, Finding{s.check.Name, s.check.Severity.String(), "", file, s.lineOf(m.by, target), 1, "",
				fmt.Sprintf("all %d pages get %s only because %s imports it, and on %d of them it styles nothing", m.pages, target, m.by, s.Site.needless[target]), "take the import out and let it in by an item of its own", 0})
		}
	},
}

// lineOf is the line of a file in which the name of another stands first.
func (s *SitePass) lineOf(file, target string) int {
	text, ok := s.Site.Read(file)
	name := target[strings.LastIndexByte(target, '/')+1:]
	i := strings.Index(string(text), name)
	if !ok || i < 0 {
		return 1
	}
	return 1 + strings.Count(string(text[:i]), "\n")
}
