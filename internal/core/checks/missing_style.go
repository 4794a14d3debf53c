package checks

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"yellowgate/internal/core/evidence"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
)

var missingStyle = &Check{
	Name: "missing-style", Family: "loading", Severity: gatefile.Warning,
	Title: "the page has elements that a stylesheet is for, and does not load it",
	Doc: `Nearly all other pages with such elements load the stylesheet, and nothing that this
page loads has a rule for them: visitors see them bare. Mostly the link was forgotten
when the page was made. Load it here too; with an item, by what it is for:
pages: has(form).`,
	Bad:  "-- site/css/forms.css --\nform.join { padding: 1em }\n-- site/shop/index.html --\n<link rel=\"stylesheet\" href=\"/css/forms.css\">\n<form class=\"join\"></form>\n-- site/book/index.html --\n<link rel=\"stylesheet\" href=\"/css/forms.css\">\n<form class=\"join\"></form>\n-- site/contact/index.html --\n<link rel=\"stylesheet\" href=\"/css/forms.css\">\n<form class=\"join\"></form>\n-- site/members/index.html --\n<link rel=\"stylesheet\" href=\"/css/forms.css\">\n<form class=\"join\"></form>\n-- site/join/index.html --\n<form class=\"join\"></form>",
	Good: "-- site/css/forms.css --\nform.join { padding: 1em }\n-- site/shop/index.html --\n<link rel=\"stylesheet\" href=\"/css/forms.css\">\n<form class=\"join\"></form>\n-- site/book/index.html --\n<link rel=\"stylesheet\" href=\"/css/forms.css\">\n<form class=\"join\"></form>\n-- site/contact/index.html --\n<link rel=\"stylesheet\" href=\"/css/forms.css\">\n<form class=\"join\"></form>\n-- site/members/index.html --\n<link rel=\"stylesheet\" href=\"/css/forms.css\">\n<form class=\"join\"></form>\n-- site/join/index.html --\n<link rel=\"stylesheet\" href=\"/css/forms.css\">\n<form class=\"join\"></form>",
	Site: func(s *SitePass) {
		if s.Site == nil || s.Site.looks == nil {
			return
		}
		pages := s.Site.styled // name and stylesheet -> pages that have both
		bare := map[evidence.Styled]int{}
		for i := range s.Pages {
			for _, b := range s.Pages[i].Bare {
				for _, sheet := range b.Sheets {
					bare[evidence.Styled{Name: b.Name, Sheet: sheet}]++
				}
			}
		}
		for i := range s.Pages {
			k := &s.Pages[i]
			names := map[string][]BareName{} // by the stylesheet that is missing
			var whole *evidence.Vocabulary   // of the page, looked at again once something is suspected
			matches := func(b BareName, sheet string) string {
				if whole == nil {
					if whole = s.vocabulary(k); whole == nil {
						return ""
					}
				}
				return s.Site.looks.Missing(whole, b.Name, sheet)
			}
			for _, b := range k.Bare {
				for _, sheet := range b.Sheets {
					at := evidence.Styled{Name: b.Name, Sheet: sheet}
					if !enough(b.Name, pages[at], bare[at]) || !s.telling(b.Name, sheet) {
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
				s.Report(k, b.Line, b.Column, fmt.Sprintf("%s is for such elements (%s), %s, and this one does not",
					best, matches(b, best), others(pages[evidence.Styled{Name: b.Name, Sheet: best}])), "load it here too")
				told := slices.Clone(names[best])
				for sheet := range names {
					names[sheet] = slices.DeleteFunc(names[sheet], func(x BareName) bool {
						return slices.ContainsFunc(told, func(y BareName) bool { return x.Name == y.Name })
					})
					if len(names[sheet]) == 0 {
						delete(names, sheet)
					}
				}
			}
		}
	},
}

func others(n int) string {
	if n == 1 {
		return "the other page with them loads it"
	}
	return fmt.Sprintf("%d pages with them load it", n)
}

// enough reports whether so many pages load a stylesheet for a name, and so few have the name
// bare, that it is a mistake: of a class or an id one other page tells, since the second of two
// forms is where a link is forgotten.
func enough(name string, styled, bare int) bool {
	if name[0] == '.' || name[0] == '#' {
		return styled >= 1 && bare <= max(1, styled/4)
	}
	return styled >= 2 && bare*4 <= styled
}

// telling reports whether a name says that a stylesheet belongs to the page: a class
// or an id, or a tag that few pages have and that looks bare without a style. Words,
// lists and tables look like something anyway, and a page without the site's general
// style may be meant so.
func (s *SitePass) telling(name, sheet string) bool {
	if name[0] == '.' || name[0] == '#' {
		return true
	}
	return (controls[name] || strings.Contains(name, "-") && name[0] != '[') && s.Site.loaded[sheet]*2 <= len(s.Pages)
}

var controls = map[string]bool{"form": true, "fieldset": true, "input": true, "select": true, "textarea": true, "button": true, "dialog": true, "details": true, "video": true, "audio": true, "canvas": true, "progress": true, "meter": true}

// A BareName is a name on a page that no stylesheet of the page has.
type BareName struct {
	Name         string
	Line, Column int
	Sheets       []string // of the site that have it
}

// keepBare keeps the names for which the page lacks a stylesheet.
func (p *Pass) keepBare() {
	list := p.styles().Bare
	if len(list) == 0 {
		return
	}
	slices.SortFunc(list, func(a, b evidence.Bare) int { return cmp.Or(a.Offset-b.Offset, cmp.Compare(a.Name, b.Name)) })
	locate := markup.NewLocator(p.Source.Text)
	for _, b := range list[:min(len(list), 32)] {
		line, column := locate.Locate(b.Offset)
		p.kept.Bare = append(p.kept.Bare, BareName{b.Name, line, column, b.Sheets})
	}
}

// vocabulary reads a page again, whole; nil where it is gone.
func (s *SitePass) vocabulary(k *Kept) *evidence.Vocabulary {
	text, ok := s.Site.Read("/" + k.File)
	if !ok {
		return nil
	}
	src := markup.Read(text)
	return evidence.Read(src, markup.ScanTags(src.Text, nil), nil)
}
