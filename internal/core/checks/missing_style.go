package checks

import (
	"cmp"
	"fmt"
	"slices"

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
	Bad:  "<form class=\"join\">…</form>\n(and no /css/forms.css, which the other pages with forms load)",
	Good: "form-style: {stylesheet: /css/forms.css, pages: has(form)}",
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
			told := map[string]bool{}
			for _, b := range k.Bare {
				for _, sheet := range b.Sheets {
					with, without := pages[evidence.Styled{Name: b.Name, Sheet: sheet}], bare[evidence.Styled{Name: b.Name, Sheet: sheet}]
					if told[sheet] || with < 2 || without*4 > with {
						continue
					}
					if b.Name[0] != '.' && b.Name[0] != '#' && s.Site.loaded[sheet]*2 > len(s.Pages) {
						continue // a page without the site's general style may be meant so
					}
					if sel := s.bare(k, b, sheet); sel != "" {
						told[sheet] = true
						s.Report(k, b.Line, b.Column, fmt.Sprintf("%s is for such elements (%s), %d pages with them load it, and this one does not", sheet, sel, with), "load it here too")
					}
				}
			}
		}
	},
}

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

// bare looks at the page again, whether a selector of the stylesheet with the name
// really matches there.
func (s *SitePass) bare(k *Kept, b BareName, sheet string) string {
	text, ok := s.Site.Read("/" + k.File)
	if !ok {
		return ""
	}
	src := markup.Read(text)
	return s.Site.looks.Missing(src, markup.Scan(src.Text, nil), b.Name, sheet)
}
