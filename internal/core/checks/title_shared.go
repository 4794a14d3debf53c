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
	Bad:  "-- site/visit/index.html --\n<title>Tern Hill Observatory</title>\n-- site/contact/index.html --\n<title>Tern Hill Observatory</title>",
	Good: "-- site/visit/index.html --\n<title>Visit | Tern Hill Observatory</title>\n-- site/contact/index.html --\n<title>Contact | Tern Hill Observatory</title>",
	Site: func(s *SitePass) {
		shared(s, func(k *Kept) (string, int, int) { return k.Title, k.TitleLine, k.TitleCol }, func(n int, value, others string) (string, string) {
			return fmt.Sprintf("%d pages have the title %q:%s too", n, cutTo(value, 60), others), `give each its own, by a metadata rule: title: "@{page.heading} | @{site.name}"`
		})
	},
}

// shared reports a value that several pages have, once for all of them, on the
// first.
func shared(s *SitePass, value func(*Kept) (v string, line, column int), say func(n int, value, others string) (message, remedy string)) {
	by := map[string][]int{}
	for i := range s.Pages {
		if v, _, _ := value(&s.Pages[i]); v != "" && !s.Pages[i].Redirect {
			by[v] = append(by[v], i)
		}
	}
	for i := range s.Pages {
		v, line, column := value(&s.Pages[i])
		same := by[v]
		if v == "" || len(same) < 2 || same[0] != i {
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
		message, remedy := say(len(same), v, others)
		s.Report(&s.Pages[i], line, column, message, remedy)
	}
}
