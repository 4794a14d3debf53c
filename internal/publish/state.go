package publish

import (
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"github.com/gofrs/flock"

	"yellowgate/internal/core/wording"
	"yellowgate/internal/failure"
	"yellowgate/internal/fsys"
	"yellowgate/internal/project"
	"yellowgate/internal/site"
)

// The tool's own folder lies next to the gate file and holds a state for each pair of a
// gate file and an output folder; another may lie beside an output folder, for files on
// their way into it.
const (
	recordName  = "record"
	journalName = "journal"
	lockName    = "lock"
	replacedDir = "replaced" // outputs that were changed by hand and written again: the last one of each
)

// A state is the folder of what is known of one output folder and one gate file.
type state struct {
	dir    string // absolute
	Gate   string // the gate file, resolved; relative to its folder where it lies in it
	Output string // the output folder, likewise
}

// stateOf names the state of a project, or of a part of it; nothing is made or read.
func stateOf(p *project.Project, part site.Part) state {
	named := func(name string) string {
		real := fsys.Real(name)
		if rel, ok := fsys.Within(p.Dir, real); ok {
			return rel
		}
		return filepath.ToSlash(real)
	}
	s := state{
		Gate:   named(filepath.Join(p.Dir, filepath.Base(filepath.FromSlash(p.Gate.File.File)))),
		Output: named(p.Output),
	}
	sum := digestOf([]byte(s.Gate + "\x00" + s.Output))
	word := strings.Map(func(r rune) rune {
		if r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r >= '0' && r <= '9' || r == '-' {
			return r
		}
		return '-'
	}, filepath.Base(s.Output))
	s.dir = filepath.Join(p.Dir, site.OwnDir, word+"-"+sum.String()[:8])
	if part.Of > 1 {
		s.dir += fmt.Sprintf("%s%d-of-%d", partWord, part.Number, part.Of)
	}
	return s
}

func (s state) at(name string) string { return filepath.Join(s.dir, name) }

// shown is the path of something of the state as messages name it: from the gate file's
// folder.
func (s state) shown(name string) string {
	return filepath.ToSlash(filepath.Join(site.OwnDir, filepath.Base(s.dir), name))
}

// A StateError says that something of the tool's own folder is not what the tool makes.
type StateError struct{ What string }

func (e *StateError) Error() string { return e.What }

const stateRemedy = "it is not as the tool makes it; look at it, and move it away: the next apply makes it anew"

// own looks that a folder or file of the tool's is one, and the user's: not a link, which
// could lead anywhere, nor a FIFO, nor somebody else's. What is not there is no error.
func own(name string, dir bool) error {
	info, err := fsys.Lstat(name)
	if err != nil {
		if fsys.Missing(err) {
			return nil
		}
		return &failure.Path{Path: name, Err: err}
	}
	what := ""
	switch {
	case info.Mode()&fs.ModeSymlink != 0:
		what = "this is a link"
	case dir && !info.IsDir():
		what = "this should be a folder"
	case !dir && !info.Mode().IsRegular():
		what = "this should be a file"
	case !fsys.Mine(info):
		what = "this belongs to another user"
	default:
		return nil
	}
	return &failure.Path{Path: name, Err: &StateError{what}, What: stateRemedy}
}

// check looks at all of the state that is there.
func (s state) check() error {
	for _, d := range []string{filepath.Dir(s.dir), s.dir, s.at(replacedDir)} {
		if err := own(d, true); err != nil {
			return err
		}
	}
	for _, f := range []string{recordName, journalName, lockName} {
		if err := own(s.at(f), false); err != nil {
			return err
		}
	}
	return nil
}

// partWord stands before the number of a part in the name of its state.
const partWord = "-part-"

// family are the states of the same gate file and output folder: that of the whole site, and
// those of its parts.
func (s state) family() (list []state) {
	whole, _, _ := strings.Cut(s.dir, partWord)
	dirs, _ := filepath.Glob(globSafe(whole) + partWord + "*")
	for _, dir := range append(dirs, whole) {
		if other := (state{dir: dir, Gate: s.Gate, Output: s.Output}); dir != s.dir && isDir(dir) &&
			other.check() == nil {
			list = append(list, other)
		}
	}
	return list
}

// open makes the state's folder and locks it: two applies of one gate file into one
// output folder do not meet.
func (s state) open() (unlock func(), err error) {
	if err := s.check(); err != nil {
		return nil, err
	}
	const kept = "the record of what was applied is kept next to the gate file; nothing was changed"
	if err := site.MakeOwnDir(filepath.Dir(s.dir)); err != nil {
		return nil, &failure.Path{Path: filepath.Dir(s.dir), Err: err, What: kept}
	}
	if err := fsys.Mkdir(s.dir); err != nil && !errors.Is(err, fs.ErrExist) {
		return nil, &failure.Path{Path: s.dir, Err: err, What: kept}
	}
	return lockFile(s.at(lockName), os.O_CREATE|os.O_RDWR, false)
}

// lockFile locks a file or a folder until the program ends or unlock is called. shared lets others
// lock it so, too.
func lockFile(name string, flag int, shared bool) (unlock func(), err error) {
	l := flock.New(name, flock.SetFlag(flag))
	try := l.TryLock
	if shared {
		try = l.TryRLock
	}
	ok, err := try()
	if err == nil && !ok {
		err = errors.New("another apply is at work on this output")
		return nil, &failure.Path{Path: name, Err: err, What: "wait until it has ended; nothing was changed"}
	}
	if err != nil {
		return nil, &failure.Path{Path: name, Err: err, What: "nothing was changed"}
	}
	return func() { l.Close() }, nil
}

// lockOutput locks the output folder itself, so that applies of other projects into it
// do not meet; parts of one project may. Where folders cannot be locked, a file in the tool's
// folder beside it is.
func lockOutput(dir string, part site.Part) (unlock func(), err error) {
	for {
		before, err := os.Stat(dir)
		if err != nil {
			return nil, &failure.Path{Path: dir, Err: err}
		}
		unlock, err := lockFile(dir, os.O_RDONLY, part.Of > 1)
		var pe *failure.Path
		if errors.As(err, &pe) && strings.HasPrefix(pe.Err.Error(), "another apply") {
			return nil, err
		}
		if err != nil { // a system that locks only files
			beside := filepath.Join(filepath.Dir(dir), site.OwnDir)
			if own(beside, true) != nil || os.Mkdir(beside, 0o755) != nil && !isDir(beside) {
				return func() {}, nil // the state's lock has to do
			}
			return lockFile(filepath.Join(beside, filepath.Base(dir)+".lock"), os.O_CREATE|os.O_RDWR, part.Of > 1)
		}
		after, err := os.Stat(dir)
		if err == nil && os.SameFile(before, after) {
			return unlock, nil
		}
		unlock() // somebody made the folder anew meanwhile
	}
}

func isDir(name string) bool {
	info, err := os.Lstat(name)
	return err == nil && info.IsDir()
}

// A journal is what an apply wrote down before it touched the output, so that whatever
// stops it leaves nothing that the next one does not know as its own.
type journal struct {
	work  []string            // names of work folders
	meant map[string][]digest // outputs that it meant to write
}

// loadJournal reads what a stopped apply left. Lines that cannot be understood, such as
// one that a kill cut short, count for nothing.
func (s state) loadJournal() (journal, error) {
	j := journal{meant: map[string][]digest{}}
	b, err := fsys.Read(s.at(journalName), fsys.StateLimit)
	if fsys.Missing(err) {
		return j, nil
	}
	if err != nil {
		return j, &failure.Path{Path: s.at(journalName), Err: err}
	}
	for line := range strings.Lines(string(b)) {
		f := strings.Split(strings.TrimSuffix(line, "\n"), "\t")
		if len(f) != 2 || line[len(line)-1] != '\n' {
			continue
		}
		name, err := strconv.Unquote(f[1])
		if err != nil {
			continue
		}
		if f[0] == "work" {
			j.work = append(j.work, name)
		} else if sum, err := parseDigest(f[0]); err == nil && filepath.IsLocal(filepath.FromSlash(name)) {
			j.meant[name] = append(j.meant[name], sum)
		}
	}
	return j, nil
}

// save writes the journal, whole or not at all.
func (s state) saveJournal(j journal) error {
	var b []byte
	for _, w := range j.work {
		b = append(strconv.AppendQuote(append(b, "work\t"...), w), '\n')
	}
	for name, sums := range j.meant {
		for _, sum := range sums {
			b = append(strconv.AppendQuote(append(hex.AppendEncode(b, sum[:]), '\t'), name), '\n')
		}
	}
	return fsys.Replace(s.at(journalName), b)
}

// workPrefix begins the names of work folders; their rest is random, and the files in
// them have numbers.
const workPrefix = "apply-"

// workParents are the folders in which work folders may lie: beside the output folder, or
// in it where that is another file system or may not be written to.
func workParents(output string) []string {
	return []string{filepath.Join(filepath.Dir(output), site.OwnDir), filepath.Join(output, site.OwnDir)}
}

// clearWork removes a work folder and the files in it that have names as the tool gives
// them. It is called for folders that a journal names, which may be forged: one that is a
// link, or somebody else's, or holds anything else stays as it is.
func clearWork(work string) error {
	parent := filepath.Dir(work)
	for _, dir := range []string{parent, work} {
		var odd *StateError
		if err := own(dir, true); errors.As(err, &odd) {
			return nil
		} else if err != nil {
			return err
		}
	}
	entries, err := fsys.ReadDir(work)
	if fsys.Missing(err) {
		return nil
	}
	if err != nil {
		return err
	}
	for _, e := range entries {
		if _, no := strconv.Atoi(e.Name()); no != nil || !e.Type().IsRegular() {
			return nil // somebody put something there
		}
	}
	for _, e := range entries {
		if err := fsys.Remove(filepath.Join(work, e.Name())); err != nil && !fsys.Missing(err) {
			return err
		}
	}
	if err := fsys.Remove(work); err != nil && !fsys.Missing(err) {
		return err
	}
	os.Remove(parent) // if it is empty now
	return nil
}

// makeWork makes a work folder from which files can be renamed into the output. note is
// told its name before it is there.
func makeWork(output string, note func(work string) error) (string, error) {
	here, ok := deviceOf(output)
	beside, ok2 := deviceOf(filepath.Dir(output))
	parents := workParents(output)
	if ok && ok2 && here != beside {
		parents = parents[1:]
	}
	var first error
	for _, parent := range parents {
		err := own(parent, true)
		if err == nil {
			if err = fsys.Mkdir(parent); errors.Is(err, fs.ErrExist) {
				err = nil
			}
		}
		if err == nil {
			work := filepath.Join(parent, fsys.Random(workPrefix))
			if err = note(work); err != nil {
				return "", err
			}
			if err = fsys.Mkdir(work); err == nil {
				return work, nil
			}
		}
		if first == nil {
			first = err
		}
	}
	return "", first
}

func deviceOf(dir string) (uint64, bool) {
	info, err := os.Stat(dir)
	if err != nil {
		return 0, false
	}
	s := fsys.StampOf(info)
	return s.Device, s.Device != 0
}

// siblings are the records of other gate files for the same output folder.
func (s state) siblings() (list []*record) {
	dirs, _ := os.ReadDir(filepath.Dir(s.dir))
	for _, d := range dirs {
		other := state{dir: filepath.Join(filepath.Dir(s.dir), d.Name()), Output: s.Output}
		if !d.IsDir() || other.dir == s.dir || other.check() != nil {
			continue
		}
		if r, err := other.loadRecord(); err == nil && r.output == s.Output && len(r.files) > 0 {
			list = append(list, r)
		}
	}
	return list
}

// told is the number of files, as words.
func told(n int, of int) string { return fmt.Sprintf("%d of %s", n, wording.Count(of, "file")) }
