package output

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"slices"
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
	"yellowgate/internal/core/pagequery"
	"yellowgate/internal/site"
)

// Options of an apply.
type Options struct {
	// Chosen limits the apply to some pages; nil means the whole site, files
	// that are no pages included.
	Chosen func(*gating.View) bool
	// Query is how Chosen was asked for, for messages.
	Query string
	// TakeOver lets the apply overwrite files in the output folder that the tool
	// did not write.
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
	Alone     []string // files of the output that the tool did not write, left alone
	Edited    []string // outputs that were changed by hand and are written again; the old ones are kept
	LeftOut   []string // dot-files of the source that are not copied, at the first apply
}

// A ForeignError names files that the tool did not write and that stand in the output
// folder where it has to write.
type ForeignError struct {
	Folder string
	Files  []string
}

func (e *ForeignError) Error() string {
	return fmt.Sprintf("in the output folder %s, %s that the tool did not write %s where it has to write: %s", e.Folder, count(len(e.Files), "file"), map[bool]string{true: "stands", false: "stand"}[len(e.Files) == 1], some(e.Files))
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

// job is one file of the source on its way to the output.
type job struct {
	file   site.File
	page   *page.Page // nil for a file that is no page
	entry  *entry     // what the record will say; nil where nothing is known
	write  bool       // a finished file lies beside its place, to be renamed
	skip   bool       // not chosen: what the record says stays
	frag   bool
	edited bool // what stands in its place was changed by hand
	gating []gating.Problem
	gated  bool
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
	a := &apply{Project: p, Options: o, start: time.Now(), made: map[string]bool{}}
	if a.record, err = loadRecord(p.Dir); err != nil {
		return nil, &site.PathError{Path: filepath.Join(p.Dir, stateDir), Err: err, What: "mend or delete the record, then apply with --take-over"}
	}
	if err := a.look(); err != nil {
		return nil, err
	}
	_, err = os.Lstat(p.Output)
	fresh := errors.Is(err, fs.ErrNotExist)
	if err := os.MkdirAll(p.Output, 0o755); err != nil {
		return nil, &site.PathError{Path: p.Output, Err: err}
	}
	if a.root, err = os.OpenRoot(p.Output); err != nil {
		return nil, &site.PathError{Path: p.Output, Err: err}
	}
	defer a.root.Close()
	if err := a.prepare(); err != nil {
		a.takeBack()
		if fresh {
			os.Remove(p.Output)
		}
		return nil, err
	}
	return a.publish()
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
	alone   []string // outputs of others, left alone
	strays  []string // what is no file in the output folder: links
	fresh   bool     // nothing was applied before

	root *os.Root // the output folder; nothing lands outside it
	mu   sync.Mutex
	made map[string]bool // folders that are there: true for those that this apply made
	done atomic.Int64

	places gating.Places
}

// look lists the output folder.
func (a *apply) look() error {
	a.there, a.fresh = map[string]site.File{}, len(a.record.files) == 0
	files, strays, err := site.Walk(a.Output, false, func(rel string, dir bool) bool {
		base := path.Base(rel)
		if strings.HasPrefix(base, tmpPrefix) && strings.HasSuffix(base, tmpSuffix) {
			a.left = append(a.left, rel)
		}
		return a.Project.LeavesOut(rel, dir)
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
	a.strays = strays
	return nil
}

// prepare gates every page that is to be written and lays it beside its place,
// finished. Visitors see none of it yet; where something is wrong it is all taken
// back.
func (a *apply) prepare() error {
	a.jobs = make([]job, len(a.Files))
	byFile := make(map[string]*page.Page, len(a.Pages))
	for i := range a.Pages {
		byFile[a.Pages[i].File] = &a.Pages[i]
	}
	for i, f := range a.Files {
		a.jobs[i] = job{file: f, page: byFile[f.Path]}
	}
	foreign := a.inTheWay()
	if a.Chosen == nil {
		if err := a.extras(); err != nil {
			return err
		}
	}
	stop := len(foreign) > 0 // then nothing is written, not even beside its place
	err := site.Each(len(a.jobs), func(i int) error {
		j := &a.jobs[i]
		buf := site.GetBuffer()
		defer buf.Release()
		text, mine, err := a.one(j, buf)
		if err != nil {
			return err
		}
		if !mine {
			a.mu.Lock()
			foreign = append(foreign, j.file.Path)
			a.mu.Unlock()
		} else if text != nil && !stop {
			err = a.lay(j, text)
		}
		if a.Progress != nil {
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
		return &site.UsageError{Message: fmt.Sprintf("%s chooses no page of the site%s", a.Query, pagequery.Meant(a.Query, paths)), Remedy: "nothing was written; yellowgate pages lists the pages there are"}
	}
	var problems []gating.Problem
	for i := range a.jobs {
		problems = append(problems, a.jobs[i].gating...)
	}
	ps := site.GroupProblems(a.Project.Gate.File, problems)
	if !slices.ContainsFunc(a.jobs, func(j job) bool { return j.page != nil && !j.gated }) {
		ps = append(ps, a.places.Problems()...) // only all pages together show that a place is nowhere
	}
	if worst, any := gatefile.Worst(ps); any && worst == gatefile.Error {
		return &site.GateError{Problems: ps}
	}
	if len(foreign) > 0 {
		sort.Strings(foreign)
		return &ForeignError{a.Project.Gate.File.Site.Output.Value, foreign}
	}
	return nil
}

// one decides about one file. text is what is to be written, nil for nothing;
// mine is false where a file of somebody else's stands in its place.
func (a *apply) one(j *job, buf *site.Buffer) (text []byte, mine bool, err error) {
	e := a.record.files[j.file.Path]
	out, exists := a.there[j.file.Path]
	if a.Chosen != nil && j.page == nil {
		j.skip = true
		return nil, true, nil
	}
	gate := ""
	if j.page != nil {
		gate = a.Digest
	}
	fragment := e != nil && e.gate == ofFragment && j.page != nil && !j.page.Whole
	if fragment { // it is copied, whatever the gate says
		gate = ofFragment
	}
	if j.frag = fragment; a.Chosen == nil && e != nil && !e.kept && exists && e.gate == gate && e.source.same(j.file.Size, j.file.ModTime) && e.output.same(out.Size, out.ModTime) {
		j.entry = e
		return nil, true, nil
	}
	src, err := a.readSource(j, buf)
	if err != nil {
		return nil, false, err
	}
	if a.Chosen != nil {
		v := a.Project.Gate.Look(src, *j.page)
		if !a.Chosen(v) {
			j.skip = true
			return nil, true, nil
		}
	}
	source := stamp{int64(len(src)), j.file.ModTime.UnixNano(), digestOf(src)}
	if e != nil && !e.kept && exists && e.gate == gate && e.source.sum == source.sum {
		same := e.output.same(out.Size, out.ModTime)
		if !same && e.output.size == out.Size {
			sum, err := a.outputSum(j.file.Path)
			if err != nil {
				return nil, false, err
			}
			same = sum == e.output.sum
		}
		if same {
			j.entry = &entry{gate: gate, source: source, output: stamp{out.Size, out.ModTime.UnixNano(), e.output.sum}, applied: e.applied}
			return nil, true, nil
		}
	}
	text = src
	if j.page != nil {
		r := a.Project.Gate.Page(src, *j.page)
		text, j.frag, j.gating, j.gated = r.File, r.Fragment, r.Problems, true
		if gate = a.Digest; j.frag {
			gate = ofFragment
		}
		a.mu.Lock()
		a.places.Add(r)
		a.mu.Unlock()
	}
	j.entry = &entry{gate: gate, source: source, output: stamp{size: int64(len(text)), sum: digestOf(text)}, applied: a.start.Unix()}
	if exists {
		ours := e != nil && !e.kept
		if out.Size == int64(len(text)) || !ours || !e.output.same(out.Size, out.ModTime) {
			sum, err := a.outputSum(j.file.Path)
			if err != nil {
				return nil, false, err
			}
			if sum == j.entry.output.sum { // it says already what it should
				j.entry.output.mtime = out.ModTime.UnixNano()
				return nil, true, nil
			}
			mine := ours && sum == e.output.sum
			for _, d := range a.record.journal[j.file.Path] {
				ours, mine = ours || d == sum, mine || d == sum
			}
			j.edited = !mine
		}
		if !ours && !a.TakeOver {
			return nil, false, nil
		}
	}
	if text == nil {
		text = []byte{} // an empty file is one
	}
	return text, true, nil
}

// readSource reads a file of the source.
func (a *apply) readSource(j *job, buf *site.Buffer) ([]byte, error) {
	b, err := a.Project.ReadInto(buf, j.file.Path)
	var pe *site.PathError
	if errors.As(err, &pe) && errors.Is(pe.Err, fs.ErrNotExist) {
		pe.What = "it was there a moment ago: apply when the site's build has ended"
	}
	return b, err
}

func (a *apply) outputSum(rel string) (digest, error) {
	name := filepath.Join(a.Output, filepath.FromSlash(rel))
	b, err := os.ReadFile(name)
	if err != nil {
		return digest{}, &site.PathError{Path: name, Err: err}
	}
	return digestOf(b), nil
}

// inTheWay lists links of the output folder that stand where files have to be written.
func (a *apply) inTheWay() (foreign []string) {
	stray := map[string]bool{}
	for _, rel := range a.strays {
		stray[rel] = true
	}
	for i := range a.jobs {
		if rel := a.jobs[i].file.Path; stray[rel] {
			foreign = append(foreign, rel)
			delete(stray, rel)
		}
	}
	for rel := range stray {
		a.alone = append(a.alone, rel)
	}
	return foreign
}

// extras goes through the outputs without a source: those the tool wrote are to
// be removed, the others are left alone.
func (a *apply) extras() error {
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
			e = nil
		}
		ours := e != nil && e.output.same(f.Size, f.ModTime)
		if !ours && (e != nil || len(a.record.journal[rel]) > 0) {
			sum, err := a.outputSum(rel)
			if err != nil {
				return err
			}
			ours = e != nil && sum == e.output.sum || slices.Contains(a.record.journal[rel], sum)
		}
		if ours {
			a.removed = append(a.removed, rel)
		} else {
			a.alone = append(a.alone, rel)
		}
	}
	sort.Strings(a.removed)
	sort.Strings(a.alone)
	return nil
}

// ofFragment stands in the record for the digest of the gate where an output is the copy
// of a file that is no page of its own.
const ofFragment = "fragment"

// replacedDir is where outputs that were changed by hand are kept when they are written
// again: the last one of each.
const replacedDir = "replaced"

// keepReplaced keeps the outputs that were changed by hand.
func (a *apply) keepReplaced() error {
	for i := range a.jobs {
		j := &a.jobs[i]
		if !j.edited || !j.write {
			continue
		}
		b, err := site.ReadFile(a.Output, j.file.Path)
		if err == nil {
			name := filepath.Join(a.Dir, stateDir, replacedDir, filepath.FromSlash(j.file.Path))
			if err = os.MkdirAll(filepath.Dir(name), 0o755); err == nil {
				err = os.WriteFile(name, b, 0o644)
			}
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// lay writes a finished file beside its place.
func (a *apply) lay(j *job, text []byte) error {
	err := a.folder(path.Dir(j.file.Path))
	var mtime time.Time
	if err == nil {
		mtime, err = a.writeTemp(tempName(j.file.Path), text)
	}
	if err != nil {
		return &site.PathError{Path: filepath.Join(a.Output, filepath.FromSlash(j.file.Path)), Err: err, What: "nothing was changed; the output is as it was before"}
	}
	j.write = true
	j.entry.output.mtime = mtime.UnixNano()
	return nil
}

// at is the name on disk of something in the output folder.
func (a *apply) at(rel string) string { return filepath.Join(a.Output, filepath.FromSlash(rel)) }

// folder makes a folder of the output and those above it. Links that lead out of
// the output folder are refused, so that nothing lands outside it.
func (a *apply) folder(dir string) error {
	if dir == "." {
		return nil
	}
	a.mu.Lock()
	_, known := a.made[dir]
	a.mu.Unlock()
	if known {
		return nil
	}
	if err := a.folder(path.Dir(dir)); err != nil {
		return err
	}
	err := os.Mkdir(a.at(dir), 0o755)
	made := err == nil
	if errors.Is(err, fs.ErrExist) {
		// Stat in the root follows no link that leads out.
		info, serr := a.root.Stat(filepath.FromSlash(dir))
		if err = serr; err == nil && !info.IsDir() {
			err = errors.New("a file is in the place of a folder")
		}
	}
	if err == nil {
		a.mu.Lock()
		a.made[dir] = a.made[dir] || made
		a.mu.Unlock()
	}
	return err
}

const (
	tmpPrefix = ".yg-"
	tmpSuffix = ".tmp"
)

// tempName is the name under which a file is finished, beside its place.
func tempName(rel string) string {
	return path.Join(path.Dir(rel), tmpPrefix+string(appendHex(nil, digestOf([]byte(rel))))+tmpSuffix)
}

// writeTemp writes a file. It does not sync: a power cut may cost what the system
// had not written yet, and the next apply finds that by its digest.
func (a *apply) writeTemp(name string, text []byte) (time.Time, error) {
	f, err := site.OpenFile(a.at(name), os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o644)
	if errors.Is(err, fs.ErrExist) { // left by an apply that was stopped
		if err = os.Remove(a.at(name)); err == nil {
			f, err = site.OpenFile(a.at(name), os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o644)
		}
	}
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
	if err != nil {
		os.Remove(a.at(name))
		return time.Time{}, err
	}
	return info.ModTime(), nil
}

// takeBack removes what prepare laid down, folders that it made included.
func (a *apply) takeBack() {
	for i := range a.jobs {
		if j := &a.jobs[i]; j.write {
			os.Remove(a.at(tempName(j.file.Path)))
		}
	}
	var made []string
	for dir, mine := range a.made {
		if mine {
			made = append(made, dir)
		}
	}
	sort.Sort(sort.Reverse(sort.StringSlice(made))) // inner ones first
	for _, dir := range made {
		a.root.Remove(filepath.FromSlash(dir))
	}
}

// publish puts what prepare laid down into place.
func (a *apply) publish() (*Summary, error) {
	s := a.summary()
	fail := func(rel string, err error) error {
		return &site.PathError{Path: filepath.Join(a.Output, filepath.FromSlash(rel)), Err: err, What: "every file of the output is whole; apply again to go on"}
	}
	if err := a.keepReplaced(); err != nil {
		a.takeBack()
		return nil, &site.PathError{Path: filepath.Join(a.Dir, stateDir, replacedDir), Err: err, What: "the pages that were changed by hand cannot be kept there; nothing was changed"}
	}
	for _, rel := range a.removed {
		if err := a.root.Remove(filepath.FromSlash(rel)); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return nil, fail(rel, err)
		}
		for d := path.Dir(rel); d != "."; d = path.Dir(d) {
			if a.root.Remove(filepath.FromSlash(d)) != nil {
				break // not empty
			}
		}
	}
	if err := a.noteInJournal(); err != nil {
		return nil, &site.PathError{Path: filepath.Join(a.Dir, stateDir), Err: err, What: "nothing was changed"}
	}
	err := site.Each(len(a.jobs), func(i int) error {
		j := &a.jobs[i]
		if !j.write {
			return nil
		}
		if err := os.Rename(a.at(tempName(j.file.Path)), a.at(j.file.Path)); err != nil {
			return fail(j.file.Path, err)
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	for _, rel := range a.left {
		a.root.Remove(filepath.FromSlash(rel))
	}
	if err := a.saveRecord(); err != nil {
		return nil, &site.PathError{Path: filepath.Join(a.Dir, stateDir), Err: err, What: "the output is whole; apply again to mend the record"}
	}
	return s, nil
}

// noteInJournal notes what is about to be put into place, so that an apply that
// is stopped leaves nothing that the next one does not know as its own.
func (a *apply) noteInJournal() error {
	var b []byte
	for i := range a.jobs {
		if j := &a.jobs[i]; j.write {
			b = strconv.AppendQuote(append(appendHex(b, j.entry.output.sum), '\t'), j.file.Path)
			b = append(b, '\n')
		}
	}
	if len(b) == 0 {
		return nil
	}
	f, err := os.OpenFile(filepath.Join(a.Dir, stateDir, journalName), os.O_APPEND|os.O_CREATE|os.O_WRONLY, 0o644)
	if err != nil {
		return err
	}
	if _, err = f.Write(append([]byte{'\n'}, b...)); err != nil { // after a line that a kill cut short
		f.Close()
		return err
	}
	return f.Close()
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
	s := &Summary{Removed: len(a.removed), Alone: a.alone}
	if a.fresh {
		s.LeftOut = a.Project.LeftOut
	}
	var problems []gating.Problem
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
	s.Problems = site.GroupProblems(a.Project.Gate.File, problems)
	return s
}
