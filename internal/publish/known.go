package publish

import (
	"io"
	"path/filepath"
	"slices"
	"sync"

	"yellowgate/internal/fsys"
	"yellowgate/internal/site"
)

// known is what the tool knows of an output folder: its record, what a stopped apply left
// of its journal, and the records of other gate files for the same folder.
type known struct {
	state   state
	record  *record
	journal journal
	out     string               // the output folder, resolved
	there   map[string]site.File // the output folder as it is

	oursOnce   sync.Once
	ours       bool // the output folder is the one that the record is of
	othersOnce sync.Once
	others     []*record
}

func (k *known) load() (err error) {
	if k.record, err = k.state.loadRecord(); err == nil {
		k.journal, err = k.state.loadJournal()
	}
	return err
}

// inherit takes over, for the files of a part or of the whole site, what other parts wrote for the
// same gate file, or the whole did: the site may be written in eight parts today and at once
// tomorrow. What stands in the own record counts more.
func (k *known) inherit(part site.Part) {
	for _, other := range k.state.family() {
		r, err := other.loadRecord()
		if err != nil {
			continue // it is told where it is the own one
		}
		for rel, e := range r.files {
			if k.record.files[rel] == nil && part.Has(rel) {
				k.record.files[rel] = e
			}
		}
		if k.record.folder == "" {
			k.record.folder = r.folder
		}
		if j, err := other.loadJournal(); err == nil && part.Of < 2 {
			k.journal.work = append(k.journal.work, j.work...)
			for rel, list := range j.meant {
				k.journal.meant[rel] = append(k.journal.meant[rel], list...)
			}
		}
	}
}

// forget removes the states of parts, once the record of the whole says all that they said.
func (k *known) forget() {
	for _, other := range k.state.family() {
		for _, name := range []string{recordName, journalName, lockName} {
			fsys.Remove(other.at(name))
		}
		fsys.Remove(other.dir) // not where outputs are kept in it
	}
}

// at is the name on disk of something in the output folder.
func (k *known) at(rel string) string { return filepath.Join(k.out, filepath.FromSlash(rel)) }

// sumOf takes the digest of an output as it is.
func (k *known) sumOf(rel string) (digest, error) {
	_, sum, err := stream(k.at(rel), io.Discard)
	return sum, err
}

// whose says whom a file of the output folder is.
type whose uint8

const (
	written whose = iota // the tool wrote it as it is
	changed              // the tool wrote it, and somebody changed it
	foreign              // it is somebody else's
)

// whose says whom a file of the output folder is that has the digest now.
func (k *known) whose(rel string, out site.File, now digest) whose {
	e := k.record.files[rel]
	switch {
	case e != nil && e.output.sum == now, slices.Contains(k.journal.meant[rel], now), k.siblingWrote(rel, now):
		return written
	case e != nil && k.isOurs(e, out):
		return changed
	}
	return foreign
}

// isOurs reports whether a file that is not as the record says was changed by hand since,
// rather than put there when nothing of the output was left: the folder is the one that
// was written to, and so is the file, or others in the folder are as they were written.
func (k *known) isOurs(e *entry, out site.File) bool {
	id := fsys.FolderID(k.out)
	if id != "" && k.record.folder != "" && id != k.record.folder {
		return false
	}
	if id != "" && e.output.Number != 0 && e.output.Number == out.Stamp.Number {
		return true
	}
	k.oursOnce.Do(func() { k.ours = k.anyIntact() })
	return k.ours
}

func (k *known) anyIntact() bool {
	for rel, e := range k.record.files {
		if out, ok := k.there[rel]; ok && e.output.same(out.Stamp) {
			return true
		}
	}
	for rel, e := range k.record.files {
		if out, ok := k.there[rel]; ok && e.output.Size == out.Size {
			if sum, err := k.sumOf(rel); err == nil && sum == e.output.sum {
				return true
			}
		}
	}
	return false
}

// siblingWrote reports whether an output was written for another gate file of the same
// folder.
func (k *known) siblingWrote(rel string, sum digest) bool {
	k.othersOnce.Do(func() { k.others = k.state.siblings() })
	return slices.ContainsFunc(k.others, func(r *record) bool {
		e := r.files[rel]
		return e != nil && e.output.sum == sum
	})
}
