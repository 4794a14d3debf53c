package site

import (
	"io/fs"
	"path/filepath"
	"sync"

	"yellowgate/internal/failure"
	"yellowgate/internal/fsys"
)

// A Buffer holds the bytes of one file and is used again from file to file.
type Buffer struct{ b []byte }

var buffers = sync.Pool{New: func() any { return &Buffer{make([]byte, 0, 64<<10)} }}

// GetBuffer returns a buffer; Release gives it back once nothing refers to the
// bytes that were read into it.
func GetBuffer() *Buffer { return buffers.Get().(*Buffer) }

// Release gives the buffer back. One that a big file made big is not kept.
func (buf *Buffer) Release() {
	if cap(buf.b) <= 8<<20 {
		buffers.Put(buf)
	}
}

// ReadFile reads a file below a folder, its name slash-separated. The bytes are
// good until the buffer is used again. The error is a *failure.Path.
func (buf *Buffer) ReadFile(dir, file string) ([]byte, error) {
	name := filepath.Join(dir, filepath.FromSlash(file))
	b, err := fsys.ReadInto(buf.b, name, fsys.PageLimit)
	if err != nil {
		return nil, &failure.Path{Path: name, Err: err}
	}
	buf.b = b
	return b, nil
}

// ReadFile reads a file below a folder, its name slash-separated.
func ReadFile(dir, file string) ([]byte, error) {
	name := filepath.Join(dir, filepath.FromSlash(file))
	if !filepath.IsLocal(filepath.FromSlash(file)) { // pages can name anything
		return nil, &failure.Path{Path: name, Err: fs.ErrNotExist}
	}
	b, err := fsys.Read(name, fsys.PageLimit)
	if err != nil {
		return nil, &failure.Path{Path: name, Err: err}
	}
	return b, nil
}
