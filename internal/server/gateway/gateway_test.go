package gateway

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/gobwas/ws"
	"github.com/gobwas/ws/wsutil"
)

const aPage = "<!doctype html>\n<html lang=en>\n<head>\n<title>Visit</title>\n</head>\n<body>\n<p>stars</p>\n</body>\n</html>\n"

const counted = "<script>count('"

// raw is an origin that says what it says, byte for byte: a head and a body, or what say does.
func raw(t testing.TB, say func(c net.Conn, r *http.Request)) string {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { l.Close() })
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			go func() {
				defer c.Close()
				r, err := http.ReadRequest(bufio.NewReader(c))
				if err == nil {
					say(c, r)
				}
			}()
		}
	}()
	return "http://" + l.Addr().String()
}

// ask asks with a head of lines, and returns the answer and its body.
func ask(t testing.TB, method, url string, lines ...string) (*http.Response, string, error) {
	t.Helper()
	r, err := http.NewRequest(method, url, nil)
	if err != nil {
		t.Fatal(err)
	}
	for _, line := range lines {
		name, value, _ := strings.Cut(line, ": ")
		if r.Header.Add(name, value); name == "Host" {
			r.Host = value
		}
	}
	transport := &http.Transport{DisableCompression: true, DisableKeepAlives: true}
	resp, err := transport.RoundTrip(r)
	if err != nil {
		return nil, "", err
	}
	defer resp.Body.Close()
	b, err := io.ReadAll(resp.Body)
	return resp, string(b), err
}

func mustAsk(t testing.TB, method, url string, lines ...string) (*http.Response, string) {
	t.Helper()
	resp, body, err := ask(t, method, url, lines...)
	if err != nil {
		t.Fatalf("%s %s: %v", method, url, err)
	}
	return resp, body
}

// passedFor is how many answers passed for a reason. An answer is counted once it is sent, which may be
// a moment after a client has it.
func passedFor(g *Gateway, reason string) (n float64) {
	for deadline := time.Now().Add(2 * time.Minute); ; time.Sleep(5 * time.Millisecond) {
		if n = passedNow(g, reason); n > 0 || time.Now().After(deadline) {
			return n
		}
	}
}

func passedNow(g *Gateway, reason string) (n float64) {
	families, _ := g.Seen.registry.Gather()
	for _, f := range families {
		for _, m := range f.GetMetric() {
			for _, l := range m.GetLabel() {
				if f.GetName() == "yellowgate_passed_total" && l.GetValue() == reason {
					return m.GetCounter().GetValue()
				}
			}
		}
	}
	return 0
}

// TestDoubt: what an origin does wrong, and what limits say, costs nobody a byte.
func TestDoubt(t *testing.T) {
	large := aPage + strings.Repeat("<p>owls</p>\n", 20_000)
	for _, c := range []struct {
		name   string
		say    func(net.Conn)
		want   string // of the body
		fails  bool   // the client sees that it was cut
		reason string
	}{
		{"larger than it may be, of a known length", func(c net.Conn) {
			fmt.Fprintf(c, "HTTP/1.1 200 OK\r\nContent-Type: text/html\r\nContent-Length: %d\r\n\r\n%s", len(large), large)
		}, large, false, passedLarge},
		{"larger than it may be, in pieces", func(c net.Conn) {
			fmt.Fprint(c, "HTTP/1.1 200 OK\r\nContent-Type: text/html\r\nTransfer-Encoding: chunked\r\n\r\n")
			for i := 0; i < len(large); i += 9000 {
				piece := large[i:min(i+9000, len(large))]
				fmt.Fprintf(c, "%x\r\n%s\r\n", len(piece), piece)
			}
			fmt.Fprint(c, "0\r\n\r\n")
		}, large, false, passedLarge},
		{"without a length", func(c net.Conn) {
			fmt.Fprint(c, "HTTP/1.0 200 OK\r\nContent-Type: text/html\r\n\r\n<b>a fragment</b>")
		}, "<b>a fragment</b>", false, passedFragment},
		{"cut off", func(c net.Conn) {
			fmt.Fprintf(c, "HTTP/1.1 200 OK\r\nContent-Type: text/html\r\nContent-Length: %d\r\n\r\n%s", len(aPage)+100, aPage)
		}, aPage, true, passedCut},
		{"cut off within a piece", func(c net.Conn) {
			fmt.Fprintf(c, "HTTP/1.1 200 OK\r\nContent-Type: text/html\r\nTransfer-Encoding: chunked\r\n\r\n%x\r\n%s",
				len(aPage)+100, aPage)
		}, aPage, true, passedCut},
		{"slow", func(c net.Conn) {
			fmt.Fprintf(c, "HTTP/1.1 200 OK\r\nContent-Type: text/html\r\nContent-Length: %d\r\n\r\n%s", len(aPage), aPage[:40])
			time.Sleep(400 * time.Millisecond)
			fmt.Fprint(c, aPage[40:])
		}, aPage, false, passedSlow},
		{"slow and cut off", func(c net.Conn) {
			fmt.Fprintf(c, "HTTP/1.1 200 OK\r\nContent-Type: text/html\r\nContent-Length: %d\r\n\r\n%s", len(aPage), aPage[:40])
			time.Sleep(400 * time.Millisecond)
		}, aPage[:40], true, passedSlow},
		{"a gzip that is none", func(c net.Conn) {
			fmt.Fprintf(c,
				"HTTP/1.1 200 OK\r\nContent-Type: text/html\r\nContent-Encoding: gzip\r\nContent-Length: %d\r\n\r\n%s",
				len(aPage), aPage)
		}, aPage, false, passedCoding},
		{"two types", func(c net.Conn) {
			fmt.Fprintf(c,
				"HTTP/1.1 200 OK\r\nContent-Type: text/html\r\nContent-Type: text/plain\r\nContent-Length: %d\r\n\r\n%s",
				len(aPage), aPage)
		}, aPage, false, passedOther},
		{"no-transform in the second line", func(c net.Conn) {
			fmt.Fprintf(c,
				"HTTP/1.1 200 OK\r\nContent-Type: text/html\r\nCache-Control: max-age=3\r\nCache-Control: private, No-Transform\r\nContent-Length: %d\r\n\r\n%s",
				len(aPage), aPage)
		}, aPage, false, passedNoTransform},
		{"an empty page", func(c net.Conn) {
			fmt.Fprint(c, "HTTP/1.1 200 OK\r\nContent-Type: text/html\r\nContent-Length: 0\r\n\r\n")
		}, "", false, passedFragment},
		{"a page that the gate cannot be put into effect on", func(c net.Conn) {
			s := "<!doctype html><title>x</title><frameset><frame class=bad></frameset>"
			fmt.Fprintf(c, "HTTP/1.1 200 OK\r\nContent-Type: text/html\r\nContent-Length: %d\r\n\r\n%s", len(s), s)
		}, "<!doctype html><title>x</title><frameset><frame class=bad></frameset>", false, passedProblem},
	} {
		origin := raw(t, func(conn net.Conn, _ *http.Request) { c.say(conn) })
		gate, _ := newGate(t, testGate+"  sign: {code: <p>sign</p>, place: body-end, pages: all}\n")
		front, g := before(t, origin, func(o *Options) {
			if o.Gate = gate; c.reason == passedSlow {
				o.Wait = 100 * time.Millisecond
			}
		})
		_, body, err := ask(t, "GET", front.URL+"/visit/")
		if body != c.want || (err != nil) != c.fails {
			t.Errorf("%s: %d bytes (%v), want %d", c.name, len(body), err, len(c.want))
		}
		if passedFor(g, c.reason) != 1 {
			t.Errorf("%s: it is not counted as %s", c.name, c.reason)
		}
	}
}

// TestFault: a mistake in this program costs nobody a page.
func TestFault(t *testing.T) {
	origin := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/html")
		fmt.Fprint(w, aPage)
	}))
	defer origin.Close()
	front, g := before(t, origin.URL, nil)
	g.Gate.Now().Project.Gate.Plan = nil // nothing works without it
	if _, body := mustAsk(t, "GET", front.URL+"/visit/"); body != aPage || passedFor(g, passedFault) != 1 {
		t.Errorf("%s\n%v faults", body, passedFor(g, passedFault))
	}
}

// book is a log that several write.
type book struct {
	mu   sync.Mutex
	text bytes.Buffer
}

func (b *book) Write(line []byte) (int, error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.text.Write(line)
}

// String is what is written, once there is something.
func (b *book) String() string {
	for range 200 {
		b.mu.Lock()
		text := b.text.String()
		b.mu.Unlock()
		if text != "" {
			return text
		}
		time.Sleep(5 * time.Millisecond)
	}
	return ""
}

// TestDown: an origin that does not answer is a 502 or a 504 with a page, and answers again once it
// is there.
func TestDown(t *testing.T) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	address := l.Addr().String()
	l.Close()
	log := &book{}
	front, g := before(t, "http://"+address,
		func(o *Options) { o.Log = Structured{slog.New(slog.NewTextHandler(log, nil))} })
	health := func() (int, string) {
		w := httptest.NewRecorder()
		(&Sites{List: []*Gateway{g}}).Status().ServeHTTP(w, httptest.NewRequest("GET", "/health", nil))
		return w.Code, w.Body.String()
	}
	resp, body := mustAsk(t, "GET", front.URL+"/visit/")
	if resp.StatusCode != 502 || !strings.Contains(body, "does not answer") ||
		resp.Header.Get("Content-Type") != "text/html; charset=utf-8" || strings.Contains(body, address) {
		t.Errorf("down: %d %s", resp.StatusCode, body)
	}
	if code, says := health(); code != 503 || !strings.Contains(says, "refused") {
		t.Errorf("health: %d %s", code, says)
	}
	if passedFor(g, passedOrigin); !strings.Contains(log.String(), "passed=origin") ||
		!strings.Contains(log.String(), "level=WARN") || !strings.Contains(log.String(), "refused") {
		t.Errorf("the log says %s", log.String())
	}
	if l, err = net.Listen("tcp", address); err != nil {
		t.Skip(err)
	}
	up := &http.Server{Handler: http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/html")
		fmt.Fprint(w, aPage)
	})}
	go func() { _ = up.Serve(l) }()
	defer up.Close()
	if resp, body := mustAsk(t, "GET", front.URL+"/visit/"); resp.StatusCode != 200 || !strings.Contains(body, counted) {
		t.Errorf("up again: %d %s", resp.StatusCode, body)
	}
	if code, says := health(); code != 200 || !strings.Contains(says, `"gate":"in effect"`) {
		t.Errorf("health: %d %s", code, says)
	}
	silent := raw(t, func(net.Conn, *http.Request) { time.Sleep(2 * time.Second) })
	late, _ := before(t, silent, func(o *Options) { o.Transport = NewTransport(50*time.Millisecond, nil, "") })
	if resp, _ := mustAsk(t, "GET", late.URL+"/"); resp.StatusCode != 504 {
		t.Errorf("silent: %d", resp.StatusCode)
	}
	nonsense := raw(t, func(c net.Conn, _ *http.Request) { fmt.Fprint(c, "nonsense\r\n\r\n") })
	odd, _ := before(t, nonsense, nil)
	if resp, _ := mustAsk(t, "GET", odd.URL+"/"); resp.StatusCode != 502 {
		t.Errorf("nonsense: %d", resp.StatusCode)
	}
}

// TestConditions: a page seen, asked for again: 304 while nothing has changed; the whole page where
// the page or the gate has. Nobody gets a page of another gate.
func TestConditions(t *testing.T) {
	text := atomic.Pointer[string]{}
	set := func(s string) { text.Store(&s) }
	set(aPage)
	asked := atomic.Int64{}
	modified := time.Date(2025, 5, 1, 0, 0, 0, 0, time.UTC)
	tags := atomic.Bool{}
	origin := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked.Add(1)
		s := *text.Load()
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		if tags.Load() {
			w.Header().Set("Etag", fmt.Sprintf(`"v%d"`, len(s)))
		}
		http.ServeContent(w, r, "", modified, strings.NewReader(s))
	}))
	defer origin.Close()
	gate, name := newGate(t, testGate)
	front, _ := before(t, origin.URL, func(o *Options) { o.Gate = gate })
	url := front.URL + "/visit/"
	change := func(old, new string) {
		b, err := os.ReadFile(name)
		if err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(name, bytes.Replace(b, []byte(old), []byte(new), 1), 0o644); err != nil {
			t.Fatal(err)
		}
		if s := gate.Fresh(); s.Err != nil {
			t.Fatal(s.Err)
		}
	}
	for _, tagged := range []bool{true, false} {
		tags.Store(tagged)
		validator := func(r *http.Response) string {
			if tagged {
				return "If-None-Match: " + r.Header.Get("Etag")
			}
			return "If-Modified-Since: " + r.Header.Get("Last-Modified")
		}
		want := func(what string, r *http.Response, status int, body, in string) *http.Response {
			t.Helper()
			if r.StatusCode != status || !strings.Contains(body, in) || status == 304 && body != "" {
				t.Errorf("tags %v, %s: %d, want %d\n%s", tagged, what, r.StatusCode, status, body)
			}
			return r
		}
		get := func(lines ...string) (*http.Response, string) { return mustAsk(t, "GET", url, lines...) }
		direct, plain := mustAsk(t, "GET", origin.URL+"/visit/")
		if strings.Contains(plain, "count(") {
			t.Fatal("the origin gates")
		}
		r, body := get(validator(direct))
		r = want("kept before there was a gate", r, 200, body, "count(")
		if tagged == (r.Header.Get("Etag") == "") || r.Header.Get("Accept-Ranges") != "" {
			t.Errorf("the head of a gated page: %v", r.Header)
		}
		again, body := get(validator(r))
		want("unchanged", again, 304, body, "")
		if again.Header.Get("Etag") != r.Header.Get("Etag") {
			t.Errorf("the 304 has the tag %s, the page %s", again.Header.Get("Etag"), r.Header.Get("Etag"))
		}
		head, body := mustAsk(t, "HEAD", url, validator(r))
		want("unchanged, by HEAD", head, 304, body, "")
		if head, _ := mustAsk(t, "HEAD", url); head.Header.Get("Content-Length") != "" ||
			head.Header.Get("Etag") != r.Header.Get("Etag") {
			t.Errorf("HEAD: %v, the page has %v", head.Header, r.Header)
		}
		part, body := get("Range: bytes=0-9",
			"If-Range: "+
				strings.TrimPrefix(strings.TrimPrefix(validator(r), "If-None-Match: "), "If-Modified-Since: "))
		want("a part of what is gated", part, 200, body, "count(")
		time.Sleep(1100 * time.Millisecond) // times have seconds
		change("count(", "counts(")
		other, body := get(validator(r))
		other = want("after the gate has changed", other, 200, body, "counts(")
		if tagged && other.Header.Get("Etag") == r.Header.Get("Etag") {
			t.Error("two gates have one tag")
		}
		another, body := get(validator(other))
		want("unchanged again", another, 304, body, "")
		if tagged {
			set(strings.Replace(aPage, "stars", "stars and owls", 1))
			changed, body := get(validator(other))
			want("after the page has changed", changed, 200, body, "stars and owls")
			set(aPage)
			many, body := get(`If-None-Match: "x", ` + r.Header.Get("Etag") + ", W/" + other.Header.Get("Etag"))
			want("one of several", many, 304, body, "")
			coded, body := get("Accept-Encoding: gzip", validator(other))
			want("for a client that takes codings", coded, 304, body, "")
		}
		change("counts(", "count(")
	}
	if n := asked.Load(); n > 60 {
		t.Errorf("the origin was asked %d times", n)
	}
}

// TestStreams: what is no page passes at once, piece by piece; so do upgrades.
func TestStreams(t *testing.T) {
	next := make(chan string)
	origin := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch r.URL.Path {
		case "/events":
			w.Header().Set("Content-Type", "text/event-stream")
			_ = http.NewResponseController(w).Flush()
		case "/large":
			w.Header().Set("Content-Type", "application/octet-stream")
			w.Header().Set("Content-Length", "30")
			_ = http.NewResponseController(w).Flush()
		case "/upgrade":
			c, rw, err := http.NewResponseController(w).Hijack()
			if err != nil {
				return
			}
			defer c.Close()
			fmt.Fprintf(rw,
				"HTTP/1.1 101 Switching Protocols\r\nUpgrade: %s\r\nConnection: Upgrade\r\nX-For: %s\r\n\r\n",
				r.Header.Get("Upgrade"), r.Header.Get("X-Forwarded-For"))
			_ = rw.Flush()
			line, err := rw.ReadString('\n')
			for err == nil {
				fmt.Fprint(rw, "echo ", line)
				_ = rw.Flush()
				line, err = rw.ReadString('\n')
			}
			return
		}
		for piece := range next {
			fmt.Fprint(w, piece)
			_ = http.NewResponseController(w).Flush()
			if strings.HasSuffix(piece, ".") {
				return
			}
		}
	}))
	defer origin.Close()
	front, _ := before(t, origin.URL, nil)
	for _, path := range []string{"/events", "/large"} {
		resp, err := http.Get(front.URL + path)
		if err != nil {
			go func() { next <- "." }()
			t.Fatal(err)
		}
		for _, piece := range []string{"data: one\n", "data: two\n", "data: it\n."} {
			next <- piece
			got := make([]byte, len(piece))
			if _, err := io.ReadFull(resp.Body, got); err != nil || string(got) != piece {
				t.Errorf("%s: %q came after %q was sent (%v)", path, got, piece, err)
			}
		}
		resp.Body.Close()
	}
	c, err := net.Dial("tcp", strings.TrimPrefix(front.URL, "http://"))
	if err != nil {
		t.Fatal(err)
	}
	defer c.Close()
	_ = c.SetDeadline(time.Now().Add(5 * time.Second))
	fmt.Fprint(c, "GET /upgrade HTTP/1.1\r\nHost: ternhill.example\r\nConnection: Upgrade\r\nUpgrade: echo\r\n\r\n")
	in := bufio.NewReader(c)
	resp, err := http.ReadResponse(in, nil)
	if err != nil || resp.StatusCode != 101 || resp.Header.Get("Upgrade") != "echo" ||
		resp.Header.Get("X-For") != "127.0.0.1" {
		t.Fatalf("the upgrade: %v %v", resp, err)
	}
	for i := range 3 {
		fmt.Fprintf(c, "hello %d\n", i)
		if line, err := in.ReadString('\n'); line != fmt.Sprintf("echo hello %d\n", i) {
			t.Errorf("the echo is %q (%v)", line, err)
		}
	}
}

// TestBlank: a page that the gate makes is there where the origin has none, and only there.
func TestBlank(t *testing.T) {
	has := atomic.Bool{}
	origin := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if !has.Load() {
			http.NotFound(w, r)
			return
		}
		w.Header().Set("Content-Type", "text/html")
		fmt.Fprint(w, aPage)
	}))
	defer origin.Close()
	gate, _ := newGate(t, testGate+"blank-pages: [{path: /sky-camera/, title: Camera}]\n")
	front, _ := before(t, origin.URL, func(o *Options) { o.Gate = gate })
	for _, path := range []string{"/sky-camera/", "/sky-camera"} {
		resp, body := mustAsk(t, "GET", front.URL+path)
		if resp.StatusCode != 200 || !strings.Contains(body, "<title>Camera</title>") ||
			!strings.Contains(body, "count(") || resp.Header.Get("Content-Type") != "text/html; charset=utf-8" ||
			resp.Header.Get("X-Content-Type-Options") != "" {
			t.Errorf("%s: %d %v\n%s", path, resp.StatusCode, resp.Header, body)
		}
		if again, _ := mustAsk(t, "GET", front.URL+path, "If-None-Match: "+resp.Header.Get("Etag")); again.StatusCode != 304 {
			t.Errorf("%s again: %d", path, again.StatusCode)
		}
		if head, _ := mustAsk(t, "HEAD", front.URL+path); head.StatusCode != 200 ||
			head.Header.Get("Content-Length") != strconv.Itoa(len(body)) {
			t.Errorf("%s by HEAD: %d %v", path, head.StatusCode, head.Header)
		}
	}
	if resp, _ := mustAsk(t, "GET", front.URL+"/other/"); resp.StatusCode != 404 {
		t.Errorf("another page: %d", resp.StatusCode)
	}
	if resp, _ := mustAsk(t, "POST", front.URL+"/sky-camera/"); resp.StatusCode != 404 {
		t.Errorf("POST: %d", resp.StatusCode)
	}
	has.Store(true)
	if _, body := mustAsk(t, "GET", front.URL+"/sky-camera/"); !strings.Contains(body, "<title>Visit</title>") {
		t.Errorf("where the origin has the page: %s", body)
	}
}

// TestAborts: a client that goes takes nothing with it.
func TestAborts(t *testing.T) {
	release := make(chan bool)
	gone := make(chan bool, 1)
	origin := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/html")
		fmt.Fprint(w, aPage[:30])
		_ = http.NewResponseController(w).Flush()
		select {
		case <-r.Context().Done():
			gone <- true
		case <-release:
		}
	}))
	defer origin.Close()
	defer close(release)
	front, g := before(t, origin.URL, func(o *Options) { o.Wait = 50 * time.Millisecond })
	c, err := net.Dial("tcp", strings.TrimPrefix(front.URL, "http://"))
	if err != nil {
		t.Fatal(err)
	}
	fmt.Fprint(c, "GET /visit/ HTTP/1.1\r\nHost: x\r\n\r\n")
	if _, err := bufio.NewReader(c).ReadString('\n'); err != nil {
		t.Fatal(err)
	}
	c.Close()
	select {
	case <-gone:
	case <-time.After(2 * time.Minute):
		t.Error("the origin is not told that the client has gone")
	}
	for deadline := time.Now().Add(time.Minute); passedNow(g, passedSlow) == 0 && time.Now().Before(deadline); {
		time.Sleep(10 * time.Millisecond)
	}
	if passedFor(g, passedSlow) != 1 {
		t.Error("it is not counted")
	}
}

// TestCollect: whatever pieces a body comes in, and wherever it ends, what is handed on is the body.
func TestCollect(t *testing.T) {
	for n := range 400 {
		text := strings.Repeat("owl ", n*7)
		size, limit := n%37+1, int64(n*3%1500)
		r, w := io.Pipe()
		broken := errors.New("broken")
		go func() {
			for i := 0; i < len(text); i += size {
				_, _ = io.WriteString(w, text[i:min(i+size, len(text))])
				if n%5 == 0 && i == size*3 {
					time.Sleep(15 * time.Millisecond)
				}
			}
			if n%3 == 0 {
				_ = w.CloseWithError(broken)
			} else {
				_ = w.Close()
			}
		}()
		length := int64(-1)
		if n%4 == 0 {
			length = int64(len(text))
		}
		late := make(chan struct{})
		timer := time.AfterFunc(5*time.Millisecond, func() { close(late) })
		c := collect(r, length, limit)
		got, why := c.whole(late)
		timer.Stop()
		var rest io.Reader
		var err error
		if why != "" {
			rest = c
			got, err = io.ReadAll(c)
		} else if n%3 == 0 || int64(len(text)) > limit {
			t.Errorf("%d: taken for whole: %s", n, why)
		}
		if string(got) != text || (err != nil) != (n%3 == 0 && rest != nil) {
			t.Errorf("%d: %d bytes (%v), want %d; %s", n, len(got), err, len(text), why)
		}
	}
}

// TestWebSocket: messages of all sizes go both ways, and a close reaches the other side.
func TestWebSocket(t *testing.T) {
	closed := make(chan error, 1)
	origin := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		c, _, _, err := ws.UpgradeHTTP(r, w)
		if err != nil {
			return
		}
		defer c.Close()
		for {
			text, op, err := wsutil.ReadClientData(c)
			if err != nil {
				closed <- err
				return
			}
			if err := wsutil.WriteServerMessage(c, op, append([]byte("echo "), text...)); err != nil {
				return
			}
		}
	}))
	defer origin.Close()
	front, _ := before(t, origin.URL, func(o *Options) { o.Client = time.Second })
	c, _, _, err := ws.Dial(t.Context(), "ws"+strings.TrimPrefix(front.URL, "http")+"/chat")
	if err != nil {
		t.Fatal(err)
	}
	for i, size := range []int{0, 1, 200, 70_000, 3} {
		if i == 4 {
			time.Sleep(1200 * time.Millisecond) // a socket may be silent for longer than a client's piece of a body
		}
		text := strings.Repeat("x", size)
		if err := wsutil.WriteClientText(c, []byte(text)); err != nil {
			t.Fatal(err)
		}
		if got, err := wsutil.ReadServerText(c); string(got) != "echo "+text {
			t.Fatalf("of %d bytes %d came back (%v)", size, len(got), err)
		}
	}
	c.Close()
	select {
	case <-closed:
	case <-time.After(2 * time.Minute):
		t.Error("the application is not told that the client has gone")
	}
}

// TestNonce: each answer has another nonce, and what is inserted has that of its own answer.
func TestNonce(t *testing.T) {
	n := atomic.Int64{}
	origin := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		nonce := fmt.Sprintf("n%d", n.Add(1))
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		w.Header().Set("Content-Security-Policy", "script-src 'nonce-"+nonce+"'")
		fmt.Fprint(w, strings.Replace(aPage, "<p>", `<script nonce="`+nonce+`">own()</script><p>`, 1))
	}))
	defer origin.Close()
	front, _ := before(t, origin.URL, nil)
	for i := 1; i <= 5; i++ {
		resp, body := mustAsk(t, "GET", front.URL+"/visit/")
		want := fmt.Sprintf(`<script nonce="n%d">count(`, i)
		if !strings.Contains(body, want) ||
			!strings.Contains(resp.Header.Get("Content-Security-Policy"), fmt.Sprintf("'nonce-n%d'", i)) {
			t.Errorf("%d: %s is not in\n%s", i, want, body)
		}
	}
}
