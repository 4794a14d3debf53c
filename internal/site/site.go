// Package site is folders of pages on disk: walking them, reading and weighing their files, and
// work spread over the cores. What a gate file says is none of its business: see project.
package site

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"runtime"
	"sort"
	"strings"
	"sync"

	"golang.org/x/sync/errgroup"
	"golang.org/x/text/unicode/norm"

	"yellowgate/internal/core/page"
	"yellowgate/internal/failure"
	"yellowgate/internal/fsys"
)

// A File is one regular file below a folder.
type File struct {
	Path  string // relative to the folder, slash-separated
	Size  int64
	Page  bool // by its name, it is HTML
	Stamp fsys.Stamp
}

// Walk lists the regular files below a folder, sorted by path. skip, which is
// called from several goroutines, leaves out what it names, folders with everything in
// them. Symbolic links are followed only where links is true, and only to files within
// the folder that skip would not leave out under their own names; the others, and what is
// no regular file, are listed in strays.
func Walk(root string, links bool, skip func(path string, dir bool) bool) (files []File, strays []string, err error) {
	info, err := os.Stat(root)
	if err != nil {
		return nil, nil, &failure.Path{Path: root, Err: err}
	}
	if !info.IsDir() {
		return nil, nil, &failure.Path{Path: root, Err: errors.New("this is not a folder")}
	}
	real, err := filepath.EvalSymlinks(root)
	if err != nil {
		return nil, nil, &failure.Path{Path: root, Err: err}
	}
	w := &walker{root: real, links: links, skip: skip}
	w.group.SetLimit(2 * runtime.GOMAXPROCS(0))
	w.folder("")
	err = w.group.Wait()
	if err == nil {
		err = w.err
	}
	if err != nil {
		return nil, nil, err
	}
	sort.Slice(w.files, func(i, j int) bool { return w.files[i].Path < w.files[j].Path })
	sort.Strings(w.strays)
	return w.files, w.strays, nil
}

// walker reads folders, several at a time.
type walker struct {
	root  string
	links bool
	skip  func(path string, dir bool) bool
	group errgroup.Group

	mu     sync.Mutex
	files  []File
	strays []string
	err    error
}

// folder reads one folder and those below it.
func (w *walker) folder(rel string) {
	entries, err := fsys.ReadDir(filepath.Join(w.root, filepath.FromSlash(rel)))
	if err != nil {
		w.fail(rel, err)
		return
	}
	var files []File
	var strays []string
	for _, d := range entries {
		name := d.Name()
		if rel != "" {
			name = rel + "/" + name
		}
		if w.skip != nil && w.skip(name, d.IsDir()) {
			continue
		}
		if d.IsDir() {
			if !w.group.TryGo(func() error { w.folder(name); return nil }) {
				w.folder(name)
			}
			continue
		}
		f, ok, err := w.file(name, d)
		switch {
		case err != nil:
			w.fail(name, err)
			return
		case ok:
			files = append(files, f)
		default:
			strays = append(strays, name)
		}
	}
	w.mu.Lock()
	w.files = append(w.files, files...)
	w.strays = append(w.strays, strays...)
	w.mu.Unlock()
}

func (w *walker) fail(rel string, err error) {
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.err == nil && !errors.Is(err, fs.ErrNotExist) { // gone since its folder was read
		w.err = &failure.Path{Path: filepath.Join(w.root, filepath.FromSlash(rel)), Err: err}
	}
}

// file looks at what is no folder; ok is false for what is no regular file.
func (w *walker) file(name string, d fs.DirEntry) (f File, ok bool, err error) {
	var info fs.FileInfo
	switch {
	case d.Type().IsRegular():
		info, err = d.Info()
	case d.Type()&fs.ModeSymlink != 0 && w.links:
		target, terr := filepath.EvalSymlinks(filepath.Join(w.root, filepath.FromSlash(name)))
		if terr != nil {
			return f, false, nil
		}
		if rel, in := fsys.Within(w.root, target); !in || w.leavesOut(rel) {
			return f, false, nil
		}
		if info, err = os.Stat(target); err == nil && !info.Mode().IsRegular() {
			return f, false, nil
		}
	default:
		return f, false, nil
	}
	if err != nil {
		return f, false, err
	}
	return File{name, info.Size(), IsPage(name), fsys.StampOf(info)}, true, nil
}

// leavesOut reports whether what a link leads to is left out, by itself or with a folder
// that it is in: a link makes nothing of the site that is not part of it.
func (w *walker) leavesOut(rel string) bool {
	if w.skip == nil {
		return false
	}
	for at, c := range rel {
		if c == '/' && w.skip(rel[:at], true) {
			return true
		}
	}
	return w.skip(rel, false)
}

// IsPage reports whether a file is HTML by its name.
func IsPage(name string) bool {
	ext := filepath.Ext(name)
	return strings.EqualFold(ext, ".html") || strings.EqualFold(ext, ".htm")
}

// Hidden reports whether a path is a dot-file or in a dot-folder other than
// .well-known.
func Hidden(rel string) bool {
	base := rel[strings.LastIndexByte(rel, '/')+1:]
	return strings.HasPrefix(base, ".") && base != ".well-known"
}

// Pages gives each HTML file its path. Two files with one path are an error.
func Pages(files []File, as page.Spelling) ([]page.Page, error) {
	pages := make([]page.Page, 0, len(files))
	byKey := make(map[string]string, len(files))
	for _, f := range files {
		if !f.Page {
			continue
		}
		p := page.Page{Path: as.PathOf(f.Path), File: f.Path}
		key := strings.TrimSuffix(p.Path, "/")
		if other, dup := byKey[key]; dup {
			return nil, &failure.Path{
				Path: f.Path,
				Err:  fmt.Errorf("this file and %s are one page, %s", other, p.Path),
				What: "take one of them out, or list it under site.ignore",
			}
		}
		byKey[key] = f.Path
		pages = append(pages, p)
	}
	return pages, nil
}

// Normal is a name as file systems and URLs may write it in more than one way, in one form (NFC).
func Normal(s string) string { return norm.NFC.String(s) }

// PagesAnyway is Pages for a folder that nobody claims is a site: where two
// files have one path, both are listed.
func PagesAnyway(files []File) []page.Page {
	pages := make([]page.Page, 0, len(files))
	for _, f := range files {
		if f.Page {
			pages = append(pages, page.Page{Path: page.Spelling{}.PathOf(f.Path), File: f.Path})
		}
	}
	return pages
}
