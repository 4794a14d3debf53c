//go:build unix

package site

import (
	"io/fs"
	"os"
	"syscall"
)

// OpenFile is os.OpenFile for regular files. It does not ask the system whether the
// file could be waited for, which on ten thousand files is time.
func OpenFile(name string, flag int, perm fs.FileMode) (*os.File, error) {
	for {
		fd, err := syscall.Open(name, flag|syscall.O_CLOEXEC, uint32(perm))
		if err == syscall.EINTR {
			continue
		}
		if err != nil {
			return nil, &fs.PathError{Op: "open", Path: name, Err: err}
		}
		return os.NewFile(uintptr(fd), name), nil
	}
}
