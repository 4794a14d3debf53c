// Package history keeps what was in effect: the gate files, and the files that they name, of each apply and before each
// edit, so that one can see what changed, and go back. It lies in the tool's own folder beside the gate file.
package history

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"math"
	"os"
	"os/user"
	"path/filepath"
	"slices"
	"time"

	"github.com/gofrs/flock"
	"github.com/klauspost/compress/gzip"

	"yellowgate/internal/failure"
	"yellowgate/internal/fsys"
	"yellowgate/internal/project"
	"yellowgate/internal/result"
	"yellowgate/internal/site"
)

const (
	entriesName = "entries.ndjson" // an entry a line, the oldest first
	textsName   = "texts"          // a folder of texts by their digest, compressed
	lockName    = "lock"
)

// What an entry is of.
const (
	Applied = "apply"
	Edited  = "edit"
	Kept    = "kept" // what stood there before one went back
)

// A History is what is kept beside one gate file.
type History struct {
	dir     string
	limit   int64 // bytes of texts
	gate    string
	Entries []result.HistoryEntry
}

// Of is the history of a project; nothing is made.
func Of(p *project.Project) (*History, error) {
	return Open(p.Dir, filepath.Base(filepath.FromSlash(p.Gate.File.File)), p.Gate.File.Site.History)
}

// Beside is the history of a gate file that may not be one that works, and its folder.
func Beside(gateFile string) (h *History, dir string, err error) {
	abs, err := filepath.Abs(gateFile)
	if err != nil {
		return nil, "", &failure.Path{Path: gateFile, Err: err}
	}
	limit := int64(math.MaxInt64)
	if s, _, err := project.SiteOf(abs); err == nil {
		limit = s.History
	}
	dir = fsys.Real(filepath.Dir(abs))
	h, err = Open(dir, filepath.Base(abs), limit)
	return h, dir, err
}

// Open reads the history of a gate file in a folder, of which at most limit bytes are kept; 0 for none.
func Open(dir, gate string, limit int64) (*History, error) {
	h := &History{dir: filepath.Join(dir, site.OwnDir, "history-"+gate), limit: limit, gate: gate}
	return h, h.read()
}

func (h *History) read() error {
	h.Entries = nil
	b, err := fsys.Read(filepath.Join(h.dir, entriesName), fsys.StateLimit)
	if err != nil {
		if fsys.Missing(err) {
			return nil
		}
		return &failure.Path{Path: filepath.Join(h.dir, entriesName), Err: err, What: "the history cannot be read"}
	}
	for line := range bytes.Lines(b) {
		var e result.HistoryEntry
		if err := json.Unmarshal(line, &e); err != nil {
			return &failure.Path{
				Path: filepath.Join(h.dir, entriesName), Err: err,
				What: "the history is not as the tool writes it; move its folder away, and a new one begins",
			}
		}
		h.Entries = append(h.Entries, e)
	}
	return nil
}

// digest is what stands for a text.
func digest(text []byte) string {
	sum := sha256.Sum256(text)
	return hex.EncodeToString(sum[:])
}

// filesOf are files by what stands for them, by name.
func filesOf(named []project.NamedText) []result.HistoryFile {
	out := make([]result.HistoryFile, len(named))
	for i, n := range named {
		out[i] = result.HistoryFile{Name: n.Name, Digest: digest(n.Text), Bytes: len(n.Text)}
	}
	return out
}

// Who is the user of this machine, and its name.
func Who() string {
	name, host := "somebody", ""
	if u, err := user.Current(); err == nil && u.Username != "" {
		name = u.Username
	}
	if h, err := os.Hostname(); err == nil {
		host = "@" + h
	}
	return name + host
}

// Add adds an entry, with the texts that it names. It keeps nothing where nothing is to be kept.
func (h *History) Add(e result.HistoryEntry, files, was []project.NamedText) error {
	if h.limit <= 0 {
		return nil
	}
	return h.locked(func() error {
		e.Files, e.Was = filesOf(files), filesOf(was)
		e.Number, e.Time, e.Who = 1, time.Now().UTC().Truncate(time.Second), Who()
		if n := len(h.Entries); n > 0 {
			e.Number = h.Entries[n-1].Number + 1
		}
		for _, f := range slices.Concat(files, was) {
			if err := h.keep(f.Text); err != nil {
				return err
			}
		}
		h.Entries = append(h.Entries, e)
		return h.prune()
	})
}

// Change changes the entry of a number.
func (h *History) Change(number int, change func(*result.HistoryEntry)) error {
	return h.locked(func() error {
		if e := h.Entry(number); e != nil {
			change(e)
		}
		return nil
	})
}

// locked changes the list of entries while nobody else does.
func (h *History) locked(change func() error) error {
	if err := site.MakeOwnDir(filepath.Dir(h.dir)); err != nil {
		return err
	}
	if err := fsys.Mkdir(h.dir); err != nil && !errors.Is(err, fs.ErrExist) {
		return err
	}
	lock := flock.New(filepath.Join(h.dir, lockName))
	if err := lock.Lock(); err != nil {
		return err
	}
	defer lock.Close()
	if err := h.read(); err != nil {
		return err
	}
	if err := change(); err != nil {
		return err
	}
	var b bytes.Buffer
	for _, e := range h.Entries {
		line, err := json.Marshal(e)
		if err != nil {
			return err
		}
		b.Write(append(line, '\n'))
	}
	return fsys.Replace(filepath.Join(h.dir, entriesName), b.Bytes())
}

// Entry is the entry of a number, or nil.
func (h *History) Entry(number int) *result.HistoryEntry {
	for i := range h.Entries {
		if h.Entries[i].Number == number {
			return &h.Entries[i]
		}
	}
	return nil
}

// Last is the last entry of a kind that a function chooses, or nil.
func (h *History) Last(chooses func(*result.HistoryEntry) bool) *result.HistoryEntry {
	for i := len(h.Entries) - 1; i >= 0; i-- {
		if chooses(&h.Entries[i]) {
			return &h.Entries[i]
		}
	}
	return nil
}

// Holds reports whether files are those of an entry.
func Holds(e *result.HistoryEntry, named []project.NamedText) bool {
	return e != nil && slices.EqualFunc(e.Files, filesOf(named), func(a, b result.HistoryFile) bool {
		return a.Name == b.Name && a.Digest == b.Digest
	})
}

// path is where a text is kept.
func (h *History) path(digest string) string {
	return filepath.Join(h.dir, textsName, digest+".gz")
}

// keep writes a text, where it is not there.
func (h *History) keep(text []byte) error {
	name := h.path(digest(text))
	if _, err := fsys.Lstat(name); err == nil {
		return nil
	}
	if err := fsys.Mkdir(filepath.Dir(name)); err != nil && !errors.Is(err, fs.ErrExist) {
		return err
	}
	var b bytes.Buffer
	z := gzip.NewWriter(&b)
	_, err := z.Write(text)
	if err = errors.Join(err, z.Close()); err != nil {
		return err
	}
	return fsys.Replace(name, b.Bytes())
}

// Texts are the texts of files by name.
func (h *History) Texts(files []result.HistoryFile) (map[string][]byte, error) {
	out := map[string][]byte{}
	for _, f := range files {
		text, err := h.text(f)
		if err != nil {
			return nil, err
		}
		out[f.Name] = text
	}
	return out, nil
}

// text reads a text, and looks that it is the one that was kept.
func (h *History) text(f result.HistoryFile) ([]byte, error) {
	name := h.path(f.Digest)
	b, err := fsys.Read(name, fsys.StateLimit)
	if err != nil {
		if fsys.Missing(err) {
			return nil, &failure.Usage{
				Message: fmt.Sprintf("the text that %s had then is no longer kept", f.Name),
				Remedy:  "site.history says how much is kept",
			}
		}
		return nil, &failure.Path{Path: name, Err: err}
	}
	z, err := gzip.NewReader(bytes.NewReader(b))
	var text []byte
	if err == nil {
		text, err = io.ReadAll(io.LimitReader(z, fsys.StateLimit))
	}
	if err == nil && digest(text) != f.Digest {
		err = errors.New("it is not the text that was kept")
	}
	if err != nil {
		return nil, &failure.Path{Path: name, Err: err, What: "the history is damaged there; other entries can be read"}
	}
	return text, nil
}

// prune removes the texts of the oldest entries until what is kept is within the limit; those of the last entry stay.
func (h *History) prune() error {
	list, err := fsys.ReadDir(filepath.Join(h.dir, textsName))
	if err != nil {
		return err
	}
	sizes, total := map[string]int64{}, int64(0)
	for _, d := range list {
		if info, err := d.Info(); err == nil {
			sizes[d.Name()] = info.Size()
			total += info.Size()
		}
	}
	for i := 0; total > h.limit && i < len(h.Entries)-1; i++ {
		newer := map[string]bool{}
		for _, e := range h.Entries[i+1:] {
			for _, f := range slices.Concat(e.Files, e.Was) {
				newer[f.Digest+".gz"] = true
			}
		}
		for _, f := range slices.Concat(h.Entries[i].Files, h.Entries[i].Was) {
			name := f.Digest + ".gz"
			if newer[name] || sizes[name] == 0 {
				continue
			}
			if err := fsys.Remove(filepath.Join(h.dir, textsName, name)); err != nil && !fsys.Missing(err) {
				return err
			}
			total -= sizes[name]
			delete(sizes, name)
		}
	}
	return nil
}
