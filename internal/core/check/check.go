// Package check is what all checks of the audit are made of: a check is a value with a name, a severity, a
// text that explains it, and a function from a page, or from the whole site, to findings.
package check

import (
	"sort"
	"strings"

	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/itemmatch"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/pageload"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/usage"
)

// A Check is one thing that the audit looks for.
type Check struct {
	Name     string // in lower-case words with hyphens
	Family   string // gate, head, loading, popups, code, server, rendered
	Severity problem.Severity
	Title    string // one line
	Doc      string // what it is, why it matters to visitors or search engines, how to mend it
	Bad      string // an example with the defect
	Good     string // the same without

	Whole     bool // what all pages have alike is one finding of the site
	Sought    bool // it matters to a page that people come to, not to one that another shows in a frame
	Templates bool // it looks at a generator's templates, and no other check does

	Page func(*Pass)     // looks at one page
	Site func(*SitePass) // looks at the site, and at what is kept of all pages: see facts.go

	// Says is what a finding says of the item that it names.
	Says Said
}

// Said is what a finding says of an item.
type Said uint8

const (
	Nothing Said = iota // of how the item stands to the gate
	Missing             // it is in and not whole
	Leaked              // it is out and there
	Differs             // it is in and not as the gate writes it
)

// A Finding is one result of one check.
type Finding struct {
	Check    string           `json:"check"`
	Severity problem.Severity `json:"severity"`
	Page     string           `json:"page"`
	File     string           `json:"file"`
	Line     int              `json:"line"`
	Column   int              `json:"column"`
	Item     string           `json:"item"`
	// About is what the finding is about: an address as it was resolved, an item, a metadata key, a name;
	// "" for what the check itself says. Findings of one check about one thing have one cause.
	About   string `json:"about"`
	Message string `json:"message"`
	Remedy  string `json:"remedy"`
	// Pages is how many pages a finding of the whole site stands for; 0 for any other.
	Pages int `json:"pages,omitempty"`
}

// OutputState is what the record knows of an output, told by whoever reads it.
type OutputState uint8

const (
	Applied OutputState = iota // it is what was applied, and that is up to date
	Stale                      // gate file, facts or source are newer
	Edited                     // it was changed since it was applied
)

// A Pass is one page on its way through the checks.
type Pass struct {
	Shows int // where the page last shows something; 0 before somebody asked
	leads int // see leadsAway
	*inventory.Record
	Site  *Site
	Gated *itemmatch.Comparison // nil where there is no gate file
	State OutputState
	// Rendered is what a browser made of the page, on each screen; none where it was not opened.
	Rendered []*pageload.Record

	running  *Check
	reported []Finding

	// What several checks ask for, once somebody did.
	metadata   *pageedit.Metadata
	lines      *markup.Lines
	regions    []markup.Region
	regionsSet bool
	PageStyles *usage.PageStyles
	structured *[]structured
}

// Metadata returns the value of each element of the page that carries a metadata
// key, given by its ID, and the elements.
func (p *Pass) Metadata(id string) (values []string, at []markup.Element) {
	if p.metadata == nil {
		p.metadata = pageedit.ReadMetadata(p.Source, p.Scan)
	}
	return p.metadata.Values(id)
}

// A SitePass is all pages at once.
type SitePass struct {
	Gathered *Gathered
	Site     *Site
	Sitemap  map[string]bool // keys of the pages that it lists; nil without one
	// SitemapInPart: a file that the sitemap names could not be read.
	SitemapInPart bool

	running  *Check
	reported []Finding
}

// On is a finding of the check on a page. It is about the item, if there is one.
func (c *Check) On(at PageAt, line, column int, item, message, remedy string) Finding {
	return Finding{c.Name, c.Severity, at.Path, at.File, line, column, item, item, message, remedy, 0}
}

// Of says what a finding is about. It may be nil.
func (f *Finding) Of(what string) *Finding {
	if f != nil {
		f.About = what
	}
	return f
}

// Report adds a finding at a line and column of the page. What it returns may be changed until the next is added.
func (p *Pass) Report(line, column int, item, message, remedy string) *Finding {
	p.reported = append(p.reported,
		p.running.On(PageAt{Path: p.Path, File: p.File}, line, column, item, message, remedy))
	return &p.reported[len(p.reported)-1]
}

// Remedy is what to do about something: to the gate file, where there is one, or else to the page.
func (s *Site) Remedy(gate, page string) string {
	if s != nil && s.Gate {
		return gate
	}
	return page
}

// Locate is the line and column of an offset of the page.
func (p *Pass) Locate(offset int) (line, column int) {
	if p.lines == nil {
		p.lines = markup.NewLines(p.Source.Text)
	}
	return p.lines.Locate(offset)
}

// AtOccurrence adds a finding at something of an item.
func (p *Pass) AtOccurrence(o itemmatch.Occurrence, item, message, remedy string) {
	line, column := p.Locate(o.Start)
	p.Report(line, column, item, message, remedy)
}

// LineOfElement is the line and column of an element of the scan; those of the page's beginning
// where the record does not list it.
func (p *Pass) LineOfElement(el markup.Element) (line, column int) {
	if e := p.elementAt(el.Start); e != nil {
		return e.Line, e.Column
	}
	return 1, 1
}

// AtElement adds a finding at an element of the scan; nil where the record does not list it.
func (p *Pass) AtElement(el markup.Element, message, remedy string) *Finding {
	if e := p.elementAt(el.Start); e != nil {
		return p.At(e, message, remedy)
	}
	return nil
}

// elementAt is the element that begins at an offset; nil for none.
func (p *Pass) elementAt(start int) *inventory.Element {
	i := sort.Search(len(p.Elements), func(i int) bool { return p.Elements[i].El.Start >= start })
	if i < len(p.Elements) && p.Elements[i].El.Start == start {
		return &p.Elements[i]
	}
	return nil
}

// At adds a finding at an element, as Report does. It is about what the element loads or says.
func (p *Pass) At(e *inventory.Element, message, remedy string) *Finding {
	return p.Report(max(e.Line, 1), max(e.Column, 1), e.Item, message, remedy).Of(SubjectOf(e))
}

// SubjectOf is what an element loads, resolved; which meta it is; or the item or digest of an inline text.
func SubjectOf(e *inventory.Element) string {
	switch {
	case e.Tag == "link" && strings.Contains(strings.ToLower(e.Rel), "canonical"): // each page has its own
		return "canonical"
	case e.Target != "":
		return e.Target
	case e.Name != "":
		return e.Name
	case e.Property != "":
		return e.Property
	case e.Item != "":
		return e.Item
	case e.Digest != "":
		return "inline " + e.Digest
	}
	return ""
}

// Report adds a finding on one page. What it returns may be changed until the next is added.
func (s *SitePass) Report(at PageAt, line, column int, message, remedy string) *Finding {
	s.reported = append(s.reported, s.running.On(at, line, column, "", message, remedy))
	return &s.reported[len(s.reported)-1]
}

// AtFile adds a finding at a line of a file of the site, given by its path, as Report does.
func (s *SitePass) AtFile(file string, line int, message, remedy string) *Finding {
	return s.Report(PageAt{File: strings.TrimPrefix(file, "/")}, line, 1, message, remedy).
		Of("/" + strings.TrimPrefix(file, "/"))
}

// PageAt says which page it is.
func (p *Pass) PageAt() PageAt { return PageAt{p.Path, p.File, p.Aside()} }

// Names of checks that others know of.
const (
	StaleOutput      = "stale-output"
	UnclaimedElement = "unclaimed-element"
)

// Run runs a check on the page.
func (p *Pass) Run(c *Check) {
	if c.Page != nil {
		p.running = c
		c.Page(p)
	}
}

// Findings are those so far, in the order of lines.
func (p *Pass) Found() []Finding {
	sortFindings(p.reported)
	return p.reported
}

// Run runs a check on the site.
func (s *SitePass) Run(c *Check) {
	if c.Site != nil {
		s.running = c
		c.Site(s)
	}
}

// Findings are those so far.
func (s *SitePass) Found() []Finding { return s.reported }

// First reports whether a finding explains others, and so comes before all of them.
func First(f *Finding) bool { return f.Check == StaleOutput }

// Sort puts findings in the order of pages and lines, those of stale-output first of all.
func Sort(fs []Finding) {
	sort.SliceStable(fs, func(i, j int) bool {
		if a, b := First(&fs[i]), First(&fs[j]); a != b {
			return a
		}
		if fs[i].File != fs[j].File {
			return fs[i].File < fs[j].File
		}
		return less(&fs[i], &fs[j])
	})
}

func sortFindings(fs []Finding) {
	sort.SliceStable(fs, func(i, j int) bool { return less(&fs[i], &fs[j]) })
}

func less(a, b *Finding) bool {
	if a.Line != b.Line {
		return a.Line < b.Line
	}
	if a.Column != b.Column {
		return a.Column < b.Column
	}
	return a.Check < b.Check
}

// Own reports whether an element is the page's own: a browser acts on it.
func Own(e *inventory.Element) bool { return e.Inside == "" }
