//go:build !unix

package site

import (
	"io/fs"
	"os"
)

// OpenFile is os.OpenFile for regular files.
func OpenFile(name string, flag int, perm fs.FileMode) (*os.File, error) {
	return os.OpenFile(name, flag, perm)
}
