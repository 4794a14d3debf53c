package checks

import (
	"fmt"

	"yellowgate/internal/core/gatefile"
)

var titleShared = &Check{
	Name: "title-shared", Family: "head", Severity: gatefile.Warning,
	Title: "several pages have the same title",
	Doc: `Visitors cannot tell pages with one title apart in their tabs, their history and in
search results. Mostly a title was written into a template and never changed. Set
titles from what differs: title: "@{page.heading} | @{site.name}". The finding
stands on the first of the pages and names the others.`,
	Bad:  "/visit/    <title>Tern Hill Observatory</title>\n/contact/  <title>Tern Hill Observatory</title>",
	Good: "/visit/    <title>Visit | Tern Hill Observatory</title>\n/contact/  <title>Contact | Tern Hill Observatory</title>",
	Site: func(s *SitePass) {
		by := map[string][]int{}
		for i := range s.Pages {
			if k := &s.Pages[i]; k.Title != "" && !k.Redirect {
				by[k.Title] = append(by[k.Title], i)
			}
		}
		for i := range s.Pages {
			k := &s.Pages[i]
			same := by[k.Title]
			if k.Title == "" || len(same) < 2 || same[0] != i {
				continue
			}
			others := ""
			for n, j := range same[1:] {
				if n == 3 {
					others += fmt.Sprintf(" and %d more", len(same)-4)
					break
				}
				if n > 0 {
					others += ","
				}
				others += " " + s.Pages[j].Path
			}
			s.Report(k, k.TitleLine, k.TitleCol, fmt.Sprintf("%d pages have the title %q:%s too", len(same), cutTo(k.Title, 60), others),
				`give each its own, by a metadata rule: title: "@{page.heading} | @{site.name}"`)
		}
	},
}
