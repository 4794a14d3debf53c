package gateway

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"strconv"
	"strings"
	"testing"
	"time"

	"yellowgate/internal/testsize"
)

const inPieces = "<!doctype html>\n<html lang=en>\n<head>\n<meta charset=utf-8>\n<title>Plays</title>\n<script src=\"/old.js\"></script>\n</head>\n" +
	"<body>\n<h1>Plays</h1>\n<p>é one</p>\n<script src=\"/old.js\"></script>\n<form><p>two</form>\n</body>\n</html>\n"

// flushed writes to a client in a coding, and has each piece leave at once.
type flushed struct {
	http.ResponseWriter
	encoder // nil for identity
}

func inFlushes(t *testing.T, w http.ResponseWriter, coding string) (f flushed) {
	f.ResponseWriter = w
	if coding != identity {
		var err error
		if f.encoder, _, err = encoderTo(w, coding); err != nil {
			t.Fatal(err)
		}
		w.Header().Set("Content-Encoding", coding)
	}
	return f
}

func (f flushed) say(piece string) {
	if f.encoder == nil {
		_, _ = io.WriteString(f.ResponseWriter, piece)
	} else {
		_, _ = f.encoder.Write([]byte(piece))
		_ = f.encoder.Flush()
	}
	_ = http.NewResponseController(f.ResponseWriter).Flush()
}

func (f flushed) end() {
	if f.encoder != nil {
		_ = f.encoder.Close()
	}
}

// each tries something with a page in each coding.
func each(t *testing.T, try func(t *testing.T, coding string)) {
	for _, coding := range append([]string{identity}, codings...) {
		t.Run(coding, func(t *testing.T) { try(t, coding) })
	}
}

// plain is a body without its coding.
func plain(body io.Reader, coding string) io.Reader {
	if coding == identity {
		return body
	}
	return &decoder{src: body, coding: coding}
}

// pieces is an origin that sends a page in the pieces that come, and breaks off where one says so. Once nobody
// reads its answer any longer, or the test is over, it takes no more of them.
func pieces(t *testing.T, coding string) (origin *httptest.Server, say func(piece string)) {
	next, gone := make(chan string), make(chan struct{})
	say = func(piece string) {
		select {
		case next <- piece:
		case <-gone:
		}
	}
	origin = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		w.Header().Set("Trailer", "X-Took")
		w.Header().Set("Etag", `"1"`)
		out := inFlushes(t, w, coding)
		defer close(gone) // it is asked once
		for piece := ""; piece != "end"; {
			select {
			case piece = <-next:
			case <-r.Context().Done():
				return
			case <-t.Context().Done():
				return
			}
			switch piece {
			case "break":
				panic(http.ErrAbortHandler)
			case "end":
			default:
				out.say(piece)
			}
		}
		out.end()
		w.Header().Set("X-Took", "long")
	}))
	t.Cleanup(origin.Close)
	return origin, say
}

// gated is what the gate makes of a page.
func gated(g *Gateway, text string) string {
	r := g.Gate.Now().Project
	return string(r.Gate.Page([]byte(text), r.PageAt("visit/index.html")).File)
}

// TestFlow: what is sure of a page reaches the client while the application still makes the rest, and the whole is what
// apply writes. It is not ungated, however long it takes.
func TestFlow(t *testing.T) {
	const wait = time.Second // the head, which is there, is gated in less than that on a busy machine
	each(t, func(t *testing.T, coding string) {
		t.Parallel()
		origin, say := pieces(t, coding)
		front, g := before(t, origin.URL, func(o *Options) { o.Wait = wait })
		want := gated(g, inPieces)
		at := strings.Index(inPieces, "<h1>")
		go say(inPieces[:at])
		ctx, end := context.WithTimeout(t.Context(), time.Minute) // what never comes is a failure, too
		defer end()
		r, _ := http.NewRequestWithContext(ctx, http.MethodGet, front.URL+"/visit/", nil)
		r.Header.Set("Accept-Encoding", coding)
		resp, err := http.DefaultTransport.RoundTrip(r)
		if err != nil {
			t.Fatal(err)
		}
		defer resp.Body.Close()
		body := plain(resp.Body, coding)
		head := want[:strings.Index(want, "<body>")+len("<body>")]
		got := make([]byte, len(head))
		if _, err := io.ReadFull(body, got); err != nil || string(got) != head {
			t.Fatalf("of the head came %q (%v), want %q", got, err, head)
		}
		if !strings.Contains(head, "count('é')") || strings.Contains(head, "old.js") || resp.ContentLength != -1 {
			t.Errorf("the head is not gated, or of a length: %d\n%s", resp.ContentLength, head)
		}
		if h := resp.Header; (h.Get("Content-Encoding") == coding) == (coding == identity) ||
			strings.Contains(h.Get("Vary"), "Accept-Encoding") == (coding == identity) ||
			strings.HasPrefix(h.Get("Etag"), "W/") == (coding == identity) {
			t.Errorf("the header is %v", h)
		}
		time.Sleep(2 * wait) // longer than a page may be waited for
		form := strings.Index(inPieces, "<form>")
		say(inPieces[at:form])
		more := make([]byte, len("\n<h1>Plays</h1>\n<p>é one</p>"))
		if _, err := io.ReadFull(body, more); err != nil || !strings.Contains(string(more), "é one") {
			t.Fatalf("of the body came %q (%v)", more, err)
		}
		say(inPieces[form:])
		say("end")
		rest, err := io.ReadAll(body)
		if err != nil || string(got)+string(more)+string(rest) != want {
			t.Errorf("the whole is (%v)\n%s%s%s\nwant\n%s", err, got, more, rest, want)
		}
		if _, _ = io.Copy(io.Discard, resp.Body); resp.Trailer.Get("X-Took") != "long" {
			t.Errorf("the trailer is %v", resp.Trailer)
		}
		if n := passedNow(g, passedSlow); n != 0 {
			t.Errorf("%v passed as slow", n)
		}
	})
}

// TestFlowBreaks: an origin that breaks off leaves what is sure, and an answer that does not end well.
func TestFlowBreaks(t *testing.T) {
	each(t, func(t *testing.T, coding string) {
		origin, say := pieces(t, coding)
		front, g := before(t, origin.URL, nil)
		at := strings.Index(inPieces, "<form>")
		text, err := begun(t, front.URL+"/visit/", coding, say, inPieces[:at])("break")
		if err == nil || !strings.HasPrefix(gated(g, inPieces), text) || !strings.Contains(text, "é one") {
			t.Errorf("%v\n%s", err, text)
		}
		if passedFor(g, passedCut) != 1 {
			t.Error("it is not counted")
		}
	})
}

// TestFlowTooLarge: what comes after the limit passes, and what has left stays gated.
func TestFlowTooLarge(t *testing.T) {
	each(t, func(t *testing.T, coding string) {
		origin, say := pieces(t, coding)
		front, g := before(t, origin.URL, func(o *Options) { o.Largest = 4 << 10 })
		at := strings.Index(inPieces, "<form>")
		var lines strings.Builder
		for n := range uint64(1000) { // too long in any coding
			fmt.Fprintf(&lines, "<p>%x</p>\n", (n+1)*0x9e3779b97f4a7c15)
		}
		long := lines.String()
		body, err := begun(t, front.URL+"/visit/", coding, say, inPieces[:at])(long, inPieces[at:], "end")
		if err != nil {
			t.Fatal(err)
		}
		head, rest, _ := strings.Cut(gated(g, inPieces), "<form>")
		if !strings.HasPrefix(body, head[:strings.Index(head, "one</p>")]) || !strings.HasSuffix(body, long+inPieces[at:]) ||
			strings.Count(body, "<h1>") != 1 || strings.Count(body, "é one") != 1 {
			t.Errorf("%d bytes:\n%.600s\n…\n%s\nnot so: %s", len(body), body, body[len(body)-200:], rest)
		}
		if passedFor(g, passedLarge) != 1 {
			t.Error("it is not counted")
		}
	})
}

// begun asks for a page of which the first piece comes. It returns once something of it has left, and reads what
// there is without its coding, while the other pieces come.
func begun(t *testing.T, url, coding string, say func(string),
	first string) (rest func(pieces ...string) (string, error)) {
	t.Helper()
	go say(first)
	r, _ := http.NewRequest(http.MethodGet, url, nil)
	r.Header.Set("Accept-Encoding", coding)
	resp, err := http.DefaultTransport.RoundTrip(r)
	if err != nil {
		t.Fatal(err)
	}
	return func(pieces ...string) (string, error) {
		defer resp.Body.Close()
		go func() {
			for _, piece := range pieces {
				say(piece)
			}
		}()
		text, err := io.ReadAll(plain(resp.Body, coding))
		return string(text), err
	}
}

// askPlain is a page that is asked for in a coding, without it.
func askPlain(t *testing.T, url, coding string) string {
	t.Helper()
	_, body := mustAsk(t, "GET", url, "Accept-Encoding: "+coding)
	text, err := io.ReadAll(plain(strings.NewReader(body), coding))
	if err != nil {
		t.Fatal(err)
	}
	return string(text)
}

// TestFlowProblem: where the gate cannot be put into effect on what comes late, what has left stays gated, and the rest
// passes, each byte once.
func TestFlowProblem(t *testing.T) {
	each(t, func(t *testing.T, coding string) {
		origin, say := pieces(t, coding)
		gate, _ := newGate(t, testGate+"  last: {code: <p>last</p>, pages: all, place: {last-in: main}}\n")
		front, g := before(t, origin.URL, func(o *Options) { o.Gate = gate })
		first := "<!doctype html><html><head><meta charset=utf-8><title>a</title></head><body><main><p>one</p>"
		late := "<b><p>two</main></b></body></html>"
		body, err := begun(t, front.URL+"/visit/", coding, say, first)(late, "end")
		if err != nil {
			t.Fatal(err)
		}
		head, rest, _ := strings.Cut(body, "</head>")
		if !strings.Contains(head, counted) || rest != "<body><main><p>one</p>"+late {
			t.Errorf("it is %s", body)
		}
		if passedFor(g, passedProblem) != 1 {
			t.Error("it is not counted")
		}
	})
}

// TestFlowUngated: a page of which nothing is sure before its time is over passes as it came, in the coding that
// it came in.
func TestFlowUngated(t *testing.T) {
	each(t, func(t *testing.T, coding string) {
		origin, say := pieces(t, coding)
		front, g := before(t, origin.URL, func(o *Options) { o.Wait = 60 * time.Millisecond })
		body, err := begun(t, front.URL+"/visit/", coding, say, "<!doc")(inPieces[len("<!doc"):], "end")
		if err != nil || body != inPieces {
			t.Errorf("it is %s (%v)", body, err)
		}
		if passedFor(g, passedSlow) != 1 {
			t.Error("it is not counted")
		}
	})
}

// TestPause: what is known is no news, and a page that has cost much is not looked at again soon.
func TestPause(t *testing.T) {
	r, w := io.Pipe()
	c := collect(r, -1, 1000)
	go func() { _, _ = io.WriteString(w, "owl") }()
	text, ended, late := c.pause(0, moment, nil)
	if string(text) != "owl" || ended || late {
		t.Errorf("%q, %v, %v", text, ended, late)
	}
	until := make(chan struct{})
	time.AfterFunc(20*time.Millisecond, func() { close(until) })
	if text, ended, late = c.pause(3, moment, until); !late || ended {
		t.Errorf("nothing came, and there is %q", text)
	}
	_ = w.Close()
	if _, ended, _ = c.pause(3, moment, nil); !ended {
		t.Error("it has not ended")
	}
	f := &flow{began: time.Now()}
	if f.wait() != moment {
		t.Errorf("at first %s", f.wait())
	}
	if f.spent = time.Second; f.wait() < 8*time.Second {
		t.Errorf("after a second of work %s", f.wait())
	}
}

// TestFlowCuts: in whatever pieces a page comes, the client gets what apply writes.
func TestFlowCuts(t *testing.T) {
	pages := []string{inPieces, strings.ReplaceAll(inPieces, "\n", ""), strings.Replace(inPieces, "</head>\n", "", 1)}
	coded := map[string][]string{identity: pages}
	for _, coding := range codings {
		for _, text := range pages {
			var b bytes.Buffer
			z, _, err := encoderTo(&b, coding)
			if err != nil {
				t.Fatal(err)
			}
			for from := 0; from < len(text); from += 40 { // flushed as an application would
				_, _ = io.WriteString(z, text[from:min(from+40, len(text))])
				_ = z.Flush()
			}
			_ = z.Close()
			coded[coding] = append(coded[coding], b.String())
		}
	}
	origin := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		page, _ := strconv.Atoi(r.URL.Query().Get("page"))
		step, _ := strconv.Atoi(r.URL.Query().Get("step"))
		coding := r.URL.Query().Get("in")
		text := coded[coding][page]
		if coding != identity {
			w.Header().Set("Content-Encoding", coding)
		}
		for from := 0; from < len(text); from += step {
			_, _ = io.WriteString(w, text[from:min(from+step, len(text))])
			_ = http.NewResponseController(w).Flush()
			if step > 20 || from%17 == 0 {
				time.Sleep(2 * moment)
			}
		}
	}))
	defer origin.Close()
	front, g := before(t, origin.URL, func(o *Options) { o.Keep = 0 })
	for page := range pages {
		want := gated(g, pages[page])
		for coding, bodies := range coded {
			for step := 1; step < len(bodies[page]); step++ {
				if !testsize.Full() && step%7 != 1 || coding != identity && step%11 != 1 {
					continue
				}
				body := askPlain(t, fmt.Sprintf("%s/visit/?page=%d&step=%d&in=%s", front.URL, page, step, coding), coding)
				if body != want {
					t.Fatalf("page %d, %s, in pieces of %d:\n%s\nwant\n%s", page, coding, step, body, want)
				}
			}
		}
	}
}

// BenchmarkFirstByte: how long it takes until the first byte of a page is there whose end never comes.
func BenchmarkFirstByte(b *testing.B) {
	text := []byte(strings.Replace(inPieces, "<form>", strings.Repeat("<p>more</p>\n", 2000)+"<form>", 1))
	at := bytes.Index(text, []byte("<h1>"))
	origin := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		_, _ = w.Write(text[:at])
		_ = http.NewResponseController(w).Flush()
		<-r.Context().Done()
	}))
	defer origin.Close()
	front, _ := before(b, origin.URL, nil)
	for b.Loop() {
		resp, err := http.Get(front.URL + "/visit/")
		if err != nil {
			b.Fatal(err)
		}
		if _, err := resp.Body.Read(make([]byte, 1)); err != nil {
			b.Fatal(err)
		}
		resp.Body.Close()
	}
}
