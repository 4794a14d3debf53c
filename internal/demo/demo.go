// Package demo is the demo site: the Tern Hill Observatory, as a small generator
// or a patient person would write it, with the usual mistakes of real sites, and
// the gate file that mends them. All of it is invented.
package demo

import (
	"embed"
	"errors"
	"io/fs"
	"os"
	"path/filepath"

	"yellowgate/internal/failure"
)

//go:embed files
var files embed.FS

// Name is the folder that the demo is written to where none is named.
const Name = "tern-hill"

// Write writes the demo into a folder, which must not exist or be empty.
func Write(dir string) (count int, err error) {
	entries, err := os.ReadDir(dir)
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return 0, &failure.Path{Path: dir, Err: err}
	}
	if len(entries) > 0 {
		return 0, &failure.Usage{
			Message: "the folder " + dir + " is not empty",
			Remedy:  "name a new folder: yellowgate demo DIR",
		}
	}
	sub, err := fs.Sub(files, "files")
	if err != nil {
		return 0, err
	}
	err = fs.WalkDir(sub, ".", func(name string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		to := filepath.Join(dir, filepath.FromSlash(name))
		if d.IsDir() {
			return os.MkdirAll(to, 0o755)
		}
		b, err := fs.ReadFile(sub, name)
		if err != nil {
			return err
		}
		count++
		return os.WriteFile(to, b, 0o644)
	})
	if err != nil {
		return count, &failure.Path{Path: dir, Err: err}
	}
	return count, nil
}
