// Package project is a gate file with what belongs to it: the facts, the files that it names, the
// source folder with its pages, the output folder.
package project

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"yellowgate/internal/core/checks"
	"yellowgate/internal/core/didyoumean"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/weburl"
	"yellowgate/internal/failure"
	"yellowgate/internal/fsys"
	"yellowgate/internal/site"
	"yellowgate/internal/version"
)

// GateFileName is the name under which the gate file is looked for.
const GateFileName = "yellowgate.yaml"

// A Project is a gate file with the site that it is for.
type Project struct {
	Dir    string // of the gate file, absolute
	Gate   *pageedit.Gate
	Digest string // of the gate: gate file, files it names, facts, the tool's version
	Facts  *Facts

	Source string            // absolute, "" if the gate file names none
	From   site.Store        // of the pages before the gate, once walked
	Output string            // likewise
	Files  []site.File       // of the source
	Strays []string          // links in the source that are not followed, and what is no file
	Made   map[string][]byte // files of pages that the gate makes, by name
	Pages  []page.Page       // sorted by path

	// LeftOut are dot-files of the source that are not copied and that a server may want.
	LeftOut []string

	// Named are the gate files and the files that they name, in the order in which they were read first.
	Named []NamedText

	files   map[string][]byte // see Options
	would   map[string][]byte // Options.Named
	skip    func(string, bool) bool
	hidden  sync.Mutex
	outside bool
	note    func(string)

	blankOnce sync.Once
	blank     map[string][]byte
}

// NamedText is a file on which the gate depends: its name relative to the folder of the gate file, with slashes,
// and its text.
type NamedText struct {
	Name string
	Text []byte
}

// A GateError carries the problems that keep a gate file from being put into
// effect. It is told with exit status 2.
type GateError struct{ Problems []problem.Problem }

func (e *GateError) Error() string {
	return fmt.Sprintf("the gate file cannot be put into effect: %d problems", len(e.Problems))
}

// FindGate looks for the gate file in a folder and in those above it.
func FindGate(dir string) (string, error) {
	abs, err := filepath.Abs(dir)
	if err != nil {
		return "", err
	}
	for d := abs; ; d = filepath.Dir(d) {
		name := filepath.Join(d, GateFileName)
		if info, err := os.Stat(name); err == nil && info.Mode().IsRegular() {
			return name, nil
		}
		if d == filepath.Dir(d) {
			return "", &failure.Usage{
				Message: "no " + GateFileName + " in this folder or in one above it",
				Remedy: "go to your site's folder, name the file with --gate FILE, or let the tool write a first " +
					"one from the folder of your pages: yellowgate survey DIR --write",
			}
		}
	}
}

// Options say how a gate file is opened.
type Options struct {
	// Day is the day for items with dates, as 2026-11-23; "" for today.
	Day string
	// Texts are gate files as they would be, by their names in positions: what is
	// on disk under such a name is not read.
	Texts map[string][]byte
	// Files, where they are not nil, are all files that the gate file may name and itself, by their names relative to its
	// folder, as they were at some time: the disk is not read.
	Files map[string][]byte
	// Named are files that the gate file names, by their names relative to its folder, as they would be.
	Named map[string][]byte
	// Outside lets the gate file name code, facts and gate files that lie outside its
	// folder, by their names or through links.
	Outside bool
	// TreeCost is how much the tree of a page may cost: see pageedit.Gate.
	TreeCost int
	// Note, if set, is called with the name of each file that is read, absolute, those that are
	// not there among them: what the gate depends on.
	Note func(file string)
}

// SiteOf reads what a gate file says of its site, and nothing that it names: the pages that it is
// about may not be there yet. source is the source folder, absolute, "" for none.
func SiteOf(gateFile string) (s *gatefile.Site, source string, err error) {
	text, err := fsys.Read(gateFile, fsys.GateLimit)
	if err != nil {
		return nil, "", &failure.Path{Path: gateFile, Err: err, What: "name the gate file with --gate FILE"}
	}
	g, problems := gatefile.Parse(gateFile, text, nil)
	for _, p := range problems {
		if p.Severity == problem.Error && (p.Pos == g.Site.Origin.Pos || p.Pos == g.Site.URL.Pos) {
			return nil, "", &GateError{[]problem.Problem{p}}
		}
	}
	abs, err := filepath.Abs(gateFile)
	if err != nil {
		return nil, "", &failure.Path{Path: gateFile, Err: err}
	}
	if source = g.Site.Source.Value; source != "" && !filepath.IsAbs(source) {
		source = filepath.Join(filepath.Dir(abs), filepath.FromSlash(source))
	}
	return &g.Site, source, nil
}

// DayAt is the day at a moment in the time zone of a site, or in this machine's where it names none.
func DayAt(g *gatefile.Gate, now time.Time) string {
	if zone := Zone(g); zone != nil {
		now = now.In(zone)
	}
	return now.Format(time.DateOnly)
}

// Zone is the time zone of a site; nil where it names none.
func Zone(g *gatefile.Gate) *time.Location {
	if g.Site.TimeZone.Value == "" {
		return nil
	}
	zone, err := time.LoadLocation(g.Site.TimeZone.Value)
	if err != nil { // the gate file has that as an error
		return nil
	}
	return zone
}

// Open reads a gate file and all that it names; the site itself is read by
// Walk. Problems that are no errors are returned besides the Project; errors
// come as a *GateError with all of them.
func Open(gateFile string, o Options) (*Project, []problem.Problem, error) {
	abs, err := filepath.Abs(gateFile)
	if err != nil {
		return nil, nil, &failure.Path{Path: gateFile, Err: err}
	}
	if o.Note != nil {
		o.Note(abs)
	}
	text, ok := o.Files[filepath.Base(gateFile)]
	if !ok {
		if text, err = fsys.Read(gateFile, fsys.GateLimit); err != nil {
			return nil, nil, &failure.Path{Path: gateFile, Err: err, What: "name the gate file with --gate FILE"}
		}
	}
	p := &Project{Dir: fsys.Real(filepath.Dir(abs)), outside: o.Outside, note: o.Note, files: o.Files, would: o.Named}
	sum := sha256.New()
	put(sum, []byte(version.Number))
	shown := shownAs(gateFile, abs)
	if t, ok := o.Texts[shown]; ok {
		text = t
	}
	put(sum, text)
	p.named(filepath.Base(abs), text)
	g, problems := gatefile.Parse(shown, text, p.includer(shown, o.Texts, sum))
	problems = append(problems, g.ReadFiles(gatefile.Sources{Read: p.reader(g, sum), Integrity: p.integrity(g, sum)})...)
	if worst, any := problem.Worst(problems); any && worst == problem.Error {
		return nil, nil, &GateError{problems}
	}
	if o.Day == "" {
		o.Day = DayAt(g, time.Now())
	}
	facts, more := p.readFacts(g, func(b []byte) { put(sum, b) })
	p.Facts = facts
	g.ListFacts = facts.lists
	problems = append(problems, more...)
	if g.Dated() {
		put(sum, []byte(o.Day))
	}
	problems = append(problems, g.CheckNames(checks.Names(), problem.Names())...)
	gate, more := pageedit.New(g, o.Day)
	gate.TreeCost = o.TreeCost
	problems = append(problems, more...)
	p.Gate = gate
	problems = append(problems, p.folders()...)
	for i := range problems {
		g.Accepts(&problems[i], nil)
	}
	p.Digest = "sha256:" + hex.EncodeToString(sum.Sum(nil))
	if worst, any := problem.Worst(problems); any && worst == problem.Error {
		return nil, nil, &GateError{problems}
	}
	return p, problems, nil
}

// shownAs is what messages call a gate file: its path from here, where that is shorter.
func shownAs(gateFile, abs string) string {
	if wd, err := os.Getwd(); err == nil {
		if rel, err := filepath.Rel(wd, abs); err == nil && len(rel) < len(gateFile) {
			gateFile = rel
		}
	}
	return filepath.ToSlash(gateFile)
}

// folders settles the source and the output folder.
func (p *Project) folders() (problems []problem.Problem) {
	s := &p.Gate.File.Site
	fail := func(t gatefile.Text, remedy, format string, args ...any) {
		problems = append(problems, problem.Problem{Severity: problem.Error, Pos: t.Pos,
			Message: fmt.Sprintf(format, args...), Remedy: remedy, Line: LineOf(p.Gate.File.Text, t.Pos.Line)})
	}
	abs := func(t gatefile.Text) string {
		if t.Value == "" {
			return ""
		}
		if filepath.IsAbs(t.Value) {
			return filepath.Clean(t.Value)
		}
		return filepath.Join(p.Dir, filepath.FromSlash(t.Value))
	}
	p.Source, p.Output = abs(s.Source), abs(s.Output)
	p.skip = skipper(p.Dir, fsys.Real(p.Source), p.Gate.File)
	if p.Source == "" || p.Output == "" {
		return problems
	}
	source, output := fsys.Real(p.Source), fsys.Real(p.Output)
	switch {
	case source == output:
		fail(s.Output, "name another folder for the output, such as public",
			"the output folder is the source folder; the source is never written to")
	case within(output, source):
		fail(s.Output, "name a folder of its own for the output", "the output folder %s holds the source folder %s",
			s.Output.Value, s.Source.Value)
	case within(output, p.Dir):
		fail(s.Output, "name a folder of its own for the output", "the output folder %s holds the gate file",
			s.Output.Value)
	}
	return problems
}

// OfFolder is a project of a folder of pages and a gate file that says nothing but the address of the
// site; "" for none.
func OfFolder(dir, address string) (*Project, error) {
	abs, err := filepath.Abs(dir)
	if err != nil {
		return nil, &failure.Path{Path: dir, Err: err}
	}
	head := "yellowgate: 1\n"
	if address != "" {
		head += fmt.Sprintf("site: {url: %q}\n", address)
	}
	g, _ := gatefile.Parse("", []byte(head), nil)
	gate, _ := pageedit.New(g, DayAt(g, time.Now()))
	p := &Project{
		Dir:    abs,
		Source: abs,
		Gate:   gate,
		Facts:  &Facts{},
		skip:   func(rel string, _ bool) bool { return site.Hidden(rel) },
	}
	return p, p.Walk()
}

// Walk lists the source folder and gives its pages their paths and facts.
func (p *Project) Walk() error {
	origin := p.Gate.File.Site.Origin.Value
	if p.Source == "" && origin != "" {
		return &failure.Usage{
			Message: "the gate file names a server and no folder of its pages",
			Remedy:  "add under site: source: captured, and keep the pages there with yellowgate capture",
		}
	}
	if p.Source == "" {
		return &failure.Usage{
			Message: "the gate file names no source folder",
			Remedy:  "add under site: source: FOLDER, the folder of the pages as your site builds them",
		}
	}
	p.LeftOut = nil
	folder, err := site.OpenFolder(p.Source, true)
	if err != nil {
		return err
	}
	p.From = folder
	files, strays, err := p.From.List(func(rel string, dir bool) bool {
		skip := p.Skip(rel, dir)
		if skip {
			p.noteHidden(rel, dir)
		}
		return skip
	})
	slices.Sort(p.LeftOut)
	if err != nil {
		var pe *failure.Path
		if errors.As(err, &pe) && pe.Path == p.Source {
			pe.What = fmt.Sprintf("%s: site.source names this folder; build the site first, or mend the path",
				p.Gate.File.Site.Source.Pos)
			if origin != "" {
				pe.What = fmt.Sprintf(
					"%s: site.source names this folder; yellowgate capture keeps the pages of %s there",
					p.Gate.File.Site.Source.Pos, origin)
			}
		}
		return err
	}
	p.Files, p.Strays = files, strays
	p.Pages, err = p.PagesOf(files)
	if err != nil {
		return err
	}
	site.Told(p.Pages, p.From)
	if err := p.blankPages(); err != nil {
		return err
	}
	slices.SortFunc(p.Pages, func(a, b page.Page) int { return strings.Compare(a.Path, b.Path) })
	for i := range p.Pages {
		p.giveFacts(&p.Pages[i])
	}
	if p.Gate.File.NamesSiblings() && p.Gate.Plan.PageAt == nil {
		p.tellPages()
	}
	return nil
}

// tellPages tells the gate which pages there are, and makes them a part of its digest: what it writes depends on them.
func (p *Project) tellPages() {
	sum := sha256.New()
	put(sum, []byte(p.Digest))
	at := make(map[string]string, len(p.Pages))
	for i := range p.Pages {
		at[p.Pages[i].Key()] = p.Pages[i].Path
		put(sum, []byte(p.Pages[i].Path))
	}
	p.Digest = "sha256:" + hex.EncodeToString(sum.Sum(nil))
	p.Gate.Plan.PageAt = func(path string) (string, bool) {
		path, there := at[page.Key(path)]
		return path, there
	}
}

// MadeByServer reports whether there is no folder of the site's pages: a server makes them, and nothing
// is captured yet. Then the project has no source.
func (p *Project) MadeByServer() bool {
	if p.Gate.File.Site.Origin.Value == "" {
		return false
	}
	if p.Source != "" {
		if _, err := os.Stat(p.Source); err == nil {
			return false
		}
		p.Source = ""
	}
	return true
}

// OfSite reports whether an address is one of the site, as visitors know it.
func (p *Project) OfSite(address string) bool {
	ref, ok := weburl.NewSite(p.Gate.File.Site.URL.Value).Page("/", "").Resolve(address)
	return ok && ref.Own && p.Gate.File.Site.URL.Value != ""
}

// PageAt is what is known of the page of a file, relative to the folder that it is in, before that
// is read: its path and its facts.
func (p *Project) PageAt(file string) page.Page {
	s := &p.Gate.File.Site
	pg := page.Page{Path: s.Spelling.PathOf(file), File: file, Whole: matchesAny(s.Pages, file)}
	p.giveFacts(&pg)
	return pg
}

// PageFrom is PageAt for a page that a server has answered with, whose address may be another spelling, or have a
// query that names it.
func (p *Project) PageFrom(file string, answer *page.Answer) page.Page {
	pg := p.PageAt(file)
	pg.Answer = answer
	pg.Called(answer)
	p.giveFacts(&pg)
	return pg
}

// Identify is a path with its query, as people write it, as the pages of the site have it.
func (p *Project) Identify(address string) string {
	return page.Identify(address, p.Gate.File.Site.Query)
}

// PagesOf is Pages for a folder of the project: its source, or an output of it.
func (p *Project) PagesOf(files []site.File) ([]page.Page, error) {
	s := &p.Gate.File.Site
	pages, err := site.Pages(files, s.Spelling)
	for i := range pages {
		pages[i].Whole = matchesAny(s.Pages, pages[i].File)
	}
	if p.From != nil {
		site.Addressed(pages, p.From)
	}
	return pages, err
}

func (p *Project) giveFacts(pg *page.Page) {
	pg.Facts, pg.Lists = p.Facts.ByPage[pg.Key()], p.Facts.Lists[pg.Key()]
}

// CheckPages holds what the gate file and the facts say of single pages against
// the pages there are.
func (p *Project) CheckPages() (problems []problem.Problem) {
	have := make(map[string]bool, len(p.Pages))
	paths := make([]string, len(p.Pages))
	for i := range p.Pages {
		have[p.Pages[i].Key()] = true
		paths[i] = p.Pages[i].Path
	}
	for _, pp := range p.Gate.File.Pages {
		if !have[page.Key(p.Identify(pp.Path))] {
			problems = append(problems, problem.Problem{Severity: problem.Error, Pos: pp.Pos,
				Line: LineOf(p.Gate.File.TextOf(pp.Pos.File), pp.Pos.Line),
				Message: fmt.Sprintf("per-page names %s, which is not a page of the site%s", pp.Path,
					didyoumean.Suggest(pp.Path, paths))})
		}
	}
	for _, row := range p.Facts.rows {
		if !have[row.key] {
			problems = append(problems, problem.Problem{Severity: problem.Warning, Name: problem.FactsWithoutPage,
				Pos: row.pos,
				Message: fmt.Sprintf("facts are given for %s, which is not a page of the site%s", row.path,
					didyoumean.Suggest(row.path, paths))})
		}
	}
	return problems
}

// Read reads the source file of a page.
func (p *Project) Read(pg *page.Page) ([]byte, error) {
	if b, ok := p.Made[pg.File]; ok {
		return b, nil
	}
	return p.from().Read(pg.File)
}

// from is where the pages come from; the folder alone where nobody walked it.
func (p *Project) from() site.Store {
	if p.From == nil {
		return &site.Folder{Dir: p.Source, Links: true}
	}
	return p.From
}

// ReadInto reads a file of the source folder into a buffer.
func (p *Project) ReadInto(buf *site.Buffer, file string) ([]byte, error) {
	if b, ok := p.Made[file]; ok {
		return b, nil
	}
	return p.from().ReadInto(buf, file)
}
