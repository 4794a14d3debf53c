package site

import (
	"bytes"
	"crypto/sha256"
	"crypto/sha512"
	"encoding/base64"
	"encoding/hex"
	"errors"
	"fmt"
	"hash"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"runtime/debug"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/bmatcuk/doublestar/v4"

	"yellowgate/internal/core/checks"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/gating"
	"yellowgate/internal/core/near"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/disk"
)

// GateFileName is the name under which the gate file is looked for.
const GateFileName = "yellowgate.yaml"

// Version is the tool's version. It is part of the gate's digest: another
// version may write other pages.
const Version = "0.1.0"

// Build tells this build of the tool from others of the same version, as far as the build knows.
func Build() string {
	info, ok := debug.ReadBuildInfo()
	if !ok {
		return ""
	}
	out := info.GoVersion
	for _, s := range info.Settings {
		if strings.HasPrefix(s.Key, "vcs.") {
			out += " " + s.Value
		}
	}
	return out
}

// A Project is a gate file with the site that it is for.
type Project struct {
	Dir    string // of the gate file, absolute
	Gate   *gating.Gate
	Digest string // of the gate: gate file, files it names, facts, the tool's version
	Facts  *Facts

	Source string            // absolute, "" if the gate file names none
	Output string            // likewise
	Files  []File            // of the source
	Strays []string          // links in the source that are not followed, and what is no file
	Made   map[string][]byte // files of pages that the gate makes, by name
	Pages  []page.Page       // sorted by path

	// LeftOut are dot-files of the source that are not copied and that a server may want.
	LeftOut []string

	skip    func(string, bool) bool
	hidden  sync.Mutex
	outside bool
}

// A GateError carries the problems that keep a gate file from being put into
// effect. It is told with exit status 2.
type GateError struct{ Problems []problem.Problem }

func (e *GateError) Error() string {
	return fmt.Sprintf("the gate file cannot be put into effect: %d problems", len(e.Problems))
}

// A UsageError is wrong use of a command. It is told with exit status 2.
type UsageError struct{ Message, Remedy string }

func (e *UsageError) Error() string { return e.Message }

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
			return "", &UsageError{"no " + GateFileName + " in this folder or in one above it",
				"go to your site's folder, name the file with --gate FILE, or let the tool write a first one from the folder of your pages: yellowgate survey DIR --write"}
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
	// Outside lets the gate file name code, facts and gate files that lie outside its
	// folder, by their names or through links.
	Outside bool
}

// Today is the day in this machine's time zone.
func Today() string { return time.Now().Format(time.DateOnly) }

// Open reads a gate file and all that it names; the site itself is read by
// Walk. Problems that are no errors are returned besides the Project; errors
// come as a *GateError with all of them.
func Open(gateFile string, o Options) (*Project, []problem.Problem, error) {
	text, err := disk.Read(gateFile, disk.GateLimit)
	if err != nil {
		return nil, nil, &PathError{Path: gateFile, Err: err, What: "name the gate file with --gate FILE"}
	}
	if o.Day == "" {
		o.Day = Today()
	}
	abs, err := filepath.Abs(gateFile)
	if err != nil {
		return nil, nil, &PathError{Path: gateFile, Err: err}
	}
	p := &Project{Dir: disk.Real(filepath.Dir(abs)), outside: o.Outside}
	sum := sha256.New()
	put(sum, []byte(Version))
	shown := gateFile
	if wd, err := os.Getwd(); err == nil {
		if rel, err := filepath.Rel(wd, abs); err == nil && len(rel) < len(shown) {
			shown = rel
		}
	}
	shown = filepath.ToSlash(shown)
	if t, ok := o.Texts[shown]; ok {
		text = t
	}
	put(sum, text)
	g, problems := gatefile.Parse(shown, text, p.includer(shown, o.Texts, sum))
	problems = append(problems, g.Load(gatefile.Sources{Read: p.reader(g, sum), Integrity: p.integrity(g, sum)})...)
	if worst, any := problem.Worst(problems); any && worst == problem.Error {
		return nil, nil, &GateError{problems}
	}
	facts, more := p.readFacts(g, func(b []byte) { put(sum, b) })
	p.Facts = facts
	g.ListFacts = facts.lists
	problems = append(problems, more...)
	if g.Dated() {
		put(sum, []byte(o.Day))
	}
	problems = append(problems, g.CheckNames(checks.Names())...)
	gate, more := gating.New(g, o.Day)
	problems = append(problems, more...)
	p.Gate = gate
	problems = append(problems, p.folders()...)
	p.Digest = "sha256:" + hex.EncodeToString(sum.Sum(nil))
	if worst, any := problem.Worst(problems); any && worst == problem.Error {
		return nil, nil, &GateError{problems}
	}
	return p, problems, nil
}

func put(h hash.Hash, b []byte) {
	fmt.Fprintf(h, "%d:", len(b))
	h.Write(b)
}

// An OutsideError says that a file which the gate file names lies outside its folder.
type OutsideError struct{ Where string }

func (e *OutsideError) Error() string {
	return "the file lies outside the gate file's folder, at " + e.Where
}

// Remedy says what to do about it.
func (e *OutsideError) Remedy() string {
	return "if that is meant, list the file or its folder under site: outside: [PATH], or give --outside"
}

// readNamed reads a file that the gate file names, relative to it. One that lies outside
// its folder is read only where the user or site.outside allows it.
func (p *Project) readNamed(g *gatefile.Gate, name string, limit int64) ([]byte, error) {
	full := filepath.FromSlash(name)
	if !filepath.IsAbs(full) {
		full = filepath.Join(p.Dir, full)
	}
	real := disk.Real(full)
	if _, in := disk.Within(p.Dir, real); !in && !p.outside && !p.allowed(g, real) {
		if _, err := os.Lstat(full); err != nil {
			return nil, bare(err)
		}
		return nil, &OutsideError{real}
	}
	b, err := disk.Read(full, limit)
	return b, bare(err)
}

// allowed reports whether site.outside names a file or a folder that it is in.
func (p *Project) allowed(g *gatefile.Gate, real string) bool {
	return g != nil && slices.ContainsFunc(g.Site.Outside, func(t gatefile.Text) bool {
		at := filepath.FromSlash(t.Value)
		if !filepath.IsAbs(at) {
			at = filepath.Join(p.Dir, at)
		}
		_, in := disk.Within(disk.Real(at), real)
		return in
	})
}

// bare is an error without the path, which stands beside it.
func bare(err error) error {
	var pe *os.PathError
	if errors.As(err, &pe) {
		return pe.Err
	}
	return err
}

// reader reads the files that a gate file names, relative to it.
func (p *Project) reader(g *gatefile.Gate, sum hash.Hash) func(string) ([]byte, error) {
	return func(name string) ([]byte, error) {
		b, err := p.readNamed(g, name, disk.CodeLimit)
		if err == nil {
			put(sum, b)
		}
		return b, err
	}
}

// includer finds the gate files that a glob of the gate file names.
func (p *Project) includer(shown string, texts map[string][]byte, sum hash.Hash) func(string, *gatefile.Gate) ([]gatefile.Included, error) {
	return func(glob string, g *gatefile.Gate) (out []gatefile.Included, err error) {
		names, err := doublestar.Glob(os.DirFS(p.Dir), path.Clean(filepath.ToSlash(glob)))
		if err != nil {
			return nil, err
		}
		slices.Sort(names)
		for _, name := range names {
			if info, err := os.Stat(filepath.Join(p.Dir, filepath.FromSlash(name))); err == nil && info.IsDir() {
				continue
			}
			b, err := p.readNamed(g, name, disk.GateLimit)
			if err != nil {
				return nil, fmt.Errorf("%s: %w", name, err)
			}
			as := path.Join(path.Dir(shown), name)
			if t, ok := texts[as]; ok {
				b = t
			}
			put(sum, b)
			dir := path.Dir(name)
			if dir == "." {
				dir = ""
			}
			out = append(out, gatefile.Included{Name: as, Dir: dir, Text: b})
		}
		return out, nil
	}
}

// integrity gives files of the source folder their integrity values
// (Subresource Integrity, 3.2).
func (p *Project) integrity(g *gatefile.Gate, sum hash.Hash) func(string) (string, bool) {
	return func(name string) (string, bool) {
		dir := filepath.FromSlash(g.Site.Source.Value)
		if !filepath.IsAbs(dir) {
			dir = filepath.Join(p.Dir, dir)
		}
		b, err := disk.Read(filepath.Join(dir, filepath.FromSlash(path.Clean("/"+name))), disk.PageLimit)
		if g.Site.Source.Value == "" || err != nil {
			return "", false
		}
		put(sum, b)
		h := sha512.Sum384(b)
		return "sha384-" + base64.StdEncoding.EncodeToString(h[:]), true
	}
}

// folders settles the source and the output folder.
func (p *Project) folders() (problems []problem.Problem) {
	s := &p.Gate.File.Site
	fail := func(t gatefile.Text, remedy, format string, args ...any) {
		problems = append(problems, problem.Problem{Severity: problem.Error, Pos: t.Pos, Message: fmt.Sprintf(format, args...), Remedy: remedy,
			Line: LineOf(p.Gate.File.Text, t.Pos.Line)})
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
	p.skip = skipper(p.Dir, disk.Real(p.Source), p.Gate.File)
	if p.Source == "" || p.Output == "" {
		return problems
	}
	source, output := disk.Real(p.Source), disk.Real(p.Output)
	switch {
	case source == output:
		fail(s.Output, "name another folder for the output, such as public", "the output folder is the source folder; the source is never written to")
	case within(output, source):
		fail(s.Output, "name a folder of its own for the output", "the output folder %s holds the source folder %s", s.Output.Value, s.Source.Value)
	case within(output, p.Dir):
		fail(s.Output, "name a folder of its own for the output", "the output folder %s holds the gate file", s.Output.Value)
	}
	return problems
}

func within(dir, name string) bool {
	_, ok := disk.Within(dir, name)
	return ok
}

// LineOf is the line of a text with the number n, from 1.
func LineOf(text []byte, n int) string {
	if n < 1 || len(text) == 0 {
		return ""
	}
	linesMu.Lock()
	defer linesMu.Unlock()
	if lines.of != &text[0] || lines.size != len(text) { // one text is asked for many lines
		lines.of, lines.size, lines.starts = &text[0], len(text), []int{0}
		for i, c := range text {
			if c == '\n' {
				lines.starts = append(lines.starts, i+1)
			}
		}
	}
	if n > len(lines.starts) {
		return ""
	}
	line, _, _ := bytes.Cut(text[lines.starts[n-1]:], []byte{'\n'})
	return strings.TrimSuffix(string(line), "\r")
}

// lines are where the lines begin of the text that was asked for last.
var (
	lines struct {
		of     *byte
		size   int
		starts []int
	}
	linesMu sync.Mutex
)

// OfFolder is a project of a folder of pages and a gate file that says nothing.
func OfFolder(dir string) (*Project, error) {
	abs, err := filepath.Abs(dir)
	if err != nil {
		return nil, &PathError{Path: dir, Err: err}
	}
	g, _ := gatefile.Parse("", []byte("yellowgate: 1\n"), nil)
	gate, _ := gating.New(g, Today())
	p := &Project{Dir: abs, Source: abs, Gate: gate, Facts: &Facts{}, skip: func(rel string, _ bool) bool { return Hidden(rel) }}
	return p, p.Walk()
}

// Walk lists the source folder and gives its pages their paths and facts.
func (p *Project) Walk() error {
	if p.Source == "" {
		return &UsageError{"the gate file names no source folder", "add under site: source: FOLDER, the folder of the pages as your site builds them"}
	}
	p.LeftOut = nil
	files, strays, err := Walk(p.Source, true, func(rel string, dir bool) bool {
		skip := p.Skip(rel, dir)
		if skip {
			p.noteHidden(rel, dir)
		}
		return skip
	})
	slices.Sort(p.LeftOut)
	if err != nil {
		var pe *PathError
		if errors.As(err, &pe) && pe.Path == p.Source {
			pe.What = fmt.Sprintf("%s: site.source names this folder; build the site first, or mend the path", p.Gate.File.Site.Source.Pos)
		}
		return err
	}
	p.Files, p.Strays = files, strays
	p.Pages, err = p.PagesOf(files)
	if err != nil {
		return err
	}
	if err := p.blankPages(); err != nil {
		return err
	}
	slices.SortFunc(p.Pages, func(a, b page.Page) int { return strings.Compare(a.Path, b.Path) })
	for i := range p.Pages {
		p.giveFacts(&p.Pages[i])
	}
	return nil
}

// PagesOf is Pages for a folder of the project: its source, or an output of it.
func (p *Project) PagesOf(files []File) ([]page.Page, error) {
	s := &p.Gate.File.Site
	pages, err := Pages(files, s.Extensionless)
	for i := range pages {
		pages[i].Whole = matchesAny(s.Pages, pages[i].File)
	}
	return pages, err
}

func matchesAny(globs []gatefile.Text, rel string) bool {
	return slices.ContainsFunc(globs, func(t gatefile.Text) bool { return doublestar.MatchUnvalidated(t.Value, rel) })
}

// also reports whether the gate file asks for a dot-file, or for something in a
// dot-folder. A glob without "/" is for any folder.
func also(g *gatefile.Gate, rel string, isDir bool) bool {
	return slices.ContainsFunc(g.Site.Also, func(t gatefile.Text) bool {
		glob := strings.TrimPrefix(t.Value, "/")
		return doublestar.MatchUnvalidated(glob, rel) || !strings.Contains(glob, "/") && doublestar.MatchUnvalidated(glob, path.Base(rel)) ||
			isDir && strings.HasPrefix(glob, rel+"/")
	})
}

// LeavesOut reports whether something in an output folder is none of the tool's
// business: a dot-file that the gate file does not ask for.
func (p *Project) LeavesOut(rel string, isDir bool) bool {
	return Hidden(rel) && !also(p.Gate.File, rel, isDir)
}

// dotFiles are the beginnings of the names of dot-files that nobody publishes.
var dotFiles = []string{".git", ".DS_Store", "._", ".env", ".editorconfig", ".yg-", ".npm", ".idea", ".vscode", ".eslint", ".prettier", ".stylelint"}

// noteHidden keeps the names of dot-files that a server may want and that are left out.
func (p *Project) noteHidden(rel string, isDir bool) {
	base := path.Base(rel)
	if isDir || !Hidden(rel) || also(p.Gate.File, rel, isDir) || slices.ContainsFunc(dotFiles, func(s string) bool { return strings.HasPrefix(base, s) }) {
		return
	}
	p.hidden.Lock()
	defer p.hidden.Unlock()
	p.LeftOut = append(p.LeftOut, rel)
}

func (p *Project) giveFacts(pg *page.Page) {
	pg.Facts, pg.Lists = p.Facts.ByPage[pg.Key()], p.Facts.Lists[pg.Key()]
}

// Owns says what of the project a file is that no result may be written over, given by
// its resolved path; "" for any other.
func (p *Project) Owns(real string) string {
	g := p.Gate.File
	gate := filepath.Join(p.Dir, filepath.Base(filepath.FromSlash(g.File)))
	if real == disk.Real(gate) {
		return "is the gate file"
	}
	for _, f := range g.Others {
		if rel, err := filepath.Rel(filepath.Dir(filepath.FromSlash(g.File)), filepath.FromSlash(f.Name)); err == nil && real == disk.Real(filepath.Join(p.Dir, rel)) {
			return "is a gate file that this one includes"
		}
	}
	for _, name := range Named(g) {
		if !filepath.IsAbs(name) {
			name = filepath.Join(p.Dir, filepath.FromSlash(name))
		}
		if real == disk.Real(name) {
			return "is a file that the gate file names"
		}
	}
	if p.Source == "" {
		return ""
	}
	rel, in := disk.Within(disk.Real(p.Source), real)
	if _, err := os.Lstat(real); err != nil || !in || p.Skip(rel, false) || !IsPage(rel) && p.Source == p.Dir {
		return ""
	}
	return "is a file of the site's source"
}

// Skip reports whether something below the source folder is no part of the site.
func (p *Project) Skip(rel string, dir bool) bool {
	return p.skip(rel, dir)
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
		if !have[page.Key(pp.Path)] {
			problems = append(problems, problem.Problem{Severity: problem.Error, Pos: pp.Pos, Line: LineOf(p.Gate.File.TextOf(pp.Pos.File), pp.Pos.Line),
				Message: fmt.Sprintf("per-page names %s, which is no page of the site%s", pp.Path, near.Suggest(pp.Path, paths))})
		}
	}
	for _, row := range p.Facts.rows {
		if !have[row.key] {
			problems = append(problems, problem.Problem{Severity: problem.Warning, Pos: row.pos,
				Message: fmt.Sprintf("facts are given for %s, which is no page of the site%s", row.path, near.Suggest(row.path, paths))})
		}
	}
	return problems
}

// Find returns the page that a name on the command line means: a path, a file or
// a full URL of the site.
func (p *Project) Find(name string) (*page.Page, error) {
	return FindPage(p.Pages, name, p.Gate.File.Site.URL.Value, p.Source, p.Output)
}

// FindPage is Project.Find for any list of pages.
func FindPage(pages []page.Page, name, siteURL string, folders ...string) (*page.Page, error) {
	asked := name
	if rest, ok := strings.CutPrefix(name, siteURL); ok && siteURL != "" && (rest == "" || rest[0] == '/' || rest[0] == '?' || rest[0] == '#') {
		asked = rest
		if asked == "" {
			asked = "/"
		}
	} else if strings.Contains(name, "://") {
		hint := ""
		if siteURL != "" {
			hint = "the site's address is " + siteURL
		}
		return nil, &UsageError{fmt.Sprintf("%s is no page of this site", name), hint}
	} else if abs, err := filepath.Abs(name); err == nil {
		for _, f := range folders {
			if f == "" {
				continue
			}
			rel, in := disk.Within(disk.Real(f), disk.Real(abs))
			if !in {
				continue
			}
			rel = normal(rel)
			for i := range pages {
				if normal(pages[i].File) == rel {
					return &pages[i], nil
				}
			}
		}
	}
	key := page.Key(asked)
	paths := make([]string, len(pages))
	for i := range pages {
		if pages[i].Key() == key || normal(pages[i].File) == normal(strings.TrimPrefix(asked, "/")) {
			return &pages[i], nil
		}
		paths[i] = pages[i].Path
	}
	return nil, &UsageError{fmt.Sprintf("no page %q%s", name, near.Suggest(name, paths)), "yellowgate pages lists the pages there are"}
}

// Read reads the source file of a page.
func (p *Project) Read(pg *page.Page) ([]byte, error) {
	if b, ok := p.Made[pg.File]; ok {
		return b, nil
	}
	return ReadFile(p.Source, pg.File)
}

// ReadInto reads a file of the source folder into a buffer.
func (p *Project) ReadInto(buf *Buffer, file string) ([]byte, error) {
	if b, ok := p.Made[file]; ok {
		return b, nil
	}
	return buf.ReadFile(p.Source, file)
}

// ReadFile reads a file below a folder, its name slash-separated.
func ReadFile(dir, file string) ([]byte, error) {
	name := filepath.Join(dir, filepath.FromSlash(file))
	if !filepath.IsLocal(filepath.FromSlash(file)) { // pages can name anything
		return nil, &PathError{Path: name, Err: fs.ErrNotExist}
	}
	b, err := disk.Read(name, disk.PageLimit)
	if err != nil {
		return nil, &PathError{Path: name, Err: err}
	}
	return b, nil
}

// GroupProblems folds the problems of pages into one for each cause, with the
// pages named, in the order of the gate file.
func GroupProblems(g *gatefile.Gate, all []gating.Problem) (out []problem.Problem) {
	at := map[string]int{}
	var pages [][]string
	for _, p := range all {
		key := p.Pos.String() + "\x00" + p.Message
		if p.Pos.File == p.File { // it stands in a page: the same in another is the same cause
			key = p.Message
		}
		i, ok := at[key]
		if !ok {
			i = len(out)
			at[key] = i
			if p.Line == "" {
				p.Line = LineOf(g.TextOf(p.Pos.File), p.Pos.Line)
			}
			out = append(out, p.Problem)
			pages = append(pages, nil)
		}
		if n := len(pages[i]); n == 0 || pages[i][n-1] != p.Page {
			pages[i] = append(pages[i], p.Page)
		}
	}
	for i := range out {
		out[i].Message += " (on " + SomePages(pages[i]) + ")"
	}
	return out
}

// SomePages names up to three pages and counts the rest.
func SomePages(paths []string) string {
	switch n := len(paths); {
	case n == 1:
		return paths[0]
	case n <= 3:
		return fmt.Sprintf("%d pages: %s", n, strings.Join(paths, ", "))
	default:
		return fmt.Sprintf("%d pages: %s and %d more", n, strings.Join(paths[:3], ", "), n-3)
	}
}

// FindQuick is Find for the usual ways to name a page, without listing the site;
// nil where only a full listing can tell.
func (p *Project) FindQuick(name string) *page.Page {
	if p.Source == "" || !strings.HasPrefix(name, "/") {
		return nil
	}
	for _, b := range p.Gate.File.Blank {
		if page.Key(b.Path.Value) == page.Key(name) {
			return nil
		}
	}
	clean := page.Clean(name)
	trimmed := strings.Trim(clean, "/")
	candidates := []string{strings.TrimPrefix(trimmed+"/index.html", "/")}
	if IsPage(trimmed) {
		candidates = []string{trimmed}
	} else if p.Gate.File.Site.Extensionless && trimmed != "" {
		candidates = append(candidates, trimmed+".html")
	}
	var hit *page.Page
	for _, c := range candidates {
		info, err := os.Lstat(filepath.Join(p.Source, filepath.FromSlash(c)))
		if err != nil || !info.Mode().IsRegular() || p.Skip(c, false) {
			continue
		}
		for dir := c; strings.Contains(dir, "/"); {
			dir = dir[:strings.LastIndexByte(dir, '/')]
			if p.Skip(dir, true) {
				return nil
			}
		}
		if hit != nil {
			return nil // two files, one path: the full listing tells
		}
		hit = &page.Page{Path: page.PathOf(c, p.Gate.File.Site.Extensionless), File: c, Whole: matchesAny(p.Gate.File.Site.Pages, c)}
	}
	if hit != nil {
		p.giveFacts(hit)
	}
	return hit
}
