package gateway

import (
	"bytes"
	"flag"
	"fmt"
	"io"
	"math/rand/v2"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"regexp"
	"runtime"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"yellowgate/internal/demo"
	"yellowgate/internal/samplegates"
	"yellowgate/internal/server/reload"
	"yellowgate/internal/testsize"
)

// soak is how many requests TestSoak makes: half a million for a real one.
var soak = flag.Int("soak", testsize.Of(1000, 4000), "requests of TestSoak")

// TestGateChanges: the gate file is changed while clients ask, some of the changes broken. No answer
// fails, and no page has something of two gates.
func TestGateChanges(t *testing.T) {
	times := testsize.Of(15, 100) // the last one is broken
	of := func(n int) string {
		return fmt.Sprintf(
			"yellowgate: 1\nitems:\n  a: {code: <i>gate %d</i>, pages: all}\n  b: {code: <b>gate %d</b>, pages: all}\n",
			n, n)
	}
	origin := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/html")
		w.Header().Set("Etag", `"same"`)
		fmt.Fprint(w, aPage)
	}))
	defer origin.Close()
	gate, name := newGate(t, of(0))
	gate.Run(t.Context())
	front, _ := before(t, origin.URL, func(o *Options) { o.Gate = gate })
	stop := atomic.Bool{}
	var clients sync.WaitGroup
	var answers, unlike atomic.Int64
	number := regexp.MustCompile(`gate (\d+)`)
	tags := sync.Map{} // tag -> the gate that its page is of
	for range 6 {
		clients.Go(func() {
			client := &http.Client{Transport: &http.Transport{DisableCompression: true}}
			for !stop.Load() {
				resp, err := client.Get(front.URL + "/visit/")
				if err != nil {
					t.Error(err)
					return
				}
				body, err := io.ReadAll(resp.Body)
				resp.Body.Close()
				m := number.FindAllSubmatch(body, -1)
				if err != nil || resp.StatusCode != 200 || len(m) != 2 || !bytes.Equal(m[0][1], m[1][1]) {
					t.Errorf("%d %v\n%s", resp.StatusCode, err, body)
					return
				}
				of := string(m[0][1])
				if was, had := tags.LoadOrStore(resp.Header.Get("Etag"), of); had && was != of {
					unlike.Add(1)
				}
				answers.Add(1)
			}
		})
	}
	for i := 1; i <= times; i++ {
		text := of(i)
		if i%5 == 0 {
			text = strings.Replace(text, "items:",
				pick(rand.New(rand.NewPCG(uint64(i), 1)), "itemz:", "items: [", "items:\n  x: {code: }"), 1)
		}
		if i%2 == 0 { // in one go, or in place
			if err := os.WriteFile(name+".new", []byte(text), 0o644); err != nil {
				t.Fatal(err)
			}
			if err := os.Rename(name+".new", name); err != nil {
				t.Fatal(err)
			}
		} else if err := os.WriteFile(name, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
		if s := gate.Fresh(); (s.Err != nil) != (i%5 == 0) {
			t.Errorf("change %d: %v", i, s.Err)
		}
	}
	time.Sleep(50 * time.Millisecond)
	if _, body := mustAsk(t, "GET", front.URL+"/visit/"); !strings.Contains(body, fmt.Sprintf("gate %d", times-1)) {
		t.Errorf("in the end:\n%s", body)
	}
	stop.Store(true)
	clients.Wait()
	if answers.Load() < int64(times) || unlike.Load() > 0 {
		t.Errorf("%d answers, %d of another gate than their tag", answers.Load(), unlike.Load())
	}
}

// TestOriginDies: the application ends and begins again while clients ask. Each gets the gated page, whole, or
// sees that there is none now; and nobody waits for one that is gone.
func TestOriginDies(t *testing.T) {
	origin := httptest.NewUnstartedServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/html")
		_, _ = io.WriteString(w, aPage[:len(aPage)/2])
		if r.URL.RawQuery == "slow" {
			_ = http.NewResponseController(w).Flush()
			time.Sleep(2 * moment)
		}
		_, _ = io.WriteString(w, aPage[len(aPage)/2:])
	}))
	address := origin.Listener.Addr().String()
	origin.Start()
	front, g := before(t, origin.URL, func(o *Options) { o.Keep = 0 })
	want := gated(g, aPage)
	var stop atomic.Bool
	var whole, none, cut atomic.Int64
	var clients sync.WaitGroup
	for i := range 6 {
		path := front.URL + "/visit/" + []string{"", "?slow"}[i%2]
		clients.Go(func() {
			for !stop.Load() {
				began := time.Now()
				resp, body, err := ask(t, "GET", path)
				switch {
				case err != nil && strings.HasPrefix(want, body):
					cut.Add(1)
				case err == nil && resp.StatusCode == 200 && body == want:
					whole.Add(1)
				case err == nil && resp.StatusCode == http.StatusBadGateway && strings.Contains(body, "does not answer"):
					none.Add(1)
				default:
					t.Errorf("%v, %v:\n%s", resp, err, body)
				}
				if took := time.Since(began); took > 5*time.Second {
					t.Errorf("an answer took %s", took)
				}
			}
		})
	}
	more := func(n *atomic.Int64) {
		was, until := n.Load(), time.Now().Add(time.Minute)
		for n.Load() < was+10 {
			if time.Sleep(time.Millisecond); time.Now().After(until) {
				t.Fatal("nothing comes")
			}
		}
	}
	for range testsize.Of(2, 20) {
		more(&whole)
		origin.CloseClientConnections()
		origin.Close()
		more(&none)
		l, err := net.Listen("tcp", address)
		if err != nil {
			t.Fatal(err)
		}
		origin = &httptest.Server{Listener: l, Config: &http.Server{Handler: origin.Config.Handler}}
		origin.Start()
	}
	more(&whole)
	stop.Store(true)
	clients.Wait()
	if _, body := mustAsk(t, "GET", front.URL+"/visit/"); body != want {
		t.Errorf("in the end:\n%s", body)
	}
	t.Logf("%d whole, %d times none, %d cut", whole.Load(), none.Load(), cut.Load())
	origin.Close()
}

// TestSoak: clients ask for many pages, with conditions, parts and aborts, again and again: memory and
// goroutines stay where they are, and no answer is wrong. With -soak 500000 it is hours in minutes.
func TestSoak(t *testing.T) {
	const pages, clients = 2000, 8
	text := func(n int) string {
		return strings.Replace(aPage, "stars", fmt.Sprintf("page %d %s", n, strings.Repeat("owls ", n%997)), 1)
	}
	origin := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		n, _ := strconv.Atoi(r.URL.Path[strings.LastIndexByte(r.URL.Path, '/')+1:])
		w.Header().Set("Etag", fmt.Sprintf(`"p%d"`, n))
		body := []byte(text(n))
		if strings.HasPrefix(r.URL.Path, "/file/") {
			w.Header().Set("Content-Type", "application/pdf")
		} else {
			w.Header().Set("Content-Type", "text/html")
			if n%3 == 0 && strings.Contains(r.Header.Get("Accept-Encoding"), "gzip") {
				body, _ = encoded(body, "gzip")
				w.Header().Set("Content-Encoding", "gzip")
			}
		}
		http.ServeContent(w, r, "", time.Time{}, bytes.NewReader(body))
	}))
	defer origin.Close()
	gate, _ := newGate(t, testGate)
	front, g := before(t, origin.URL, func(o *Options) { o.Gate, o.Keep = gate, 8<<20 })
	want := make([][]byte, pages)
	for n := range pages {
		pg := gate.Now().Project.PageAt(fmt.Sprintf("visit/%d/index.html", n))
		pg.Path = fmt.Sprintf("/visit/%d", n) // as it is asked for
		want[n] = gate.Now().Project.Gate.Page([]byte(text(n)), pg).File
	}
	var asked atomic.Int64
	var wrong atomic.Int64
	one := func(r *rand.Rand, client *http.Client, tags map[int]string) {
		n := r.IntN(pages)
		path, page := "/visit/", true
		if r.IntN(5) == 0 {
			path, page = "/file/", false
		}
		req, err := http.NewRequest("GET", fmt.Sprintf("%s%s%d", front.URL, path, n), nil)
		if err != nil {
			t.Error(err)
			return
		}
		if r.IntN(2) == 0 {
			req.Header.Set("Accept-Encoding", "gzip, br")
		}
		tag := tags[n]
		if page && tag != "" && r.IntN(2) == 0 {
			req.Header.Set("If-None-Match", tag)
		}
		part := !page && r.IntN(2) == 0
		if part {
			req.Header.Set("Range", "bytes=0-9")
		}
		resp, err := client.Do(req)
		if err != nil {
			t.Error(err)
			wrong.Add(1)
			return
		}
		defer resp.Body.Close()
		if r.IntN(20) == 0 {
			return // it goes
		}
		body, err := io.ReadAll(resp.Body)
		plain, derr := decoded(body, coding(resp.Header["Content-Encoding"]), 1<<30)
		expected := []byte(text(n))
		if page {
			expected = want[n]
		} else if part {
			expected = expected[:10]
		}
		switch {
		case resp.StatusCode == 304 && req.Header.Get("If-None-Match") != "" && len(body) == 0:
		case err != nil || derr != nil || !bytes.Equal(plain, expected):
			wrong.Add(1)
			t.Errorf("%s: %d, %d bytes (%v, %v), want %d", req.URL.Path, resp.StatusCode, len(plain), err, derr, len(expected))
		case page:
			tags[n] = resp.Header.Get("Etag")
		}
	}
	runAll := func(requests int) {
		var all sync.WaitGroup
		for c := range clients {
			all.Go(func() {
				r := rand.New(rand.NewPCG(uint64(c), uint64(requests)))
				client := &http.Client{Transport: &http.Transport{DisableCompression: true, MaxIdleConnsPerHost: 2}}
				defer client.CloseIdleConnections()
				tags := map[int]string{}
				for range requests / clients {
					one(r, client, tags)
					asked.Add(1)
				}
			})
		}
		all.Wait()
	}
	measure := func() (heap uint64, goroutines int) {
		runtime.GC()
		time.Sleep(100 * time.Millisecond)
		runtime.GC()
		var m runtime.MemStats
		runtime.ReadMemStats(&m)
		return m.HeapAlloc, runtime.NumGoroutine()
	}
	runAll(*soak / 4) // warm up
	heap, goroutines := measure()
	for i := range 3 {
		runAll(*soak / 4)
		h, n := measure()
		if h > heap+heap/2+(8<<20) || n > goroutines+40 {
			t.Errorf("after %d requests: %d MB and %d goroutines, after the warm-up %d MB and %d", asked.Load(),
				h>>20, n, heap>>20, goroutines)
		}
		t.Logf("round %d: %d requests, heap %.1f MB, %d goroutines", i+1, asked.Load(), float64(h)/(1<<20), n)
	}
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	if m.Sys > 250<<20 {
		t.Errorf("the system has given %d MB", m.Sys>>20)
	}
	bytes, kept, _, _ := g.kept.counts()
	if bytes > 8<<20 {
		t.Errorf("%d bytes are kept in %d pages, more than may be", bytes, kept)
	}
	t.Logf("%d wrong answers; %d MB from the system; %d pages kept", wrong.Load(), m.Sys>>20, kept)
}

// TestKept: what is kept stays within its size, the latest longest, and codings are made once.
func TestKept(t *testing.T) {
	k := newPageCache(10_000)
	page := func(n int) *gatedPage {
		return &gatedPage{key: keyOf0(n), text: bytes.Repeat([]byte("x"), 1000), changed: true}
	}
	for n := range 20 {
		k.put(page(n))
		if k.get(keyOf0(0)) == nil && n < 6 {
			t.Errorf("the page that is asked for all the time went after %d", n)
		}
	}
	size, n, _, _ := k.counts()
	if size > 10_000 || n < 5 || k.get(keyOf0(19)) == nil || k.get(keyOf0(10)) != nil {
		t.Errorf("%d bytes in %d pages", size, n)
	}
	last := k.get(keyOf0(19))
	a, err := k.coded(last, "gzip")
	b, _ := k.coded(last, "gzip")
	if err != nil || len(a) == 0 || &a[0] != &b[0] {
		t.Errorf("a coding is made twice (%v)", err)
	}
	k.put(last) // again
	if again, m, _, _ := k.counts(); again > 10_000 || m != n {
		t.Errorf("%d bytes in %d pages after one came twice", again, m)
	}
	k.put(&gatedPage{key: keyOf0(99), text: make([]byte, 5000)})
	if k.get(keyOf0(99)) != nil {
		t.Error("a page of half of all that is kept is kept")
	}
	none := newPageCache(0)
	none.put(page(1))
	if none.get(keyOf0(1)) != nil {
		t.Error("something is kept where nothing may be")
	}
}

// TestAllocations: making a page of 30 kB takes no more than 100 kB of memory.
func TestAllocations(t *testing.T) {
	if testing.Short() {
		t.Skip("with the race detector it is another number")
	}
	dir := t.TempDir() + "/demo"
	if _, err := demo.Write(dir); err != nil {
		t.Fatal(err)
	}
	g := New(Options{Gate: reload.Open(reload.Options{Gate: dir + "/yellowgate.yaml"}), Largest: 8 << 20})
	page, err := os.ReadFile(dir + "/site/visit/index.html")
	if err != nil || g.Gate.Now().Err != nil {
		t.Fatal(err, g.Gate.Now().Err)
	}
	body := bytes.Replace(page, []byte("</body>"),
		[]byte(strings.Repeat("<p class=a><a href=\"/visit/\">stars and owls</a></p>\n", 560)+"</body>"), 1)
	req := httptest.NewRequest("GET", "/visit/", nil)
	make := func(times int) (bytes uint64) {
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		for range times {
			a := &exchange{state: g.Gate.Now(), in: req}
			resp := &http.Response{StatusCode: 200, Header: http.Header{"Content-Type": {"text/html"}}, Request: req}
			if _, why, detail := g.gatePage(g.known(a, resp), body); why != "" {
				t.Fatal(why, detail)
			}
		}
		runtime.ReadMemStats(&after)
		return (after.TotalAlloc - before.TotalAlloc) / uint64(times)
	}
	make(100) // what is made once
	if n := make(500); n > 100_000 {
		t.Errorf("a page of %d bytes takes %d", len(body), n)
	} else {
		t.Logf("a page of %d bytes takes %d", len(body), n)
	}
}

// BenchmarkGate measures what a page of about 30 kB costs, with a gate file that has a bit of all, and with
// each kind of gate file on a page where its items are in and on one where they are out.
func BenchmarkGate(b *testing.B) {
	b.Run("a bit of all", func(b *testing.B) { benchmarkGate(b, testGate, "/visit/") })
	for _, items := range []int{1, 5, 25, 200} {
		for _, kind := range samplegates.Kinds {
			for _, path := range []string{"/annex.html", "/visit.html"} {
				b.Run(fmt.Sprintf("%d/%s%s", items, kind.Name, path),
					func(b *testing.B) { benchmarkGate(b, kind.Gate(items, true), path) })
			}
		}
	}
}

func benchmarkGate(b *testing.B, text, path string) {
	gate, _ := newGate(b, text)
	g := New(Options{Gate: gate, Largest: 8 << 20})
	body := []byte(
		strings.Replace(aPage, "<p>stars</p>",
			strings.Repeat("<p class=a><a href=\"/visit/\">stars and owls</a></p>\n", 560), 1))
	b.SetBytes(int64(len(body)))
	b.ReportAllocs()
	req := httptest.NewRequest("GET", path, nil)
	for b.Loop() {
		a := &exchange{state: gate.Now(), in: req}
		resp := &http.Response{StatusCode: 200, Header: http.Header{"Content-Type": {"text/html"}}, Request: req}
		if _, why, detail := g.gatePage(g.known(a, resp), body); why != "" {
			b.Fatal(why, detail)
		}
	}
}

// TestSamePages: pages that are the same and stand at other addresses are gated each for itself, and
// pages that the gate leaves as they are keep their bytes, however many are on their way.
func TestSamePages(t *testing.T) {
	plain := func(n int) string {
		return strings.Replace(aPage, "stars", fmt.Sprintf("page %d %s", n, strings.Repeat("owls ", n*13%501)), 1)
	}
	origin := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		n, _ := strconv.Atoi(r.URL.Query().Get("n"))
		body := []byte(plain(n))
		if strings.Contains(r.Header.Get("Accept-Encoding"), "gzip") {
			body, _ = encoded(body, "gzip")
			w.Header().Set("Content-Encoding", "gzip")
		}
		_, _ = w.Write(body)
	}))
	defer origin.Close()
	gate, _ := newGate(t, "yellowgate: 1\nitems: {note: {code: <i>note</i>, pages: /visit/}}\n")
	front, _ := before(t, origin.URL, func(o *Options) { o.Gate = gate })
	for path, want := range map[string]bool{"/visit/": true, "/other/": false, "/visit": true,
		"/visit/index.html": true, "/": false} {
		for range 2 {
			if _, body := mustAsk(t, "GET", front.URL+path); strings.Contains(body, "<i>note</i>") != want {
				t.Errorf("%s:\n%s", path, body)
			}
		}
	}
	var all sync.WaitGroup
	for c := range 8 {
		all.Go(func() {
			client := &http.Client{Transport: &http.Transport{DisableCompression: true}}
			defer client.CloseIdleConnections()
			for i := range 150 {
				n := (i*7 + c*31) % 300
				req, err := http.NewRequest("GET", fmt.Sprintf("%s/other/?n=%d", front.URL, n), nil)
				if err != nil {
					t.Error(err)
					return
				}
				if i%2 == 0 {
					req.Header.Set("Accept-Encoding", "gzip")
				}
				resp, err := client.Do(req)
				if err != nil {
					t.Error(err)
					return
				}
				body, _ := io.ReadAll(resp.Body)
				resp.Body.Close()
				if got, err := decoded(body, coding(resp.Header["Content-Encoding"]), 1<<20); err != nil ||
					string(got) != plain(n) {
					t.Errorf("page %d: %d bytes (%v)", n, len(got), err)
					return
				}
			}
		})
	}
	all.Wait()
}

// TestSpooled: a body that is taken slowly goes on from a file, whatever was taken before, and the same bytes come.
func TestSpooled(t *testing.T) {
	text := bytes.Repeat([]byte("stars and owls "), 100_000)
	for _, first := range []int{0, 1, 700_000, len(text) - 10} {
		s, ok := newSpooled(bytes.Clone(text), time.Hour).(*spooled)
		if !ok {
			t.Fatal("a large body stays in memory")
		}
		got := make([]byte, first)
		if _, err := io.ReadFull(s, got); err != nil {
			t.Fatal(err)
		}
		s.spool()
		if inFile := s.file != nil; inFile != (first < len(text)-spoolFrom) || inFile && s.text != nil {
			t.Errorf("after %d bytes: in a file: %v", first, inFile)
		}
		rest, err := io.ReadAll(s)
		if err != nil || !bytes.Equal(append(got, rest...), text) {
			t.Errorf("after %d bytes: %d more (%v)", first, len(rest), err)
		}
		if s.Close() != nil {
			t.Error("it cannot be closed")
		}
		s.spool()
		if _, err := s.Read(got[:min(len(got), 1)]); err == nil && first > 0 {
			t.Error("it is read after its end")
		}
	}
	if _, small := newSpooled([]byte("x"), 0).(*spooled); small {
		t.Error("a small body is spooled")
	}
}
