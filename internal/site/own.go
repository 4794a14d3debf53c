package site

import (
	"errors"
	"io/fs"
	"path/filepath"

	"yellowgate/internal/fsys"
)

// OwnDir is the name of the tool's own folder: beside a gate file for what it remembers, and
// beside an output folder for files on their way into it.
const OwnDir = ".yellowgate"

// MakeOwnDir makes the tool's own folder and keeps it out of git: nothing in it is worth a
// commit, and all of it can be made anew.
func MakeOwnDir(dir string) error {
	if err := fsys.Mkdir(dir); err != nil && !errors.Is(err, fs.ErrExist) {
		return err
	}
	ignore := filepath.Join(dir, ".gitignore")
	if _, err := fsys.Lstat(ignore); fsys.Missing(err) {
		if err := fsys.Write(ignore, []byte("*\n")); err != nil && !errors.Is(err, fs.ErrExist) {
			return err
		}
	}
	return nil
}
