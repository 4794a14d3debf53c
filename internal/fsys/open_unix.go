//go:build unix

package fsys

import (
	"io/fs"
	"os"
	"syscall"
)

// nonblock lets the opening of a FIFO return at once.
const nonblock = syscall.O_NONBLOCK | syscall.O_NOCTTY

// open is os.OpenFile for regular files. It does not ask the system whether the
// file could be waited for, which on ten thousand files is time.
func open(name string, flag int, perm fs.FileMode) (*os.File, error) {
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

// Mine reports whether something belongs to the user who runs the program.
func Mine(info fs.FileInfo) bool {
	st, ok := info.Sys().(*syscall.Stat_t)
	return !ok || int(st.Uid) == os.Geteuid()
}

// IsCrossDevice reports whether a rename failed because it led to another file system.
func IsCrossDevice(err error) bool {
	pe, ok := err.(*os.LinkError)
	return ok && pe.Err == syscall.EXDEV
}

// running reports whether a process runs.
func running(p *os.Process) bool { return p.Signal(syscall.Signal(0)) != os.ErrProcessDone }

// Nameless makes a file that nobody else can open, and that is gone with whoever has it open.
func Nameless() (*os.File, error) {
	f, err := os.CreateTemp("", temporary+"body-")
	if err != nil {
		return nil, err
	}
	if err := os.Remove(f.Name()); err != nil {
		f.Close()
		return nil, err
	}
	return f, nil
}
