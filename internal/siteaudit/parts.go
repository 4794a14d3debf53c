package siteaudit

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"iter"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/zeebo/xxh3"

	"yellowgate/internal/core/audit"
	"yellowgate/internal/core/check"
	"yellowgate/internal/core/checks"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/failure"
	"yellowgate/internal/fsys"
	"yellowgate/internal/result"
	"yellowgate/internal/site"
	"yellowgate/internal/version"
)

// An audit in parts: each part audits the pages that a fixed rule of their paths gives it and
// writes down what they came to; whoever has all parts adds them up as one audit does.

// PartFormat is the version of the form of a part: lines of JSON, a head, the pages in order, an
// end.
const PartFormat = "yellowgate.audit-part/1"

// partHead is the first line of a part.
type partHead struct {
	Format  string `json:"format"`
	Version string `json:"version"`
	Part    int    `json:"part"`
	Of      int    `json:"of"`
	Folder  string `json:"folder"`  // as it was named; "" for the output of the gate file
	Gate    string `json:"gate"`    // digest of the gate, or ""
	Site    string `json:"site"`    // digest of the names and sizes of all files, and of what all pages depend on
	Records bool   `json:"records"` // the pages' records are there
}

// partPage is a page of a part.
type partPage struct {
	*audit.PageResult
	Record   *inventory.Record `json:"record,omitempty"`
	Verdicts []result.Gated    `json:"verdicts,omitempty"`
	// What a saved record does not keep of its elements: what they say, and the files that
	// stylesheets name, by the element's number.
	Labels []string              `json:"labels,omitempty"`
	Files  map[int][]namedImport `json:"files,omitempty"`
}

type namedImport struct {
	inventory.Import
	Named bool `json:"named,omitempty"`
}

// keep takes a record into the line.
func (l *partPage) keep(r *inventory.Record) {
	l.Record = r
	for i := range r.Elements {
		e := &r.Elements[i]
		l.Labels = append(l.Labels, e.Label)
		for _, f := range e.Files {
			if l.Files == nil {
				l.Files = map[int][]namedImport{}
			}
			l.Files[i] = append(l.Files[i], namedImport{f, f.Named})
		}
	}
}

// restore makes the record what it was.
func (l *partPage) restore() {
	l.Record.Restore()
	for i := range min(len(l.Labels), len(l.Record.Elements)) {
		e := &l.Record.Elements[i]
		e.Label = l.Labels[i]
		for _, f := range l.Files[i] {
			f.Import.Named = f.Named
			e.Files = append(e.Files, f.Import)
		}
	}
}

// partEnd is the last line of a part.
type partEnd struct {
	End    int    `json:"end"`    // pages
	Digest string `json:"digest"` // XXH3 of all lines before, 128 bits
}

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
	if !records {
		s.Each = nil // nobody asks for the verdicts
	}
	lines := &digestedLines{w: bufio.NewWriter(w), sum: xxh3.New()}
	if err := lines.put(
		partHead{PartFormat, version.Number, part.Number, part.Of, o.Named, s.result.Gate, s.digest(),
			records}); err != nil {
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
		line := partPage{PageResult: a.PageResult}
		if records {
			line.Verdicts = a.verdicts
			line.keep(a.record)
		}
		return lines.put(line)
	}); err != nil {
		return nil, err
	}
	if err := lines.put(partEnd{r.Pages, lines.digest()}); err != nil {
		return nil, err
	}
	return r, lines.w.Flush()
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

// digestedLines writes lines of JSON and digests them.
type digestedLines struct {
	w   *bufio.Writer
	sum *xxh3.Hasher
}

func (l *digestedLines) put(v any) error {
	var b bytes.Buffer
	e := json.NewEncoder(&b)
	e.SetEscapeHTML(false)
	if err := e.Encode(v); err != nil {
		return err
	}
	l.sum.Write(b.Bytes())
	_, err := l.w.Write(b.Bytes())
	return err
}

func (l *digestedLines) digest() string { return fmt.Sprintf("%x", l.sum.Sum128().Bytes()) }

// A partFile is a part that was read up to a line.
type partFile struct {
	partHead
	name string
	f    *os.File
	r    *bufio.Reader
	line int
	sum  *xxh3.Hasher
}

func (p *partFile) wrong(format string, args ...any) error {
	return &failure.Usage{Message: fmt.Sprintf("%s:%d: ", p.name, p.line) + fmt.Sprintf(format, args...),
		Remedy: "run this part of the audit again: yellowgate audit --part " +
			site.Part{Number: max(p.Part, 1), Of: max(p.Of, p.Part, 1)}.String() + " --out " + p.name}
}

// rewind goes to the first line.
func (p *partFile) rewind() error {
	if _, err := p.f.Seek(0, io.SeekStart); err != nil {
		return &failure.Path{Path: p.name, Err: err}
	}
	if p.r == nil {
		p.r = bufio.NewReaderSize(p.f, 1<<16)
	}
	p.r.Reset(p.f)
	p.line, p.sum = 0, xxh3.New()
	_, err := p.next()
	return err
}

// next reads a line.
func (p *partFile) next() ([]byte, error) {
	p.line++
	var line []byte
	for {
		more, err := p.r.ReadSlice('\n')
		line = append(line, more...)
		switch {
		case err == nil:
			p.sum.Write(line)
			return line, nil
		case errors.Is(err, bufio.ErrBufferFull) && len(line) < mostLine:
		case errors.Is(err, io.EOF):
			return nil, p.wrong("the part is incomplete: it was not written to its end")
		case err != nil && !errors.Is(err, bufio.ErrBufferFull):
			return nil, &failure.Path{Path: p.name, Err: err}
		default:
			return nil, p.wrong("the line is longer than %d MB", mostLine>>20)
		}
	}
}

// mostLine is how long a line of a part may be, in bytes.
const mostLine = 256 << 20

// openPart opens a part and reads its head.
func openPart(name string) (*partFile, error) {
	f, _, err := fsys.Open(name)
	if err != nil {
		return nil, &failure.Path{
			Path: name,
			Err:  err,
			What: "name the files that yellowgate audit --part N/M --out FILE wrote",
		}
	}
	p := &partFile{name: name, f: f, r: bufio.NewReaderSize(f, 1<<16), sum: xxh3.New()}
	line, err := p.next()
	if err == nil &&
		(json.Unmarshal(line, &p.partHead) != nil || !strings.HasPrefix(p.Format,
			"yellowgate.audit-part/") || p.Part < 1 || p.Of < p.Part || p.Of > site.MostParts) {
		p.partHead = partHead{}
		err = fmt.Errorf("no part")
	}
	if err != nil {
		f.Close()
		return nil, &failure.Usage{
			Message: name + " is not a part of an audit",
			Remedy:  "parts are written by yellowgate audit --part N/M --out FILE",
		}
	}
	return p, nil
}

// joining is an audit that was done in parts.
type joining struct {
	*auditing
	parts []*partFile // by number, from 0
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
	p, err := openPart(names[0])
	if err != nil {
		return nil, err
	}
	defer p.f.Close()
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
				p.f.Close()
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
	if (o.Records || o.Each != nil) && slices.ContainsFunc(j.parts, func(p *partFile) bool { return !p.Records }) {
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
	var first *partFile
	for _, name := range names {
		p, err := openPart(name)
		if err != nil {
			return err
		}
		if first == nil {
			first = p
			j.parts = make([]*partFile, p.Of)
		}
		if err := j.fits(p, first); err != nil {
			p.f.Close()
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
func (j *joining) fits(p, first *partFile) error {
	switch {
	case p.Of != first.Of:
		return &failure.Usage{
			Message: fmt.Sprintf("%s is part %d of %d, and %s one of %d", p.name, p.Part, p.Of, first.name, first.Of),
			Remedy:  "join the parts of one audit",
		}
	case p.Version != version.Number || p.Format != PartFormat:
		return &failure.Usage{
			Message: fmt.Sprintf("%s was made by version %s of yellowgate, and this is %s", p.name, p.Version,
				version.Number),
			Remedy: "audit all parts and join them with one version",
		}
	case p.Gate != j.result.Gate:
		return &failure.Usage{
			Message: p.name + " was made with another gate",
			Remedy:  "the gate file, or what it names, changed since: run the parts of the audit again",
		}
	case filepath.Clean(p.Folder) != filepath.Clean(first.Folder):
		return &failure.Usage{
			Message: fmt.Sprintf("%s is of the folder %s, and %s of %s", p.name, p.Folder, first.name, first.Folder),
			Remedy:  "join the parts of one audit",
		}
	case p.Site != first.Site:
		return &failure.Usage{
			Message: p.name + " and " + first.name + " were made of different files",
			Remedy:  "run all parts of the audit on the same files",
		}
	case j.parts[p.Part-1] != nil:
		return &failure.Usage{
			Message: fmt.Sprintf("part %d of %d is there twice: %s and %s", p.Part, p.Of, j.parts[p.Part-1].name, p.name),
			Remedy:  "name each part once",
		}
	}
	return nil
}

// add reads the parts for the first time and takes in their pages.
func (j *joining) add(o Options) error {
	for i := range j.pages {
		known := &j.pages[i]
		var line partPage
		if err := j.read(known, &line); err != nil {
			return err
		}
		if line.PageResult == nil || line.File != known.File || len(line.Items) > len(j.sum.Items) {
			return j.of(known).wrong("the page %s was expected here", known.Path)
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
	return j.ends()
}

// takeIn takes in one page. What no audit writes down, somebody changed by hand: that is an error with its
// line, whatever it does to those who read it.
func (j *joining) takeIn(known *page.Page, line *partPage) (err error) {
	defer func() {
		if recover() != nil {
			err = j.of(known).wrong("the line is not one that an audit writes")
		}
	}()
	for _, f := range j.sum.Add(line.PageResult) {
		j.alike.Add(&f)
		j.any = j.any || check.First(&f)
	}
	if line.Record != nil {
		line.restore()
	}
	return nil
}

// ends looks at the ends of the parts.
func (j *joining) ends() error {
	for _, p := range j.parts {
		digest := fmt.Sprintf("%x", p.sum.Sum128().Bytes())
		line, err := p.next()
		if err != nil {
			return err
		}
		var end partEnd
		if json.Unmarshal(line, &end) != nil || end.Digest == "" {
			return p.wrong("the part has more pages than the folder has for it")
		}
		if end.Digest != digest {
			return p.wrong("the part was changed since it was written")
		}
		if rest, _ := p.r.Peek(1); len(rest) > 0 {
			return p.wrong("the part goes on after its end")
		}
	}
	return nil
}

// of is the part that has a page.
func (j *joining) of(known *page.Page) *partFile {
	return j.parts[site.PartOf(known.Path, len(j.parts))-1]
}

// read reads the next line of the part that has a page.
func (j *joining) read(known *page.Page, into any) error {
	p := j.of(known)
	b, err := p.next()
	if err != nil {
		return err
	}
	if err := json.Unmarshal(b, into); err != nil {
		return p.wrong("the line cannot be read: %v", err)
	}
	return nil
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
				if err := p.rewind(); err != nil {
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
			case j.NoNotes && f.Severity == problem.Note:
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
		if err := j.read(&j.pages[i], &line); err != nil {
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
