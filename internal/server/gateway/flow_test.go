package gateway

import (
	"bytes"
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

// pieces is an origin that sends a page in the pieces that come, and breaks off where one says so.
func pieces(t *testing.T) (origin *httptest.Server, next chan string) {
	next = make(chan string)
	origin = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		w.Header().Set("Trailer", "X-Took")
		for piece := range next {
			if piece == "break" {
				panic(http.ErrAbortHandler)
			}
			if piece == "end" {
				break
			}
			_, _ = io.WriteString(w, piece)
			_ = http.NewResponseController(w).Flush()
		}
		w.Header().Set("X-Took", "long")
	}))
	t.Cleanup(origin.Close)
	return origin, next
}

// gated is what the gate makes of a page.
func gated(g *Gateway, text string) string {
	r := g.Gate.Now().Project
	return string(r.Gate.Page([]byte(text), r.PageAt("visit/index.html")).File)
}

// TestFlow: what is sure of a page reaches the client while the application still makes the rest, and the whole is what
// apply writes. It is not ungated, however long it takes.
func TestFlow(t *testing.T) {
	origin, next := pieces(t)
	front, g := before(t, origin.URL, func(o *Options) { o.Wait = 50 * time.Millisecond })
	want := gated(g, inPieces)
	at := strings.Index(inPieces, "<h1>")
	go func() { next <- inPieces[:at] }()
	resp, err := http.Get(front.URL + "/visit/")
	if err != nil {
		t.Fatal(err)
	}
	defer resp.Body.Close()
	head := want[:strings.Index(want, "<body>")+len("<body>")]
	got := make([]byte, len(head))
	if _, err := io.ReadFull(resp.Body, got); err != nil || string(got) != head {
		t.Fatalf("of the head came %q (%v), want %q", got, err, head)
	}
	if !strings.Contains(head, "count('é')") || strings.Contains(head, "old.js") || resp.ContentLength != -1 {
		t.Errorf("the head is not gated, or of a length: %d\n%s", resp.ContentLength, head)
	}
	time.Sleep(2 * 50 * time.Millisecond) // longer than a page may be waited for
	form := strings.Index(inPieces, "<form>")
	next <- inPieces[at:form]
	more := make([]byte, len("\n<h1>Plays</h1>\n<p>é one</p>"))
	if _, err := io.ReadFull(resp.Body, more); err != nil || !strings.Contains(string(more), "é one") {
		t.Fatalf("of the body came %q (%v)", more, err)
	}
	next <- inPieces[form:]
	next <- "end"
	rest, err := io.ReadAll(resp.Body)
	if err != nil || string(got)+string(more)+string(rest) != want {
		t.Errorf("the whole is (%v)\n%s%s%s\nwant\n%s", err, got, more, rest, want)
	}
	if resp.Trailer.Get("X-Took") != "long" {
		t.Errorf("the trailer is %v", resp.Trailer)
	}
	if n := passedNow(g, passedSlow); n != 0 {
		t.Errorf("%v passed as slow", n)
	}
}

// TestFlowBreaks: an origin that breaks off leaves what is sure, and an answer that does not end well.
func TestFlowBreaks(t *testing.T) {
	origin, next := pieces(t)
	front, g := before(t, origin.URL, nil)
	at := strings.Index(inPieces, "<form>")
	go func() { next <- inPieces[:at]; time.Sleep(30 * time.Millisecond); next <- "break" }()
	_, body, err := ask(t, "GET", front.URL+"/visit/")
	if err == nil || !strings.HasPrefix(gated(g, inPieces), body) || !strings.Contains(body, "é one") {
		t.Errorf("%v\n%s", err, body)
	}
	if passedFor(g, passedCut) != 1 {
		t.Error("it is not counted")
	}
}

// TestFlowTooLarge: what comes after the limit passes, and what has left stays gated.
func TestFlowTooLarge(t *testing.T) {
	origin, next := pieces(t)
	front, g := before(t, origin.URL, func(o *Options) { o.Largest = 4 << 10 })
	at := strings.Index(inPieces, "<form>")
	long := strings.Repeat("<p>more</p>\n", 1000)
	go func() {
		next <- inPieces[:at]
		time.Sleep(30 * time.Millisecond)
		next <- long
		next <- inPieces[at:]
		next <- "end"
	}()
	_, body := mustAsk(t, "GET", front.URL+"/visit/")
	head, rest, _ := strings.Cut(gated(g, inPieces), "<form>")
	if !strings.HasPrefix(body, head[:strings.Index(head, "one</p>")]) || !strings.HasSuffix(body, long+inPieces[at:]) ||
		strings.Count(body, "<h1>") != 1 || strings.Count(body, "é one") != 1 {
		t.Errorf("%d bytes:\n%.600s\n…\n%s\nnot so: %s", len(body), body, body[len(body)-200:], rest)
	}
	if passedFor(g, passedLarge) != 1 {
		t.Error("it is not counted")
	}
}

// TestFlowProblem: where the gate cannot be put into effect on what comes late, what has left stays gated, and the rest
// passes, each byte once.
func TestFlowProblem(t *testing.T) {
	origin, next := pieces(t)
	gate, _ := newGate(t, testGate+"  last: {code: <p>last</p>, pages: all, place: {last-in: main}}\n")
	front, g := before(t, origin.URL, func(o *Options) { o.Gate = gate })
	first := "<!doctype html><html><head><meta charset=utf-8><title>a</title></head><body><main><p>one</p>"
	late := "<b><p>two</main></b></body></html>"
	go func() { next <- first; time.Sleep(30 * time.Millisecond); next <- late; next <- "end" }()
	_, body := mustAsk(t, "GET", front.URL+"/visit/")
	head, rest, _ := strings.Cut(body, "</head>")
	if !strings.Contains(head, counted) || rest != "<body><main><p>one</p>"+late {
		t.Errorf("it is %s", body)
	}
	if passedFor(g, passedProblem) != 1 {
		t.Error("it is not counted")
	}
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
	origin := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		page, _ := strconv.Atoi(r.URL.Query().Get("page"))
		step, _ := strconv.Atoi(r.URL.Query().Get("step"))
		text := pages[page]
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
		for step := 1; step < len(pages[page]); step++ {
			if !testsize.Full() && step%7 != 1 {
				continue
			}
			_, body := mustAsk(t, "GET", fmt.Sprintf("%s/visit/?page=%d&step=%d", front.URL, page, step))
			if body != want {
				t.Fatalf("page %d in pieces of %d:\n%s\nwant\n%s", page, step, body, want)
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
