package check

import (
	"path"

	"github.com/zeebo/xxh3"

	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/memo"
	"yellowgate/internal/core/syntax"
	"yellowgate/internal/core/usage"
)

// Known is what is known of the site as a whole before a page is looked at.
type Known struct {
	// HasFile reports whether the site has a file or a page at a path.
	HasFile func(path string) bool
	// HasPage reports whether the site has a page at a path.
	HasPage func(path string) bool
	// Read returns a file of the site, by its path; it may be nil.
	Read func(path string) ([]byte, bool)
	// Trust are the hosts whose code is expected; none for any.
	Trust []string
	// Gate: a gate file says what is on the pages, and can be told what to mend.
	Gate bool
	// Nowhere: nobody says at which address the site is, not the gate file, a server, a sitemap nor a page's
	// canonical, as with documentation that is read from a disk.
	Nowhere bool
	// Strict asks for more than most sites want.
	Strict bool
	// Code are the paths of the site's scripts and stylesheets.
	Code []string
	// Addresses is how a server answered; nil for a site of files alone.
	Addresses *Addresses
}

// Site is the site while its pages are looked at. Pages leave nothing in it that another page
// could see: what it remembers are answers that are the same whoever asks.
type Site struct {
	Known
	Library *usage.Library // nil where the files cannot be read

	Looks     *usage.Styles
	CodeNames map[string]bool // base names of Code
	*memory
}

// NewSite reads the stylesheets of a site.
func NewSite(known Known) *Site {
	s := &Site{Known: known, CodeNames: map[string]bool{}, memory: &memory{}}
	var sheets []string
	for _, file := range s.Code {
		s.CodeNames[path.Base(file)] = true
		if path.Ext(file) == ".css" {
			sheets = append(sheets, file)
		}
	}
	if s.Read != nil {
		s.Library = &usage.Library{Read: s.Read}
		s.Looks = usage.NewStyles(s.Library, sheets)
	}
	return s
}

// Through is the same site for one page, whose questions go through functions of its own.
func (s *Site) Through(known Known) *Site {
	through := *s
	through.Known = known
	return &through
}

// ReadFile returns a file of the site.
func (s *Site) ReadFile(path string) ([]byte, bool) {
	if s.Read == nil {
		return nil, false
	}
	return s.Read(path)
}

// memory keeps what was asked before.
type memory struct {
	pairs  memo.All[[2]string, [2]int]           // what Library.Repeated said of two stylesheets
	parsed memo.Map[inlineText, *syntax.Mistake] // what parsing an inline text found
	// balanced is what was found of tags that an inline text leaves open.
	balanced memo.Map[inlineText, unbalanced]
}

// inlineText stands for a text that many pages have.
type inlineText struct {
	as  string // what it was read as
	sum xxh3.Uint128
}

// unbalanced is what markup.Unbalanced said.
type unbalanced struct {
	at     int
	name   string
	opened bool
}

// Parse parses a text, once for all pages that have it.
func (p *Pass) Parse(language string, text []byte, parse func([]byte) *syntax.Mistake) *syntax.Mistake {
	if p.Site == nil {
		return parse(text)
	}
	return p.Site.parsed.Get(inlineText{language, xxh3.Hash128(text)}, func() *syntax.Mistake { return parse(text) })
}

// Unbalanced is markup.Unbalanced, asked once for all pages that have a text.
func (p *Pass) Unbalanced(text []byte) (at int, name string, opened bool) {
	if p.Site == nil {
		return markup.Unbalanced(text)
	}
	a := p.Site.balanced.Get(inlineText{"html", xxh3.Hash128(text)}, func() (a unbalanced) {
		a.at, a.name, a.opened = markup.Unbalanced(text)
		return a
	})
	return a.at, a.name, a.opened
}

// Repeated is Library.Repeated, asked once for each pair.
func (s *Site) Repeated(sheet, other string) (n, of int) {
	x := s.pairs.Get([2]string{sheet, other}, func() [2]int {
		n, of := s.Library.Repeated(sheet, other)
		return [2]int{n, of}
	})
	return x[0], x[1]
}
