package site

import (
	"path/filepath"
	"strings"
	"sync"

	"yellowgate/internal/core/page"
)

// ReadOnce reads files of a site, each once; pages, which are many, whenever they are
// asked for.
func ReadOnce(from Store) func(string) ([]byte, bool) {
	var files sync.Map
	return func(path string) ([]byte, bool) {
		if b, ok := files.Load(path); ok {
			return b.([]byte), b.([]byte) != nil
		}
		b, err := from.Read(filepath.Clean(strings.TrimLeft(path, "/")))
		if err != nil {
			b = nil
		}
		if !IsPage(path) {
			files.Store(path, b)
		}
		return b, b != nil
	}
}

// Index answers whether a folder has a file or a page at a path.
func Index(files []File, pages []page.Page) (hasFile, hasPage func(string) bool) {
	names := make(map[string]bool, len(files))
	for _, f := range files {
		names["/"+page.Clean("/" + f.Path)[1:]] = true
		names["/"+f.Path] = true
	}
	keys := make(map[string]bool, len(pages))
	for i := range pages {
		keys[pages[i].Key()] = true
	}
	hasPage = func(path string) bool { return keys[page.Key(path)] }
	hasFile = func(path string) bool {
		return names[path] || strings.HasSuffix(path, "/") && hasPage(path) ||
			!strings.Contains(filepath.Base(path), ".") && hasPage(path) ||
			names[page.Clean(path)]
	}
	return hasFile, hasPage
}
