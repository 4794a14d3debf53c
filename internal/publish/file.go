package publish

import (
	"bytes"
	"errors"
	"io"
	"os"

	"yellowgate/internal/failure"
	"yellowgate/internal/fsys"
)

// A FileOptions says over what WriteFile may write.
type FileOptions struct {
	// Force lets it write over a file that is no result of the tool's.
	Force bool
	// IsOurs reports whether a file that begins like this is a result of the tool's.
	IsOurs func(head []byte) bool
	// Never says why nothing is written over a file that is no result of the tool's, given by
	// its resolved path; "" for any other. Force does not change that.
	Never func(real string) string
}

// WriteFile writes a single result to a file: whole or not at all. Into a device or a
// pipe it is written as it comes. A file that is there already is written over only if
// it is empty or a result of the tool's.
func WriteFile(name string, o FileOptions, do func(io.Writer) error) error {
	real := fsys.Real(name)
	info, err := os.Stat(name)
	switch {
	case err != nil && !fsys.Missing(err):
		return &failure.Path{Path: name, Err: err}
	case err == nil && info.IsDir():
		return &failure.Path{Path: name, Err: &fsys.KindError{Kind: "a folder"}, What: "name a file for the result"}
	case err == nil && !info.Mode().IsRegular():
		f, err := os.OpenFile(name, os.O_WRONLY, 0)
		if err == nil {
			w := &firstError{w: f}
			if err = do(w); err == nil {
				err = w.err
			}
			if cerr := f.Close(); err == nil {
				err = cerr
			}
		}
		var pe *failure.Path
		if err != nil && !errors.As(err, &pe) {
			err = &failure.Path{Path: name, Err: err}
		}
		return err
	}
	there, ours := err == nil && info.Size() > 0, false
	if there && o.IsOurs != nil {
		head, err := headOf(real)
		if err != nil {
			return &failure.Path{Path: name, Err: err}
		}
		ours = o.IsOurs(head)
	}
	if err == nil && !ours {
		if o.Never != nil {
			if why := o.Never(real); why != "" {
				return &failure.Usage{
					Message: name + " " + why,
					Remedy:  "nothing was written; name another file with --out",
				}
			}
		}
		if there && !o.Force {
			return &failure.Usage{
				Message: name + " is there already, and is not a report of this program",
				Remedy:  "nothing was written; name another file, or write over it with --force",
			}
		}
	}
	var b bytes.Buffer
	if err := do(&b); err != nil {
		return err
	}
	if err := fsys.Replace(real, b.Bytes()); err != nil {
		return &failure.Path{Path: name, Err: err, What: "nothing was written"}
	}
	return nil
}

// A firstError remembers the first error of writing, which not everybody who writes
// looks at.
type firstError struct {
	w   io.Writer
	err error
}

func (f *firstError) Write(b []byte) (int, error) {
	n, err := f.w.Write(b)
	if f.err == nil {
		f.err = err
	}
	return n, err
}

func headOf(name string) ([]byte, error) {
	f, _, err := fsys.Open(name)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	head := make([]byte, 4096)
	n, err := io.ReadFull(onlyReader{f}, head)
	if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
		err = nil
	}
	return head[:n], err
}

// ReplaceFile gives a file another content: whole or not at all, with its
// permissions as they are, and through a symbolic link.
func ReplaceFile(name string, b []byte) error {
	real := fsys.Real(name)
	info, err := os.Stat(real)
	if err == nil {
		err = fsys.ReplaceMode(real, b, info.Mode().Perm())
	}
	if err != nil {
		return &failure.Path{Path: name, Err: err, What: "the file is as it was"}
	}
	return nil
}
