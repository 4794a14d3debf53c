package history

import (
	"bytes"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"slices"

	"github.com/aymanbagabas/go-udiff"

	"yellowgate/internal/failure"
	"yellowgate/internal/fsys"
	"yellowgate/internal/project"
	"yellowgate/internal/publish"
	"yellowgate/internal/result"
)

// NoteApply keeps what an apply has put into effect, where that is another than the last one, or somebody says
// something of it.
func NoteApply(p *project.Project, pages, written int, message string) error {
	if p.Gate.File.Site.History <= 0 {
		return nil
	}
	h, err := Of(p)
	if err != nil {
		return err
	}
	if message == "" && Holds(h.Last(isApply), p.Named) {
		return nil
	}
	return h.Add(result.HistoryEntry{What: Applied, Message: message, Pages: pages, Written: written}, p.Named, nil)
}

func isApply(e *result.HistoryEntry) bool { return e.What == Applied }

// NoteAudit keeps what an audit of the output came to, with the entry that is in effect.
func NoteAudit(p *project.Project, m result.Measured) error {
	if p.Gate.File.Site.History <= 0 {
		return nil
	}
	h, err := Of(p)
	if err != nil {
		return err
	}
	last := h.Last(isApply)
	if !Holds(last, p.Named) {
		return nil
	}
	if n := len(last.Audits); n > 0 {
		same := last.Audits[n-1]
		if same.Time = m.Time; same == m {
			return nil
		}
	}
	return h.Change(last.Number, func(e *result.HistoryEntry) { e.Audits = append(e.Audits, m) })
}

// NoteEdit keeps the texts that an edit changed, and those that it made of them.
func NoteEdit(p *project.Project, command string, was, is []project.NamedText) error {
	h, err := Of(p)
	if err != nil {
		return err
	}
	return h.Add(result.HistoryEntry{What: Edited, Command: command}, is, was)
}

// Numbered is the entry of a number that somebody gave.
func (h *History) Numbered(number int) (*result.HistoryEntry, error) {
	if e := h.Entry(number); e != nil {
		return e, nil
	}
	if len(h.Entries) == 0 {
		return nil, &failure.Usage{
			Message: "there is no history yet",
			Remedy:  "it begins with the next yellowgate apply; site.history: 0 in the gate file keeps none",
		}
	}
	return nil, &failure.Usage{
		Message: fmt.Sprintf("the history has no entry %d", number),
		Remedy:  "yellowgate history lists them",
	}
}

// Before is the apply before an entry, or nil.
func (h *History) Before(e *result.HistoryEntry) *result.HistoryEntry {
	return h.Last(func(x *result.HistoryEntry) bool { return x.Number < e.Number && isApply(x) })
}

// Changed says which lines an entry changed: an edit those of its files, any other entry those since the apply before.
func (h *History) Changed(e *result.HistoryEntry) (*result.HistoryChange, error) {
	c := &result.HistoryChange{Entry: *e, GateDiff: result.NewGateDiff()}
	after, err := h.Texts(e.Files)
	if err != nil {
		return nil, err
	}
	was := e.Was
	if last := h.Before(e); e.What != Edited && last != nil {
		c.Before, was = last.Number, last.Files
	}
	before, err := h.Texts(was)
	if err != nil {
		return nil, err
	}
	names := slices.Collect(maps.Keys(after))
	for name := range before {
		if after[name] == nil && e.What != Kept { // of what was kept there are some files alone
			names = append(names, name)
		}
	}
	slices.Sort(names)
	for _, name := range names {
		c.Diff += udiff.Unified(name, name, string(before[name]), string(after[name]))
	}
	return c, nil
}

// Back makes the files what they were: those of the entry of a number, or with 0, those before the last edit. Nothing
// is written in a dry run; else what stands there and is kept nowhere is kept first.
func (h *History) Back(dir string, number int, dryRun bool) (*result.Return, error) {
	var e *result.HistoryEntry
	var files []result.HistoryFile
	if number == 0 {
		if e = h.Last(func(e *result.HistoryEntry) bool { return e.What == Edited && !e.Undone }); e == nil {
			return nil, &failure.Usage{
				Message: "there is no edit to take back",
				Remedy:  "add, set, remove, disable and enable are edits; yellowgate back N goes back to an entry of the history",
			}
		}
		if err := unchangedSince(dir, e); err != nil {
			return nil, err
		}
		files = e.Was
	} else {
		var err error
		if e, err = h.Numbered(number); err != nil {
			return nil, err
		}
		files = e.Files
	}
	texts, err := h.Texts(files)
	if err != nil {
		return nil, err
	}
	r := &result.Return{To: *e, Files: []string{}}
	var now []project.NamedText
	for _, f := range files {
		name := filepath.Join(dir, filepath.FromSlash(f.Name))
		if _, in := fsys.Within(dir, name); !in {
			return nil, &failure.Usage{
				Message: f.Name + " lies outside the gate file's folder, and nothing outside it is written",
				Remedy:  "the text that it had then: yellowgate history " + fmt.Sprint(e.Number) + " --format json",
			}
		}
		b, err := fsys.Read(name, fsys.StateLimit)
		if err != nil && !fsys.Missing(err) {
			return nil, &failure.Path{Path: name, Err: err, What: "nothing was written"}
		}
		if err == nil {
			now = append(now, project.NamedText{Name: f.Name, Text: b})
		}
		if err != nil || !bytes.Equal(b, texts[f.Name]) {
			r.Files = append(r.Files, f.Name)
			r.Diff += udiff.Unified(f.Name, f.Name, string(b), string(texts[f.Name]))
		}
	}
	if dryRun || len(r.Files) == 0 {
		return r, nil
	}
	return r, h.write(dir, r, now, texts, number == 0)
}

// unchangedSince looks whether the files are those that an edit left.
func unchangedSince(dir string, e *result.HistoryEntry) error {
	for _, f := range e.Files {
		b, err := fsys.Read(filepath.Join(dir, filepath.FromSlash(f.Name)), fsys.StateLimit)
		if err != nil || digest(b) != f.Digest {
			return &failure.Usage{
				Message: fmt.Sprintf("%s was changed since the last edit (%s)", f.Name, e.Command),
				Remedy:  "take that back by hand, or go back to what was applied: yellowgate history, then yellowgate back N",
			}
		}
	}
	return nil
}

// write puts the texts into place. What stands there is kept before, unless an entry has it.
func (h *History) write(dir string, r *result.Return, now []project.NamedText, texts map[string][]byte,
	edit bool) error {
	has := func(e *result.HistoryEntry) bool {
		return !slices.ContainsFunc(now, func(n project.NamedText) bool {
			return !slices.ContainsFunc(
				e.Files,
				func(f result.HistoryFile) bool { return f.Name == n.Name && f.Digest == digest(n.Text) },
			)
		})
	}
	if len(now) > 0 && h.Last(has) == nil {
		if err := h.Add(result.HistoryEntry{What: Kept}, now, nil); err != nil {
			return &failure.Path{Path: h.dir, Err: err, What: "what stands there cannot be kept; nothing was written"}
		}
		r.Kept = h.Entries[len(h.Entries)-1].Number
	}
	for _, name := range r.Files {
		at := filepath.Join(dir, filepath.FromSlash(name))
		if err := os.MkdirAll(filepath.Dir(at), 0o755); err != nil && !errors.Is(err, fs.ErrExist) {
			return &failure.Path{Path: at, Err: err}
		}
		write := publish.ReplaceFile
		if _, err := os.Stat(at); fsys.Missing(err) {
			write = fsys.Write
		}
		if err := write(at, texts[name]); err != nil {
			return err
		}
	}
	r.Written = true
	if !edit {
		return nil
	}
	return h.Change(r.To.Number, func(e *result.HistoryEntry) { e.Undone = true })
}
