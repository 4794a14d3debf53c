package loading

import (
	"cmp"
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/usage"
	"yellowgate/internal/core/wording"
)

var missingStyle = &check.Check{
	Name: "missing-style", Family: "loading", Severity: problem.Warning,
	Title: "the page has elements that a stylesheet is for, and does not load it",
	Doc: `Nearly all other pages of this template (made by the same generator, with the same
classes of the body and the same stylesheets) that have such elements load the stylesheet,
and nothing that this page loads has a rule for them: visitors see them bare. Mostly the link was forgotten
when the page was made. Load it here too; with an item, by what it is for:
pages: has(form).`,
	Bad: "-- site/css/forms.css --\nform.join { padding: 1em }\n-- site/shop/index.html --\n" +
		"<link rel=\"stylesheet\" href=\"/css/forms.css\">\n<form class=\"join\"></form>\n" +
		"-- site/book/index.html --\n<link rel=\"stylesheet\" href=\"/css/forms.css\">\n" +
		"<form class=\"join\"></form>\n-- site/contact/index.html --\n" +
		"<link rel=\"stylesheet\" href=\"/css/forms.css\">\n<form class=\"join\"></form>\n" +
		"-- site/members/index.html --\n<link rel=\"stylesheet\" href=\"/css/forms.css\">\n" +
		"<form class=\"join\"></form>\n-- site/join/index.html --\n<form class=\"join\"></form>",
	Good: "-- site/css/forms.css --\nform.join { padding: 1em }\n-- site/shop/index.html --\n" +
		"<link rel=\"stylesheet\" href=\"/css/forms.css\">\n<form class=\"join\"></form>\n" +
		"-- site/book/index.html --\n<link rel=\"stylesheet\" href=\"/css/forms.css\">\n" +
		"<form class=\"join\"></form>\n-- site/contact/index.html --\n" +
		"<link rel=\"stylesheet\" href=\"/css/forms.css\">\n<form class=\"join\"></form>\n" +
		"-- site/members/index.html --\n<link rel=\"stylesheet\" href=\"/css/forms.css\">\n" +
		"<form class=\"join\"></form>\n-- site/join/index.html --\n" +
		"<link rel=\"stylesheet\" href=\"/css/forms.css\">\n<form class=\"join\"></form>",
	Site: func(s *check.SitePass) {
		all := styleFact.All(s)
		if s.Site.Looks == nil {
			return
		}
		pages := all.styled
		unstyled := map[usage.Styled]int{}
		bare := map[string]bool{} // folders of the site with such pages
		for _, x := range all.unstyled {
			bare[parentOf(x.Path)] = true
			for _, b := range x.names {
				for _, sheet := range s.Site.Looks.Having(b.Name) {
					unstyled[usage.Styled{Name: b.Name, Sheet: sheet}]++
				}
			}
		}
		for _, x := range all.unstyled {
			names := map[string][]unstyledName{} // by the stylesheet that is missing
			var whole *usage.Vocabulary          // of the page, looked at again once something is suspected
			matches := func(b unstyledName, sheet string) string {
				if whole == nil {
					if whole = vocabularyOf(s, x.File); whole == nil {
						return ""
					}
				}
				return s.Site.Looks.Missing(whole, b.Name, sheet)
			}
			for _, b := range x.names {
				for _, sheet := range s.Site.Looks.Having(b.Name) {
					at := usage.Styled{Name: b.Name, Sheet: sheet}
					if !x.like(all, at, bare) || !enough(b.Name, pages[at], unstyled[at]) || !tellingNames(s, b.Name, sheet) {
						continue
					}
					if matches(b, sheet) != "" {
						names[sheet] = append(names[sheet], b)
					}
				}
			}
			for len(names) > 0 { // the one that is for most of them; then what is left
				best := ""
				for _, sheet := range slices.Sorted(maps.Keys(names)) {
					if best == "" || len(names[sheet]) > len(names[best]) {
						best = sheet
					}
				}
				b := names[best][0]
				s.Report(x.PageAt, b.Line, b.Column,
					others(pages[usage.Styled{Name: b.Name, Sheet: best}], matches(b, best), best),
					"load it here too").Of(best)
				told := slices.Clone(names[best])
				for sheet := range names {
					names[sheet] = slices.DeleteFunc(names[sheet], func(x unstyledName) bool {
						return slices.ContainsFunc(told, func(y unstyledName) bool { return x.Name == y.Name })
					})
					if len(names[sheet]) == 0 {
						delete(names, sheet)
					}
				}
			}
		}
	},
}

// others says how many pages with an element load a stylesheet.
func others(n int, element, sheet string) string {
	if n == 1 {
		return fmt.Sprintf("the other page with %s loads %s; this one does not", element, sheet)
	}
	return fmt.Sprintf("%s with %s load %s; this one does not", wording.Count(n, "other page"), element, sheet)
}

// enough reports whether so many pages load a stylesheet for a name, and so few have the name
// bare, that it is a mistake: of a class or an id one other page tells, since the second of two
// forms is where a link is forgotten.
func enough(name string, styled, unstyled int) bool {
	if name[0] == '.' || name[0] == '#' {
		return styled >= 1 && unstyled <= max(1, styled/4)
	}
	return styled >= 2 && unstyled*4 <= styled
}

// tellingNames reports whether a name says that a stylesheet belongs to the page: a class
// or an id, or a tag that few pages have and that looks bare without a style. Words,
// lists and tables look like something anyway, and a page without the site's general
// style may be meant so.
func tellingNames(s *check.SitePass, name, sheet string) bool {
	if name[0] == '.' || name[0] == '#' {
		return true
	}
	return (controls[name] || strings.Contains(name, "-") && name[0] != '[') &&
		check.LoadFact.All(s).Loaded[sheet]*2 <= s.Gathered.Pages
}

var controls = map[string]bool{
	"form": true, "fieldset": true, "input": true, "select": true, "textarea": true, "button": true,
	"dialog": true, "details": true, "video": true, "audio": true, "canvas": true, "progress": true,
	"meter": true,
}

// A unstyledName is a name on a page that no stylesheet of the page has, and others of the site have.
type unstyledName struct {
	Name   string `json:"name"`
	Line   int    `json:"line"`
	Column int    `json:"column"`
}

// styles is what a page makes of the stylesheets of its site.
type styles struct {
	Styled   []styledBy     `json:"styled,omitempty"`
	Needless []string       `json:"needless,omitempty"` // stylesheets that it imports, none of whose selectors matches
	Unstyled []unstyledName `json:"unstyled,omitempty"`
	Template string         `json:"template,omitempty"` // see templateOf
	Sheets   []string       `json:"sheets,omitempty"`   // the site's stylesheets that it loads
}

type allStyles struct {
	styled map[usage.Styled]int // pages that have the name and load the stylesheet
	// By a name and its stylesheet: what else pages with both load, by their templates.
	along    map[usage.Styled]map[string]map[string]bool
	needless map[string]int // pages
	unstyled []unstyledOn
}

type unstyledOn struct {
	check.PageAt
	names    []unstyledName
	template string
	sheets   []string
}

// like reports whether pages of the same template, with what this one loads, load a stylesheet for a name. bare are
// the folders with other pages that lack one.
func (x *unstyledOn) like(all *allStyles, at usage.Styled, bare map[string]bool) bool {
	template := x.template
	if part := parentOf(x.Path); len(x.sheets) == 0 { // a part of the site may have none at all
		if own := strings.TrimSuffix(x.Path, "/"); own != x.Path && bare[own] {
			part = own // it is the first page of that part
		}
		template += "\n" + part
	}
	sheets, ok := all.along[at][template]
	return ok && !slices.ContainsFunc(x.sheets, func(s string) bool { return !sheets[s] })
}

// parentOf is the folder that a page is in: "/events" for /events/perseids/.
func parentOf(p string) string { return path.Dir(strings.TrimSuffix(p, "/")) }

// templateOf is what pages of one template have alike: the generator that made them, and the classes of the body.
func templateOf(p *check.Pass) string {
	class := ""
	if !p.Scan.BodyTag.None() {
		class, _ = p.Source.Attr(p.Scan.BodyTag.Start, "class")
	}
	words := strings.Fields(class)
	slices.Sort(words)
	return p.Page.Meta["generator"] + "\n" + strings.Join(words, " ")
}

// mostTemplates bounds how many templates are told apart for a name and a stylesheet.
const mostTemplates = 40

// alongWith notes what a page loads that has a name and the stylesheet for it.
func (sum *allStyles) alongWith(at usage.Styled, template string, loads []string) {
	if sum.along[at] == nil {
		sum.along[at] = map[string]map[string]bool{}
	}
	sheets := sum.along[at][template]
	if sheets == nil {
		if len(sum.along[at]) == mostTemplates {
			return
		}
		sheets = map[string]bool{}
		sum.along[at][template] = sheets
	}
	for _, s := range loads {
		sheets[s] = true
	}
}

// styledBy is a stylesheet that a page loads, and the names on the page that it has.
type styledBy struct {
	Sheet string   `json:"sheet"`
	Names []string `json:"names"`
}

// mostUnstyled is how many names are kept of a page for which it lacks a stylesheet.
const mostUnstyled = 32

var styleFact = &check.Kind[styles, allStyles]{
	ID: "styles",
	Of: func(p *check.Pass) *styles {
		looks := stylesOf(p)
		if len(looks.Styled)+len(looks.Needless)+len(looks.Unstyled) == 0 {
			return nil
		}
		fact := &styles{Needless: looks.Needless, Template: templateOf(p)}
		for i := range p.Elements {
			if e := &p.Elements[i]; e.IsStylesheet() && e.Party == "own" && check.Own(e) {
				fact.Sheets = append(fact.Sheets, e.Target)
			}
		}
		for _, x := range looks.Styled {
			if n := len(fact.Styled); n == 0 || fact.Styled[n-1].Sheet != x.Sheet {
				fact.Styled = append(fact.Styled, styledBy{Sheet: x.Sheet})
			}
			of := &fact.Styled[len(fact.Styled)-1]
			of.Names = append(of.Names, x.Name)
		}
		list := looks.Unstyled
		slices.SortFunc(
			list,
			func(a, b usage.Unstyled) int { return cmp.Or(a.Offset-b.Offset, cmp.Compare(a.Name, b.Name)) },
		)
		for _, b := range list[:min(len(list), mostUnstyled)] {
			line, column := p.Locate(b.Offset)
			fact.Unstyled = append(fact.Unstyled, unstyledName{b.Name, line, column})
		}
		return fact
	},
	Add: func(sum *allStyles, at check.PageAt, fact *styles) {
		if sum.styled == nil {
			sum.styled, sum.needless = map[usage.Styled]int{}, map[string]int{}
			sum.along = map[usage.Styled]map[string]map[string]bool{}
		}
		for _, x := range fact.Styled {
			for _, name := range x.Names {
				key := usage.Styled{Name: name, Sheet: x.Sheet}
				sum.styled[key]++
				sum.alongWith(key, fact.Template, fact.Sheets)
				sum.alongWith(key, fact.Template+"\n"+parentOf(at.Path), nil)
			}
		}
		for _, target := range fact.Needless {
			sum.needless[target]++
		}
		if len(fact.Unstyled) > 0 {
			sum.unstyled = append(sum.unstyled, unstyledOn{at, fact.Unstyled, fact.Template, fact.Sheets})
		}
	},
}

// stylesOf looks at the page with the site's stylesheets, once.
func stylesOf(p *check.Pass) *usage.PageStyles {
	if p.PageStyles == nil {
		p.PageStyles = &usage.PageStyles{}
		if p.Site != nil && p.Site.Looks != nil && !p.Frameset && !check.Swallowed(p) {
			*p.PageStyles = p.Site.Looks.Look(p.Record, usage.Read(p.Source, p.Scan, p.Site.Looks.Wanted))
		}
	}
	return p.PageStyles
}

// vocabularyOf reads a page again, whole; nil where it is gone.
func vocabularyOf(s *check.SitePass, file string) *usage.Vocabulary {
	text, ok := s.Site.ReadFile("/" + file)
	if !ok {
		return nil
	}
	src := markup.Read(text)
	return usage.Read(src, markup.ScanTags(src.Text, nil), nil)
}
