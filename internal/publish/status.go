package publish

import (
	"bytes"
	"errors"
	"io"
	"io/fs"
	"path/filepath"
	"sort"
	"strconv"
	"sync"
	"syscall"
	"time"

	"yellowgate/internal/failure"
	"yellowgate/internal/fsys"
	"yellowgate/internal/project"
	"yellowgate/internal/site"
)

// A FileState is what an output file is, compared with the record.
type FileState uint8

const (
	Current FileState = iota // it is what the tool wrote
	Missing                  // not there
	Edited                   // changed since it was applied
	Unknown                  // the record has nothing of it
)

// A Status is what the record knows of one output.
type Status struct {
	State   FileState
	Text    []byte    // what the output folder has now
	Applied time.Time // when it was applied
	Gate    string    // digest of the gate that was applied
}

// A Ledger answers for outputs what the record knows of them.
type Ledger struct {
	known
	walk sync.Once
}

// OpenLedger reads the record of a project.
func OpenLedger(p *project.Project) (*Ledger, error) {
	l := ledger(p)
	return l, l.load()
}

func ledger(p *project.Project) *Ledger {
	l := &Ledger{}
	l.state, l.out = stateOf(p, site.Part{}), fsys.Real(p.Output)
	return l
}

// StatusOf is Status for one output, without reading the whole record.
func StatusOf(p *project.Project, rel string) (Status, error) {
	l := ledger(p)
	l.record = &record{files: map[string]*entry{}}
	b, err := l.state.readRecord()
	if files := bytes.Index(b, []byte("\nfile\t")); err == nil && files >= 0 {
		part := b[: files+1 : files+1] // the head and the gates
		line := append(strconv.AppendQuote([]byte("\nfile\t"), rel), '\t')
		if at := bytes.Index(b, line); at >= 0 {
			end := bytes.IndexByte(b[at+1:], '\n')
			part = append(part, b[at+1:at+1+end+1]...)
		}
		err = l.record.parse(part)
	}
	if err != nil {
		return Status{}, l.state.recordError(err)
	}
	return l.Status(rel)
}

// Status reads an output file and compares it with the record.
func (l *Ledger) Status(rel string) (Status, error) {
	b, err := fsys.Read(l.at(rel), fsys.PageLimit)
	e := l.record.files[rel]
	var s Status
	if e != nil {
		s.Applied, s.Gate = time.Unix(e.applied, 0), e.gate
	}
	var kind *fsys.KindError
	switch {
	case errors.Is(err, fs.ErrNotExist) || errors.Is(err, fs.ErrInvalid) || isNotDir(err):
		s.State = Missing
		return s, nil
	case errors.As(err, &kind):
		s.State = Unknown
		return s, nil
	case err != nil:
		return s, &failure.Path{Path: l.at(rel), Err: err}
	}
	s.Text = b
	sum := digestOf(b)
	if e != nil && sum == e.output.sum {
		return s, nil
	}
	l.look()
	s.State = map[whose]FileState{written: Current, changed: Edited, foreign: Unknown}[l.whose(rel, l.there[rel], sum)]
	return s, nil
}

// look lists the output folder: what is there tells whose a file is.
func (l *Ledger) look() {
	l.walk.Do(func() {
		l.there = map[string]site.File{}
		files, _, _ := site.Walk(l.out, false, func(rel string, _ bool) bool { return site.Hidden(rel) })
		for _, f := range files {
			l.there[f.Path] = f
		}
	})
}

func isNotDir(err error) bool {
	var pe *fs.PathError
	return errors.As(err, &pe) && pe.Err == syscall.ENOTDIR
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
	for rel := range l.record.files {
		if !have[rel] {
			gone = append(gone, rel)
		}
	}
	sort.Strings(gone)
	return gone
}

// Others lists the files of the project, no pages, that apply would copy, and those of
// others that stand in their places.
func (l *Ledger) Others(p *project.Project) (behind, blocked []string, err error) {
	for _, f := range p.Files {
		if site.IsPage(f.Path) {
			continue
		}
		e := l.record.files[f.Path]
		info, err := fsys.Lstat(l.at(f.Path))
		switch {
		case err != nil && (fsys.Missing(err) || isNotDir(err)):
			behind = append(behind, f.Path)
			continue
		case err != nil:
			return nil, nil, &failure.Path{Path: l.at(f.Path), Err: err}
		case info.IsDir(): // apply says whether it can go
			behind = append(behind, f.Path)
			continue
		case !info.Mode().IsRegular():
			blocked = append(blocked, f.Path)
			continue
		}
		now := fsys.StampOf(info)
		if e != nil && e.source.same(f.Stamp) && e.output.same(now) {
			continue
		}
		sum, err := l.sumOf(f.Path)
		if err != nil {
			return nil, nil, &failure.Path{Path: l.at(f.Path), Err: err}
		}
		name := filepath.Join(p.Source, filepath.FromSlash(f.Path))
		_, source, err := stream(name, io.Discard)
		switch {
		case err != nil:
			return nil, nil, &failure.Path{Path: name, Err: err}
		case source == sum:
			continue
		}
		behind = append(behind, f.Path)
		l.look()
		if l.whose(f.Path, l.there[f.Path], sum) == foreign {
			blocked = append(blocked, f.Path)
		}
	}
	return behind, blocked, nil
}
