package clitest

import (
	"bytes"
	"io"
	"net/http"
	"os/exec"
	"regexp"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"
)

// Running is the program as a server.
type Running struct {
	*testing.T
	Cmd     *exec.Cmd
	Address string // http://127.0.0.1:PORT

	mu    sync.Mutex
	more  *sync.Cond // it has said more, or has ended
	out   bytes.Buffer
	ended bool
}

// patience is how long a test waits for what has to come; only a failure takes so long.
const patience = 2 * time.Minute

var addressSaid = regexp.MustCompile(`https?://(?:127\.0\.0\.1|localhost|\[::1\]):\d+`)

// Start runs the program in the background until the test ends, and waits until it says at which
// address it answers.
func (b *Bench) Start(args ...string) *Running {
	b.Helper()
	s := &Running{T: b.T, Cmd: exec.Command(program, args...)}
	s.more = sync.NewCond(&s.mu)
	s.Cmd.Dir, s.Cmd.Stdout, s.Cmd.Stderr = b.Dir, s, s
	if err := s.Cmd.Start(); err != nil {
		b.Fatal(err)
	}
	go func() {
		_ = s.Cmd.Wait()
		s.mu.Lock()
		s.ended = true
		s.more.Broadcast()
		s.mu.Unlock()
	}()
	b.Cleanup(func() { _ = s.Cmd.Process.Kill() })
	if !s.until(func(said string) bool { s.Address = addressSaid.FindString(said); return s.Address != "" }) {
		b.Fatalf("%v does not say where it answers:\n%s", args, s.Said())
	}
	return s
}

// Write implements io.Writer.
func (s *Running) Write(p []byte) (int, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.more.Broadcast()
	return s.out.Write(p)
}

// Said is all that the program has written.
func (s *Running) Said() string {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.out.String()
}

// until waits until what was said is enough, the program has ended, or patience has.
func (s *Running) until(enough func(said string) bool) bool {
	late := false
	timer := time.AfterFunc(patience, func() {
		s.mu.Lock()
		late = true
		s.more.Broadcast()
		s.mu.Unlock()
	})
	defer timer.Stop()
	s.mu.Lock()
	defer s.mu.Unlock()
	for !enough(s.out.String()) {
		if s.ended || late {
			return false
		}
		s.more.Wait()
	}
	return true
}

// Says waits until the program has said something.
func (s *Running) Says(text string) {
	s.Helper()
	if !s.until(func(said string) bool { return strings.Contains(said, text) }) {
		s.Fatalf("%q is never said:\n%s", text, s.Said())
	}
}

// Stop ends the program as an operator would, and returns its exit status.
func (s *Running) Stop() int {
	s.Helper()
	if err := s.Cmd.Process.Signal(syscall.SIGTERM); err != nil {
		s.Fatal(err)
	}
	if s.until(func(string) bool { return s.ended }); !s.ended {
		s.Fatalf("it does not end:\n%s", s.Said())
	}
	return s.Cmd.ProcessState.ExitCode()
}

// Get requests a path; more are lines of a head.
func (s *Running) Get(path string, more ...string) (status int, body string, head http.Header) {
	s.Helper()
	r, err := http.NewRequest("GET", s.Address+path, nil)
	if err != nil {
		s.Fatal(err)
	}
	for _, line := range more {
		name, value, _ := strings.Cut(line, ": ")
		r.Header.Set(name, value)
	}
	a, err := (&http.Transport{DisableKeepAlives: true, DisableCompression: true}).RoundTrip(r)
	if err != nil {
		s.Fatal(err)
	}
	defer a.Body.Close()
	b, err := io.ReadAll(a.Body)
	if err != nil {
		s.Fatal(err)
	}
	return a.StatusCode, string(b), a.Header
}
