package output

import (
	"bytes"
	"crypto/sha256"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"sort"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/gofrs/flock"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/gating"
	"yellowgate/internal/core/page"
	"yellowgate/internal/site"
)

// Options of an apply.
type Options struct {
	// Chosen limits the apply to some pages; nil means the whole site, files
	// that are no pages included.
	Chosen func(*gating.View) bool
	// TakeOver lets the apply overwrite files in the output folder that the tool
	// did not write, and lets stay those that it would not write.
	TakeOver bool
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
	Problems  []gatefile.Problem
}

// A ForeignError names files in the output folder that the tool did not write.
type ForeignError struct {
	Folder string
	Files  []string
}

func (e *ForeignError) Error() string {
	return fmt.Sprintf("the output folder %s holds %s that the tool did not write: %s", e.Folder, count(len(e.Files), "file"), some(e.Files))
}

func count(n int, what string) string {
	if n == 1 {
		return "1 " + what
	}
	return fmt.Sprintf("%d %ss", n, what)
}

func some(names []string) string {
	if len(names) <= 3 {
		return strings.Join(names, ", ")
	}
	return fmt.Sprintf("%s and %d more", strings.Join(names[:3], ", "), len(names)-3)
}

// memoryBudget is how many bytes of finished pages are kept between finding out
// that all is well and writing; the rest is gated again.
const memoryBudget = 24 << 20

// job is one file of the source on its way to the output.
type job struct {
	file   site.File
	page   *page.Page // nil for a file that is no page
	entry  *entry     // what the record will say; nil where nothing is known
	write  bool
	ready  []byte // what is to be written, where the budget allowed to keep it
	sum    digest // of that
	skip   bool   // not chosen: what the record says stays
	frag   bool
	gating []gating.Problem
}

// Apply writes the output of a project whose source was walked. Errors are
// *site.GateError where the gate cannot be put into effect, *ForeignError and
// *site.PathError where files are in the way; before the first two nothing is
// written.
func Apply(p *site.Project, o Options) (*Summary, error) {
	if p.Output == "" {
		return nil, &site.UsageError{Message: "the gate file names no output folder", Remedy: "add under site: output: FOLDER, the folder that apply writes"}
	}
	if ps := p.CheckPages(); len(ps) > 0 {
		if worst, _ := gatefile.Worst(ps); worst == gatefile.Error {
			return nil, &site.GateError{Problems: ps}
		}
	}
	unlock, err := lock(p.Dir)
	if err != nil {
		return nil, err
	}
	defer unlock()
	a := &apply{Project: p, Options: o, start: time.Now()}
	if a.record, err = loadRecord(p.Dir); err != nil {
		return nil, &site.PathError{Path: filepath.Join(p.Dir, stateDir), Err: err, What: "mend or delete the record, then apply with --take-over"}
	}
	if err := a.look(); err != nil {
		return nil, err
	}
	if err := a.prepare(); err != nil {
		return nil, err
	}
	return a.write()
}

// lock keeps two applies of one project from meeting.
func lock(dir string) (func(), error) {
	state := filepath.Join(dir, stateDir)
	if err := os.MkdirAll(state, 0o755); err != nil {
		return nil, &site.PathError{Path: state, Err: err, What: "the record of what was applied is kept next to the gate file"}
	}
	l := flock.New(filepath.Join(state, lockName))
	ok, err := l.TryLock()
	if err != nil {
		return nil, &site.PathError{Path: l.Path(), Err: err}
	}
	if !ok {
		return nil, &site.PathError{Path: l.Path(), Err: errors.New("another apply is at work on this site"), What: "wait until it has ended"}
	}
	return func() { l.Unlock() }, nil
}

type apply struct {
	*site.Project
	Options
	record  *record
	start   time.Time
	there   map[string]site.File // the output folder as it is
	left    []string             // temporary files of an apply that was stopped
	jobs    []job
	removed []string // outputs to remove
	kept    []string // outputs of others, let stay
	kill    sync.Mutex
}

// look lists the output folder.
func (a *apply) look() error {
	a.there = map[string]site.File{}
	files, strays, err := site.Walk(a.Output, false, func(rel string, dir bool) bool {
		base := path.Base(rel)
		if strings.HasPrefix(base, tmpPrefix) && strings.HasSuffix(base, tmpSuffix) {
			a.left = append(a.left, rel)
		}
		return strings.HasPrefix(base, ".") && base != ".well-known"
	})
	var pe *site.PathError
	if errors.As(err, &pe) && errors.Is(pe.Err, fs.ErrNotExist) && pe.Path == a.Output {
		return nil
	}
	if err != nil {
		return err
	}
	for _, f := range files {
		a.there[f.Path] = f
	}
	if len(strays) > 0 && !a.TakeOver && a.Chosen == nil {
		return &ForeignError{a.Project.Gate.File.Site.Output.Value, strays}
	}
	return nil
}

// prepare finds out for each file what is to be done, and stops before the first
// write where something is wrong.
func (a *apply) prepare() error {
	a.jobs = make([]job, len(a.Files))
	pages := a.Pages
	for i, f := range a.Files {
		a.jobs[i] = job{file: f}
		if f.Page {
			a.jobs[i].page, pages = &pages[0], pages[1:]
		}
	}
	var budget atomic.Int64
	budget.Store(memoryBudget)
	var foreign []string
	var mu sync.Mutex
	err := site.Each(len(a.jobs), func(i int) error {
		mine, err := a.one(&a.jobs[i], &budget)
		if err == nil && !mine {
			mu.Lock()
			foreign = append(foreign, a.jobs[i].file.Path)
			mu.Unlock()
		}
		return err
	})
	if err != nil {
		return err
	}
	var problems []gating.Problem
	for i := range a.jobs {
		problems = append(problems, a.jobs[i].gating...)
	}
	if ps := site.GroupProblems(a.Project.Gate.File.Text, problems); len(ps) > 0 {
		if worst, _ := gatefile.Worst(ps); worst == gatefile.Error {
			return &site.GateError{Problems: ps}
		}
	}
	if a.Chosen == nil {
		extra, err := a.extras()
		if err != nil {
			return err
		}
		foreign = append(foreign, extra...)
	}
	if len(foreign) > 0 {
		sort.Strings(foreign)
		return &ForeignError{a.Project.Gate.File.Site.Output.Value, foreign}
	}
	return nil
}

// one decides about one file. mine is false where a file of somebody else's
// stands in its place.
func (a *apply) one(j *job, budget *atomic.Int64) (mine bool, err error) {
	e := a.record.files[j.file.Path]
	out, exists := a.there[j.file.Path]
	if a.Chosen != nil && j.page == nil {
		j.skip = true
		return true, nil
	}
	gate := ""
	if j.page != nil {
		gate = a.Digest
	}
	if a.Chosen == nil && e != nil && !e.kept && exists && e.gate == gate && e.source.same(j.file.Size, j.file.ModTime) && e.output.same(out.Size, out.ModTime) {
		j.entry = e
		return true, nil
	}
	src, err := a.readSource(j)
	if err != nil {
		return false, err
	}
	if a.Chosen != nil {
		v := a.Project.Gate.Look(src, *j.page)
		if !a.Chosen(v) {
			j.skip = true
			return true, nil
		}
	}
	source := stamp{int64(len(src)), j.file.ModTime.UnixNano(), sha256.Sum256(src)}
	if e != nil && !e.kept && exists && e.gate == gate && e.source.sum == source.sum {
		same := e.output.same(out.Size, out.ModTime)
		if !same && e.output.size == out.Size {
			sum, err := a.outputSum(j.file.Path)
			if err != nil {
				return false, err
			}
			same = sum == e.output.sum
		}
		if same {
			j.entry = &entry{gate: gate, source: source, output: stamp{out.Size, out.ModTime.UnixNano(), e.output.sum}, applied: e.applied}
			return true, nil
		}
	}
	text := src
	if j.page != nil {
		r := a.Project.Gate.Page(src, *j.page)
		text, j.frag, j.gating = r.File, r.Fragment, r.Problems
	}
	j.sum = sha256.Sum256(text)
	j.entry = &entry{gate: gate, source: source, output: stamp{size: int64(len(text)), sum: j.sum}, applied: a.start.Unix()}
	if exists {
		ours := e != nil && !e.kept
		if out.Size == int64(len(text)) || !ours {
			sum, err := a.outputSum(j.file.Path)
			if err != nil {
				return false, err
			}
			if sum == j.sum { // it says already what it should
				j.entry.output.mtime = out.ModTime.UnixNano()
				return true, nil
			}
			for _, d := range a.record.journal[j.file.Path] {
				ours = ours || d == sum
			}
		}
		if !ours && !a.TakeOver {
			return false, nil
		}
	}
	j.write = true
	if budget.Add(-int64(len(text))) >= 0 {
		j.ready = bytes.Clone(text)
	}
	return true, nil
}

func (a *apply) readSource(j *job) ([]byte, error) {
	name := filepath.Join(a.Source, filepath.FromSlash(j.file.Path))
	b, err := os.ReadFile(name)
	if err != nil {
		pe := &site.PathError{Path: name, Err: err}
		if errors.Is(err, fs.ErrNotExist) {
			pe.What = "it was there a moment ago: apply when the site's build has ended"
		}
		return nil, pe
	}
	return b, nil
}

func (a *apply) outputSum(rel string) (digest, error) {
	name := filepath.Join(a.Output, filepath.FromSlash(rel))
	b, err := os.ReadFile(name)
	if err != nil {
		return digest{}, &site.PathError{Path: name, Err: err}
	}
	return sha256.Sum256(b), nil
}

// extras goes through the outputs without a source: those the tool wrote are to
// be removed, the others are foreign.
func (a *apply) extras() (foreign []string, err error) {
	wanted := make(map[string]bool, len(a.jobs))
	for i := range a.jobs {
		wanted[a.jobs[i].file.Path] = true
	}
	for rel, f := range a.there {
		if wanted[rel] {
			continue
		}
		e := a.record.files[rel]
		if e != nil && e.kept {
			a.kept = append(a.kept, rel)
			continue
		}
		ours := e != nil && e.output.same(f.Size, f.ModTime)
		if !ours && (e != nil || len(a.record.journal[rel]) > 0) {
			sum, err := a.outputSum(rel)
			if err != nil {
				return nil, err
			}
			ours = e != nil && sum == e.output.sum
			for _, d := range a.record.journal[rel] {
				ours = ours || d == sum
			}
		}
		switch {
		case ours:
			a.removed = append(a.removed, rel)
		case a.TakeOver:
			a.kept = append(a.kept, rel)
		default:
			foreign = append(foreign, rel)
		}
	}
	sort.Strings(a.removed)
	return foreign, nil
}

// write does what prepare found to be done.
func (a *apply) write() (*Summary, error) {
	s := a.summary()
	todo := make([]int, 0, len(a.jobs))
	for i := range a.jobs {
		if a.jobs[i].write {
			todo = append(todo, i)
		}
	}
	if err := os.MkdirAll(a.Output, 0o755); err != nil {
		return nil, &site.PathError{Path: a.Output, Err: err}
	}
	root, err := os.OpenRoot(a.Output)
	if err != nil {
		return nil, &site.PathError{Path: a.Output, Err: err}
	}
	defer root.Close()
	fail := func(rel string, err error) error {
		return &site.PathError{Path: filepath.Join(a.Output, filepath.FromSlash(rel)), Err: err, What: "what was written before is whole; apply again to go on"}
	}
	for _, rel := range a.removed {
		if err := root.Remove(filepath.FromSlash(rel)); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return nil, fail(rel, err)
		}
		for d := path.Dir(rel); d != "."; d = path.Dir(d) {
			if root.Remove(filepath.FromSlash(d)) != nil {
				break // not empty
			}
		}
	}
	if len(todo) > 0 {
		if err := a.writeAll(root, todo, fail); err != nil {
			return nil, err
		}
	}
	for _, rel := range a.left {
		root.Remove(filepath.FromSlash(rel))
	}
	if err := a.saveRecord(); err != nil {
		return nil, &site.PathError{Path: filepath.Join(a.Dir, stateDir), Err: err}
	}
	return s, nil
}

// writeAll writes files, each noted in the journal first.
func (a *apply) writeAll(root *os.Root, todo []int, fail func(string, error) error) error {
	journal, err := os.OpenFile(filepath.Join(a.Dir, stateDir, journalName), os.O_APPEND|os.O_CREATE|os.O_WRONLY, 0o644)
	if err != nil {
		return &site.PathError{Path: filepath.Join(a.Dir, stateDir), Err: err}
	}
	defer journal.Close()
	made := map[string]bool{}
	for _, i := range todo {
		if d := path.Dir(a.jobs[i].file.Path); d != "." && !made[d] {
			made[d] = true
			if err := root.MkdirAll(filepath.FromSlash(d), 0o755); err != nil {
				return fail(d, err)
			}
		}
	}
	var done atomic.Int64
	return site.Each(len(todo), func(k int) error {
		j := &a.jobs[todo[k]]
		text := j.ready
		j.ready = nil
		if text == nil {
			src, err := a.readSource(j)
			if err != nil {
				return err
			}
			if text = src; j.page != nil {
				text = a.Project.Gate.Page(src, *j.page).File
			}
			if j.sum != sha256.Sum256(text) {
				return &site.PathError{Path: filepath.Join(a.Source, j.file.Path), Err: errors.New("the page changed while it was being applied"), What: "apply again when the site's build has ended"}
			}
		}
		line := strconv.AppendQuote(append(appendHex(nil, j.sum), '\t'), j.file.Path)
		a.kill.Lock()
		_, err := journal.Write(append(line, '\n'))
		a.kill.Unlock()
		if err != nil {
			return &site.PathError{Path: journal.Name(), Err: err}
		}
		mtime, err := replace(root, j.file.Path, text)
		if err != nil {
			return fail(j.file.Path, err)
		}
		j.entry.output.mtime = mtime.UnixNano()
		if a.Progress != nil {
			a.Progress(int(done.Add(1)), len(todo))
		}
		return nil
	})
}

const (
	tmpPrefix = ".yg-"
	tmpSuffix = ".tmp"
)

// replace writes a file beside its place and renames it, so that it is whole or
// not there. It does not sync: a power cut may cost what the system had not
// written yet, and the next apply finds that by its digest.
func replace(root *os.Root, rel string, text []byte) (time.Time, error) {
	sum := sha256.Sum256([]byte(rel))
	tmp := filepath.FromSlash(path.Join(path.Dir(rel), tmpPrefix+string(appendHex(nil, sum)[:16])+tmpSuffix))
	f, err := root.OpenFile(tmp, os.O_CREATE|os.O_TRUNC|os.O_WRONLY, 0o644)
	if err != nil {
		return time.Time{}, err
	}
	_, err = f.Write(text)
	info, serr := f.Stat()
	if cerr := f.Close(); err == nil {
		err = cerr
	}
	if err == nil {
		err = serr
	}
	if err == nil {
		err = root.Rename(tmp, filepath.FromSlash(rel))
	}
	if err != nil {
		root.Remove(tmp)
		return time.Time{}, err
	}
	return info.ModTime(), nil
}

// saveRecord writes what is known of the outputs now.
func (a *apply) saveRecord() error {
	files := map[string]*entry{}
	if a.Chosen != nil {
		files = a.record.files
	}
	for i := range a.jobs {
		if j := &a.jobs[i]; j.entry != nil && !j.skip {
			files[j.file.Path] = j.entry
		}
	}
	for _, rel := range a.kept {
		files[rel] = &entry{kept: true}
	}
	a.record.files = files
	paths := make([]string, 0, len(files))
	now := time.Now()
	for rel, e := range files {
		paths = append(paths, rel)
		e.source.distrust(a.start)
		e.output.distrust(now)
	}
	sort.Strings(paths)
	if a.Chosen != nil {
		// Other pages may still be owed to an apply that was stopped: their
		// journal stays until the whole site is applied.
		if len(a.record.journal) > 0 {
			return a.record.saveKeepingJournal(a.Dir, paths)
		}
	}
	return a.record.save(a.Dir, paths)
}

// distrust drops a time that is so close to when the file was looked at that a
// later change could bear the same.
func (s *stamp) distrust(seen time.Time) {
	slack := 20 * time.Millisecond
	if s.mtime%int64(time.Second) == 0 {
		slack = 2 * time.Second // a file system without fractions
	}
	if s.mtime != 0 && time.Unix(0, s.mtime).After(seen.Add(-slack)) {
		s.mtime = 0
	}
}

func (a *apply) summary() *Summary {
	s := &Summary{Removed: len(a.removed)}
	var problems []gating.Problem
	for i := range a.jobs {
		j := &a.jobs[i]
		switch {
		case j.page == nil:
			s.Others++
		default:
			s.Pages++
		}
		if j.frag {
			s.Fragments++
		}
		switch {
		case j.skip:
		case !j.write:
			s.Unchanged++
		case j.page != nil:
			s.Written++
		default:
			s.Copied++
		}
		problems = append(problems, j.gating...)
	}
	s.Problems = site.GroupProblems(a.Project.Gate.File.Text, problems)
	return s
}
