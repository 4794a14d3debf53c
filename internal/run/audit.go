package run

import (
	"bytes"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"

	"yellowgate/internal/core/checks"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/gating"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/presence"
	"yellowgate/internal/core/weburl"
	"yellowgate/internal/output"
	"yellowgate/internal/site"
)

// AuditFormat is the version of the machine-readable audit.
const AuditFormat = "yellowgate.audit/1"

// AuditResult is an audit of a folder of pages.
type AuditResult struct {
	Format   string              `json:"format"`
	Pages    int                 `json:"pages"`
	Gate     string              `json:"gate"` // digest of the gate, or ""
	Records  []*inventory.Record `json:"records"`
	Verdicts []Gated             `json:"verdicts"`
	Findings []checks.Finding    `json:"findings"`
	Totals   Totals              `json:"totals"`

	Dir string `json:"-"`
	// Fragments are the files of HTML that are no pages of their own.
	Fragments int           `json:"-"`
	Requests  int           `json:"-"` // of all pages
	Bytes     int64         `json:"-"` // that all pages load, their own HTML included
	ByItem    []AuditedItem `json:"-"`
	ByPage    []AuditedPage `json:"-"` // that are no fragments
	Unneeded  int64         `json:"-"` // bytes of stylesheets that match nothing, over all pages
	Site      string        `json:"-"`
}

// Totals counts findings by severity.
type Totals struct {
	Errors   int `json:"errors"`
	Warnings int `json:"warnings"`
	Notes    int `json:"notes"`
	Accepted int `json:"accepted"`
}

// AuditedItem is one item over all pages: what the gate says and what is there.
type AuditedItem struct {
	Item    *gatefile.Item
	In      int // pages on which the gate lets it in
	Present int // pages that have it
	Missing int // pages on which it is in and not whole
	Leaked  int // pages on which it is out and there
	Differs int // pages on which it is in and not as the gate writes it
	May     int // pages on which it may stay and that never had it: found parts alone
	Gone    int // pages whose source has it, and that lack it or some of it: found parts
}

// AuditedPage is one page: what it costs a visitor and what was found on it.
type AuditedPage struct {
	Path                    string
	Requests, Blocking      int
	Bytes                   int // with what it loads
	Unneeded                int // of these: stylesheets none of whose selectors matches
	Errors, Warnings, Notes int
}

// AuditOptions say what to audit.
type AuditOptions struct {
	Dir     string
	Project *site.Project // nil without a gate file
	Address string        // of the site, where there is no project to hold pages against
	Name    string        // of the folder, for people
	Records bool          // keep the records and verdicts
	NoNotes bool          // only count notes
	Roughly bool          // leave out what inline texts weigh compressed
	Lean    bool          // keep of the records only what loads, runs or belongs to an item
	Names   *gating.Gate  // names the items of elements where there is no project; what loads nothing is noted, too
	// Each, if set, gets every page's record and verdicts, in order. They are not kept.
	Each     func(r *inventory.Record, verdicts []Gated) error
	Progress Progress
}

// Audit looks at the pages of a folder and, with a project, holds them against
// its gate.
func Audit(o AuditOptions) (*AuditResult, error) {
	if o.Name == "" {
		o.Name = o.Dir
	}
	a := &AuditResult{Format: AuditFormat, Dir: o.Name, Records: []*inventory.Record{}, Verdicts: []Gated{}, Findings: []checks.Finding{}}
	files, strays, err := site.Walk(o.Dir, true, func(rel string, _ bool) bool { return site.Hidden(rel) })
	if err != nil {
		if o.Project != nil && errors.Is(err, fs.ErrNotExist) && o.Dir == o.Project.Output {
			return nil, &site.UsageError{Message: "nothing was applied yet: the output folder " + o.Project.Gate.File.Site.Output.Value + " does not exist", Remedy: "run yellowgate apply first, or audit another folder: yellowgate audit DIR"}
		}
		return nil, err
	}
	var pages []page.Page
	s := &auditing{AuditOptions: o, result: a, site: weburl.NewSite(o.Address), weights: site.NewWeights(o.Dir, files)}
	s.weights.Roughly = o.Roughly || !o.Records && o.Each == nil
	if o.Project != nil {
		if err := s.useGate(); err != nil {
			return nil, err
		}
		pages, err = o.Project.PagesOf(files)
		if err != nil {
			return nil, err
		}
	} else {
		pages = site.PagesAnyway(files)
	}
	if len(pages) == 0 {
		return nil, &site.UsageError{Message: "there is no page in " + o.Name + ": nothing was audited", Remedy: "name the folder of your site's pages (files ending in .html or .htm): yellowgate audit DIR"}
	}
	s.known = &checks.Site{}
	s.known.HasFile, s.known.HasPage = filesOf(append(files, reachable(o.Dir, strays)...), pages)
	s.known.Read = reader(o.Dir)
	for _, f := range files {
		if ext := strings.ToLower(filepath.Ext(f.Path)); ext == ".css" || ext == ".js" || ext == ".mjs" {
			s.known.Code = append(s.known.Code, "/"+f.Path)
		}
	}
	s.known.Prepare()
	if o.Project != nil {
		for _, t := range o.Project.Gate.File.Site.Trust {
			s.known.Trust = append(s.known.Trust, t.Value)
		}
		s.known.Strict = o.Project.Gate.File.Strict
	}
	if err := s.all(pages); err != nil {
		return nil, err
	}
	s.settleSite(checks.RunSite(s.sitePass()))
	s.notApplied(pages)
	if s.tally != nil {
		for _, p := range s.tally.Idle() {
			{
				s.settleSite([]checks.Finding{{Check: "idle-line", Severity: "note", File: p.Pos.File, Line: p.Pos.Line, Column: p.Pos.Column, Message: p.Message, Remedy: p.Remedy}})
			}
		}
	}
	a.Findings = checks.Whole(a.Findings, s.looked)
	if s.NoNotes {
		a.Findings = slices.DeleteFunc(a.Findings, func(f checks.Finding) bool {
			if f.Severity == "note" {
				a.Totals.Notes++
			}
			return f.Severity == "note"
		})
	}
	checks.Sort(a.Findings)
	a.count()
	return a, nil
}

// sitePass is what is known of all pages at once.
func (s *auditing) sitePass() *checks.SitePass {
	listed, whole := s.sitemap("sitemap.xml")
	return &checks.SitePass{Pages: s.kept, Site: s.known, Sitemap: listed, SitemapInPart: !whole}
}

// reader reads files of a folder, each once; pages, which are many, whenever they are
// asked for.
func reader(dir string) func(string) ([]byte, bool) {
	var files sync.Map
	return func(path string) ([]byte, bool) {
		if b, ok := files.Load(path); ok {
			return b.([]byte), b.([]byte) != nil
		}
		b, err := site.ReadFile(dir, filepath.Clean(strings.TrimLeft(path, "/")))
		if err != nil {
			b = nil
		}
		if !site.IsPage(path) {
			files.Store(path, b)
		}
		return b, b != nil
	}
}

// settle gives findings of a page the severity that they have here. Those that the
// owner lives with are counted and left out, and so are notes where nobody asks for
// them.
func (s *auditing) settle(fs []checks.Finding, pg *page.Page) []checks.Finding {
	kept := fs[:0]
	for _, f := range fs {
		keep, accepted := s.settlement.Apply(&f, pg)
		switch {
		case accepted:
			s.result.Totals.Accepted++
		case !keep:
		case f.Severity == "note" && s.NoNotes && !checks.IsWhole(f.Check):
			s.result.Totals.Notes++
		default:
			kept = append(kept, f)
		}
	}
	return kept
}

// settleSite settles the findings that only all pages together show.
func (s *auditing) settleSite(fs []checks.Finding) {
	for _, f := range fs {
		s.result.Findings = append(s.result.Findings, s.settle([]checks.Finding{f}, s.byPath[page.Key(f.Page)])...)
	}
}

// reachable lists the links that lead out of a folder to a file that is there: a
// server may well follow them.
func reachable(dir string, strays []string) (out []site.File) {
	for _, rel := range strays {
		if info, err := os.Stat(filepath.Join(dir, filepath.FromSlash(rel))); err == nil && info.Mode().IsRegular() {
			out = append(out, site.File{Path: rel, Size: info.Size()})
		}
	}
	return out
}

type auditing struct {
	AuditOptions
	result  *AuditResult
	site    *weburl.Site
	weights *site.Weights
	known   *checks.Site
	kept    []checks.Kept
	looked  int                   // pages that are not aside
	sources map[string]*page.Page // by file
	byPath  map[string]*page.Page // by key, as the gate saw them
	ledger  *output.Ledger
	tally   *checks.Tally

	settlement *checks.Settlement
}

// useGate makes the gate ready to be held against the pages.
func (s *auditing) useGate() (err error) {
	p := s.Project
	s.site, s.result.Gate, s.result.Site = p.Gate.Site, p.Digest, p.Gate.File.Site.Name.Value
	s.sources = map[string]*page.Page{}
	for i := range p.Pages {
		s.sources[p.Pages[i].File] = &p.Pages[i]
	}
	if s.Dir == p.Output {
		if s.ledger, err = output.OpenLedger(p); err != nil {
			return err
		}
	}
	s.tally = checks.NewTally(p.Gate)
	s.settlement = checks.Settle(p.Gate.File)
	for _, it := range p.Gate.File.Items {
		s.result.ByItem = append(s.result.ByItem, AuditedItem{Item: it})
	}
	return nil
}

// audited is what one page came to.
type audited struct {
	record   *inventory.Record
	gated    *presence.Page
	source   *gating.Result
	findings []checks.Finding
	kept     checks.Kept
	bufs     [2]*site.Buffer // what record and source refer to
}

func (s *auditing) all(pages []page.Page) error {
	return site.InOrder(len(pages), func(i int) (audited, error) { return s.one(pages[i]) }, func(i int, a audited) error {
		if s.Progress != nil {
			s.Progress(i+1, len(pages))
		}
		err := s.add(&a)
		for _, buf := range a.bufs {
			if buf != nil {
				buf.Release()
			}
		}
		return err
	})
}

// one audits one page.
func (s *auditing) one(known page.Page) (a audited, err error) {
	a.bufs[0] = site.GetBuffer()
	b, err := a.bufs[0].ReadFile(s.Dir, known.File)
	if err != nil {
		return a, err
	}
	a.record = s.take(b, known)
	pass := &checks.Pass{Record: a.record, Site: s.known}
	if src := s.sources[known.File]; src != nil && s.Project.Source != "" {
		a.bufs[1] = site.GetBuffer()
		text, err := s.Project.ReadInto(a.bufs[1], src.File)
		if err != nil {
			return a, err
		}
		r := s.Project.Gate.Page(text, *src)
		a.source = r
		if !r.Fragment && !a.record.Fragment {
			a.gated = presence.Hold(a.record, s.Project.Gate, r)
			pass.Gated = a.gated
		}
		if s.ledger != nil && !bytes.Equal(b, r.File) {
			pass.State = s.state(known.File)
		}
	}
	a.findings, a.kept = checks.RunPage(pass)
	if s.Names != nil && !a.record.Fragment {
		nameAll(a.record, s.Names)
	}
	return a, nil
}

func (s *auditing) take(file []byte, known page.Page) *inventory.Record {
	src := markup.Read(file)
	switch {
	case s.Project == nil && s.Names != nil:
		return inventory.TakeScanned(src, s.Names.ScanAll(src), known, s.site, s.weights)
	case s.Project == nil:
		return inventory.TakeScanned(src, markup.ScanTags(src.Text, nil), known, s.site, s.weights)
	}
	return inventory.TakeScanned(src, s.Project.Gate.ScanAll(src), known, s.site, s.weights)
}

// state says why an output is not what apply would write now.
func (s *auditing) state(file string) checks.State {
	st, err := s.ledger.Status(file)
	if err == nil && (st.State == output.Edited || st.State == output.Unknown) {
		return checks.Edited
	}
	return checks.Stale
}

// add takes a page into the result.
func (s *auditing) add(a *audited) error {
	r := s.result
	if a.source != nil {
		s.tally.Add(a.source)
		if len(s.Project.Gate.File.Accept) > 0 { // their queries are asked of each page
			if s.byPath == nil {
				s.byPath = map[string]*page.Page{}
			}
			known := a.source.Page
			s.byPath[known.Key()] = &known
		}
	}
	cost := a.record.Cost()
	if a.record.Fragment {
		r.Fragments++
	} else {
		r.Pages++
		r.ByPage = append(r.ByPage, AuditedPage{Path: a.record.Path, Requests: cost.Requests, Blocking: cost.Blocking, Bytes: a.record.Bytes + cost.Loaded, Unneeded: a.kept.Unneeded})
		r.Unneeded += int64(a.kept.Unneeded)
		s.kept = append(s.kept, a.kept)
		if !a.kept.Redirect {
			s.looked++
		}
	}
	r.Requests += cost.Requests
	r.Bytes += int64(a.record.Bytes + cost.Loaded)
	var verdicts []Gated
	if a.gated != nil {
		for i := range a.source.Verdicts {
			v, p := &a.source.Verdicts[i], &a.gated.Items[i]
			n := p.Copies()
			if s.Records || s.Each != nil {
				verdicts = append(verdicts, gatedOf(a.record.Path, v, n))
			}
			it := &r.ByItem[i]
			if n > 0 {
				it.Present++
			}
			if v.In {
				it.In++
				if len(p.Gone) > 0 {
					it.Gone++
				} else if v.Item.FoundOnly() && n == 0 {
					it.May++
				}
			}
		}
		told := map[string]bool{} // an item counts a page once
		for _, f := range a.findings {
			for i := range r.ByItem {
				if r.ByItem[i].Item.Name != f.Item || told[f.Check+f.Item] {
					continue
				}
				told[f.Check+f.Item] = true
				switch f.Check {
				case "missing-item":
					r.ByItem[i].Missing++
				case "leaked-item":
					r.ByItem[i].Leaked++
				case "item-differs":
					r.ByItem[i].Differs++
				}
			}
		}
	}
	var known *page.Page
	if a.source != nil {
		known = &a.source.Page
	}
	r.Findings = append(r.Findings, s.settle(a.findings, known)...)
	if s.Each != nil {
		return s.Each(a.record, verdicts)
	}
	if s.Records {
		r.Verdicts = append(r.Verdicts, verdicts...)
		a.record.Source, a.record.Scan = nil, nil // the page itself is not kept
		if s.Lean {
			a.record.Lean()
		}
		r.Records = append(r.Records, a.record)
	}
	return nil
}

// notApplied tells of source pages that the output folder lacks.
func (s *auditing) notApplied(pages []page.Page) {
	if s.ledger == nil {
		return
	}
	have := map[string]bool{}
	for i := range pages {
		have[pages[i].File] = true
	}
	for i := range s.Project.Pages {
		if p := &s.Project.Pages[i]; !have[p.File] {
			s.settleSite([]checks.Finding{checks.MissingPage(p.Path, p.File)})
		}
	}
}

// AuditOne audits one page given as bytes, as the page at a path. For has() the
// source file is asked if there is one, else the page itself.
func AuditOne(file []byte, path string, project *site.Project) (*AuditResult, error) {
	a := &AuditResult{Format: AuditFormat, Dir: "-", Records: []*inventory.Record{}, Verdicts: []Gated{}, Findings: []checks.Finding{}}
	s := &auditing{AuditOptions: AuditOptions{Dir: "-", Project: project, Records: true}, result: a, site: weburl.NewSite(""), weights: site.NewWeights(".", nil)}
	known := page.Page{Path: page.Clean(path), File: "-"}
	var done audited
	if project != nil {
		if err := s.useGate(); err != nil {
			return nil, err
		}
		known.Facts, known.Lists = project.Facts.ByPage[known.Key()], project.Facts.Lists[known.Key()]
	}
	done.record = s.take(file, known)
	pass := &checks.Pass{Record: done.record}
	if project != nil {
		text, src := file, known
		for i := range project.Pages {
			if p := &project.Pages[i]; p.Key() == known.Key() {
				b, err := project.Read(p)
				if err != nil {
					return nil, err
				}
				text, src = b, *p
			}
		}
		done.source = project.Gate.Page(text, src)
		if !done.source.Fragment && !done.record.Fragment {
			done.gated = presence.Hold(done.record, project.Gate, done.source)
			pass.Gated = done.gated
		}
		s.tally = checks.NewTally(project.Gate)
		if len(project.Files) > 0 {
			pass.Site = &checks.Site{}
			pass.Site.HasFile, pass.Site.HasPage = filesOf(project.Files, project.Pages)
		}
	}
	done.findings, done.kept = checks.RunPage(pass)
	if err := s.add(&done); err != nil {
		return nil, err
	}
	a.count()
	return a, nil
}

// count counts the findings by severity, in all and by page.
func (a *AuditResult) count() {
	at := make(map[string]*AuditedPage, len(a.ByPage))
	for i := range a.ByPage {
		p := &a.ByPage[i]
		p.Errors, p.Warnings, p.Notes = 0, 0, 0
		at[p.Path] = p
	}
	for i := range a.Findings {
		p := at[a.Findings[i].Page]
		if p == nil {
			p = &AuditedPage{} // of no page
		}
		switch a.Findings[i].Severity {
		case "error":
			a.Totals.Errors++
			p.Errors++
		case "warning":
			a.Totals.Warnings++
			p.Warnings++
		default:
			a.Totals.Notes++
			p.Notes++
		}
	}
}

// Worst is the severity of the worst finding: 2 for an error, 1 for a warning, 0
// for a note, -1 for none.
func (a *AuditResult) Worst() int {
	switch {
	case a.Totals.Errors > 0:
		return 2
	case a.Totals.Warnings > 0:
		return 1
	case a.Totals.Notes > 0:
		return 0
	}
	return -1
}
