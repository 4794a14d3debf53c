package gateway

import (
	"errors"
	"io"
	"sync"
	"time"
)

// Reading a body, within limits. What passes a limit is passed on from its first byte, while it
// comes.

// collected is a body that is read in the background until it is whole, or one wants it as it comes.
type collected struct {
	body io.ReadCloser
	done chan struct{} // closed when the background has read its last

	mu    sync.Mutex
	more  *sync.Cond
	buf   []byte
	err   error // that ended it; io.EOF at its end
	leave bool  // the background stops after the read that it waits for
	read  int   // by Read
	ended bool
}

// collect reads a body of at most largest bytes that comes within a time. length is how long it says
// to be, -1 if it does not. Where why is not "", rest yields the body from its first byte on, and
// ends as it ends.
func collect(
	body io.ReadCloser,
	length, largest int64,
	wait time.Duration,
) (text []byte, rest io.ReadCloser, why string) {
	c := &collected{body: body, done: make(chan struct{})}
	c.more = sync.NewCond(&c.mu)
	if length > largest {
		close(c.done)
		c.ended = true
		return nil, c, passedLarge
	}
	size := length + 1 // so that its end is seen without growing
	if length < 0 {
		size = 32 << 10
	}
	c.buf = bodyBuffer(min(size, largest+1, 1<<20))
	go c.background(largest)
	timer := time.NewTimer(wait)
	defer timer.Stop()
	select {
	case <-c.done:
	case <-timer.C:
		c.mu.Lock()
		c.leave = true
		ended := c.ended
		c.mu.Unlock()
		if !ended {
			return nil, c, passedSlow
		}
	}
	switch {
	case int64(len(c.buf)) > largest:
		return nil, c, passedLarge
	case !errors.Is(c.err, io.EOF):
		return nil, c, passedCut
	}
	body.Close()
	return c.buf, nil, ""
}

// bodyBuffers are what bodies are read into; see release.
var bodyBuffers sync.Pool

// bodyBuffer has a capacity of at least size bytes.
func bodyBuffer(size int64) []byte {
	if p, ok := bodyBuffers.Get().(*[]byte); ok && int64(cap(*p)) >= size {
		return (*p)[:0]
	}
	return make([]byte, 0, size)
}

// release gives back what collect returned, once nothing refers to it.
func release(b []byte) {
	if cap(b) > 0 && cap(b) <= 1<<20 {
		bodyBuffers.Put(&b)
	}
}

// background reads until there is nothing more to read, or nothing more is wanted.
func (c *collected) background(largest int64) {
	defer close(c.done)
	buf := c.buf
	for {
		if len(buf) == cap(buf) {
			buf = append(make([]byte, 0, 2*cap(buf)), buf...)
		}
		n, err := c.body.Read(buf[len(buf):cap(buf)])
		buf = buf[:len(buf)+n]
		c.mu.Lock()
		c.buf, c.err = buf, err
		c.ended = err != nil || c.leave || int64(len(buf)) > largest
		ended := c.ended
		c.more.Broadcast()
		c.mu.Unlock()
		if ended {
			return
		}
	}
}

// Read implements io.Reader: what has been read, then what comes.
func (c *collected) Read(p []byte) (int, error) {
	c.mu.Lock()
	for c.read == len(c.buf) && !c.ended {
		c.more.Wait()
	}
	if c.read < len(c.buf) {
		n := copy(p, c.buf[c.read:])
		if c.read += n; c.read == len(c.buf) && c.ended {
			c.buf, c.read = nil, 0
		}
		c.mu.Unlock()
		return n, nil
	}
	err := c.err
	c.mu.Unlock()
	if err != nil {
		return 0, err
	}
	return c.body.Read(p)
}

// Close implements io.Closer.
func (c *collected) Close() error { return c.body.Close() }
