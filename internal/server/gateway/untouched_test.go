package gateway

import (
	"bytes"
	"fmt"
	"io"
	"log"
	"maps"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"yellowgate/internal/capture"
	"yellowgate/internal/core/page"
	"yellowgate/internal/server/reload"
	"yellowgate/internal/testsize"
)

const testGate = `yellowgate: 1
site: {url: "https://ternhill.example", name: Tern Hill Observatory}
metadata: [{pages: all, description: "The page @{page.path}"}]
items:
  counter: {code: "<script>count('é')</script>", place: head-end, pages: not /members/**}
  old: {found: 'script[src="/old.js"]', pages: none}
  note: {code: <p>note</p>, pages: has(form)}
`

// newGate writes a gate file and keeps it in effect.
func newGate(t testing.TB, text string) (*reload.Watcher, string) {
	name := filepath.Join(t.TempDir(), "yellowgate.yaml")
	if err := os.WriteFile(name, []byte(text), 0o644); err != nil {
		t.Fatal(err)
	}
	long := time.Now().Add(-24 * time.Hour)
	if err := os.Chtimes(name, long, long); err != nil {
		t.Fatal(err)
	}
	g := reload.Open(reload.Options{Gate: name})
	if err := g.Now().Err; err != nil {
		t.Fatal(err)
	}
	return g, name
}

// before starts a gateway before an origin.
func before(t testing.TB, origin string, change func(*Options)) (*httptest.Server, *Gateway) {
	u, err := url.Parse(origin)
	if err != nil {
		t.Fatal(err)
	}
	o := Options{Origin: u, Transport: NewTransport(10*time.Second, nil, ""), Largest: 200 << 10,
		Wait: 5 * time.Second, Client: 20 * time.Second, Keep: 4 << 20}
	if change != nil {
		change(&o)
	}
	if o.Gate == nil {
		o.Gate, _ = newGate(t, testGate)
	}
	g := New(o)
	s := httptest.NewUnstartedServer(g)
	s.Config.ErrorLog = log.New(noPanics{t}, "", 0)
	s.Start()
	t.Cleanup(s.Close)
	return s, g
}

// noPanics is a server's log in which no panic may stand.
type noPanics struct{ testing.TB }

func (n noPanics) Write(b []byte) (int, error) {
	if bytes.Contains(b, []byte("panic")) {
		n.Errorf("the server says: %s", b)
	}
	return os.Stderr.Write(b)
}

// An answer of the origin, made from a number.
type spec struct {
	status   int
	head     http.Header
	body     []byte // as it is sent
	plain    []byte // without its coding
	lies     bool   // it is not in the coding that it says
	chunked  bool
	pieces   int
	trailer  http.Header
	early    bool // 103 before it
	ranges   bool // answered by http.ServeContent
	modified time.Time
}

func pick[T any](r *rand.Rand, list ...T) T { return list[r.IntN(len(list))] }

// pageText is a page, or what looks like one.
func pageText(r *rand.Rand) string {
	switch r.IntN(12) {
	case 0:
		return "<b>a fragment</b>"
	case 1:
		return ""
	case 2:
		return strings.Repeat("text without a tag ", r.IntN(50))
	}
	var b strings.Builder
	b.WriteString("<!doctype html>\n<html lang=en>\n<head>\n<title>Visit " + strconv.Itoa(r.IntN(1000)) + "</title>\n")
	if r.IntN(2) == 0 {
		b.WriteString("<script src=\"/old.js\"></script>\n")
	}
	b.WriteString("</head>\n<body>\n")
	if r.IntN(3) == 0 {
		b.WriteString("<form></form>\n")
	}
	b.WriteString(strings.Repeat("<p>stars and owls</p>\n", r.IntN(pick(r, 10, 200, 400))))
	b.WriteString("</body>\n</html>\n")
	return b.String()
}

func specOf(n uint64) *spec {
	r := rand.New(rand.NewPCG(n, 7))
	s := &spec{
		status: pick(r, 200, 200, 200, 200, 200, 200, 201, 202, 203, 204, 206, 301, 302, 304, 400, 403, 404, 410, 418,
			429, 500, 503), head: http.Header{}}
	kind := pick(r, "text/html", "text/html", "text/html", "text/html", "text/html; charset=utf-8",
		"TEXT/HTML;Charset=\"iso-8859-1\"", "text/html;charset=shift_jis", "text/html; charset=nonsense",
		"text/plain", "application/json", "text/css", "image/svg+xml", "application/xhtml+xml", "", "nonsense",
		"text/html-x")
	if kind != "" {
		s.head["Content-Type"] = []string{kind}
	} else {
		s.head["Content-Type"] = nil
	}
	s.plain = []byte(pageText(r))
	if r.IntN(6) == 0 { // no text at all
		s.plain = make([]byte, r.IntN(3000))
		for i := range s.plain {
			s.plain[i] = byte(r.Uint32())
		}
	}
	if r.IntN(40) == 0 {
		s.plain = append(s.plain, bytes.Repeat([]byte("<i>x</i>\n"), 40_000)...)
	}
	s.body = s.plain
	switch c := pick(r, "", "", "gzip", "br", "zstd", "gzip", "x-gzip", "deflate", "gzip, br", "lies"); c {
	case "":
	case "lies":
		s.head.Set("Content-Encoding", pick(r, "gzip", "br", "zstd"))
		s.lies = true
	case "deflate", "gzip, br":
		s.head.Set("Content-Encoding", c)
	default:
		s.head.Set("Content-Encoding", c)
		s.body, _ = encoded(s.plain, strings.TrimPrefix(c, "x-"))
		if r.IntN(10) == 0 {
			s.body = append(slices.Clone(s.body), "more"...)
			s.lies = true
		}
	}
	often := map[string][]string{
		"Cache-Control":    {"max-age=60", "no-store", "public, no-transform", "private", "No-Transform"},
		"Etag":             {`"abc"`, `W/"abc"`, `"a.b-c"`, `""`, "nonsense"},
		"Vary":             {"Accept", "Cookie, Accept-Encoding", "*"},
		"X-Frame-Options":  {"DENY"},
		"Link":             {"</a.css>; rel=preload"},
		"Content-Digest":   {"sha-256=:AAAA:"},
		"Repr-Digest":      {"sha-256=:AAAA:"},
		"Accept-Ranges":    {"bytes", "none"},
		"Content-Language": {"en", "de, en"},
		"Server":           {"origin/1.0"},
		"X-Robots-Tag":     {"noindex"},
		"Location":         {"https://elsewhere.example/", "/visit/"},
		"Retry-After":      {"120"},
		"Strange":          {"a  b\tc", "é"},
	}
	for _, name := range slices.Sorted(maps.Keys(often)) {
		if r.IntN(3) == 0 {
			s.head.Set(name, pick(r, often[name]...))
		}
	}
	if r.IntN(3) == 0 {
		s.head["Set-Cookie"] = []string{"a=1; Path=/", "b=2; HttpOnly"}
	}
	if r.IntN(3) == 0 {
		s.modified = time.Date(2026, 1, 1+r.IntN(28), 0, 0, 0, 0, time.UTC)
		s.head.Set("Last-Modified", s.modified.Format(http.TimeFormat))
	}
	s.chunked, s.pieces = r.IntN(2) == 0, 1+r.IntN(4)
	if s.chunked && r.IntN(4) == 0 {
		s.trailer = http.Header{"X-Trailer": {"late"}}
		if r.IntN(2) == 0 {
			s.trailer.Set("Content-Digest", "sha-256=:BBBB:")
		}
	}
	s.early = r.IntN(10) == 0
	s.ranges = s.status == 200 && r.IntN(4) == 0
	return s
}

// ServeHTTP answers as the spec says whose number the path ends with.
func answering(w http.ResponseWriter, r *http.Request) {
	_, _ = io.Copy(io.Discard, r.Body)
	n, _ := strconv.ParseUint(r.URL.Path[strings.LastIndexByte(r.URL.Path, '/')+1:], 10, 64)
	s := specOf(n)
	if s.early {
		w.Header().Set("Link", "</early.css>; rel=preload")
		w.WriteHeader(http.StatusEarlyHints)
		w.Header().Del("Link")
	}
	for name, lines := range s.head {
		w.Header()[name] = lines
	}
	if s.ranges {
		http.ServeContent(w, r, "", s.modified, bytes.NewReader(s.body))
		return
	}
	body := s.body
	if s.status == 204 || s.status == 304 {
		body = nil
	}
	if !s.chunked && body != nil {
		w.Header().Set("Content-Length", strconv.Itoa(len(body)))
	}
	for name := range s.trailer {
		w.Header().Add("Trailer", name)
	}
	w.WriteHeader(s.status)
	for i := range s.pieces {
		_, _ = w.Write(body[len(body)*i/s.pieces : len(body)*(i+1)/s.pieces])
		if s.chunked {
			_ = http.NewResponseController(w).Flush()
		}
	}
	for name, v := range s.trailer {
		w.Header()[name] = v
	}
}

// heard is an answer as a client has it.
type heard struct {
	status  int
	head    http.Header
	body    []byte
	trailer http.Header
	early   int
}

// requestOf makes a request from a number.
func requestOf(n uint64, base string) *http.Request {
	r := rand.New(rand.NewPCG(n, 11))
	dir := pick(r, "/visit/", "/members/", "/a%20b/", "/deep/er/")
	method := pick(r, "GET", "GET", "GET", "GET", "HEAD", "POST", "PUT", "OPTIONS", "DELETE")
	var body io.Reader
	if method == "POST" || method == "PUT" {
		body = strings.NewReader(strings.Repeat("form=1&", r.IntN(500)))
	}
	req, err := http.NewRequest(method, fmt.Sprintf("%s%s%d?x=%%zz;y&a=b", base, dir, n), body)
	if err != nil {
		panic(err)
	}
	set := func(name string, values ...string) {
		if v := pick(r, values...); v != "" {
			req.Header.Set(name, v)
		}
	}
	set("Accept-Encoding", "", "", "gzip", "gzip, deflate, br, zstd", "br;q=0.2, gzip;q=0.5", "identity", "*;q=0.1",
		"gzip;q=0, *", "zstd", "deflate")
	set("Accept", "", "text/html,*/*;q=0.8", "*/*", "application/json")
	tags := []string{"", "", "", `"abc"`, `W/"abc"`, `"x", "abc"`, "*", `"abc.yg000000000000"`}
	if method != "GET" && method != "HEAD" {
		tags = tags[:6] // of the gateway's own, the origin gets its own
	}
	set("If-None-Match", tags...)
	set("If-Modified-Since", "", "", "", "Thu, 15 Jan 2026 00:00:00 GMT")
	set("Range", "", "", "", "bytes=0-9", "bytes=5-", "bytes=-3", "bytes=0-1,4-5")
	if req.Header.Get("Range") != "" {
		set("If-Range", "", `"abc"`, "Thu, 15 Jan 2026 00:00:00 GMT")
	}
	set("User-Agent", "tern/1.0", "")
	set("Cookie", "", "session=7")
	return req
}

func hear(t testing.TB, req *http.Request, transport *http.Transport) heard {
	var h heard
	trace := early(&h)
	resp, err := transport.RoundTrip(req.WithContext(trace))
	if err != nil {
		t.Fatalf("%s %s: %v", req.Method, req.URL, err)
	}
	defer resp.Body.Close()
	h.status, h.head = resp.StatusCode, resp.Header
	if h.body, err = io.ReadAll(resp.Body); err != nil {
		t.Fatalf("%s %s: %v", req.Method, req.URL, err)
	}
	h.trailer = resp.Trailer
	return h
}

// mended are the fields that may differ where a page is gated.
var mended = []string{"Content-Length", "Content-Encoding", "Etag", "Last-Modified", "Vary", "Content-Digest",
	"Repr-Digest", "Accept-Ranges"}

// sameHead compares two heads without some fields.
func sameHead(a, b http.Header, without ...string) string {
	for name := range a {
		if !slices.Contains(without, name) && !slices.Equal(a[name], b[name]) {
			return fmt.Sprintf("%s: %q, by itself %q", name, b[name], a[name])
		}
	}
	for name := range b {
		if _, ok := a[name]; !ok && !slices.Contains(without, name) {
			return fmt.Sprintf("%s: %q, by itself nothing", name, b[name])
		}
	}
	return ""
}

// TestUntouched: whatever answers an origin gives to whatever requests, what is not gated reaches the
// client as without the gateway, and what is gated is what apply writes.
func TestUntouched(t *testing.T) {
	origin := httptest.NewServer(http.HandlerFunc(answering))
	defer origin.Close()
	front, g := before(t, origin.URL, nil)
	transport := &http.Transport{DisableCompression: true, MaxIdleConnsPerHost: 8}
	defer transport.CloseIdleConnections()
	n := uint64(testsize.Of(1000, 6000))
	gated := 0
	for i := range n {
		direct := hear(t, requestOf(i, origin.URL), transport)
		through := hear(t, requestOf(i, front.URL), transport)
		s, req := specOf(i), requestOf(i, front.URL)
		where := fmt.Sprintf("%d: %s %s %v\n%v", i, req.Method, req.URL.Path, req.Header, s.head)
		if direct.early != through.early {
			t.Errorf("%s: %d early hints, by itself %d", where, through.early, direct.early)
		}
		want, mayBe := wanted(g, s, direct, req)
		if !mayBe {
			// Parts have another boundary each time.
			if strings.HasPrefix(direct.head.Get("Content-Type"), "multipart/byteranges") {
				direct.head.Set("Content-Type", through.head.Get("Content-Type"))
				direct.body = bytes.ReplaceAll(direct.body, boundary(direct.body), boundary(through.body))
			}
			if len(direct.body) == 0 && direct.head.Get("Content-Length") == "" { // it came in pieces, and there were none
				through.head.Del("Content-Length")
			}
			if direct.status != through.status || !bytes.Equal(direct.body, through.body) {
				t.Errorf("%s: status %d with %d bytes, by itself %d with %d", where, through.status,
					len(through.body), direct.status, len(direct.body))
			}
			if diff := sameHead(direct.head, through.head, "Date", "Trailer"); diff != "" {
				t.Errorf("%s: %s", where, diff)
			}
			if diff := sameHead(direct.trailer, through.trailer); diff != "" {
				t.Errorf("%s: trailer %s", where, diff)
			}
			continue
		}
		gated++
		checkGated(t, where, s, req, direct, through, want)
	}
	if float64(gated) < 0.1*float64(n) {
		t.Errorf("only %d of %d were gated", gated, n)
	}
	t.Logf("%d answers, %d gated", n, gated)
}

// boundary is what stands before each part.
func boundary(body []byte) []byte {
	line, _, _ := bytes.Cut(body, []byte("\r\n"))
	return line
}

// wanted is what apply writes for an answer of the origin; ok is false for one that is not gated.
func wanted(g *Gateway, s *spec, direct heard, req *http.Request) (text []byte, ok bool) {
	status := direct.status
	kind := strings.ToLower(s.head.Get("Content-Type"))
	head := req.Method == http.MethodHead // that of a page, whatever the page would turn out to be
	reads := req.Method == http.MethodGet || head
	switch {
	case !s.ranges:
	case status == http.StatusNotModified, // the origin calls it unchanged, and the client has it without the gate
		status == http.StatusPartialContent && reads && (strings.HasPrefix(direct.head.Get("Content-Type"),
			"text/html") || mayBePage(req)),
		status == http.StatusRequestedRangeNotSatisfiable && reads && mayBePage(req):
		status = 200
	}
	switch {
	case kind != "text/html" && !strings.HasPrefix(kind, "text/html;"), s.lies && !head, status < 200, status == 204,
		status == 206, status >= 300 && status < 400, status == 416:
		return nil, false
	case strings.Contains(strings.ToLower(s.head.Get("Cache-Control")), "no-transform"), s.head.Get(
		"Content-Encoding") == "deflate", s.head.Get("Content-Encoding") == "gzip, br":
		return nil, false
	case !head && (int64(len(s.plain)) > g.Largest || int64(len(s.body)) > g.Largest):
		return nil, false
	case status == http.StatusPreconditionFailed:
		return nil, false
	case direct.status == http.StatusNotModified && !mayBePage(req):
		return nil, false
	}
	if req.Method == "OPTIONS" || req.Method == "DELETE" || req.Method == "PUT" || req.Method == "POST" ||
		req.Method == "GET" || req.Method == "HEAD" {
		file, _ := capture.FileOf(req.URL, true, false)
		pg := g.Gate.Now().Project.PageAt(file)
		pg.Answer = &page.Answer{Status: status, Fields: map[string][]string{"content-type": s.head["Content-Type"]},
			Path: page.Clean(req.URL.EscapedPath())}
		pg.Called(pg.Answer)
		r := g.Gate.Now().Project.Gate.Page(s.plain, pg)
		return r.File, head || !r.Fragment
	}
	return nil, false
}

// checkGated looks at a gated answer.
func checkGated(t *testing.T, where string, s *spec, req *http.Request, direct, through heard, want []byte) {
	t.Helper()
	if through.status == http.StatusNotModified {
		none := req.Header.Get("If-None-Match")
		if none != "*" && !(none == "" && req.Header.Get("If-Modified-Since") != "") {
			t.Errorf("%s: a 304 for %q", where, none)
		}
		return
	}
	status := direct.status
	if s.ranges {
		status = 200
	}
	if through.status != status {
		t.Errorf("%s: gated, with the status %d, by itself %d", where, through.status, direct.status)
		return
	}
	if direct.status == status {
		if diff := sameHead(direct.head, through.head,
			append([]string{"Date", "Trailer", "Content-Range"}, mended...)...); diff != "" {
			t.Errorf("%s: gated: %s", where, diff)
		}
	}
	for _, name := range []string{"Content-Digest", "Repr-Digest", "Accept-Ranges"} {
		if through.head.Get(name) != "" || through.trailer.Get(name) != "" {
			t.Errorf("%s: gated, with %s", where, name)
		}
	}
	coding := coding(through.head["Content-Encoding"])
	if s.head.Get("Content-Encoding") != "" &&
		!strings.Contains(strings.ToLower(strings.Join(through.head["Vary"], ",")), "accept-encoding") &&
		!strings.Contains(through.head.Get("Vary"), "*") {
		t.Errorf("%s: gated, from a coding, with Vary %q", where, through.head["Vary"])
	}
	if was := s.head.Get("Content-Encoding"); (was == "") != (coding == identity) &&
		quality(req.Header["Accept-Encoding"], "gzip")+quality(req.Header["Accept-Encoding"], "br")+
			quality(req.Header["Accept-Encoding"], "zstd") > 0 {
		t.Errorf("%s: sent in %s, by itself in %q", where, coding, was)
	}
	if coding != identity && quality(req.Header["Accept-Encoding"], coding) == 0 {
		t.Errorf("%s: sent in %s, which the client does not take", where, coding)
	}
	if tag := direct.head.Get("Etag"); strings.HasSuffix(tag, `"`) {
		if origin, _, ok := untagged(through.head.Get("Etag")); !ok || origin != tag ||
			(coding == identity) == strings.HasSuffix(through.head.Get("Etag"), "."+coding+`"`) {
			t.Errorf("%s: the tag %s became %s", where, tag, through.head.Get("Etag"))
		}
	}
	if req.Method == "HEAD" {
		return
	}
	if got, err := decoded(through.body, coding, 1<<30); err != nil || !bytes.Equal(got, want) {
		t.Errorf("%s: gated into %d bytes (%v), apply writes %d", where, len(got), err, len(want))
	}
	if n := through.head.Get("Content-Length"); n != "" && n != strconv.Itoa(len(through.body)) {
		t.Errorf("%s: a length of %s for %d bytes", where, n, len(through.body))
	}
}
