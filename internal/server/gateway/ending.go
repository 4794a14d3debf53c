package gateway

import (
	"context"
	"net"
	"net/http"
	"slices"
	"sync"
	"time"
)

// How a gateway ends, so that nobody is refused: it takes nothing more, answers what it has taken, and closes each
// connection behind that.

// Connections are those of a server on which something may be under way.
type Connections struct {
	mu   sync.Mutex
	busy map[net.Conn]time.Time // since when; zero for a request that is being answered
}

// unused is how long a new connection has to send something before it counts as unused.
const unused = time.Second

// NewConnections listens to the connections of a server, which does not serve yet.
func NewConnections(s *http.Server) *Connections {
	c := &Connections{busy: map[net.Conn]time.Time{}}
	s.ConnState = func(conn net.Conn, state http.ConnState) {
		c.mu.Lock()
		defer c.mu.Unlock()
		switch state {
		case http.StateNew:
			c.busy[conn] = time.Now()
		case http.StateActive:
			c.busy[conn] = time.Time{}
		default:
			delete(c.busy, conn)
		}
	}
	return c
}

// idle reports whether nothing is under way.
func (c *Connections) idle() bool {
	c.mu.Lock()
	defer c.mu.Unlock()
	for _, since := range c.busy {
		if since.IsZero() || time.Since(since) < unused {
			return false
		}
	}
	return true
}

// End ends a server that takes nothing more, once what is under way is over, or after a time. Event streams and sockets
// have a time of their own. It reports whether all came to its end.
func (all *Sites) End(s *http.Server, c *Connections, streams, most time.Duration) bool {
	for _, g := range all.List {
		g.ending.Store(true)
	}
	end, cancel := context.WithTimeout(context.Background(), most)
	defer cancel()
	defer time.AfterFunc(min(streams, most), func() {
		for _, g := range all.List {
			g.endStreams()
		}
	}).Stop()
	streaming := func(g *Gateway) bool { return g.open.some() }
	tick := time.NewTicker(5 * time.Millisecond)
	defer tick.Stop()
	// A server that shuts down drops requests that it reads then.
	for !c.idle() || slices.ContainsFunc(all.List, streaming) {
		select {
		case <-tick.C:
		case <-end.Done():
			_ = s.Close()
			return false
		}
	}
	if s.Shutdown(end) != nil {
		_ = s.Close()
		return false
	}
	return true
}

// streams are exchanges that end by themselves only: event streams, and sockets.
type streams struct {
	mu   sync.Mutex
	open map[*exchange]bool
}

func (s *streams) add(a *exchange) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.open == nil {
		s.open = map[*exchange]bool{}
	}
	s.open[a] = true
}

func (s *streams) some() bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	return len(s.open) > 0
}

func (s *streams) drop(a *exchange) {
	s.mu.Lock()
	defer s.mu.Unlock()
	delete(s.open, a)
}

// endStreams ends event streams and sockets that are open, so that whoever reads them comes back to the next gateway.
func (g *Gateway) endStreams() {
	g.open.mu.Lock()
	defer g.open.mu.Unlock()
	for a := range g.open.open {
		a.end()
	}
}
