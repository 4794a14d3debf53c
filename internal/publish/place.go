package publish

import (
	"context"
	"errors"
	"io/fs"
	"maps"
	"os"
	"path"
	"path/filepath"
	"slices"
	"sort"
	"strconv"
	"strings"
	"time"

	"yellowgate/internal/failure"
	"yellowgate/internal/fsys"
	"yellowgate/internal/site"
)

// lay writes a finished file into the work folder.
func (a *apply) lay(j *job, c content) error {
	work, err := a.makeWork()
	if err != nil {
		return &failure.Path{
			Path: filepath.Join(filepath.Dir(a.out), site.OwnDir),
			Err:  err,
			What: "finished files lie there until all are; " + a.told(),
		}
	}
	f, err := fsys.Create(filepath.Join(work, strconv.Itoa(j.number)))
	var size int64
	var sum digest
	if err == nil {
		size, sum, err = c.writeTo(f)
		err = f.Finish(0, err)
	}
	if err != nil {
		return &failure.Path{Path: a.at(j.file.Path), Err: err, What: a.told()}
	}
	j.write = true
	j.entry.output.Size, j.entry.output.sum = size, sum
	return nil
}

// makeWork makes the work folder when the first file is to be laid there.
func (a *apply) makeWork() (string, error) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if a.workDir != "" {
		return a.workDir, nil
	}
	work, err := makeWork(a.out, func(work string) error {
		a.journal.work = append(a.journal.work, filepath.Base(work))
		return a.state.saveJournal(a.journal)
	})
	a.workDir = work
	if err != nil && len(a.journal.work) > 0 {
		a.workDir = filepath.Join(filepath.Dir(a.out), site.OwnDir, a.journal.work[0]) // so that the journal is ended
	}
	return work, err
}

// publish puts what prepare laid down into place. What can fail comes first, and what
// removes anything last.
func (a *apply) publish(ctx context.Context) (*Summary, error) {
	for i := range a.jobs {
		if a.jobs[i].write {
			a.writes++
		}
	}
	s := a.summary()
	for i := range a.jobs {
		if j := &a.jobs[i]; j.write && (j.edited || j.keep) {
			if err := a.keepCopy(j.file.Path); err != nil {
				return nil, err
			}
		}
	}
	if a.writes > 0 {
		if err := a.noteInJournal(); err != nil {
			return nil, &failure.Path{Path: a.state.at(journalName), Err: err, What: a.told()}
		}
		if err := a.moveAside(); err != nil {
			a.moveBack()
			return nil, err
		}
		err := a.each(ctx, func(i int) error {
			if j := &a.jobs[i]; j.write {
				return a.place(j)
			}
			return nil
		})
		if err != nil {
			a.moveBack()
			a.unmake()
			var stop *failure.Stopped
			if errors.As(err, &stop) {
				stop.Done = a.told()
			}
			return nil, err
		}
		// The stamps are safe when so much time is over that a later change bears another.
		time.Sleep(fsys.Slack * 5 / 4)
	}
	return s, a.finish()
}

// place renames one finished file into its place.
func (a *apply) place(j *job) error {
	rel := j.file.Path
	from, to := filepath.Join(a.workDir, strconv.Itoa(j.number)), a.at(rel)
	err := a.folder(path.Dir(rel))
	if err == nil {
		if err = fsys.Rename(from, to); fsys.IsCrossDevice(err) {
			err = a.placeAcross(j, from, to)
		}
	}
	if err != nil {
		return &failure.Path{Path: to, Err: err, What: a.told()}
	}
	a.placed.Add(1)
	// Without it the next apply takes a digest.
	if info, err := fsys.Lstat(to); err == nil {
		j.entry.output.Stamp = fsys.StampOf(info)
	}
	return nil
}

// acrossPrefix begins the names of files on their way to a folder of the output that is
// a file system of its own; the work folder's random part and a number follow.
const acrossPrefix = ".yg-"

// placeAcross puts a finished file into a folder on another file system than the work
// folder's.
func (a *apply) placeAcross(j *job, from, to string) error {
	tmp := filepath.Join(filepath.Dir(to),
		acrossPrefix+strings.TrimPrefix(filepath.Base(a.workDir), workPrefix)+"-"+strconv.Itoa(j.number))
	f, err := fsys.Create(tmp)
	if err == nil {
		_, _, err = stream(from, f)
		err = f.Finish(0, err)
	}
	if err == nil {
		if err = fsys.Rename(tmp, to); err != nil {
			os.Remove(tmp)
		}
	}
	return err
}

// clear removes a work folder, given by its name, with what lies in it, and what was on
// its way from it to other file systems.
func (a *apply) clear(work string) error {
	random, ok := strings.CutPrefix(work, workPrefix)
	if !ok || !fsys.IsRandom(work, workPrefix) {
		return nil // no apply named it
	}
	seen := map[string]bool{}
	for rel := range a.journal.meant {
		dir := path.Dir(rel)
		if seen[dir] || own(a.at(dir), true) != nil {
			continue
		}
		seen[dir] = true
		names, _ := filepath.Glob(filepath.Join(globSafe(a.at(dir)), acrossPrefix+random+"-*"))
		for _, name := range names {
			if err := fsys.Remove(name); err != nil && !fsys.Missing(err) {
				return err
			}
		}
	}
	for _, parent := range workParents(a.out) {
		if err := clearWork(filepath.Join(parent, work)); err != nil {
			return err
		}
	}
	return nil
}

func globSafe(name string) string {
	return strings.NewReplacer("\\", "\\\\", "*", "\\*", "?", "\\?", "[", "\\[").Replace(name)
}

// folder makes a folder of the output and those above it. A link in its place is
// refused, so that nothing lands where it does not seem to.
func (a *apply) folder(dir string) error {
	if dir == "." {
		return nil
	}
	a.mu.Lock()
	_, known := a.folders[dir]
	a.mu.Unlock()
	if known {
		return nil
	}
	if err := a.folder(path.Dir(dir)); err != nil {
		return err
	}
	err := fsys.Mkdir(a.at(dir))
	made := err == nil
	if errors.Is(err, fs.ErrExist) {
		info, serr := fsys.Lstat(a.at(dir))
		if err = serr; err == nil && !info.IsDir() {
			err = errors.New("a link or a file is in the place of a folder")
		}
	}
	if err == nil {
		a.mu.Lock()
		a.folders[dir] = a.folders[dir] || made
		a.mu.Unlock()
	}
	return err
}

// unmake removes the folders that this apply made and that are empty.
func (a *apply) unmake() {
	var made []string
	for dir, mine := range a.folders {
		if mine {
			made = append(made, dir)
		}
	}
	sort.Sort(sort.Reverse(sort.StringSlice(made))) // inner ones first
	for _, dir := range made {
		os.Remove(a.at(dir))
	}
}

// moveAside moves outputs whose source is gone into the work folder where they stand in
// the way.
func (a *apply) moveAside() error {
	for i := range a.aside {
		s := &a.aside[i]
		to := filepath.Join(a.workDir, strconv.Itoa(len(a.jobs)+i))
		if err := fsys.Rename(a.at(s.path), to); err != nil {
			return &failure.Path{Path: a.at(s.path), Err: err, What: a.told()}
		}
		s.at = to
		a.removeEmpty(path.Dir(s.path))
	}
	return nil
}

// moveBack puts back what was moved aside, where nothing has taken its place.
func (a *apply) moveBack() {
	for _, s := range a.aside {
		if s.at == "" {
			continue
		}
		if _, err := os.Lstat(a.at(s.path)); fsys.Missing(err) &&
			os.MkdirAll(filepath.Dir(a.at(s.path)), 0o755) == nil {
			os.Rename(s.at, a.at(s.path))
		}
	}
}

// removeEmpty removes a folder of the output and those above it as far as they are
// empty. A part leaves them: another may be about to write there.
func (a *apply) removeEmpty(dir string) {
	if a.Part.Of > 1 {
		return
	}
	for ; dir != "."; dir = path.Dir(dir) {
		if os.Remove(a.at(dir)) != nil {
			return
		}
	}
}

// keepCopy copies an output to where outputs are kept that were not as the tool wrote
// them, or of which only the record says that they are the tool's.
func (a *apply) keepCopy(rel string) error {
	fail := func(err error) error {
		return &failure.Path{
			Path: a.state.at(replacedDir),
			Err:  err,
			What: "what stands in the place of " + rel + " cannot be kept there; " + a.told(),
		}
	}
	dir := a.state.at(replacedDir)
	if err := own(dir, true); err != nil {
		return err
	}
	if err := fsys.Mkdir(dir); err != nil && !errors.Is(err, fs.ErrExist) {
		return fail(err)
	}
	name := filepath.Join(dir, filepath.FromSlash(rel))
	free := true // whether the name can be had
	var err error
	parents(rel, func(above string) bool {
		sub := filepath.Join(dir, filepath.FromSlash(above))
		if err = fsys.Mkdir(sub); errors.Is(err, fs.ErrExist) {
			free, err = isDir(sub), nil
		}
		return free && err == nil
	})
	if err != nil {
		return fail(err)
	}
	if !free || isDir(name) { // another kept file stands in the way
		name = filepath.Join(dir, fsys.Random(path.Base(rel)+"-"))
	}
	tmp := filepath.Join(a.state.dir, fsys.Random("kept-"))
	f, err := fsys.Create(tmp)
	if err == nil {
		_, _, err = stream(a.at(rel), f)
		err = f.Finish(0, err)
	}
	if err == nil {
		if err = fsys.Rename(tmp, name); err != nil {
			os.Remove(tmp)
		}
	}
	if err != nil {
		return fail(err)
	}
	return nil
}

// noteInJournal notes what is about to be put into place.
func (a *apply) noteInJournal() error {
	for i := range a.jobs {
		if j := &a.jobs[i]; j.write {
			rel := j.file.Path
			a.journal.meant[rel] = append(a.journal.meant[rel], j.entry.output.sum)
		}
	}
	return a.state.saveJournal(a.journal)
}

// endJournal leaves of the journal what is still owed: nothing, once the record says it.
func (a *apply) endJournal() error {
	if len(a.journal.work)+len(a.journal.meant) > 0 {
		return a.state.saveJournal(a.journal)
	}
	if err := fsys.Remove(a.state.at(journalName)); err != nil && !fsys.Missing(err) {
		return err
	}
	return nil
}

// finish writes the record, and then removes the outputs whose source is gone.
func (a *apply) finish() error {
	a.updateRecord()
	if err := a.saveRecord(); err != nil {
		return err
	}
	if a.Chosen == nil || len(a.journal.meant) == a.writes {
		a.journal.meant = nil // other pages may still be owed to an apply that was stopped
	}
	if len(a.removed) > 0 {
		if err := a.removeGone(); err != nil {
			return err
		}
		if err := a.saveRecord(); err != nil {
			return err
		}
	}
	if a.workDir == "" && a.Chosen == nil {
		return a.endOf()
	}
	return nil
}

// updateRecord makes the record say what the output is now. What is to be removed stays in it until it is.
func (a *apply) updateRecord() {
	files := map[string]*entry{}
	if a.Chosen != nil {
		files = a.record.files
	}
	for i := range a.jobs {
		if j := &a.jobs[i]; j.entry != nil && !j.skip {
			files[j.file.Path] = j.entry
		}
	}
	for _, s := range a.aside {
		delete(files, s.path)
	}
	for _, r := range a.removed {
		if e := a.record.files[r.path]; e != nil {
			files[r.path] = e
		}
	}
	a.record.files = files
	a.record.folder = fsys.FolderID(a.out)
	now := time.Now()
	source, sok := fsys.Keeps(a.Source)
	output, ook := fsys.Keeps(a.out)
	for i := range a.jobs {
		e := a.jobs[i].entry
		if e == nil {
			continue
		}
		if e.distrust(a.start, now, source, output); !sok {
			e.source.Change = 0
		}
		if !ook {
			e.output.Change = 0
		}
	}
}

func (a *apply) saveRecord() error {
	if err := a.record.save(a.state, slices.Sorted(maps.Keys(a.record.files))); err != nil {
		return &failure.Path{
			Path: a.state.at(recordName),
			Err:  err,
			What: "the output is whole and as the gate says, but the record of it is not; apply again to mend it",
		}
	}
	return nil
}

// removeGone removes the outputs whose source is gone, and takes them out of the record.
func (a *apply) removeGone() error {
	for i, r := range a.removed {
		var err error
		if r.keep {
			err = a.keepCopy(r.path)
		}
		if err == nil {
			if err = fsys.Remove(a.at(r.path)); fsys.Missing(err) {
				err = nil
			}
		}
		if err != nil {
			_ = a.saveRecord()
			return &failure.Path{Path: a.at(r.path), Err: err,
				What: "all pages are written; " + told(i, len(a.removed)) +
					" whose source is gone were removed; apply again to go on"}
		}
		a.removeEmpty(path.Dir(r.path))
		delete(a.record.files, r.path)
	}
	return nil
}

// endOf ends the journal of an apply that a stopped one left, where nothing had to be
// written.
func (a *apply) endOf() error {
	a.journal.work = nil
	if err := a.endJournal(); err != nil {
		return &failure.Path{Path: a.state.at(journalName), Err: err, What: "the output is whole"}
	}
	return nil
}
