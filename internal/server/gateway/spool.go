package gateway

import (
	"bytes"
	"io"
	"os"
	"sync"
	"time"

	"yellowgate/internal/fsys"
)

// A page for a client that takes it slowly. Its text does not stay in memory as long as that takes: what is
// left after a while goes into a file without a name.

const (
	spoolAfter = 2 * time.Second
	spoolFrom  = 256 << 10 // bytes that are left
)

// spooled is a body on its way to a client.
type spooled struct {
	mu    sync.Mutex
	text  *bytes.Reader // nil once it is in the file
	file  *os.File
	timer *time.Timer
}

// newSpooled is a body of a text that nobody else refers to. Small ones stay where they are.
func newSpooled(text []byte, after time.Duration) io.ReadCloser {
	if len(text) < spoolFrom {
		return &rereadBody{Reader: bytes.NewReader(text)}
	}
	s := &spooled{text: bytes.NewReader(text)}
	s.timer = time.AfterFunc(after, s.spool)
	return s
}

// spool writes what is left into a file. Where that cannot be, it stays in memory.
func (s *spooled) spool() {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.text == nil || s.text.Len() < spoolFrom {
		return
	}
	f, err := fsys.Nameless()
	if err != nil {
		return
	}
	at, _ := s.text.Seek(0, io.SeekCurrent)
	_, err = s.text.WriteTo(f)
	if err == nil {
		_, err = f.Seek(0, io.SeekStart)
	}
	if err != nil {
		f.Close()
		_, _ = s.text.Seek(at, io.SeekStart)
		return
	}
	s.text, s.file = nil, f
}

// Read implements io.Reader.
func (s *spooled) Read(p []byte) (int, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.file != nil {
		return s.file.Read(p)
	}
	if s.text == nil {
		return 0, os.ErrClosed
	}
	return s.text.Read(p)
}

// Close implements io.Closer.
func (s *spooled) Close() error {
	s.timer.Stop()
	s.mu.Lock()
	defer s.mu.Unlock()
	s.text = nil
	if s.file != nil {
		return s.file.Close()
	}
	return nil
}
