// Package fsys is the file system as the program uses it. What is read has to be a
// regular file within a limit: FIFOs, devices and folders are refused before anything
// could wait for them. What is written is made exclusively, never through a link. And
// the calls with which an apply reads and writes go through here, so that a test can let each
// of them fail; what only tidies up, or looks whether a folder is there, need not.
package fsys

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
)

// The limits of what is read, in bytes.
const (
	GateLimit  = 4 << 20   // a gate file, and each that it includes
	CodeLimit  = 16 << 20  // a file with an item's code, a build's manifest
	FactsLimit = 64 << 20  // a file of facts
	PageLimit  = 256 << 20 // a page, or a file that pages load
	StateLimit = 1 << 30   // a record of what was written
)

// Fault, where a test has set it, is asked before each call, and its error is the call's.
var Fault func(op, name string) error

func fault(op, name string) error {
	if Fault == nil {
		return nil
	}
	if err := Fault(op, name); err != nil {
		return &fs.PathError{Op: op, Path: name, Err: err}
	}
	return nil
}

// A KindError says that something is no regular file. Its Is makes it no fs.ErrNotExist
// and no fs.ErrPermission.
type KindError struct{ Kind string }

func (e *KindError) Error() string { return "this is " + e.Kind + ", not a file" }

// A LimitError says that a file is larger than what is read, both in bytes.
type LimitError struct{ Size, Limit int64 }

func (e *LimitError) Error() string {
	if e.Size > e.Limit {
		return fmt.Sprintf("the file has %s; the limit is %s", megabytes(e.Size), megabytes(e.Limit))
	}
	return "the file is larger than the limit of " + megabytes(e.Limit)
}

func megabytes(n int64) string {
	if n%(1<<20) == 0 {
		return fmt.Sprintf("%d MB", n>>20)
	}
	return fmt.Sprintf("%.1f MB", float64(n)/(1<<20))
}

// kindOf names what is no regular file; "" for one.
func kindOf(mode fs.FileMode) string {
	switch {
	case mode.IsRegular():
		return ""
	case mode.IsDir():
		return "a folder"
	case mode&fs.ModeSymlink != 0:
		return "a link"
	case mode&fs.ModeNamedPipe != 0:
		return "a FIFO"
	case mode&fs.ModeSocket != 0:
		return "a socket"
	case mode&fs.ModeDevice != 0:
		return "a device"
	}
	return "something special"
}

// Read reads a regular file, through links, of at most limit bytes. Its error is an
// *fs.PathError.
func Read(name string, limit int64) ([]byte, error) {
	// Opening a device can do something already: it is looked at before.
	if err := fault("stat", name); err != nil {
		return nil, err
	}
	info, err := os.Stat(name)
	if err != nil {
		return nil, err
	}
	if kind := kindOf(info.Mode()); kind != "" {
		return nil, &fs.PathError{Op: "open", Path: name, Err: &KindError{kind}}
	}
	return ReadInto(make([]byte, 0, min(info.Size(), limit)+1), name, limit)
}

// ReadInto is Read into a buffer whose bytes are written over; what it returns may be
// the buffer, grown.
func ReadInto(buf []byte, name string, limit int64) ([]byte, error) {
	f, info, err := Open(name)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	if info.Size() > limit {
		return nil, &fs.PathError{Op: "read", Path: name, Err: &LimitError{info.Size(), limit}}
	}
	if limit == PageLimit { // what is made of a page takes many times its size; what is made of a record does not
		RaiseMemoryLimit(info.Size())
	}
	b := slices.Grow(buf[:0], int(info.Size())+1)
	for {
		if len(b) == cap(b) {
			b = slices.Grow(b, max(len(b), 64<<10))
		}
		if err := fault("read", name); err != nil {
			return nil, err
		}
		n, err := f.Read(b[len(b):cap(b)])
		b = b[:len(b)+n]
		if int64(len(b)) > limit {
			return nil, &fs.PathError{Op: "read", Path: name, Err: &LimitError{0, limit}}
		}
		if err == io.EOF {
			return b, nil
		}
		if err != nil {
			return nil, err
		}
	}
}

// Open opens a regular file for reading; it never waits for one.
func Open(name string) (*os.File, fs.FileInfo, error) {
	if err := fault("open", name); err != nil {
		return nil, nil, err
	}
	f, err := open(name, os.O_RDONLY|nonblock, 0)
	if err != nil {
		return nil, nil, err
	}
	info, err := f.Stat()
	if err == nil {
		if kind := kindOf(info.Mode()); kind != "" {
			err = &fs.PathError{Op: "open", Path: name, Err: &KindError{kind}}
		}
	}
	if err != nil {
		f.Close()
		return nil, nil, err
	}
	return f, info, nil
}

// Write makes a new file; where something has its name already, that is an error. What
// cannot be written whole is removed.
func Write(name string, b []byte) error {
	f, err := Create(name)
	if err == nil {
		err = f.Finish(f.Write(b))
	}
	return err
}

// A NewFile is a file that is being written.
type NewFile struct {
	name string
	f    *os.File
}

// Create makes a new file, exclusively: not through a link, and over nothing.
func Create(name string) (*NewFile, error) {
	if err := fault("create", name); err != nil {
		return nil, err
	}
	f, err := open(name, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o644)
	if err != nil {
		return nil, err
	}
	return &NewFile{name, f}, nil
}

// Write writes on.
func (f *NewFile) Write(b []byte) (int, error) {
	if err := fault("write", f.name); err != nil {
		return 0, err
	}
	return f.f.Write(b)
}

// Finish closes the file; n and err are what the last Write returned. After an error
// nothing of the file is left.
func (f *NewFile) Finish(_ int, err error) error {
	if err == nil {
		err = fault("close", f.name)
	}
	if cerr := f.f.Close(); err == nil {
		err = cerr
	}
	if err != nil {
		os.Remove(f.name)
	}
	return err
}

// Replace gives a file a content: whole or not at all, by a new file of a random name
// beside it. What stood under the name is replaced, not written to.
func Replace(name string, b []byte) error { return ReplaceMode(name, b, 0) }

// ReplaceMode is Replace with the permissions that the file is to have; 0 for the usual.
func ReplaceMode(name string, b []byte, mode fs.FileMode) error {
	tmp := filepath.Join(filepath.Dir(name), "."+Random(filepath.Base(name)+"-"))
	pending.Store(tmp, true)
	defer pending.Delete(tmp)
	err := Write(tmp, b)
	if err == nil && mode != 0 {
		if err = os.Chmod(tmp, mode); err != nil {
			os.Remove(tmp)
		}
	}
	if err == nil {
		if err = Rename(tmp, name); err != nil {
			os.Remove(tmp)
		}
	}
	return err
}

// pending are the files that Replace is about to rename.
var pending sync.Map

// Abandon removes files that are not renamed yet, when the program is to end at once.
func Abandon() {
	pending.Range(func(name, _ any) bool {
		os.Remove(name.(string))
		return true
	})
}

// Mkdir makes a folder; where something has its name already, that is an error.
func Mkdir(name string) error {
	if err := fault("mkdir", name); err != nil {
		return err
	}
	return os.Mkdir(name, 0o755)
}

// Rename gives a file another name on the same file system.
func Rename(from, to string) error {
	if err := fault("rename", to); err != nil {
		return err
	}
	return os.Rename(from, to)
}

// Remove removes a file or an empty folder.
func Remove(name string) error {
	if err := fault("remove", name); err != nil {
		return err
	}
	return os.Remove(name)
}

// Lstat looks at what has a name, without following a link.
func Lstat(name string) (fs.FileInfo, error) {
	if err := fault("stat", name); err != nil {
		return nil, err
	}
	return os.Lstat(name)
}

// ReadDir lists a folder, sorted.
func ReadDir(name string) ([]fs.DirEntry, error) {
	if err := fault("list", name); err != nil {
		return nil, err
	}
	return os.ReadDir(name)
}

// Real is the path of something with all links resolved, as far as the path exists.
func Real(name string) string {
	if abs, err := filepath.Abs(name); err == nil {
		name = abs
	}
	if r, err := filepath.EvalSymlinks(name); err == nil {
		return r
	}
	if to, err := os.Readlink(name); err == nil { // a link to what is not there yet
		if !filepath.IsAbs(to) {
			to = filepath.Join(filepath.Dir(name), to)
		}
		if dir := filepath.Dir(to); dir != to {
			return filepath.Join(Real(dir), filepath.Base(to))
		}
	}
	dir := filepath.Dir(name)
	if dir == name {
		return name
	}
	return filepath.Join(Real(dir), filepath.Base(name))
}

// Within is the path of name relative to a folder, slash-separated, "." for the folder
// itself; ok is false where it is not in it. Both are resolved already.
func Within(dir, name string) (rel string, ok bool) {
	rel, err := filepath.Rel(dir, name)
	if err != nil || rel == ".." || strings.HasPrefix(rel, ".."+string(filepath.Separator)) {
		return "", false
	}
	return filepath.ToSlash(rel), true
}

// Missing reports that an error says that there is nothing of a name.
func Missing(err error) bool { return errors.Is(err, fs.ErrNotExist) }
