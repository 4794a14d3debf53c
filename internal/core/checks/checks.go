// Package checks holds what the audit looks for. A check is a value with a name,
// a severity, a text that explains it, and a function from a page, or from the
// whole site, to findings. Each stands in a file of its own; the registry lists
// them; what runs them knows nothing of any.
package checks

import (
	"sort"
	"sync"

	"yellowgate/internal/core/bounded"
	"yellowgate/internal/core/evidence"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/gating"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/presence"
	"yellowgate/internal/core/syntax"
)

// A Check is one thing that the audit looks for.
type Check struct {
	Name     string // in lower-case words with hyphens
	Family   string // gate, head, loading, popups, code
	Severity gatefile.Severity
	Title    string // one line
	Doc      string // what it is, why it matters to visitors or search engines, how to mend it
	Bad      string // an example with the defect
	Good     string // the same without

	Whole bool // what all pages have alike is one finding of the site

	Page func(*Pass)     // looks at one page
	Site func(*SitePass) // looks at what Page left of all of them
}

// All lists the checks, by family and name.
func All() []*Check { return all }

// Names lists the names of all checks.
func Names() []string {
	names := make([]string, len(all))
	for i, c := range all {
		names[i] = c.Name
	}
	return names
}

// Named returns the check of a name, or nil.
func Named(name string) *Check {
	for _, c := range all {
		if c.Name == name {
			return c
		}
	}
	return nil
}

var all = []*Check{
	answerNotVisible, brokenHead, canonicalDead, canonicalElsewhere, canonicalMissing, canonicalNoindexed, canonicalRelative, canonicalRepeated,
	charsetConflict, charsetLate, charsetMissing, deadRefresh, descriptionLength, descriptionMissing, descriptionRepeated, descriptionShared, iconMissing,
	langMissing, metaInBody, namelessMeta, noindexedInSitemap, noZoom, oldDoctype, robotsConflict, socialImage, socialIncomplete,
	structuredIncomplete, structuredInvalid, titleEmpty, titleLength, titleMissing,
	titleRepeated, titleShared, unlistedInSitemap, viewportMissing, viewportRepeated,
	blockedByPolicy, blockingScript, blockingStyle, deadFile, doubleLoad, ignoredElement, importedEverywhere, insecureLoad, integrityWithoutCrossorigin, lateStyle, localAddress, missingStyle, noIntegrity,
	orphanFile, overBudget, repeatedRules, twinLibrary, unexpectedHost, unpinnedVersion, unusedPreload, unusedStyle, wrongIntegrity,
	editedOutput, idleLine, itemDiffers, keptOutNeed, lateNeed, leakedItem, metadataDiffers, metVariants, misplacedItem, missingItem, missingPage,
	noSuchPlace, placeholderLeft, repeatedItem, requiredMissing, staleOutput, unclaimedElement, unread, unknownSpot,
	popupClash, repeatedId, unlabelledPopup, unreachablePopup,
	bareCode, codeBreaksHead, codeSyntax, lostRule, tagsInText, tooEarly, unclosedTag,
}

// A Finding is one result of one check.
type Finding struct {
	Check    string `json:"check"`
	Severity string `json:"severity"` // error, warning, note
	Page     string `json:"page"`
	File     string `json:"file"`
	Line     int    `json:"line"`
	Column   int    `json:"column"`
	Item     string `json:"item"`
	Message  string `json:"message"`
	Remedy   string `json:"remedy"`
	// Pages is how many pages a finding of the whole site stands for; 0 for any other.
	Pages int `json:"pages,omitempty"`
}

// Site is what is known of the site as a whole while pages are looked at.
type Site struct {
	// HasFile reports whether the site has a file or a page at a path.
	HasFile func(path string) bool
	// HasPage reports whether the site has a page at a path.
	HasPage func(path string) bool
	// Read returns a file of the site, by its path; it may be nil.
	Read func(path string) ([]byte, bool)
	// Trust are the hosts whose code is expected; none for any.
	Trust []string
	// Strict asks for more than most sites want.
	Strict bool

	// Code are the paths of the site's scripts and stylesheets.
	Code []string
	// Library reads them; Prepare makes it.
	Library *evidence.Library

	looks     *evidence.Styles
	codeNames map[string]bool // base names of Code
	mutex     sync.Mutex      // guards what follows
	loaded    map[string]int  // paths that elements of pages load -> times
	imported  map[string]*imported
	puts      map[string]bool         // kinds of file, by ending, of which scripts put names together
	needless  map[string]int          // imported stylesheets -> pages on which they match nothing
	asked     map[string]*asked       // by the file that asks and the target
	named     map[string]bool         // base names of Code that stand in pages
	styled    map[evidence.Styled]int // pages that have a name and load a stylesheet for it

	pairs  sync.Map                                 // what Library.Repeated said of two stylesheets
	parsed bounded.Map[inlineText, *syntax.Mistake] // what parsing an inline text found
	// balanced is what was found of tags that an inline text leaves open.
	balanced bounded.Map[inlineText, unbalanced]
}

// State is what the record knows of an output, told by whoever reads it.
type State uint8

const (
	Applied State = iota // it is what was applied, and that is up to date
	Stale                // gate file, facts or source are newer
	Edited               // it was changed since it was applied
)

// A Pass is one page on its way through the checks.
type Pass struct {
	shows int // see contentAfter
	leads int // see leadsAway
	*inventory.Record
	Site  *Site
	Gated *presence.Page // nil where there is no gate file
	State State

	check    *Check
	findings []Finding
	kept     Kept
	metadata *gating.Metadata // once asked for
	locator  *markup.Locator  // of locate
	located  int

	pageStyles *evidence.PageStyles // once asked for
}

// Metadata returns the value of each element of the page that carries a metadata
// key, given by its ID, and the elements.
func (p *Pass) Metadata(id string) (values []string, at []markup.Element) {
	if p.metadata == nil {
		p.metadata = gating.ReadMetadata(p.Source, p.Scan)
	}
	return p.metadata.Values(id)
}

// Kept is what is remembered of a page for the checks of the whole site.
type Kept struct {
	Path, File string
	Title      string
	TitleLine  int
	TitleCol   int
	Redirect   bool
	Noindex    bool
	Canonical  string // the path within the site that it names, or ""
	// Where these stand.
	Description                     string
	DescriptionLine, DescriptionCol int
	CanonicalLine, CanonicalCol     int
	NoindexLine, NoindexCol         int

	Bare     []BareName // for which the page lacks a stylesheet
	Unneeded int        // bytes of stylesheets that match nothing

	Links     []Link     // to fragments that open a popup somewhere
	Fragments []Fragment // that open popups, and whether they do here
}

// A SitePass is all pages at once.
type SitePass struct {
	Pages   []Kept
	Site    *Site           // what the pages were looked at with; it may be nil
	Sitemap map[string]bool // keys of the pages that it lists; nil without one
	// SitemapInPart: a file that the sitemap names could not be read.
	SitemapInPart bool
	check         *Check
	findings      []Finding
}

// Report adds a finding at a line and column of the page.
func (p *Pass) Report(line, column int, item, message, remedy string) {
	p.findings = append(p.findings, Finding{p.check.Name, p.check.Severity.String(), p.Path, p.File, line, column, item, message, remedy, 0})
}

// locate is the line and column of an offset of the page. Asked for one after the other, all
// of them together cost one reading of the page.
func (p *Pass) locate(offset int) (line, column int) {
	if p.locator == nil || offset < p.located {
		p.locator = markup.NewLocator(p.Source.Text)
	}
	p.located = offset
	return p.locator.Locate(offset)
}

// atOccurrence adds a finding at something of an item.
func (p *Pass) atOccurrence(o presence.Occurrence, item, message, remedy string) {
	line, column := p.locate(o.Start)
	p.Report(line, column, item, message, remedy)
}

// keepHead keeps what the checks of the whole site ask of a head.
func (p *Pass) keepHead() {
	k := &p.kept
	locate := func(el markup.Element) (line, col int) {
		if e := p.elementAt(el.Start); e != nil {
			return e.Line, e.Column
		}
		return 1, 1
	}
	if values, at := p.Metadata("description"); len(values) > 0 && values[0] != "" {
		k.Description = values[0]
		k.DescriptionLine, k.DescriptionCol = locate(at[0])
	}
	for _, e := range canonicals(p) {
		if e.Ref.Own && e.URL != "" {
			k.Canonical, k.CanonicalLine, k.CanonicalCol = e.Ref.Path, e.Line, e.Column
			break
		}
	}
	if k.Noindex = p.Noindex(); k.Noindex {
		_, at := p.Metadata("robots")
		k.NoindexLine, k.NoindexCol = 1, 1
		if len(at) > 0 {
			k.NoindexLine, k.NoindexCol = locate(at[0])
		}
	}
}

// AtElement adds a finding at an element of the scan.
func (p *Pass) AtElement(el markup.Element, message, remedy string) {
	if e := p.elementAt(el.Start); e != nil {
		p.At(e, message, remedy)
	}
}

// elementAt is the element that begins at an offset; nil for none.
func (p *Pass) elementAt(start int) *inventory.Element {
	i := sort.Search(len(p.Elements), func(i int) bool { return p.Elements[i].El.Start >= start })
	if i < len(p.Elements) && p.Elements[i].El.Start == start {
		return &p.Elements[i]
	}
	return nil
}

// AtSeverity is At with a severity of its own.
func (p *Pass) AtSeverity(s gatefile.Severity, e *inventory.Element, message, remedy string) {
	p.At(e, message, remedy)
	p.findings[len(p.findings)-1].Severity = s.String()
}

// At adds a finding at an element.
func (p *Pass) At(e *inventory.Element, message, remedy string) {
	p.Report(e.Line, e.Column, e.Item, message, remedy)
}

// Report adds a finding on one page.
func (s *SitePass) Report(k *Kept, line, column int, message, remedy string) {
	s.findings = append(s.findings, Finding{s.check.Name, s.check.Severity.String(), k.Path, k.File, line, column, "", message, remedy, 0})
}

// RunPage runs all checks on one page and returns its findings and what is to be
// kept of it.
func RunPage(p *Pass) ([]Finding, Kept) {
	p.kept = Kept{Path: p.Path, File: p.File, Title: p.Title, Redirect: p.aside()}
	for i := range p.Elements {
		if e := &p.Elements[i]; e.Tag == "title" && e.Inside == "" {
			p.kept.TitleLine, p.kept.TitleCol = e.Line, e.Column
			break
		}
	}
	p.keepHead()
	for _, c := range all {
		if c.Page != nil {
			p.check = c
			c.Page(p)
		}
	}
	p.keepBare()
	p.gather()
	sortFindings(p.findings)
	return p.findings, p.kept
}

// RunSite runs the checks of the whole site.
func RunSite(s *SitePass) []Finding {
	for _, c := range all {
		if c.Site != nil {
			s.check = c
			c.Site(s)
		}
	}
	return s.findings
}

// Sort puts findings in the order of pages and lines, those of stale-output first of all.
func Sort(fs []Finding) {
	sort.SliceStable(fs, func(i, j int) bool {
		if a, b := fs[i].Check == staleOutput.Name, fs[j].Check == staleOutput.Name; a != b {
			return a // it explains the others
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
