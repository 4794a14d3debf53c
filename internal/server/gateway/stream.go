package gateway

import (
	"errors"
	"io"
	"net/http"
	"strings"
	"sync"
	"sync/atomic"
	"time"
)

// What goes between client and gateway, piece by piece: a client that sends or takes nothing for
// too long is let go.

// writer is an answer on its way to the client.
type writer struct {
	http.ResponseWriter
	wait    time.Duration
	control *http.ResponseController
	status  int
	bytes   int64
}

func (w *writer) WriteHeader(status int) {
	if w.wait > 0 { // the one of an earlier answer on this connection may be over
		_ = w.control.SetWriteDeadline(time.Now().Add(w.wait))
	}
	if status >= 200 || status == http.StatusSwitchingProtocols { // the others come before the answer
		w.status = status
		if h := w.Header(); h["Content-Type"] == nil {
			h["Content-Type"] = nil // what the origin does not say, nobody guesses
		}
	}
	w.ResponseWriter.WriteHeader(status)
	if status >= 200 { // a field that comes again after the body has another value there
		h := w.Header()
		for _, line := range h["Trailer"] {
			for name := range strings.SplitSeq(line, ",") {
				h.Del(strings.TrimSpace(name))
			}
		}
	}
}

func (w *writer) Write(b []byte) (int, error) {
	if w.wait > 0 {
		_ = w.control.SetWriteDeadline(time.Now().Add(w.wait))
	}
	n, err := w.ResponseWriter.Write(b)
	w.bytes += int64(n)
	return n, err
}

// Unwrap is for http.ResponseController.
func (w *writer) Unwrap() http.ResponseWriter { return w.ResponseWriter }

// reader is a body on its way to the origin.
type reader struct {
	io.ReadCloser
	wait    time.Duration
	control *http.ResponseController
	left    int64 // bytes that are still to come; -1 if nobody says
	ended   bool
	failed  atomic.Pointer[error]
}

// broken is the error with which a body ended before its end; nil for none.
func (r *reader) broken() error {
	if r == nil || r.failed.Load() == nil {
		return nil
	}
	return *r.failed.Load()
}

func (r *reader) Read(b []byte) (int, error) {
	if r.ended {
		return 0, io.EOF
	}
	if r.wait > 0 {
		_ = r.control.SetReadDeadline(time.Now().Add(r.wait))
	}
	n, err := r.ReadCloser.Read(b)
	if r.left > 0 {
		r.left = max(r.left-int64(n), 0)
	}
	if r.ended = err == io.EOF || r.left == 0; r.ended && r.wait > 0 {
		_ = r.control.SetReadDeadline(time.Time{}) // the connection lives on
	}
	if err != nil && err != io.EOF && !errors.Is(err, http.ErrBodyReadAfterClose) {
		r.failed.CompareAndSwap(nil, &err)
	}
	return n, err
}

// buffers are what bodies are copied through.
type buffers struct{}

var bufferPool = sync.Pool{New: func() any { b := make([]byte, 32<<10); return &b }}

// Buffers is a pool of them, for a proxy without a gate that is measured beside.
var Buffers = buffers{}

func (buffers) Get() []byte  { return *bufferPool.Get().(*[]byte) }
func (buffers) Put(b []byte) { bufferPool.Put(&b) }
