package checks

import (
	"path"

	"yellowgate/internal/core/evidence"
)

// What the pages of a site load, gathered while they are looked at, for the checks
// that ask of all of them.

// imported is a file that pages get by imports.
type imported struct {
	pages int
	by    string // the first file, by name, that imports it
}

// Prepare makes the site ready for the checks that read stylesheets and scripts: the
// stylesheets among Code are read.
func (s *Site) Prepare() {
	s.loaded, s.imported, s.named, s.styled = map[string]int{}, map[string]*imported{}, map[string]bool{}, map[evidence.Styled]int{}
	s.codeNames = map[string]bool{}
	var sheets []string
	for _, file := range s.Code {
		s.codeNames[path.Base(file)] = true
		if path.Ext(file) == ".css" {
			sheets = append(sheets, file)
		}
	}
	if s.Read != nil {
		s.Library = &evidence.Library{Read: s.Read}
		s.looks = evidence.NewStyles(s.Library, sheets)
	}
}

// styles holds the page against the site's stylesheets, once.
func (p *Pass) styles() *evidence.PageStyles {
	if p.pageStyles == nil {
		p.pageStyles = &evidence.PageStyles{}
		if p.Site != nil && p.Site.looks != nil && !p.Frameset {
			*p.pageStyles = p.Site.looks.Look(p.Record, evidence.Read(p.Source, p.Scan, p.Site.looks.Wanted))
		}
	}
	return p.pageStyles
}

// gather adds a page to what is known of the site. Whatever the order of the pages,
// the same comes out.
func (p *Pass) gather() {
	s := p.Site
	if s == nil || s.loaded == nil {
		return
	}
	named := map[string]bool{}
	mentioned(p.Source.Text, func(name string) {
		if s.codeNames[name] {
			named[name] = true
		}
	})
	s.mutex.Lock()
	defer s.mutex.Unlock()
	for name := range named {
		s.named[name] = true
	}
	for i := range p.Elements {
		e := &p.Elements[i]
		if e.Loads && e.Party == "own" {
			s.loaded[e.Ref.Path]++
		}
		for _, m := range e.Gets() {
			x := s.imported[m.Target]
			if x == nil {
				x = &imported{by: m.By}
				s.imported[m.Target] = x
			}
			x.pages++
			if m.By != "" && (x.by == "" || m.By < x.by) {
				x.by = m.By
			}
		}
	}
	for _, x := range p.styles().Styled {
		s.styled[x]++
	}
}
