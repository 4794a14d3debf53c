package checks

import (
	"fmt"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/inventory"
)

var titleMissing = &Check{
	Name: "title-missing", Family: "head", Severity: gatefile.Error,
	Title: "the page has no title",
	Doc: `The title names the page in the browser's tab, in bookmarks, in search results and
to screen readers. Without one, visitors see the address. Give every page a title,
by a metadata rule for example: title: "@{page.heading} | @{site.name}".`,
	Bad:  "<head>\n  <meta charset=\"utf-8\">\n</head>",
	Good: "<head>\n  <meta charset=\"utf-8\">\n  <title>Visit | Tern Hill Observatory</title>\n</head>",
	Page: func(p *Pass) {
		if p.Fragment || p.Page.Redirect || len(titles(p)) > 0 {
			return
		}
		line, col := p.headAt()
		p.Report(line, col, "", "the page has no title", `write <title>…</title> into its head, or add a metadata rule with title`)
	},
}

var titleRepeated = &Check{
	Name: "title-repeated", Family: "head", Severity: gatefile.Error,
	Title: "the page has more than one title",
	Doc: `A page has one title. Browsers show the first and ignore the others; a search engine
may take either. Two titles mostly mean that two templates, or a template and an
add-on, each write one. Keep one.`,
	Bad:  "<title>Journal</title>\n<title>Tern Hill Observatory</title>",
	Good: "<title>Journal | Tern Hill Observatory</title>",
	Page: func(p *Pass) {
		all := titles(p)
		for i, e := range all {
			if i > 0 {
				p.At(e, fmt.Sprintf("a second title, %q; the first is in line %d", cutTo(e.Label, 60), all[0].Line), "keep one of them")
			}
		}
	},
}

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

// titles lists the title elements of the page itself.
func titles(p *Pass) (out []*inventory.Element) {
	for i := range p.Elements {
		if e := &p.Elements[i]; e.Tag == "title" && Own(e) {
			out = append(out, e)
		}
	}
	return out
}
