// Package siteaudit is the audit of a whole site: it takes each page from the folder, from what the last
// audit kept or from a part that another machine wrote, and adds them up.
package siteaudit

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"yellowgate/internal/auditcache"
	"yellowgate/internal/core/audit"
	"yellowgate/internal/core/check"
	"yellowgate/internal/core/checks"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/page"
	"yellowgate/internal/failure"
	"yellowgate/internal/pageaudit"
	"yellowgate/internal/parallel"
	"yellowgate/internal/project"
	"yellowgate/internal/result"
	"yellowgate/internal/site"
	"yellowgate/internal/sitefacts"
)

// Options say what to audit.
type Options struct {
	Dir      string
	Project  *project.Project // nil without a gate file
	GateFile bool             // there is one, in which something can be mended, whatever the pages are compared with
	Address  string           // of the site, where there is no project to compare pages with
	Name     string           // of the folder, for people
	Named    string           // the folder as it was named; "" for the output of the project
	Records  bool             // keep the records and verdicts
	NoNotes  bool             // only count notes
	Roughly  bool             // leave out what inline texts weigh compressed
	Lean     bool             // keep of the records only what loads, runs or belongs to an item
	NoCache  bool             // audit every page, and remember nothing
	pageaudit.Options
	// Each, if set, gets every page's record and verdicts, in order. They are not kept.
	Each     func(r *inventory.Record, verdicts []result.Gated) error
	Progress parallel.Progress
}

// Audit looks at the pages of a folder and, with a project, compares them with its gate.
func Audit(ctx context.Context, o Options) (*result.Audit, error) {
	s, err := newAuditing(ctx, o)
	if err != nil {
		return nil, err
	}
	defer s.auditor.Close()
	if err := s.all(ctx); err != nil {
		return nil, err
	}
	if n := s.sum.Fragments; n == len(s.pages) && s.Project == nil {
		return nil, &failure.Usage{
			Message: fmt.Sprintf(
				"no file of HTML in %s is a page: all %d are without html, head, body and title, as templates and "+
					"parts of pages are",
				cmp.Or(o.Named, o.Dir), n),
			Remedy: "name the folder of the finished pages",
		}
	}
	s.result.Findings = append(s.result.Findings, s.ofSite()...)
	s.result.Findings = checks.Whole(s.result.Findings, s.sum.Gathered)
	if s.NoNotes {
		s.result.Findings = slices.DeleteFunc(s.result.Findings, s.sum.DropsNote)
	}
	check.Sort(s.result.Findings)
	for i := range s.result.Findings {
		s.sayElsewhere(&s.result.Findings[i])
	}
	s.sum.Count(slices.Values(s.result.Findings))
	s.finish()
	return s.result, nil
}

// sayElsewhere says in the remedy of a missing file where the site has one of the same name.
func (s *auditing) sayElsewhere(f *check.Finding) {
	if f.Check != "dead-file" || !strings.HasPrefix(f.About, "/") {
		return
	}
	if s.named == nil {
		s.named = map[string]string{}
		for _, file := range slices.Backward(s.files) {
			if !file.Page {
				s.named[path.Base(file.Path)] = "/" + file.Path
			}
		}
	}
	if at := s.named[path.Base(f.About)]; at != "" {
		f.Remedy = "a file of that name is at " + at + ": mend the address"
	}
}

// newAuditing lists the files of a folder and prepares what its pages are compared with.
func newAuditing(ctx context.Context, o Options) (*auditing, error) {
	if o.Name == "" {
		o.Name = o.Dir
	}
	from, err := site.OpenFolder(o.Dir, true)
	if err != nil {
		return nil, err
	}
	files, strays, err := from.List(func(rel string, _ bool) bool { return site.Hidden(rel) })
	if err != nil {
		if o.Project != nil && errors.Is(err, fs.ErrNotExist) && o.Dir == o.Project.Output {
			return nil, &failure.Usage{
				Message: "nothing was applied yet: the output folder " + o.Project.Gate.File.Site.Output.Value + " does not exist",
				Remedy:  "run yellowgate apply first, or audit another folder: yellowgate audit DIR",
			}
		}
		return nil, err
	}
	s := &auditing{Options: o, result: newAuditResult(o.Name), weights: site.NewWeights(o.Dir, files), files: files,
		from: from}
	output := o.Project != nil && o.Dir == o.Project.Output
	if s.auditor, err = pageaudit.New(o.Options, o.Project, output, o.Address); err != nil {
		return nil, err
	}
	s.auditor.Verdicts = o.Records || o.Each != nil
	s.weights.Roughly = o.Roughly || !o.Records && o.Each == nil
	s.read = site.ReadOnce(from)
	known := check.Known{Read: s.read, Addresses: sitefacts.Addresses(from.Captured())}
	known.Gate = o.Project != nil || o.GateFile
	if o.Project != nil {
		err = s.useProject(&known)
	} else {
		s.pages = site.PagesAnyway(files)
		if o.Address == "" && known.Addresses == nil { // else a server has said how the site is addressed
			known.Nowhere = !s.learn()
		}
	}
	if err != nil {
		return nil, err
	}
	if len(s.pages) == 0 {
		return nil, &failure.Usage{
			Message: "there is no page in " + o.Name + ": nothing was audited",
			Remedy:  "name the folder of your site's pages (files ending in .html or .htm): yellowgate audit DIR",
		}
	}
	site.Told(s.pages, from)
	known.HasFile, known.HasPage = site.Index(append(files, reachable(o.Dir, strays)...), s.pages)
	known.Code = codeOf(files)
	s.known = check.NewSite(known)
	if o.Browser != nil {
		if err := s.browse(ctx); err != nil {
			return nil, err
		}
	}
	s.sum = audit.NewSiteResult(s.auditor.Gate)
	s.sum.NoNotes = o.NoNotes
	s.remember()
	return s, nil
}

// codeOf are the paths of the stylesheets and scripts among files.
func codeOf(files []site.File) (paths []string) {
	for _, f := range files {
		if ext := strings.ToLower(filepath.Ext(f.Path)); ext == ".css" || ext == ".js" || ext == ".mjs" {
			paths = append(paths, "/"+f.Path)
		}
	}
	return paths
}

// useProject takes the pages, and what is known of the site, from the gate file's project.
func (s *auditing) useProject(known *check.Known) (err error) {
	p := s.Project
	if s.Dir == p.Output {
		s.result.Source = p.Gate.File.Site.Source.Value
	}
	s.useGate(p)
	// The output is answered like its source.
	if folder, ok := p.From.(*site.Folder); ok && known.Addresses == nil && s.Dir == p.Output {
		known.Addresses = sitefacts.Addresses(folder.Captured())
	}
	if s.pages, err = p.PagesOf(s.files); err != nil {
		return err
	}
	for _, t := range p.Gate.File.Site.Trust {
		known.Trust = append(known.Trust, t.Value)
	}
	known.Strict = p.Gate.File.Strict
	return nil
}

func newAuditResult(name string) *result.Audit {
	return &result.Audit{
		Format:   result.AuditFormat,
		Dir:      name,
		Records:  []*inventory.Record{},
		Verdicts: []result.Gated{},
		Findings: []check.Finding{},
	}
}

// ofSite returns what only all pages together show.
func (s *auditing) ofSite() []check.Finding {
	of := sitefacts.Sitemap{From: s.from, Site: s.auditor.Site, HasPage: s.known.HasPage, Below: s.result.Below,
		AnyHost: s.Address == "" && s.Project == nil}
	listed, whole := of.Read("sitemap.xml")
	pass := &check.SitePass{Site: s.known, Sitemap: listed, SitemapInPart: !whole}
	return s.sum.OfSite(pass, s.auditor.NotApplied(s.pages))
}

// finish takes over what the pages came to.
func (s *auditing) finish() {
	r := s.result
	r.Pages, r.Fragments, r.Requests, r.Bytes, r.Unneeded = len(s.sum.Pages), s.sum.Fragments, s.sum.Requests,
		s.sum.Bytes, s.sum.Unneeded
	r.Audited = len(s.pages)
	if s.store != nil {
		_, r.Audited = s.store.Counts()
	}
	r.ByItem, r.ByPage, r.Totals = s.sum.Items, s.sum.Pages, s.sum.Totals
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
	Options
	auditor *pageaudit.Auditor
	result  *result.Audit
	from    site.Store
	files   []site.File       // that it has
	named   map[string]string // of those that are no pages: one of each name, once it is asked for
	pages   []page.Page       // of them, by file
	weights *site.Weights
	known   *check.Site
	sources map[string]*page.Page // by file
	sum     *audit.SiteResult
	read    func(path string) ([]byte, bool) // a file of the folder
	store   *auditcache.Store                // nil for an audit that remembers nothing
}

// useGate says that pages are compared with the gate of a project.
func (s *auditing) useGate(p *project.Project) {
	s.result.Gate, s.result.Site = p.Digest, p.Gate.File.Site.Name.Value
	s.sources = map[string]*page.Page{}
	for i := range p.Pages {
		s.sources[p.Pages[i].File] = &p.Pages[i]
	}
}

// learn finds out how a site is addressed of which no gate file says it, and whether anything says at which host.
func (s *auditing) learn() (somewhere bool) {
	below, somewhere := sitefacts.Learn(s.from, s.files, s.pages)
	if below != "" {
		s.result.Below = below
		s.auditor.Below(below)
	}
	return somewhere
}

// browse starts the browser of an audit.
func (s *auditing) browse(ctx context.Context) error {
	address, base := s.Address, s.result.Below
	if p := s.Project; p != nil {
		address, base = p.Gate.File.Site.URL.Value, p.Gate.Site.BasePath()
	}
	byKey := map[string]*page.Page{}
	for _, p := range s.pages {
		if src := s.sources[p.File]; p.Answer == nil && src != nil { // what is made of a page is sent like the page
			p.Answer = src.Answer
		}
		byKey[p.Key()] = &p
	}
	text := func(p *page.Page) ([]byte, error) { return s.from.Read(p.File) }
	return s.auditor.Browse(ctx, address, base, byKey, text, s.read)
}

// audited is what one page came to.
type audited struct {
	pageaudit.Audited
	bufs [2]*site.Buffer // what the record refers to
}

func (a *audited) release() {
	for _, buf := range a.bufs {
		if buf != nil {
			buf.Release()
		}
	}
}

// all audits the pages and adds them up.
func (s *auditing) all(ctx context.Context) error {
	err := s.each(ctx, s.add)
	if err == nil && s.store != nil {
		s.store.Sweep()
	}
	return err
}

// each audits the pages and hands them over in their order.
func (s *auditing) each(ctx context.Context, take func(*audited) error) error {
	return parallel.InOrderBy(
		ctx,
		s.auditor.AtATime(),
		len(s.pages),
		func(i int) (audited, error) { return s.one(s.pages[i]) },
		func(i int, a audited) error {
			if s.Progress != nil {
				s.Progress(i+1, len(s.pages))
			}
			defer a.release()
			return take(&a)
		},
	)
}

// one audits one page.
func (s *auditing) one(known page.Page) (a audited, err error) {
	a.bufs[0] = site.GetBuffer()
	file, err := s.from.ReadInto(a.bufs[0], known.File)
	if err != nil {
		return a, err
	}
	src := s.sources[known.File]
	var text []byte
	if src != nil && s.Project.Source != "" {
		a.bufs[1] = site.GetBuffer()
		if text, err = s.Project.ReadInto(a.bufs[1], src.File); err != nil {
			return a, err
		}
		if known.Answer == nil { // what is made of a page is sent like the page
			known.Answer = src.Answer
		}
	} else {
		src = nil
	}
	if s.Project != nil &&
		s.Project.Source == "" { // what a server makes is its own source: what bears a mark is left out of it
		of := s.Project.PageFrom(known.File, known.Answer)
		src, text = &of, file
	}
	if s.store == nil {
		a.Audited = s.auditor.Look(file, known, text, src, s.weights, s.known)
		return a, nil
	}
	e := auditcache.Entry{Output: s.store.Digest(file)}
	if known.Answer != nil { // the page is its bytes and what the transport says of them
		e.Output = s.store.Digest(fmt.Appendf(e.Output[:], "%d %v", known.Answer.Status, known.Answer.Fields))
	}
	if src != nil {
		e.Source = s.store.Digest(text)
	}
	if a.PageResult = s.store.Lookup(known.File, e.Output, e.Source,
		func() uint8 { return uint8(s.auditor.State(known.File)) }); a.PageResult != nil {
		return a, nil
	}
	ask := auditcache.DependenciesOf(s.weights, s.known, s.store)
	a.Audited = s.auditor.Look(file, known, text, src, ask, ask.Site)
	e.Page, e.Differs, e.State = a.PageResult, a.State != check.Applied, uint8(a.State)
	e.Questions = ask.Questions(a.Record)
	s.store.Keep(known.File, &e)
	return a, nil
}

// add takes a page into the result.
func (s *auditing) add(a *audited) error {
	r := s.result
	r.Findings = append(r.Findings, s.sum.Add(a.PageResult)...)
	r.Rendered = append(r.Rendered, a.Rendered...)
	if s.Each != nil {
		return s.Each(a.Record, a.Verdicts)
	}
	if s.Records {
		r.Verdicts = append(r.Verdicts, a.Verdicts...)
		a.Record.Source, a.Record.Scan = nil, nil // the page itself is not kept
		if s.Lean {
			a.Record.Lean()
		}
		r.Records = append(r.Records, a.Record)
	}
	return nil
}

// Page audits one page given as bytes, as the page at a path. For has() the
// source file is asked if there is one, else the page itself.
func Page(file []byte, path string, project *project.Project) (*result.Audit, error) {
	s := &auditing{
		Options: Options{Dir: "-", Project: project, Records: true},
		result:  newAuditResult("-"),
		weights: site.NewWeights(".", nil),
	}
	var err error
	if s.auditor, err = pageaudit.New(pageaudit.Options{}, project, false, ""); err != nil {
		return nil, err
	}
	s.auditor.Verdicts = true
	known := page.Page{Path: page.Clean(path), File: "-"}
	var text []byte
	var src *page.Page
	if project != nil {
		s.useGate(project)
		known.Path = project.Identify(path)
		known.Facts, known.Lists = project.Facts.ByPage[known.Key()], project.Facts.Lists[known.Key()]
		text, src = file, &known
		for i := range project.Pages {
			if p := &project.Pages[i]; p.Key() == known.Key() {
				b, err := project.Read(p)
				if err != nil {
					return nil, err
				}
				text, src = b, p
			}
		}
		if len(project.Files) > 0 {
			of := check.Known{Read: site.ReadOnce(project.From), Gate: true}
			of.HasFile, of.HasPage = site.Index(project.Files, project.Pages)
			s.known, s.weights = check.NewSite(of), site.NewWeights(project.Source, project.Files)
		}
	}
	s.sum = audit.NewSiteResult(s.auditor.Gate)
	a := audited{Audited: s.auditor.Look(file, known, text, src, s.weights, s.known)}
	if err := s.add(&a); err != nil {
		return nil, err
	}
	s.sum.Count(slices.Values(s.result.Findings))
	s.finish()
	return s.result, nil
}
