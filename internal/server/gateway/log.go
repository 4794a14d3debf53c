package gateway

import (
	"context"
	"fmt"
	"io"
	"log/slog"
	"strings"
	"sync"
	"sync/atomic"
	"time"
)

// A line is what the log says of one request.
type Line struct {
	When                     time.Time // it came
	Client, ID, Host, Method string
	Path, Protocol           string
	Agent, Referrer          string
	Status                   int
	Bytes                    int64 // of the body that was sent
	Took                     time.Duration
	Origin                   time.Duration // until the head of its answer came; 0 for none
	Gated                    bool
	Gating                   time.Duration
	Passed, Detail           string // why it was not gated
	Doubtful                 bool   // an operator wants to know
	Cut                      bool   // the answer was broken off
}

// A Log takes in a line for each request.
type Log interface{ Request(Line) }

// line is what there is to say of an exchange.
func (a *exchange) line(w *writer, cut any) Line {
	l := Line{
		When: a.began, Client: a.client, ID: a.id, Host: a.in.Host, Method: a.in.Method, Path: a.in.URL.RequestURI(),
		Protocol: a.in.Proto, Agent: a.in.UserAgent(), Referrer: a.in.Referer(), Status: w.status, Bytes: w.bytes,
		Took: time.Since(a.began), Gated: a.gated, Gating: a.gating, Detail: a.detail, Cut: cut != nil,
	}
	if !a.answered.IsZero() {
		l.Origin = a.answered.Sub(a.asked)
	}
	if !a.gated {
		l.Passed, l.Doubtful = a.why, doubtful[a.why]
	}
	return l
}

// Structured is a log of names and values.
type Structured struct{ *slog.Logger }

// Request implements Log.
func (s Structured) Request(l Line) {
	ms := func(d time.Duration) float64 { return float64(d.Microseconds()) / 1000 }
	level := slog.LevelInfo
	attrs := make([]slog.Attr, 0, 16)
	attrs = append(attrs, slog.String("method", l.Method), slog.String("path", l.Path), slog.Int("status", l.Status),
		slog.Int64("bytes", l.Bytes), slog.Float64("ms", ms(l.Took)))
	if l.Origin > 0 {
		attrs = append(attrs, slog.Float64("origin_ms", ms(l.Origin)))
	}
	if l.Gated {
		attrs = append(attrs, slog.Bool("gated", true), slog.Float64("gate_ms", ms(l.Gating)))
	} else {
		attrs = append(attrs, slog.String("passed", l.Passed))
	}
	if l.Detail != "" {
		attrs = append(attrs, slog.String("detail", l.Detail))
	}
	attrs = append(attrs, slog.String("client", l.Client), slog.String("host", l.Host), slog.String("id", l.ID))
	for _, x := range []struct{ name, value string }{{"agent", l.Agent}, {"referrer", l.Referrer}} {
		if x.value != "" {
			attrs = append(attrs, slog.String(x.name, x.value))
		}
	}
	if l.Cut {
		attrs = append(attrs, slog.Bool("cut", true))
	}
	if l.Cut || l.Doubtful {
		level = slog.LevelWarn
	}
	s.LogAttrs(context.Background(), level, "request", attrs...)
}

// Sample passes on one line of so many to a log, and each that an operator wants to know.
type Sample struct {
	Log
	Every int64
	met   atomic.Int64
}

// Request implements Log.
func (s *Sample) Request(l Line) {
	if l.Doubtful || l.Cut || l.Status >= 500 || s.met.Add(1)%s.Every == 1 || s.Every == 1 {
		s.Log.Request(l)
	}
}

// Combined is a log in the form that web servers share: client, time, request line, status, bytes, referrer and agent.
type Combined struct {
	W  io.Writer
	mu sync.Mutex
}

// Request implements Log.
func (c *Combined) Request(l Line) {
	dash := func(s string) string {
		if s == "" {
			return "-"
		}
		return s
	}
	line := fmt.Sprintf("%s - - [%s] \"%s\" %d %d \"%s\" \"%s\"\n", l.Client, l.When.Format("02/Jan/2006:15:04:05 -0700"),
		escaped(l.Method+" "+l.Path+" "+l.Protocol), l.Status, l.Bytes, escaped(dash(l.Referrer)), escaped(dash(l.Agent)))
	c.mu.Lock()
	defer c.mu.Unlock()
	_, _ = io.WriteString(c.W, line)
}

// escaped is a text within quotes: nothing in it ends them, or the line.
func escaped(s string) string {
	var b strings.Builder
	for i := range len(s) {
		if c := s[i]; c < ' ' || c == 0x7F || c == '"' || c == '\\' {
			fmt.Fprintf(&b, "\\x%02X", c)
		} else {
			b.WriteByte(c)
		}
	}
	return b.String()
}
