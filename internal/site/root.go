package site

import (
	"os"
	"path"
	"path/filepath"
	"strings"

	"yellowgate/internal/core/page"
)

// RootOf guesses the root of the site to which a file belongs: of the folders above it
// that have an index page, one after the other, the outermost; without any, its own. A folder that
// a capture made is one.
func RootOf(file string) string {
	abs, err := filepath.Abs(file)
	if err != nil {
		return filepath.Dir(file)
	}
	own := filepath.Dir(abs)
	root := own
	for dir := own; ; dir = filepath.Dir(dir) {
		if isFile(filepath.Join(dir, CaptureName)) {
			return dir
		}
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

// Below is a file's path relative to a folder, slash-separated; it begins with ".." where the file
// lies elsewhere.
func Below(root, file string) (string, error) {
	root, err := filepath.Abs(root)
	if err != nil {
		return "", err
	}
	if file, err = filepath.Abs(file); err != nil {
		return "", err
	}
	rel, err := filepath.Rel(root, file)
	return filepath.ToSlash(rel), err
}

// PathBelow is the path of a page's file below the root of its site.
func PathBelow(root, file string) string {
	if rel, err := Below(root, file); err == nil && !strings.HasPrefix(rel, "..") {
		return page.Spelling{}.PathOf(rel)
	}
	return page.Clean("/" + path.Base(filepath.ToSlash(file)))
}
