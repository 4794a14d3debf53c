package output

import (
	"bytes"
	"io"
	"os"
	"path/filepath"

	"github.com/google/renameio/v2/maybe"

	"yellowgate/internal/site"
)

// WriteFile writes a single result to a file: whole or not at all, where the
// system can rename over a file.
func WriteFile(name string, do func(io.Writer) error) error {
	if name == os.DevNull {
		return do(io.Discard)
	}
	var b bytes.Buffer
	if err := do(&b); err != nil {
		return err
	}
	if err := maybe.WriteFile(name, b.Bytes(), 0o644); err != nil {
		return &site.PathError{Path: name, Err: err}
	}
	return nil
}

// ReplaceFile gives a file another content: whole or not at all, with its
// permissions as they are, and through a symbolic link.
func ReplaceFile(name string, b []byte) error {
	real, err := filepath.EvalSymlinks(name)
	if err == nil {
		info, serr := os.Stat(real)
		if err = serr; err == nil {
			err = maybe.WriteFile(real, b, info.Mode().Perm())
		}
	}
	if err != nil {
		return &site.PathError{Path: name, Err: err, What: "the file is as it was"}
	}
	return nil
}
