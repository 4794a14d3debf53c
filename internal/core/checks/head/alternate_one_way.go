package head

import (
	"fmt"
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/problem"
)

var alternateOneWay = &check.Check{
	Name: "alternate-one-way", Family: "head", Severity: problem.Warning,
	Title: "a page in another language does not point back",
	Doc: `With hreflang two pages say of each other that they are one text in two languages. Where only one of
them says so, search engines pass over it, and show visitors the wrong language. Each of the pages
names all of them, itself included.`,
	Bad: "-- site/index.html --\n<link rel=\"alternate\" hreflang=\"de\" href=\"/de/\">\n" +
		"-- site/de/index.html --\n<title>Willkommen</title>",
	Good: "-- site/index.html --\n<link rel=\"alternate\" hreflang=\"de\" href=\"/de/\">\n" +
		"-- site/de/index.html --\n<link rel=\"alternate\" hreflang=\"en\" href=\"/\">",
	Site: func(s *check.SitePass) {
		all := *alternateFact.All(s)
		named := map[[2]string]bool{} // who names whom, by their keys
		for _, x := range all {
			for _, a := range x.List {
				named[[2]string{page.Key(x.Path), page.Key(a.Path)}] = true
			}
		}
		for _, x := range all {
			told := map[string]bool{page.Key(x.Path): true}
			for _, a := range x.List {
				key := page.Key(a.Path)
				if told[key] || named[[2]string{key, page.Key(x.Path)}] || s.Site.HasPage == nil ||
					!s.Site.HasPage(a.Path) {
					continue // what is not there is reported as that
				}
				told[key] = true
				s.Report(x.PageAt, a.Line, a.Column,
					fmt.Sprintf("hreflang=%q points to %s, which does not point back", a.Lang, a.Path),
					fmt.Sprintf(`write <link rel="alternate" hreflang="…" href="…"> into the head of %s, for %s`,
						a.Path, x.Path)).Of(a.Path)
			}
		}
	},
}

// alternates are the pages in other languages that a page names.
type alternates struct {
	List []alternate `json:"list"`
}

type alternate struct {
	Lang   string `json:"lang"`
	Path   string `json:"path"`
	Line   int    `json:"line"`
	Column int    `json:"column"`
}

type alternatesOn struct {
	check.PageAt
	alternates
}

var alternateFact = &check.Kind[alternates, []alternatesOn]{
	ID: "alternates",
	Of: func(p *check.Pass) *alternates {
		var f alternates
		for i := range p.Elements {
			e := &p.Elements[i]
			if e.Tag != "link" || !check.Own(e) || !markup.HasRel(e.Rel, "alternate") || !e.Ref.Own || e.URL == "" {
				continue
			}
			if lang, ok := p.Source.Attr(e.El.Start, "hreflang"); ok {
				f.List = append(f.List, alternate{strings.TrimSpace(lang), e.Ref.Page, e.Line, e.Column})
			}
		}
		if len(f.List) == 0 || p.Aside() || p.Noindex() {
			return nil
		}
		return &f
	},
	Add: func(sum *[]alternatesOn, at check.PageAt, fact *alternates) {
		*sum = append(*sum, alternatesOn{at, *fact})
	},
}
