package project

import (
	"crypto/sha512"
	"encoding/base64"
	"errors"
	"fmt"
	"hash"
	"io/fs"
	"maps"
	"os"
	"path"
	"path/filepath"
	"slices"

	"github.com/bmatcuk/doublestar/v4"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/fsys"
)

// The files that a gate file names.

// An OutsideError says that a file which the gate file names lies outside its folder.
type OutsideError struct{ Where string }

func (e *OutsideError) Error() string {
	return "the file lies outside the gate file's folder, at " + e.Where
}

// Remedy says what to do about it.
func (e *OutsideError) Remedy() string {
	return "if that is meant, list the file or its folder under site: outside: [PATH], or give --outside"
}

// abs is the place of what the gate file names.
func (p *Project) abs(name string) string {
	if full := filepath.FromSlash(name); filepath.IsAbs(full) {
		return full
	}
	return filepath.Join(p.Dir, filepath.FromSlash(name))
}

// readNamed reads a file that the gate file names, relative to it. One that lies outside
// its folder is read only where the user or site.outside allows it.
func (p *Project) readNamed(g *gatefile.Gate, name string, limit int64) ([]byte, error) {
	full := p.abs(name)
	if p.files != nil {
		b, ok := p.files[p.relative(full)]
		if !ok {
			return nil, fs.ErrNotExist
		}
		p.named(p.relative(full), b)
		return b, nil
	}
	if b, ok := p.would[p.relative(full)]; ok {
		p.named(p.relative(full), b)
		return b, nil
	}
	p.reads(full)
	real := fsys.Real(full)
	if _, in := fsys.Within(p.Dir, real); !in && !p.outside && !p.allowed(g, real) {
		if _, err := os.Lstat(full); err != nil {
			return nil, bare(err)
		}
		return nil, &OutsideError{real}
	}
	b, err := fsys.Read(full, limit)
	if err == nil {
		p.named(p.relative(full), b)
	}
	return b, bare(err)
}

// relative is a path from the folder of the gate file, with slashes.
func (p *Project) relative(full string) string {
	if rel, err := filepath.Rel(p.Dir, full); err == nil {
		return filepath.ToSlash(rel)
	}
	return filepath.ToSlash(full)
}

// named notes a file on which the gate depends.
func (p *Project) named(name string, text []byte) {
	if !slices.ContainsFunc(p.Named, func(n NamedText) bool { return n.Name == name }) {
		p.Named = append(p.Named, NamedText{name, text})
	}
}

// allowed reports whether site.outside names a file or a folder that it is in.
func (p *Project) allowed(g *gatefile.Gate, real string) bool {
	return g != nil && slices.ContainsFunc(g.Site.Outside, func(t gatefile.Text) bool {
		at := p.abs(t.Value)
		_, in := fsys.Within(fsys.Real(at), real)
		return in
	})
}

// bare is an error without the path, which stands beside it.
func bare(err error) error {
	var pe *os.PathError
	if errors.As(err, &pe) {
		return pe.Err
	}
	return err
}

// reader reads the files that a gate file names, relative to it.
func (p *Project) reader(g *gatefile.Gate, sum hash.Hash) func(string) ([]byte, error) {
	return func(name string) ([]byte, error) {
		b, err := p.readNamed(g, name, fsys.CodeLimit)
		if err == nil {
			put(sum, b)
		}
		return b, err
	}
}

// includer finds the gate files that a glob of the gate file names.
func (p *Project) includer(shown string, texts map[string][]byte,
	sum hash.Hash) func(string, *gatefile.Gate) ([]gatefile.Included, error) {
	return func(glob string, g *gatefile.Gate) (out []gatefile.Included, err error) {
		// It may lead to a folder of site.outside.
		base, pattern := doublestar.SplitPattern(path.Clean(filepath.ToSlash(glob)))
		names, err := doublestar.Glob(os.DirFS(p.abs(base)), pattern)
		if err != nil {
			return nil, err
		}
		for i := range names {
			names[i] = path.Join(base, names[i])
		}
		if p.files != nil {
			names = slices.DeleteFunc(slices.Collect(maps.Keys(p.files)), func(name string) bool {
				return !doublestar.MatchUnvalidated(path.Join(base, pattern), name)
			})
		}
		slices.Sort(names)
		for _, name := range names {
			if info, err := os.Stat(p.abs(name)); p.files == nil && err == nil && info.IsDir() {
				continue
			}
			b, err := p.readNamed(g, name, fsys.GateLimit)
			if err != nil {
				return nil, fmt.Errorf("%s: %w", name, err)
			}
			as := path.Join(path.Dir(shown), name)
			if t, ok := texts[as]; ok {
				b = t
			}
			put(sum, b)
			dir := path.Dir(name)
			if dir == "." {
				dir = ""
			}
			out = append(out, gatefile.Included{Name: as, Dir: dir, Text: b})
		}
		return out, nil
	}
}

// integrity gives files of the source folder their integrity values
// (Subresource Integrity, 3.2).
func (p *Project) integrity(g *gatefile.Gate, sum hash.Hash) func(string) (string, bool) {
	return func(name string) (string, bool) {
		dir := filepath.FromSlash(g.Site.Source.Value)
		if !filepath.IsAbs(dir) {
			dir = filepath.Join(p.Dir, dir)
		}
		file := filepath.Join(dir, filepath.FromSlash(path.Clean("/"+name)))
		p.reads(file)
		b, err := fsys.Read(file, fsys.PageLimit)
		if g.Site.Source.Value == "" || err != nil {
			return "", false
		}
		put(sum, b)
		h := sha512.Sum384(b)
		return "sha384-" + base64.StdEncoding.EncodeToString(h[:]), true
	}
}

// reads tells that a file is read.
func (p *Project) reads(file string) {
	if p.note != nil {
		p.note(file)
	}
}

func put(h hash.Hash, b []byte) {
	fmt.Fprintf(h, "%d:", len(b))
	h.Write(b)
}

func within(dir, name string) bool {
	_, ok := fsys.Within(dir, name)
	return ok
}
