package publish

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"sort"
	"sync"
	"sync/atomic"
	"time"

	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/pagequery"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/wording"
	"yellowgate/internal/failure"
	"yellowgate/internal/fsys"
	"yellowgate/internal/parallel"
	"yellowgate/internal/project"
	"yellowgate/internal/site"
)

// Options of an apply.
type Options struct {
	// Chosen limits the apply to some pages; nil means the whole site, files
	// that are no pages included.
	Chosen func(*pageedit.View) (bool, error)
	// Query is how Chosen was asked for, for messages.
	Query string
	// Part limits the apply to a part of the files, which has a record of its own; other
	// parts may be at work in the same folder.
	Part site.Part
	// TakeOver lets the apply overwrite files in the output folder that the tool
	// did not write.
	TakeOver bool
	// Also, if set, says what else stands in the way of a page as it was gated: see sitecheck.InTheWay.
	Also func(*pageedit.Result) []pageedit.Problem
	// Progress, if set, is told how many of the files are done. It may be called
	// from several goroutines.
	Progress func(done, total int)
}

// A Summary says what an apply did.
type Summary struct {
	Pages     int // pages of the site
	Fragments int // files of HTML that are no pages
	Others    int // files that are no pages
	Written   int // pages written
	Copied    int // other files written
	Unchanged int // files left alone
	Removed   int // outputs whose source is gone
	Problems  []problem.Problem
	Alone     []string // files of the output that the tool did not write, left alone
	Edited    []string // outputs that were changed by hand and are written again; the old ones are kept
	Kept      string   // where: a folder, relative to that of the gate file
	LeftOut   []string // dot-files of the source that are not copied, at the first apply
}

// A ForeignError names what stands in the output folder where the tool has to write
// and is not the tool's.
type ForeignError struct {
	Folder string
	Files  []string // that --take-over would overwrite
	Blocks []string // links, and folders that hold something of others: nothing overwrites those
}

func (e *ForeignError) Error() string {
	if len(e.Blocks) > 0 {
		return fmt.Sprintf("in the output folder %s, the tool cannot write where something else stands: %s", e.Folder,
			wording.List(e.Blocks, 3))
	}
	return fmt.Sprintf("in the output folder %s, %s that the tool did not write %s where it has to write: %s",
		e.Folder, wording.Count(len(e.Files), "file"), wording.Agree(len(e.Files), "stands", "stand"),
		wording.List(e.Files, 3))
}

// Remedy says what to do about it.
func (e *ForeignError) Remedy() string {
	if len(e.Blocks) > 0 {
		return "nothing was changed; move it away, or name another output folder"
	}
	return "nothing was changed; name another output folder, move them away, or overwrite them: yellowgate apply " +
		"--take-over"
}

// job is one file of the source on its way to the output.
type job struct {
	number int
	file   site.File
	page   *page.Page // nil for a file that is no page
	entry  *entry     // what the record will say; nil where nothing is known
	write  bool       // a finished file lies in the work folder, to be renamed
	skip   bool       // not chosen: what the record says stays
	frag   bool
	edited bool // what stands in its place was changed by hand
	keep   bool // what stands in its place is kept, though only the record says that it is the tool's
	gating []pageedit.Problem
	gated  bool
}

// Apply writes the output of a project whose source was walked. Errors are
// *project.GateError where the gate cannot be put into effect, *ForeignError and
// *failure.Path where something is in the way, *failure.Stopped when ctx is done; before
// the first two nothing is written, and the others say what was.
func Apply(ctx context.Context, p *project.Project, o Options) (*Summary, error) {
	if p.Output == "" {
		return nil, &failure.Usage{
			Message: "the gate file names no output folder",
			Remedy:  "add under site: output: FOLDER, the folder that apply writes",
		}
	}
	if ps := p.CheckPages(); len(ps) > 0 {
		if worst, _ := problem.Worst(ps); worst == problem.Error {
			return nil, &project.GateError{Problems: ps}
		}
	}
	a := &apply{Project: p, Options: o, start: time.Now(), folders: map[string]bool{}}
	a.state, a.out = stateOf(p, o.Part), fsys.Real(p.Output)
	unlock, err := a.state.open()
	if err != nil {
		return nil, err
	}
	defer unlock()
	if err := a.load(); err != nil {
		return nil, err
	}
	for _, work := range a.journal.work {
		if err := a.clear(work); err != nil {
			return nil, &failure.Path{
				Path: filepath.Join(filepath.Dir(a.out), site.OwnDir, work),
				Err:  err,
				What: "an apply that was stopped left files there, and they cannot be removed; nothing was changed",
			}
		}
	}
	a.journal.work = nil
	made, err := makeFolders(a.out)
	if err != nil {
		return nil, &failure.Path{Path: a.out, Err: err, What: "nothing was changed"}
	}
	s, err := a.locked(ctx)
	if err != nil && a.placed.Load() == 0 {
		for _, dir := range slices.Backward(made) {
			os.Remove(dir)
		}
	}
	return s, err
}

// locked does the work while no other apply writes into the output folder.
func (a *apply) locked(ctx context.Context) (*Summary, error) {
	unlock, err := lockOutput(a.out, a.Part)
	if err != nil {
		return nil, err
	}
	defer unlock()
	a.inherit(a.Part)
	if a.Part.Of < 2 { // no part is at work now
		for _, work := range a.journal.work {
			if err := a.clear(work); err != nil {
				return nil, &failure.Path{
					Path: filepath.Join(filepath.Dir(a.out), site.OwnDir, work),
					Err:  err,
					What: "an apply that was stopped left files there, and they cannot be removed; nothing was changed",
				}
			}
		}
		a.journal.work = nil
	}
	if err := a.look(); err != nil {
		return nil, err
	}
	s, err := a.work(ctx)
	if err == nil && a.Part.Of < 2 && a.Chosen == nil {
		a.forget()
	}
	if a.workDir != "" {
		cerr := a.clear(filepath.Base(a.workDir))
		if cerr != nil { // what failed once need not fail again
			cerr = a.clear(filepath.Base(a.workDir))
		}
		if cerr == nil {
			a.journal.work = nil
		}
		if jerr := a.endJournal(); cerr == nil {
			cerr = jerr
		}
		if err == nil && cerr != nil {
			err = &failure.Path{
				Path: a.workDir,
				Err:  cerr,
				What: "the output is whole; what is left there, the next apply removes",
			}
		}
	}
	return s, err
}

func (a *apply) work(ctx context.Context) (*Summary, error) {
	if err := a.prepare(ctx); err != nil {
		return nil, err
	}
	return a.publish(ctx)
}

// makeFolders makes a folder and those above it, and returns those it made.
func makeFolders(dir string) (made []string, err error) {
	if info, err := os.Stat(dir); err == nil {
		if !info.IsDir() {
			return nil, errors.New("the output should be a folder, and this is a file")
		}
		return nil, nil
	}
	if parent := filepath.Dir(dir); parent != dir {
		if made, err = makeFolders(parent); err != nil {
			return made, err
		}
	}
	if err = fsys.Mkdir(dir); err == nil {
		made = append(made, dir)
	} else if errors.Is(err, fs.ErrExist) && isDir(dir) {
		err = nil
	}
	if err != nil {
		for _, d := range slices.Backward(made) {
			os.Remove(d)
		}
		made = nil
	}
	return made, err
}

type apply struct {
	*project.Project
	Options
	known
	start   time.Time
	strays  map[string]bool // what is no file in the output folder: links and the like
	jobs    []job
	removed []removal // outputs whose source is gone
	alone   []string  // outputs of others, left alone
	fresh   bool      // nothing was applied before

	mu      sync.Mutex
	workDir string          // where finished files lie; "" until there is one
	folders map[string]bool // folders of the output that are there: true for those that this apply made
	aside   []aside         // outputs moved out of the way
	moves   atomic.Int64    // how many they are, for who has no lock
	done    atomic.Int64    // files prepared
	placed  atomic.Int64    // files put into place
	writes  int             // files to be put into place

	places pageedit.Places
}

// A removal is an output to be removed.
type removal struct {
	path string
	keep bool // only the record says that it is the tool's: it is kept among the replaced
}

// An aside is an output whose source is gone, in whose place a folder has to be, or
// that lies in a folder in whose place a file has to be.
type aside struct{ path, at string }

// look lists the output folder.
func (a *apply) look() error {
	a.there, a.strays, a.fresh = map[string]site.File{}, map[string]bool{}, len(a.record.files) == 0
	files, strays, err := site.Walk(a.out, false, a.Project.LeavesOut)
	if err != nil {
		return err
	}
	for _, f := range files {
		a.there[f.Path] = f
	}
	for _, rel := range strays {
		a.strays[rel] = true
	}
	return nil
}

// each does something for every job. Where ctx is done before all is, it says what has been done.
func (a *apply) each(ctx context.Context, do func(i int) error) error {
	err := parallel.Each(ctx, len(a.jobs), do)
	if err != nil && err == ctx.Err() {
		return &failure.Stopped{Done: a.told()}
	}
	return err
}

// told says what has been done so far.
func (a *apply) told() string {
	n := int(a.placed.Load())
	if n == 0 && a.moves.Load() == 0 {
		return "nothing was changed; the output is as it was before"
	}
	return fmt.Sprintf("%s in place, the rest as before, and each of them is whole; apply again to go on",
		told(n, a.writes)+wording.Agree(n, " is", " are"))
}

// prepare gates every page that is to be written and lays it into the work folder,
// finished. Visitors see none of it yet.
func (a *apply) prepare(ctx context.Context) error {
	a.jobs = make([]job, 0, len(a.Files))
	byFile := make(map[string]*page.Page, len(a.Pages))
	for i := range a.Pages {
		byFile[a.Pages[i].File] = &a.Pages[i]
	}
	for _, f := range a.Files {
		if a.Part.Has(f.Path) {
			a.jobs = append(a.jobs, job{number: len(a.jobs), file: f, page: byFile[f.Path]})
		}
	}
	if a.Chosen == nil {
		if err := a.extras(); err != nil {
			return err
		}
	}
	foreign := &ForeignError{Folder: a.Project.Gate.File.Site.Output.Value}
	err := a.each(ctx, func(i int) error {
		err := a.prepareOne(&a.jobs[i], foreign)
		if err == nil && a.Progress != nil {
			a.Progress(int(a.done.Add(1)), len(a.jobs))
		}
		return err
	})
	if err != nil {
		return err
	}
	if a.Chosen != nil && !slices.ContainsFunc(a.jobs, func(j job) bool { return j.page != nil && !j.skip }) {
		paths := make([]string, len(a.Pages))
		for i := range a.Pages {
			paths[i] = a.Pages[i].Path
		}
		return &failure.Usage{
			Message: fmt.Sprintf("%s chooses no page of the site%s", a.Query, pagequery.Meant(a.Query, paths)),
			Remedy:  "nothing was written; yellowgate pages lists the pages there are",
		}
	}
	var problems []pageedit.Problem
	for i := range a.jobs {
		problems = append(problems, a.jobs[i].gating...)
	}
	ps := project.GroupProblems(a.Project.Gate.File, problems)
	if a.Part.Of < 2 && !slices.ContainsFunc(a.jobs, func(j job) bool { return j.page != nil && !j.gated }) {
		ps = append(ps, a.places.Problems()...) // only all pages together show that a place is nowhere
	}
	if worst, any := problem.Worst(ps); any && worst == problem.Error {
		return &project.GateError{Problems: ps}
	}
	if len(foreign.Files)+len(foreign.Blocks) > 0 {
		sort.Strings(foreign.Files)
		sort.Strings(foreign.Blocks)
		foreign.Blocks = slices.Compact(foreign.Blocks)
		return foreign
	}
	return nil
}

// prepareOne makes one output, and notes in foreign what stands in its place or its way.
func (a *apply) prepareOne(j *job, foreign *ForeignError) error {
	buf := site.GetBuffer()
	defer buf.Release()
	text, mine, err := a.one(j, buf)
	if err != nil {
		return err
	}
	block, err := a.blocked(j, text)
	switch {
	case err != nil:
		return err
	case block != "":
		a.mu.Lock()
		foreign.Blocks = append(foreign.Blocks, block)
		a.mu.Unlock()
	case !mine:
		a.mu.Lock()
		foreign.Files = append(foreign.Files, j.file.Path)
		a.mu.Unlock()
	case text != nil:
		return a.lay(j, text)
	}
	return nil
}

// extras goes through the outputs without a source: those the tool wrote are to
// be removed, the others are left alone. What is removed was written by the tool: its
// bytes are looked at, whatever its stamp says.
func (a *apply) extras() error {
	wanted := make(map[string]bool, len(a.jobs))
	for i := range a.jobs {
		wanted[a.jobs[i].file.Path] = true
	}
	for rel := range a.strays {
		if !wanted[rel] && a.Part.Has(rel) {
			a.alone = append(a.alone, rel)
		}
	}
	for rel, f := range a.there {
		if wanted[rel] || !a.Part.Has(rel) {
			continue
		}
		e := a.record.files[rel]
		if e == nil && len(a.journal.meant[rel]) == 0 {
			a.alone = append(a.alone, rel)
			continue
		}
		sum, err := a.sumOf(rel)
		if err != nil {
			return a.outputError(rel, err)
		}
		switch {
		case e != nil && sum == e.output.sum:
			a.removed = append(a.removed, removal{rel, !e.output.same(f.Stamp)})
		case slices.Contains(a.journal.meant[rel], sum):
			a.removed = append(a.removed, removal{rel, true})
		default:
			a.alone = append(a.alone, rel)
		}
	}
	sort.Slice(a.removed, func(i, j int) bool { return a.removed[i].path < a.removed[j].path })
	sort.Strings(a.alone)
	return nil
}

func (a *apply) outputError(rel string, err error) error {
	return &failure.Path{Path: a.at(rel), Err: err, What: a.told()}
}

func (a *apply) summary() *Summary {
	s := &Summary{Removed: len(a.removed) + len(a.aside), Alone: a.alone, Kept: a.state.shown(replacedDir)}
	if a.fresh {
		s.LeftOut = a.Project.LeftOut
	}
	var problems []pageedit.Problem
	for i := range a.jobs {
		j := &a.jobs[i]
		switch {
		case j.page == nil:
			s.Others++
		case j.frag:
			s.Fragments++
		default:
			s.Pages++
		}
		if j.edited && j.write {
			s.Edited = append(s.Edited, j.file.Path)
		}
		switch {
		case j.skip:
		case !j.write:
			s.Unchanged++
		case j.page != nil && !j.frag:
			s.Written++
		default:
			s.Copied++
		}
		problems = append(problems, j.gating...)
	}
	s.Problems = project.GroupProblems(a.Project.Gate.File, problems)
	return s
}

// parents calls each for the folders above a path, outermost first, until it returns
// false.
func parents(rel string, each func(dir string) bool) {
	for at, c := range rel {
		if c == '/' && !each(rel[:at]) {
			return
		}
	}
}

// blocked says what of others stands where a file has to be written or in a folder's
// place above it, which nothing overwrites; "" for nothing. What of the tool's own stands
// there is noted to be moved aside.
func (a *apply) blocked(j *job, text content) (block string, err error) {
	rel := j.file.Path
	if j.skip || j.entry == nil && text == nil {
		return "", nil
	}
	if len(a.strays) > 0 {
		parents(rel+"/", func(dir string) bool {
			if a.strays[dir] {
				block = dir
			}
			return block == ""
		})
		if block != "" {
			return block + " (a link, or no file)", nil
		}
	}
	if _, exists := a.there[rel]; exists || text == nil {
		return "", nil
	}
	parents(rel, func(dir string) bool {
		_, file := a.there[dir]
		if file { // nothing is below it
			var mine bool
			if mine, err = a.setAside(dir); !mine {
				block = dir + " (a file, and it has to be a folder)"
			}
		}
		return !file
	})
	if block != "" || err != nil {
		return block, err
	}
	info, err := fsys.Lstat(a.at(rel))
	switch {
	case err != nil && (fsys.Missing(err) || isNotDir(err)):
		return "", nil
	case err != nil:
		return "", a.outputError(rel, err)
	case !info.IsDir():
		return "", nil
	}
	inside, mine, err := a.allBelow(rel)
	for _, f := range inside {
		if mine && err == nil {
			mine, err = a.setAside(f)
		}
	}
	if !mine {
		block = rel + " (a folder, and it has to be a file)"
	}
	return block, err
}

// allBelow lists the files of a folder of the output, those included that are nobody's
// pages; regular is false where something is none.
func (a *apply) allBelow(rel string) (files []string, regular bool, err error) {
	regular = true
	err = filepath.WalkDir(a.at(rel), func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		regular = regular && d.Type().IsRegular()
		r, _ := fsys.Within(a.out, name)
		files = append(files, r)
		return nil
	})
	if err != nil {
		err = a.outputError(rel, err)
	}
	return files, regular, err
}

// setAside notes that an output whose source is gone has to be moved out of the way;
// false where it is not the tool's.
func (a *apply) setAside(rel string) (mine bool, err error) {
	a.mu.Lock()
	defer a.mu.Unlock()
	for _, s := range a.aside {
		if s.path == rel {
			return true, nil
		}
	}
	for i, r := range a.removed {
		if r.path == rel {
			a.removed = slices.Delete(a.removed, i, i+1)
			a.aside = append(a.aside, aside{path: rel})
			a.moves.Add(1)
			if r.keep {
				err = a.keepCopy(rel)
			}
			return true, err
		}
	}
	e := a.record.files[rel]
	if a.Chosen == nil || e == nil {
		return false, nil
	}
	sum, err := a.sumOf(rel)
	if err != nil {
		return false, a.outputError(rel, err)
	}
	if sum != e.output.sum {
		return false, nil
	}
	a.aside = append(a.aside, aside{path: rel})
	a.moves.Add(1)
	return true, a.keepCopy(rel)
}
