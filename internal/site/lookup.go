package site

import (
	"path/filepath"
	"slices"
	"strings"
	"sync"

	"yellowgate/internal/core/memo"
	"yellowgate/internal/core/page"
)

// ReadOnce reads files of a site, each once; pages, which are many, whenever they are
// asked for.
func ReadOnce(from Store) func(string) ([]byte, bool) {
	var files memo.All[string, []byte]
	return func(path string) ([]byte, bool) {
		read := func() []byte {
			b, err := from.Read(filepath.Clean(strings.TrimLeft(path, "/")))
			if err != nil {
				return nil
			}
			return b
		}
		if IsPage(path) {
			b := read()
			return b, b != nil
		}
		b := files.Get(path, read)
		return b, b != nil
	}
}

// Index answers whether a folder has a file or a page at a path. files are as Walk sorted them, with
// others behind them; nothing is kept of a file but where it stands in the list. Neither list may change afterwards.
func Index(files []File, pages []page.Page) (hasFile, hasPage func(string) bool) {
	list := listOf(files, func(path string) string {
		clean := page.Clean(path)
		if clean+"index.html" == path || clean+"index.htm" == path {
			return path // looked for as such
		}
		return clean
	})
	keys := sync.OnceValue(func() map[string]struct{} {
		m := make(map[string]struct{}, len(pages))
		for i := range pages {
			m[pages[i].Key()] = struct{}{}
		}
		return m
	})
	hasPage = func(path string) bool {
		_, ok := keys()[page.Key(path)]
		return ok
	}
	named := func(path string) bool {
		return list.has(path) ||
			strings.HasSuffix(path, "/") && (list.has(path+"index.html") || list.has(path+"index.htm"))
	}
	hasFile = func(path string) bool {
		return named(path) || strings.HasSuffix(path, "/") && hasPage(path) ||
			!strings.Contains(filepath.Base(path), ".") && (hasPage(path) || list.has(path+".html")) || // hosts add it
			named(page.Clean(path))
	}
	return hasFile, hasPage
}

// A list finds files of a folder by their paths ("/img/a.png").
type list struct {
	files  []File           // in order
	others map[string]*File // the others, and the second names that files have
}

// listOf lists files by their paths and by second, which may give a path back as it is.
func listOf(files []File, second func(path string) string) *list {
	l := &list{others: map[string]*File{}}
	inOrder := 0
	for i := range files {
		path := "/" + files[i].Path
		if inOrder == i && (i == 0 || files[i-1].Path < files[i].Path) {
			inOrder++
		} else {
			l.others[path] = &files[i]
		}
		if other := second(path); other != path {
			l.others[other] = &files[i]
		}
	}
	l.files = files[:inOrder]
	return l
}

// find returns the file at a path, or nil.
func (l *list) find(path string) *File {
	name, ok := strings.CutPrefix(path, "/")
	if !ok {
		return nil
	}
	i, ok := slices.BinarySearchFunc(
		l.files,
		name,
		func(f File, name string) int { return strings.Compare(f.Path, name) },
	)
	if ok {
		return &l.files[i]
	}
	return l.others[path]
}

func (l *list) has(path string) bool { return l.find(path) != nil }
