package checks

import (
	"bytes"
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"

	"yellowgate/internal/core/evidence"
	"yellowgate/internal/core/inventory"
)

// What the pages of a site load, gathered while they are looked at, for the checks
// that ask of all of them.

// imported is a file that pages get by imports.
type imported struct {
	pages int
	by    string // the first file, by name, that imports it
}

// An asked is a file that another file of the site asks for: by an import, a url(), or code
// that runs. Whatever is wrong with it is wrong there, however many pages load that file.
type asked struct {
	inventory.Import
	pages  int
	secure bool // one of the pages comes over https
}

// says tells who asks for it and on how many pages.
func (a *asked) says() string {
	pages := "on 1 page"
	if a.pages > 1 {
		pages = fmt.Sprintf("on %d pages", a.pages)
	}
	return fmt.Sprintf("%s, loaded %s, %s %s", a.By, pages, a.How(), a.Written())
}

// ask adds what a file asks for.
func (s *Site) ask(m *inventory.Import, secure bool) {
	key := m.By + "\x00" + m.Target
	a := s.asked[key]
	if a == nil {
		a = &asked{Import: *m}
		s.asked[key] = a
	}
	a.pages++
	a.secure = a.secure || secure
	a.Later = a.Later && m.Later
}

// eachAsked visits what files ask for, in one order.
func (s *SitePass) eachAsked(visit func(*asked)) {
	if s.Site == nil {
		return
	}
	for _, key := range slices.Sorted(maps.Keys(s.Site.asked)) {
		visit(s.Site.asked[key])
	}
}

// atAsked adds a finding at the file that asks.
func (s *SitePass) atAsked(a *asked, message, remedy string) {
	line := max(a.Line, 1)
	if a.Line == 0 && s.Site.Read != nil {
		line = s.lineOf(a.By, a.Target)
	}
	s.findings = append(s.findings, Finding{s.check.Name, s.check.Severity.String(), "", strings.TrimPrefix(a.By, "/"), line, 1, "", message, remedy, 0})
}

// Prepare makes the site ready for the checks that read stylesheets and scripts: the
// stylesheets among Code are read.
func (s *Site) Prepare() {
	s.puts = map[string]bool{}
	s.asked, s.needless = map[string]*asked{}, map[string]int{}
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

// eachCode visits what of a page may load a file: its tags, its scripts and styles, and comments
// that some browsers read. What stands in its text names a file and loads none.
func (p *Pass) eachCode(visit func(text []byte, script bool)) {
	text := p.Source.Text
	for _, t := range p.Scan.Tags {
		if t.End > t.NameEnd+5 {
			visit(text[t.NameEnd:t.End], false)
		}
	}
	for i := range p.Elements {
		if e := &p.Elements[i]; (e.Tag == "script" || e.Tag == "style") && e.El.ContentEnd > e.El.TagEnd {
			visit(text[e.El.TagEnd:e.El.ContentEnd], e.Tag == "script")
		}
	}
	for at := 0; ; {
		i := bytes.Index(text[at:], []byte("<!--[if"))
		if i < 0 {
			return
		}
		end := bytes.Index(text[at+i:], []byte("-->"))
		if end < 0 {
			return
		}
		visit(text[at+i:at+i+end], false)
		at += i + end
	}
}

// gather adds a page to what is known of the site. Whatever the order of the pages,
// the same comes out.
func (p *Pass) gather() {
	s := p.Site
	if s == nil || s.loaded == nil {
		return
	}
	named := map[string]bool{}
	puts := map[string]bool{}
	p.eachCode(func(text []byte, script bool) {
		mentioned(text, func(name string) {
			if s.codeNames[name] {
				named[name] = true
			}
		})
		if script {
			putsTogether(text, puts)
		}
	})
	s.mutex.Lock()
	defer s.mutex.Unlock()
	for name := range named {
		s.named[name] = true
	}
	for kind := range puts {
		s.puts[kind] = true
	}
	for i := range p.Elements {
		e := &p.Elements[i]
		if e.Loads && e.Party == "own" {
			s.loaded[e.Ref.Path]++
		}
		if Own(e) {
			for _, list := range [][]inventory.Import{e.Imports, e.Brings, e.Files} {
				for k := range list {
					if m := &list[k]; m.By != "" && (m.Dead || m.Party == "third") {
						s.ask(m, p.Base.Secure())
					}
				}
			}
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
	for _, target := range p.styles().Needless {
		s.needless[target]++
	}
}
