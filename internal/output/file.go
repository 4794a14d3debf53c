package output

import (
	"bufio"
	"io"
	"os"

	"github.com/google/renameio/v2"

	"yellowgate/internal/site"
)

// WriteFile writes a single result to a file: whole or not at all.
func WriteFile(name string, do func(io.Writer) error) error {
	if name == os.DevNull {
		return do(io.Discard)
	}
	f, err := renameio.NewPendingFile(name, renameio.WithPermissions(0o644))
	if err != nil {
		return &site.PathError{Path: name, Err: err}
	}
	defer f.Cleanup()
	b := bufio.NewWriter(f)
	if err := do(b); err != nil {
		return err
	}
	if err := b.Flush(); err != nil {
		return &site.PathError{Path: name, Err: err}
	}
	if err := f.CloseAtomicallyReplace(); err != nil {
		return &site.PathError{Path: name, Err: err}
	}
	return nil
}
