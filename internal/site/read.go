package site

import (
	"io"
	"os"
	"path/filepath"
	"slices"
	"sync"
)

// A Buffer holds the bytes of one file and is used again from file to file.
type Buffer struct{ b []byte }

var buffers = sync.Pool{New: func() any { return &Buffer{make([]byte, 0, 64<<10)} }}

// GetBuffer returns a buffer; Release gives it back once nothing refers to the
// bytes that were read into it.
func GetBuffer() *Buffer { return buffers.Get().(*Buffer) }

// Release gives the buffer back.
func (buf *Buffer) Release() { buffers.Put(buf) }

// ReadFile reads a file below a folder, its name slash-separated. The bytes are
// good until the buffer is used again. The error is a *PathError.
func (buf *Buffer) ReadFile(dir, file string) ([]byte, error) {
	name := filepath.Join(dir, filepath.FromSlash(file))
	f, err := OpenFile(name, os.O_RDONLY, 0)
	if err != nil {
		return nil, &PathError{Path: name, Err: err}
	}
	defer f.Close()
	b := buf.b[:0]
	for {
		if len(b) == cap(b) {
			b = slices.Grow(b, max(len(b), 64<<10))
		}
		n, err := f.Read(b[len(b):cap(b)])
		b = b[:len(b)+n]
		buf.b = b
		if err == io.EOF {
			return b, nil
		}
		if err != nil {
			return nil, &PathError{Path: name, Err: err}
		}
	}
}
