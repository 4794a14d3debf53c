package siteaudit

import (
	"context"
	"fmt"
	"io"
	"iter"
	"path/filepath"
	"slices"
	"strings"

	"github.com/zeebo/xxh3"

	"yellowgate/internal/auditparts"
	"yellowgate/internal/core/audit"
	"yellowgate/internal/core/check"
	"yellowgate/internal/core/checks"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/page"
	"yellowgate/internal/failure"
	"yellowgate/internal/result"
	"yellowgate/internal/site"
)

// An audit in parts: each part audits the pages that a fixed rule of their paths gives it and
// writes down what they came to; whoever has all parts adds them up as one audit does.

// Part audits one part of a folder's pages and writes it down. With o.Records the pages'
// records are in it, too.
func Part(ctx context.Context, o Options, part site.Part, w io.Writer) (*result.Part, error) {
	records := o.Records
	o.Each = func(*inventory.Record, []result.Gated) error { return nil }
	if !records {
		o.Roughly = true
	}
	o.NoCache, o.Records = true, false
	s, err := newAuditing(ctx, o)
	if err != nil {
		return nil, err
	}
	s.weights.Roughly = !records
	s.auditor.Verdicts = records // else nobody asks for them
	lines, err := auditparts.NewWriter(w, auditparts.Head{Part: part.Number, Of: part.Of, Folder: o.Named,
		Gate: s.result.Gate, Site: s.digest(), Records: records})
	if err != nil {
		return nil, err
	}
	r := &result.Part{Part: part, All: len(s.pages)}
	all := s.pages // whoever asks for a page asks for one of all
	s.pages = nil
	for _, p := range all {
		if part.Has(p.Path) {
			s.pages = append(s.pages, p)
		}
	}
	r.Pages = len(s.pages)
	if err := s.each(ctx, func(a *audited) error {
		for _, f := range s.sum.Again(slices.Clone(a.Findings), a.Lives) {
			r.Totals.Add(f.Severity)
		}
		line := auditparts.Page{PageResult: a.PageResult}
		if records {
			line.Verdicts = a.Verdicts
			line.Keep(a.Record)
		}
		return lines.Put(line)
	}); err != nil {
		return nil, err
	}
	return r, lines.End(r.Pages)
}

// digest is of what has to be alike for parts to be of one site.
func (s *auditing) digest() string {
	sum := xxh3.New()
	for _, f := range s.files {
		fmt.Fprintf(sum, "%s\x00%d\x00", f.Path, f.Size)
	}
	sum.Write(s.context())
	if b, err := s.from.Read(site.CaptureName); err == nil { // what the transport said of the pages
		sum.Write(b)
	}
	return fmt.Sprintf("%x", sum.Sum128().Bytes())
}

// joining is an audit that was done in parts.
type joining struct {
	*auditing
	parts []*auditparts.File // by number, from 0
	alike checks.Alike
	site  []check.Finding // of the site, by file
	any   bool            // some findings come before all others
	count bool            // notes that are left out are counted
	err   error           // of reading the parts again
}

// PartFolder is the folder that parts are of, as it was named when they were made; none for the
// output of the gate file.
func PartFolder(names []string) ([]string, error) {
	if len(names) == 0 {
		return nil, &failure.Usage{
			Message: "no parts to join",
			Remedy:  "name them: yellowgate audit --join part-*.ndjson",
		}
	}
	p, err := auditparts.Open(names[0])
	if err != nil {
		return nil, err
	}
	defer p.Close()
	if p.Folder == "" {
		return nil, nil
	}
	return []string{p.Folder}, nil
}

// Join adds up the parts of an audit, given by the names of their files: what comes out is what
// one audit of all pages says. The findings are read from the parts when they are asked for.
// With o.Records, or o.Each, the parts must hold records. done closes the parts.
func Join(ctx context.Context, o Options, names []string) (r *result.Audit, done func() error, err error) {
	s, err := newAuditing(ctx,
		Options{Dir: o.Dir, Project: o.Project, Address: o.Address, Name: o.Name, NoNotes: o.NoNotes, NoCache: true,
			GateFile: o.GateFile, Progress: o.Progress})
	if err != nil {
		return nil, nil, err
	}
	j := &joining{auditing: s}
	closed := func() error {
		for _, p := range j.parts {
			if p != nil {
				p.Close()
			}
		}
		return j.err
	}
	defer func() {
		if err != nil {
			closed()
		}
	}()
	if err := j.open(names); err != nil {
		return nil, nil, err
	}
	if (o.Records || o.Each != nil) && slices.ContainsFunc(j.parts, func(p *auditparts.File) bool { return !p.Records }) {
		return nil, nil, &failure.Usage{
			Message: "the parts hold no records of pages, which this format has",
			Remedy:  "make the parts with --records, or join them into text, csv, sarif, junit or markdown",
		}
	}
	if err := j.add(o); err != nil {
		return nil, nil, err
	}
	j.site = s.ofSite()
	for i := range j.site {
		j.alike.Add(&j.site[i])
		j.any = j.any || check.First(&j.site[i])
	}
	slices.SortStableFunc(j.site, func(a, b check.Finding) int { return strings.Compare(a.File, b.File) })
	j.count = true
	s.sum.Count(j.all())
	j.count = false
	s.finish()
	s.result.Each = j.all
	if o.Records || o.Each != nil {
		s.result.Gather()
	}
	return s.result, closed, j.err
}

// open opens the parts and looks that they are all of one audit, and of this site.
func (j *joining) open(names []string) error {
	var first *auditparts.File
	for _, name := range names {
		p, err := auditparts.Open(name)
		if err != nil {
			return err
		}
		if first == nil {
			first = p
			j.parts = make([]*auditparts.File, p.Of)
		}
		if err := j.fits(p, first); err != nil {
			p.Close()
			return err
		}
		j.parts[p.Part-1] = p
	}
	var missing []string
	for i, p := range j.parts {
		if p == nil {
			missing = append(missing, site.Part{Number: i + 1, Of: first.Of}.String())
		}
	}
	if len(missing) > 0 {
		return &failure.Usage{
			Message: "missing: part " + strings.Join(missing[:min(len(missing), 12)], ", "),
			Remedy:  "run it: yellowgate audit --part " + missing[0] + " --out FILE; then join all parts",
		}
	}
	if first.Site != j.digest() {
		return &failure.Usage{
			Message: "the files of " + j.Options.Name + " are not those of which the parts were made",
			Remedy:  "run all parts of the audit again, or join them where the same files are",
		}
	}
	return nil
}

// fits is the error of a part that is not of one audit with the first, or is there twice.
func (j *joining) fits(p, first *auditparts.File) error {
	if err := p.OtherVersion(); err != nil && p.Of == first.Of {
		return err
	}
	switch {
	case p.Of != first.Of:
		return &failure.Usage{
			Message: fmt.Sprintf("%s is part %d of %d, and %s one of %d", p.Name, p.Part, p.Of, first.Name, first.Of),
			Remedy:  "join the parts of one audit",
		}
	case p.Gate != j.result.Gate:
		return &failure.Usage{
			Message: p.Name + " was made with another gate",
			Remedy:  "the gate file, or what it names, changed since: run the parts of the audit again",
		}
	case filepath.Clean(p.Folder) != filepath.Clean(first.Folder):
		return &failure.Usage{
			Message: fmt.Sprintf("%s is of the folder %s, and %s of %s", p.Name, p.Folder, first.Name, first.Folder),
			Remedy:  "join the parts of one audit",
		}
	case p.Site != first.Site:
		return &failure.Usage{
			Message: p.Name + " and " + first.Name + " were made of different files",
			Remedy:  "run all parts of the audit on the same files",
		}
	case j.parts[p.Part-1] != nil:
		return &failure.Usage{
			Message: fmt.Sprintf("part %d of %d is there twice: %s and %s", p.Part, p.Of, j.parts[p.Part-1].Name, p.Name),
			Remedy:  "name each part once",
		}
	}
	return nil
}

// add reads the parts for the first time and takes in their pages.
func (j *joining) add(o Options) error {
	for i := range j.pages {
		known := &j.pages[i]
		var line auditparts.Page
		if err := j.of(known).Read(&line); err != nil {
			return err
		}
		if line.PageResult == nil || line.File != known.File || len(line.Items) > len(j.sum.Items) {
			return j.of(known).Wrong("the page %s was expected here", known.Path)
		}
		if j.Progress != nil {
			j.Progress(i+1, len(j.pages))
		}
		if err := j.takeIn(known, &line); err != nil {
			return err
		}
		if line.Record == nil {
			continue
		}
		var err error
		if o.Each != nil {
			err = o.Each(line.Record, line.Verdicts)
		} else if o.Records {
			j.result.Records = append(j.result.Records, line.Record)
			j.result.Verdicts = append(j.result.Verdicts, line.Verdicts...)
		}
		if err != nil {
			return err
		}
	}
	for _, p := range j.parts {
		if err := p.End(); err != nil {
			return err
		}
	}
	return nil
}

// takeIn takes in one page. What no audit writes down, somebody changed by hand: that is an error with its
// line, whatever it does to those who read it.
func (j *joining) takeIn(known *page.Page, line *auditparts.Page) (err error) {
	defer func() {
		if recover() != nil {
			err = j.of(known).Wrong("the line is not one that an audit writes")
		}
	}()
	for _, f := range j.sum.Add(line.PageResult) {
		j.alike.Add(&f)
		j.any = j.any || check.First(&f)
	}
	if line.Record != nil {
		line.Restore()
	}
	return nil
}

// of is the part that has a page.
func (j *joining) of(known *page.Page) *auditparts.File {
	return j.parts[site.PartOf(known.Path, len(j.parts))-1]
}

// all yields the findings in their order, reading the parts again: those that explain others,
// then the rest, each by file.
func (j *joining) all() iter.Seq[check.Finding] {
	return func(yield func(check.Finding) bool) {
		for _, first := range []bool{true, false} {
			if first && !j.any {
				continue
			}
			j.alike.Again()
			for _, p := range j.parts {
				if err := p.Rewind(); err != nil {
					j.err = err
					return
				}
			}
			if !j.pass(first, func(f check.Finding) bool { return check.First(&f) != first || yield(f) }) {
				return
			}
		}
	}
}

// pass yields all findings by file.
func (j *joining) pass(first bool, yield func(check.Finding) bool) bool {
	ofSite := j.site
	give := func(fs []check.Finding) bool {
		kept := fs[:0]
		for _, f := range fs {
			switch {
			case !j.alike.Keeps(&f, j.sum.Gathered):
			case j.NoNotes && audit.IsNote(f):
				if j.count && !first {
					j.sum.Totals.Notes++
				}
			default:
				kept = append(kept, f)
			}
		}
		check.Sort(kept)
		for _, f := range kept {
			j.sayElsewhere(&f)
			if !yield(f) {
				return false
			}
		}
		return true
	}
	upTo := func(file string, all bool) (fs []check.Finding) {
		n := 0
		for n < len(ofSite) && (all || ofSite[n].File < file) {
			n++
		}
		fs, ofSite = slices.Clone(ofSite[:n]), ofSite[n:]
		return fs
	}
	for i := range j.pages {
		var line struct { // the rest is not asked for again
			File     string          `json:"file"`
			Findings []check.Finding `json:"findings"`
			Lives    []int           `json:"lives"`
		}
		if err := j.of(&j.pages[i]).Read(&line); err != nil {
			j.err = err
			return false
		}
		fs := j.sum.Again(line.Findings, line.Lives)
		if before := upTo(line.File, false); !give(before) {
			return false
		}
		for len(ofSite) > 0 && ofSite[0].File == line.File {
			fs, ofSite = append(fs, ofSite[0]), ofSite[1:]
		}
		if !give(fs) {
			return false
		}
	}
	return give(upTo("", true))
}
