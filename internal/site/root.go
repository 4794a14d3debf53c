package site

import (
	"os"
	"path"
	"path/filepath"
	"strings"

	"yellowgate/internal/core/page"
)

// RootOf guesses the root of the site to which a file belongs: of the folders above it
// that have an index page, one after the other, the outermost; without any, its own.
func RootOf(file string) string {
	abs, err := filepath.Abs(file)
	if err != nil {
		return filepath.Dir(file)
	}
	own := filepath.Dir(abs)
	root := own
	for dir := own; ; dir = filepath.Dir(dir) {
		switch _, err := os.Stat(filepath.Join(dir, "index.html")); {
		case err == nil:
			root = dir
		case dir != own: // its own folder needs none
			return root
		}
		if dir == filepath.Dir(dir) {
			return root
		}
	}
}

// PathBelow is the path of a page's file below the root of its site.
func PathBelow(root, file string) string {
	abs, err := filepath.Abs(file)
	if err == nil {
		if root, err = filepath.Abs(root); err == nil {
			if rel, err := filepath.Rel(root, abs); err == nil && !strings.HasPrefix(rel, "..") {
				return page.PathOf(filepath.ToSlash(rel), false)
			}
		}
	}
	return page.Clean("/" + path.Base(filepath.ToSlash(file)))
}
