//go:build !unix

package disk

import (
	"errors"
	"io/fs"
	"os"
)

const nonblock = 0

func open(name string, flag int, perm fs.FileMode) (*os.File, error) {
	return os.OpenFile(name, flag, perm)
}

// Mine reports whether something belongs to the user who runs the program.
func Mine(fs.FileInfo) bool { return true }

// IsCrossDevice reports whether a rename failed because it led to another file system.
func IsCrossDevice(err error) bool { return false }

// running reports whether a process runs: to find one is to know that.
func running(*os.Process) bool { return true }

// Nameless is an error: a file that is open cannot be removed here.
func Nameless() (*os.File, error) { return nil, errors.ErrUnsupported }
