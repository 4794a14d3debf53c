package gateway

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strings"
	"time"
)

// A page that comes in pieces goes on as it comes: what is sure of its beginning leaves, and what waits for the rest
// waits. Once it is there to its end, it is gated as a whole, and what has not left yet follows.

// moment is how long nothing more has come until what is there goes on, and often is the share of the time that a page
// takes that may be spent on looking at its beginnings: a page that comes in a thousand pieces is not gated a thousand
// times.
const (
	moment = time.Millisecond
	often  = 10
)

// flow is a page on its way while it comes.
type flow struct {
	g  *Gateway
	a  *exchange
	c  *collected // the page without a coding
	of *known

	tap *tap // on what is in a coding, once that is taken off

	began  time.Time
	spent  time.Duration
	looked int // bytes that were there when it was looked last

	made []byte // what is sure
	upto int    // of the page, in bytes: what that is made of
	sent int    // of made
	end  error  // what follows
	rest io.Reader
}

// flow sends a page on while it comes. It is false where the page is there to its end before anything of it is
// sure, or a time is over.
func (g *Gateway) flow(a *exchange, resp *http.Response, c *collected, until <-chan struct{}) bool {
	f := &flow{g: g, a: a, c: c, of: g.known(a, resp), began: time.Now()}
	if f.of.none != "" || !f.begins(until) {
		return false
	}
	now := g.codingFor(a, resp)
	body, err := inCoding(f, now)
	if err != nil { // it cannot be coded: as it is, then
		now, body = identity, f
	}
	a.gated, a.why = true, ""
	g.mend(a, resp, now)
	g.unmeasured(resp)
	if tag := resp.Header.Get("Etag"); now != identity && tag != "" && !strings.HasPrefix(tag, "W/") {
		resp.Header.Set("Etag", "W/"+tag) // where it was flushed, other bytes stand (RFC 9110, 8.8.1)
	}
	resp.Body = body
	a.conditions.evaluate(resp)
	return true
}

// begins waits until something of the page is sure while more is to come.
func (f *flow) begins(until <-chan struct{}) bool {
	for {
		text, ended, late := f.c.pause(f.looked, f.wait(), until)
		switch {
		case ended || late:
			return false
		case f.of.coding != identity:
			f.decode()
			continue
		}
		if f.look(text); len(f.made) > 0 {
			if f.tap != nil {
				f.tap.keep()
			}
			return true
		}
	}
}

// decode takes the coding off the page while it comes.
func (f *flow) decode() {
	f.tap = f.c.tapped()
	f.c = collect(&decoding{decoder{src: f.tap, coding: f.of.coding}, f.tap}, -1, f.g.Largest)
	f.of = f.of.decoded()
}

// decoding is a body without its coding.
type decoding struct {
	decoder
	io.Closer
}

// wait is how long nothing more must have come until it is looked again.
func (f *flow) wait() time.Duration { return max(moment, f.spent*often-time.Since(f.began)) }

// look finds out what is sure of what has come.
func (f *flow) look(text []byte) {
	began := time.Now()
	defer func() {
		f.looked = len(text)
		f.spent += time.Since(began)
		f.a.gating += time.Since(began)
		if e := recover(); e != nil { // what is sure stays so
			f.a.detail = fmt.Sprint(e)
		}
	}()
	b := f.of.state.Project.Gate.Begin(text, f.of.page())
	if b.Upto > f.upto && bytes.HasPrefix(b.Out, f.made) {
		f.made, f.upto = b.Out, b.Upto
	}
}

// Read implements io.Reader.
func (f *flow) Read(p []byte) (int, error) {
	for {
		switch {
		case f.sent < len(f.made):
			n := copy(p, f.made[f.sent:])
			f.sent += n
			return n, nil
		case f.rest != nil:
			return f.rest.Read(p)
		case f.end != nil:
			return 0, f.end
		}
		text, ended, _ := f.c.pause(f.looked, f.wait(), nil)
		if !ended {
			f.look(text)
			continue
		}
		f.finish(text)
	}
}

// finish takes the page as it is at its end.
func (f *flow) finish(text []byte) {
	whole, why := f.c.whole(nil)
	switch why {
	case "":
		began := time.Now()
		page, why, detail := f.g.gatePage(f.of, whole)
		f.a.gating += time.Since(began)
		switch {
		case why == "" && bytes.HasPrefix(page.text, f.made):
			f.made, f.end = page.text, io.EOF
			return
		case why == "":
			why, detail = passedFault, "the page does not begin with what is sure of it"
		}
		f.passed(why, detail, bytes.NewReader(whole[f.upto:]))
	case passedLarge:
		f.look(text)
		f.c.mu.Lock()
		f.c.read = f.upto
		f.c.mu.Unlock()
		f.passed(why, "", f.c)
	default: // it broke off
		f.look(text)
		f.a.gated, f.a.why, f.end = false, why, f.c.err
		if f.end == nil || errors.Is(f.end, io.EOF) {
			f.end = io.ErrUnexpectedEOF
		}
	}
}

// passed has the rest of the page pass as it comes.
func (f *flow) passed(why, detail string, rest io.Reader) {
	f.a.gated, f.a.why, f.rest = false, why, rest
	if f.a.detail = "its beginning was gated"; detail != "" {
		f.a.detail = detail + "; its beginning was gated"
	}
}

// Close implements io.Closer.
func (f *flow) Close() error { return f.c.Close() }
