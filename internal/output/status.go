package output

import (
	"bytes"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"sort"
	"strconv"
	"time"

	"yellowgate/internal/site"
)

// A State is what an output file is, held against the record.
type State uint8

const (
	Current State = iota // it is what the tool wrote
	Missing              // not there
	Edited               // changed since it was applied
	Unknown              // the record has nothing of it
)

// A Status is what the record knows of one output.
type Status struct {
	State   State
	Text    []byte    // what the output folder has now
	Applied time.Time // when it was applied
	Gate    string    // digest of the gate that was applied
}

// A Ledger answers for outputs what the record knows of them.
type Ledger struct {
	record *record
	output string
}

// OpenLedger reads the record of a project.
func OpenLedger(p *site.Project) (*Ledger, error) {
	r, err := loadRecord(p.Dir)
	if err != nil {
		return nil, &site.PathError{Path: filepath.Join(p.Dir, stateDir), Err: err}
	}
	return &Ledger{r, p.Output}, nil
}

// StatusOf is Status for one output, without reading the whole record.
func StatusOf(p *site.Project, rel string) (Status, error) {
	b, err := os.ReadFile(filepath.Join(p.Dir, stateDir, recordName))
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return Status{}, &site.PathError{Path: filepath.Join(p.Dir, stateDir), Err: err}
	}
	r := &record{files: map[string]*entry{}}
	if files := bytes.Index(b, []byte("\nfile\t")); files >= 0 {
		part := b[: files+1 : files+1] // the head and the gates
		line := append(strconv.AppendQuote([]byte("\nfile\t"), rel), '\t')
		if at := bytes.Index(b, line); at >= 0 {
			end := bytes.IndexByte(b[at+1:], '\n')
			part = append(part, b[at+1:at+1+end+1]...)
		}
		if err := r.parse(part); err != nil {
			return Status{}, &site.PathError{Path: filepath.Join(p.Dir, stateDir), Err: err}
		}
	}
	return (&Ledger{r, p.Output}).Status(rel)
}

// Status reads an output file and holds it against the record.
func (l *Ledger) Status(rel string) (Status, error) {
	name := filepath.Join(l.output, filepath.FromSlash(rel))
	b, err := os.ReadFile(name)
	e := l.record.files[rel]
	var s Status
	if e != nil {
		s.Applied, s.Gate = time.Unix(e.applied, 0), e.gate
	}
	switch {
	case errors.Is(err, fs.ErrNotExist) || errors.Is(err, fs.ErrInvalid):
		s.State = Missing
		return s, nil
	case err != nil:
		return s, &site.PathError{Path: name, Err: err}
	}
	s.Text = b
	switch {
	case e == nil || e.kept:
		s.State = Unknown
	case digestOf(b) != e.output.sum:
		s.State = Edited
	}
	return s, nil
}

// Last is when anything was applied last, or the zero time.
func (l *Ledger) Last() (last time.Time) {
	for _, e := range l.record.files {
		if t := time.Unix(e.applied, 0); e.applied > 0 && t.After(last) {
			last = t
		}
	}
	return last
}

// Gone lists the outputs that the tool wrote and whose source is no longer among
// the files, sorted.
func (l *Ledger) Gone(files []site.File) []string {
	have := make(map[string]bool, len(files))
	for _, f := range files {
		have[f.Path] = true
	}
	gone := []string{}
	for rel, e := range l.record.files {
		if !e.kept && !have[rel] {
			gone = append(gone, rel)
		}
	}
	sort.Strings(gone)
	return gone
}

// Blocked lists files of others, no pages, that stand in the output folder where the
// project's files have to be written.
func (l *Ledger) Blocked(p *site.Project) (blocked []string, err error) {
	for _, f := range p.Files {
		if site.IsPage(f.Path) {
			continue
		}
		if e := l.record.files[f.Path]; e != nil && !e.kept {
			continue
		}
		st, err := l.Status(f.Path)
		if err != nil {
			return nil, err
		}
		if st.State != Unknown {
			continue
		}
		src, err := site.ReadFile(p.Source, f.Path)
		if err != nil {
			return nil, err
		}
		if !bytes.Equal(src, st.Text) {
			blocked = append(blocked, f.Path)
		}
	}
	return blocked, nil
}
