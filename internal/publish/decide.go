package publish

import (
	"errors"
	"io"
	"io/fs"
	"slices"

	"github.com/zeebo/xxh3"

	"yellowgate/internal/failure"
	"yellowgate/internal/fsys"
	"yellowgate/internal/site"
)

// ofFragment stands in the record for the digest of the gate where an output is the copy
// of a file that is no page of its own.
const ofFragment = "fragment"

// content is what a file is to have: bytes, or those of a big file of the source, which
// are not held in memory. nil means that nothing is to be written.
type content interface {
	// writeTo writes the content, and returns its size in bytes and digest.
	writeTo(f *fsys.NewFile) (int64, digest, error)
}

type text []byte

func (t text) writeTo(f *fsys.NewFile) (int64, digest, error) {
	_, err := f.Write(t)
	return int64(len(t)), digestOf(t), err
}

// bigFile is the size in bytes from which a file that is no page is copied piece by
// piece.
const bigFile = 8 << 20

// A copyOf is a file that is copied piece by piece; its name is absolute.
type copyOf string

func (c copyOf) writeTo(w *fsys.NewFile) (int64, digest, error) { return stream(string(c), w) }

// stream copies a file and digests it on the way.
func stream(name string, w io.Writer) (int64, digest, error) {
	f, _, err := fsys.Open(name)
	if err != nil {
		return 0, digest{}, err
	}
	defer f.Close()
	h := xxh3.New128()
	n, err := io.CopyBuffer(io.MultiWriter(w, h), onlyReader{f}, make([]byte, 256<<10))
	return n, h.Sum128().Bytes(), err
}

type onlyReader struct{ io.Reader }

// one decides about one file. c is what is to be written, nil for nothing; mine is false
// where a file of somebody else's stands in its place.
//
// An output is passed over only where the file system vouches that it is the very file
// that the tool wrote, unchanged; in any other case the page is gated, and compared. So
// a record that was forged costs time.
func (a *apply) one(j *job, buf *site.Buffer) (c content, mine bool, err error) {
	rel := j.file.Path
	e := a.record.files[rel]
	out, exists := a.there[rel]
	if a.Chosen != nil && j.page == nil {
		j.skip = true
		return nil, true, nil
	}
	gate := a.gateOf(j, e)
	untouched := e != nil && exists && e.gate == gate && e.output.same(out.Stamp)
	if a.Chosen == nil && untouched && e.source.same(j.file.Stamp) {
		j.entry = &entry{gate: gate, source: stamp{j.file.Stamp, e.source.sum}, output: stamp{out.Stamp, e.output.sum},
			applied: e.applied}
		return nil, true, nil
	}
	c, src, source, err := a.sourceOf(j, buf)
	if err != nil {
		return nil, false, err
	}
	if a.Chosen != nil {
		chosen, err := a.Chosen(a.Project.Gate.Look(src, *j.page))
		if j.skip = !chosen; j.skip || err != nil {
			return nil, err == nil, err
		}
	}
	if untouched && e.source.sum == source.sum {
		j.entry = &entry{gate: gate, source: source, output: stamp{out.Stamp, e.output.sum}, applied: e.applied}
		return nil, true, nil
	}
	sum, size := source.sum, j.file.Size
	if j.page != nil {
		file := a.gatePage(j, src)
		c, sum, size = text(file), digestOf(file), int64(len(file))
		if gate = a.Digest; j.frag {
			gate = ofFragment
		}
	} else if _, copied := c.(copyOf); !copied {
		size = int64(len(src))
	}
	j.entry = &entry{gate: gate, source: source, output: stamp{Stamp: fsys.Stamp{Size: size}, sum: sum},
		applied: a.start.Unix()}
	if !exists {
		return c, true, nil
	}
	now, err := a.sumOf(rel)
	if err != nil {
		return nil, false, a.outputError(rel, err)
	}
	if now == sum { // it says already what it should
		j.entry.output.Stamp = out.Stamp
		if e != nil {
			j.entry.applied = e.applied
		}
		return nil, true, nil
	}
	return c, a.mayReplace(j, e, out, now), nil
}

// gateOf is the gate with which an output is made, as the record names it; "" for what is no page.
func (a *apply) gateOf(j *job, e *entry) string {
	switch {
	case j.page == nil:
		return ""
	case e != nil && e.gate == ofFragment && !j.page.Whole: // it is copied, whatever the gate says
		j.frag = true
		return ofFragment
	}
	return a.Digest
}

// sourceOf reads a source file and digests it. One that is too big to be read at once is a copyOf.
func (a *apply) sourceOf(j *job, buf *site.Buffer) (c content, src []byte, source stamp, err error) {
	rel := j.file.Path
	source.Stamp = j.file.Stamp
	if j.page == nil && j.file.Size > bigFile {
		name := fsys.Real(a.Source) + "/" + rel
		_, source.sum, err = stream(name, io.Discard)
		return copyOf(name), nil, source, a.sourceError(rel, err)
	}
	src, err = a.Project.ReadInto(buf, rel)
	source.sum = digestOf(src)
	return text(src), src, source, a.sourceError(rel, err)
}

// gatePage gates a page, and keeps what there is to say of it.
func (a *apply) gatePage(j *job, src []byte) []byte {
	r := a.Project.Gate.Page(src, *j.page)
	j.frag, j.gating, j.gated = r.Fragment, r.Problems, true
	if a.Also != nil {
		j.gating = slices.Concat(j.gating, a.Also(r))
	}
	a.mu.Lock()
	a.places.Add(r)
	a.mu.Unlock()
	return r.File
}

// mayReplace reports whether an output with other bytes may be replaced. What somebody else wrote or changed is
// kept where that is asked for.
func (a *apply) mayReplace(j *job, e *entry, out site.File, now digest) bool {
	switch a.whose(j.file.Path, out, now) {
	case written:
		j.keep = e == nil || !e.output.same(out.Stamp)
	case changed:
		j.edited = true
	case foreign:
		j.edited = a.TakeOver
		return a.TakeOver
	}
	return true
}

func (a *apply) sourceError(rel string, err error) error {
	if err == nil {
		return nil
	}
	var pe *failure.Path
	if !errors.As(err, &pe) {
		pe = &failure.Path{Path: a.Source + "/" + rel, Err: err}
	}
	pe.What = a.told()
	if errors.Is(pe.Err, fs.ErrNotExist) {
		pe.What = "it was there a moment ago: apply when the site's build has ended; " + a.told()
	}
	return pe
}
