package gateway

import (
	"errors"
	"io"
	"sync"
	"time"
)

// Reading a body, within limits. What passes a limit is passed on from its first byte, while it
// comes; of what is still coming it can be looked at what is there.

// collected is a body that is read in the background until it is whole, or one wants it as it comes.
type collected struct {
	body    io.ReadCloser
	largest int64
	done    chan struct{} // closed when the background has read its last
	news    chan struct{} // something came

	mu    sync.Mutex
	more  *sync.Cond
	buf   []byte
	err   error // that ended it; io.EOF at its end
	leave bool  // the background stops after the read that it waits for
	read  int   // by Read
	ended bool
	taps  bool // somebody else reads buf, too
	over  bool // it says to be too long: nothing is read in the background
}

// collect begins to read a body of at most largest bytes. length is how long it says to be, -1 if it does not.
func collect(body io.ReadCloser, length, largest int64) *collected {
	c := &collected{body: body, largest: largest, done: make(chan struct{}), news: make(chan struct{}, 1)}
	c.more = sync.NewCond(&c.mu)
	if length > largest {
		close(c.done)
		c.ended, c.over = true, true
		return c
	}
	size := length + 1 // so that its end is seen without growing
	if length < 0 {
		size = 32 << 10
	}
	c.buf = bodyBuffer(min(size, largest+1, 1<<20))
	go c.background()
	return c
}

// whole waits until the body is there to its end, or a time is over; then the background stops. Where why is not
// "", the body can be read from its first byte on, and ends as it ends.
func (c *collected) whole(until <-chan struct{}) (text []byte, why string) {
	select {
	case <-c.done:
	case <-until:
		c.mu.Lock()
		c.leave = true
		ended := c.ended
		c.mu.Unlock()
		if !ended {
			return nil, passedSlow
		}
	}
	switch {
	case c.over || int64(len(c.buf)) > c.largest:
		return nil, passedLarge
	case !errors.Is(c.err, io.EOF):
		return nil, passedCut
	}
	c.body.Close()
	return c.buf, ""
}

// pause waits until something came and nothing more comes for a moment, and returns what is there; ended says that this
// is all, or all that the background reads. Something that is there already, up to a length, is no news.
func (c *collected) pause(known int, moment time.Duration, until <-chan struct{}) (text []byte, ended, late bool) {
	timer := time.NewTimer(moment)
	defer timer.Stop()
	for {
		select {
		case <-c.done:
			return c.buf, true, false
		case <-c.news:
			timer.Reset(moment)
		case <-timer.C:
			c.mu.Lock()
			text = c.buf
			c.mu.Unlock()
			if len(text) > known {
				return text, false, false
			}
		case <-until:
			return nil, false, true
		}
	}
}

// tap reads a body from its first byte while it is collected, and leaves it as it is.
type tap struct {
	c     *collected
	at    int
	alone bool // nobody else will read the body
}

// tapped is a tap on a body.
func (c *collected) tapped() *tap {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.taps = true
	return &tap{c: c}
}

// keep has the body for the tap alone.
func (t *tap) keep() {
	t.c.mu.Lock()
	t.alone = true
	t.c.mu.Unlock()
}

// Read implements io.Reader.
func (t *tap) Read(p []byte) (int, error) {
	c := t.c
	c.mu.Lock()
	for t.at == len(c.buf) && !c.ended {
		c.more.Wait()
	}
	if t.at < len(c.buf) {
		n := copy(p, c.buf[t.at:])
		t.at += n
		c.mu.Unlock()
		return n, nil
	}
	err, alone := c.err, t.alone
	c.mu.Unlock()
	switch {
	case err != nil:
		return 0, err
	case !alone:
		return 0, errLarge
	}
	return c.body.Read(p)
}

// Close implements io.Closer.
func (t *tap) Close() error { return t.c.Close() }

// bodyBuffers are what bodies are read into; see release.
var bodyBuffers sync.Pool

// bodyBuffer has a capacity of at least size bytes.
func bodyBuffer(size int64) []byte {
	if p, ok := bodyBuffers.Get().(*[]byte); ok && int64(cap(*p)) >= size {
		return (*p)[:0]
	}
	return make([]byte, 0, size)
}

// release gives back a body that is there to its end, once nothing refers to it.
func (c *collected) release() {
	if b := c.buf; !c.taps && cap(b) > 0 && cap(b) <= 1<<20 {
		bodyBuffers.Put(&b)
	}
}

// background reads until there is nothing more to read, or nothing more is wanted.
func (c *collected) background() {
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
		c.ended = err != nil || c.leave || int64(len(buf)) > c.largest
		ended := c.ended
		c.more.Broadcast()
		c.mu.Unlock()
		select {
		case c.news <- struct{}{}:
		default:
		}
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
