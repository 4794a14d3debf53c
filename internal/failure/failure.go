// Package failure is the errors that a command ends with: wrong use, and what could not be read or written.
package failure

import (
	"errors"
	"io/fs"
)

// A Path error says what could not be read or written. It is told with exit
// status 3.
type Path struct {
	Path string
	Err  error
	What string // what to do about it
}

func (e *Path) Error() string {
	msg := e.Err.Error()
	var pe *fs.PathError
	if errors.As(e.Err, &pe) {
		msg = pe.Err.Error()
	}
	s := e.Path + ": " + msg
	if e.What != "" {
		s += "\n  " + e.What
	}
	return s
}

func (e *Path) Unwrap() error { return e.Err }

// A Usage error is wrong use of a command. It is told with exit status 2.
type Usage struct{ Message, Remedy string }

func (e *Usage) Error() string { return e.Message }

// A Stopped error says that the user stopped a command, and what it had done by then. It is
// told with exit status 130.
type Stopped struct{ Done string }

func (e *Stopped) Error() string { return "stopped: " + e.Done }
