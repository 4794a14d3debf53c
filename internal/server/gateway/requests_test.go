package gateway

import (
	"bufio"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"
)

// Who asks, and what is asked: requests that lie, break, or want parts.

// TestForwarded: the application learns who asks; nobody can say that he is somebody else, unless the
// gateway is told that a proxy is before it.
func TestForwarded(t *testing.T) {
	origin := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		fmt.Fprintf(w, "%s|%s|%s|%s|%s|%s|%s", r.Host, r.Header.Get("X-Forwarded-For"),
			r.Header.Get("X-Forwarded-Host"), r.Header.Get("X-Forwarded-Proto"),
			strings.Join(r.Header["Forwarded"], ";;"), r.Header.Get("Keep-Alive")+r.Header.Get("X-Hop"),
			r.URL.RequestURI())
	}))
	defer origin.Close()
	lines := []string{"Host: ternhill.example", "X-Forwarded-For: 192.0.2.9", "X-Forwarded-Proto: https",
		"X-Forwarded-Host: shop.example", "Forwarded: for=192.0.2.9;proto=https", "Connection: X-Hop", "X-Hop: 1",
		"Keep-Alive: 3"}
	front, _ := before(t, origin.URL, nil)
	if _, got := mustAsk(t, "GET", front.URL+"/a//b/../%2e?x=%zz;y", lines...); got !=
		"ternhill.example|127.0.0.1|ternhill.example|http|for=127.0.0.1;host=ternhill.example;proto=http||/a//b/../%2e?x=%zz;y" {
		t.Errorf("by itself: %s", got)
	}
	behind, _ := before(t, origin.URL, func(o *Options) { o.Trusted = Private })
	if _, got := mustAsk(t, "GET", behind.URL+"/", lines...); got !=
		"ternhill.example|192.0.2.9, 127.0.0.1|shop.example|https|for=192.0.2.9;proto=https, for=127.0.0.1;host=ternhill.example;proto=http||/" {
		t.Errorf("behind a proxy: %s", got)
	}
	for in, want := range map[string]string{"a.example": "a.example", "a.example:80": `"a.example:80"`,
		`x"y`: `"x\"y"`, "": `""`} {
		if got := quoted(in); got != want {
			t.Errorf("quoted %s: %s", in, got)
		}
	}
}

// TestWhoAsks: what a client says of itself in a proxy's name does not reach the application; behind another
// proxy, what that says does.
func TestWhoAsks(t *testing.T) {
	var got http.Header
	var host string
	origin := httptest.NewServer(
		http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { got, host = r.Header, r.Host }))
	defer origin.Close()
	forged := []string{"X_Forwarded_For", "X_FORWARDED_PROTO", "X-Real-IP", "x_real_ip", "X-Forwarded-Port",
		"X-Forwarded-Server", "X-Forwarded-Prefix", "X-Forwarded-Scheme", "X-Forwarded-Ssl", "X-Forwarded",
		"Forwarded-For", "True-Client-IP", "X-Client-IP", "Client-IP", "X-Cluster-Client-IP", "Proxy",
		"X-Original-URL", "X-Rewrite-URL", "X-Original-Host", "Front-End-Https", "X-Url-Scheme", "X-Host",
		"X-Remote-User", "X-SSL-Client-Verify", "Any_Thing", "X-Forwarded-For", "Forwarded", "X-Forwarded-Host",
		"X-Forwarded-Proto"}
	var lines []string
	for _, name := range forged {
		lines = append(lines, name+": 203.0.113.9")
	}
	front, _ := before(t, origin.URL, nil)
	mustAsk(t, "GET", front.URL+"/visit/",
		append(lines, "Host: ternhill.example:8443", "X-Requested-With: fetch", "Accept-Language: en")...)
	for name, values := range got {
		if strings.Contains(strings.Join(values, ","), "203.0.113.9") {
			t.Errorf("%s: %s reaches the application", name, values)
		}
	}
	for name, want := range map[string]string{"X-Real-Ip": "127.0.0.1", "X-Forwarded-For": "127.0.0.1",
		"X-Forwarded-Port": "8443", "X-Forwarded-Host": "ternhill.example:8443", "X-Forwarded-Proto": "http",
		"X-Requested-With": "fetch", "Accept-Language": "en", "Proxy": ""} {
		if got.Get(name) != want {
			t.Errorf("%s: %q, want %q", name, got.Get(name), want)
		}
	}
	behind, _ := before(t, origin.URL, func(o *Options) { o.Trusted = Private })
	mustAsk(t, "GET", behind.URL+"/visit/", "X-Forwarded-For: 203.0.113.9", "X-Forwarded-Proto: https",
		"X-Forwarded-Port: 443", "X-Real-IP: 203.0.113.9")
	for name, want := range map[string]string{"X-Forwarded-For": "203.0.113.9, 127.0.0.1",
		"X-Forwarded-Proto": "https", "X-Forwarded-Port": "443", "X-Real-Ip": "203.0.113.9"} {
		if got.Get(name) != want {
			t.Errorf("behind a proxy: %s: %q, want %q", name, got.Get(name), want)
		}
	}
	// HTTP/1.0 without a host: the site's own, never the address of the application.
	c, err := net.Dial("tcp", strings.TrimPrefix(front.URL, "http://"))
	if err != nil {
		t.Fatal(err)
	}
	defer c.Close()
	fmt.Fprint(c, "GET /visit/ HTTP/1.0\r\n\r\n")
	if resp, err := http.ReadResponse(bufio.NewReader(c), nil); err != nil || resp.StatusCode != 200 ||
		host != "ternhill.example" {
		t.Errorf("HTTP/1.0: %v, host %q (%v)", resp, host, err)
	}
	bare, _ := newGate(t, "yellowgate: 1\nitems: {}\n")
	nameless, _ := before(t, origin.URL, func(o *Options) { o.Gate = bare })
	c, err = net.Dial("tcp", strings.TrimPrefix(nameless.URL, "http://"))
	if err != nil {
		t.Fatal(err)
	}
	defer c.Close()
	fmt.Fprint(c, "GET /visit/ HTTP/1.0\r\n\r\n")
	if resp, err := http.ReadResponse(bufio.NewReader(c), nil); err != nil || resp.StatusCode != 400 {
		t.Errorf("HTTP/1.0, of a site without an address: %v (%v)", resp, err)
	}
}

// TestMalformed: a request that would become two, a body that breaks off and an upgrade to nonsense are the
// client's mistakes, and say nothing of the origin.
func TestMalformed(t *testing.T) {
	var asked atomic.Int32
	origin := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked.Add(1)
		_, err := io.Copy(io.Discard, r.Body)
		if err != nil {
			panic(http.ErrAbortHandler)
		}
	}))
	defer origin.Close()
	front, g := before(t, origin.URL, nil)
	for _, address := range []string{"/visit/ HTTP/1.1\r\nX-Smuggled: 1\r\n\r\nGET /", "/visit/?a= HTTP/1.1",
		"/visit/?a=\tb", "/a\x01b", "/visit/?a=\x7f"} {
		r := httptest.NewRequest("GET", "/", nil)
		path, query, _ := strings.Cut(address, "?")
		r.URL.Path, r.URL.RawQuery, r.RequestURI = path, query, address
		w := httptest.NewRecorder()
		g.ServeHTTP(w, r)
		if w.Code != 400 {
			t.Errorf("%q: status %d", address, w.Code)
		}
	}
	if n := asked.Load(); n != 0 {
		t.Errorf("%d of them reached the origin", n)
	}
	if n := passedNow(g, passedMalformed); n != 5 {
		t.Errorf("%v are counted", n)
	}
	for what, head := range map[string]string{
		"chunks that are none": "POST /visit/ HTTP/1.1\r\nHost: x\r\nTransfer-Encoding: chunked\r\n\r\n5\r\nhello\r\nzz\r\n",
		"an upgrade":           "GET /visit/ HTTP/1.1\r\nHost: x\r\nConnection: upgrade\r\nUpgrade: \x80\xff\r\n\r\n",
	} {
		c, err := net.Dial("tcp", strings.TrimPrefix(front.URL, "http://"))
		if err != nil {
			t.Fatal(err)
		}
		fmt.Fprint(c, head)
		resp, err := http.ReadResponse(bufio.NewReader(c), nil)
		if err != nil || resp.StatusCode != 400 {
			t.Errorf("%s: %v (%v)", what, resp, err)
		}
		c.Close()
	}
	if ok, why := g.Seen.origin.state(); !ok {
		t.Errorf("the origin is called down: %s", why)
	}
}

// TestPartsOfPages: no part of a page reaches a client without the gate; parts of files do.
func TestPartsOfPages(t *testing.T) {
	file := strings.Repeat("0123456789", 100)
	origin := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if strings.HasSuffix(r.URL.Path, ".bin") {
			w.Header().Set("Content-Type", "application/octet-stream")
			http.ServeContent(w, r, "", time.Time{}, strings.NewReader(file))
			return
		}
		w.Header().Set("Content-Type", "text/html")
		http.ServeContent(w, r, "", time.Time{}, strings.NewReader(aPage))
	}))
	defer origin.Close()
	front, _ := before(t, origin.URL, nil)
	_, whole := mustAsk(t, "GET", front.URL+"/visit/")
	for _, part := range []string{"bytes=0-9", "bytes=20-", "bytes=0-1,4-5", fmt.Sprintf("bytes=%d-", len(aPage)+5)} {
		for _, accept := range []string{"text/html", "application/x"} {
			resp, body := mustAsk(t, "GET", front.URL+"/visit/", "Range: "+part, "Accept: "+accept)
			if accept == "text/html" && (resp.StatusCode != 200 || body != whole) ||
				resp.StatusCode == 206 && strings.HasPrefix(resp.Header.Get("Content-Type"), "text/html") {
				t.Errorf("%s, %s: %d\n%s", part, accept, resp.StatusCode, body)
			}
		}
	}
	if resp, body := mustAsk(t, "GET", front.URL+"/x.bin", "Range: bytes=5-9"); resp.StatusCode != 206 || body != "56789" {
		t.Errorf("a file: %d %q", resp.StatusCode, body)
	}
	if resp, _ := mustAsk(t, "GET", front.URL+"/x.bin", "Range: bytes=5000-"); resp.StatusCode != 416 {
		t.Errorf("a file: %d", resp.StatusCode)
	}
}

// TestEarlyAnswer: an origin that answers before it has read the request's body has both passed on to their ends.
func TestEarlyAnswer(t *testing.T) {
	const size = 300_000
	answer, form := strings.Repeat("stars ", size/6), strings.Repeat("owl=1&", size/6)
	got := make(chan int64, 1)
	origin := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		_ = http.NewResponseController(w).EnableFullDuplex()
		w.Header().Set("Content-Type", "text/plain")
		_, _ = io.WriteString(w, answer[:size/2])
		_ = http.NewResponseController(w).Flush()
		n, _ := io.Copy(io.Discard, r.Body)
		got <- n
		_, _ = io.WriteString(w, answer[size/2:])
	}))
	defer origin.Close()
	front, _ := before(t, origin.URL, nil)
	c, err := net.Dial("tcp", strings.TrimPrefix(front.URL, "http://"))
	if err != nil {
		t.Fatal(err)
	}
	defer c.Close()
	fmt.Fprintf(c, "POST /visit/ HTTP/1.1\r\nHost: x\r\nContent-Length: %d\r\n\r\n%s", size, form[:1000])
	resp, err := http.ReadResponse(bufio.NewReader(c), nil)
	if err != nil {
		t.Fatal(err)
	}
	head := make([]byte, size/2)
	if _, err := io.ReadFull(resp.Body, head); err != nil {
		t.Fatalf("the first half: %v", err)
	}
	fmt.Fprint(c, form[1000:])
	rest, err := io.ReadAll(resp.Body)
	if n := <-got; err != nil || string(head)+string(rest) != answer || n != size {
		t.Errorf("%d bytes of the answer (%v), %d of the form", len(head)+len(rest), err, n)
	}
}

// TestHostile: what clients do wrong is refused or ends, and no request hides in another.
func TestHostile(t *testing.T) {
	var mu sync.Mutex
	var seen []string
	origin := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		b, _ := io.ReadAll(r.Body)
		mu.Lock()
		seen = append(seen, r.Method+" "+r.URL.RequestURI()+" "+string(b))
		mu.Unlock()
		fmt.Fprint(w, "ok")
	}))
	defer origin.Close()
	front, _ := before(t, origin.URL, func(o *Options) { o.Client = 300 * time.Millisecond })
	say := func(text string) (status int, rest string) {
		c, err := net.Dial("tcp", strings.TrimPrefix(front.URL, "http://"))
		if err != nil {
			t.Fatal(err)
		}
		defer c.Close()
		_ = c.SetDeadline(time.Now().Add(5 * time.Second))
		_, _ = io.WriteString(c, text)
		in := bufio.NewReader(c)
		resp, err := http.ReadResponse(in, nil)
		if err != nil {
			return 0, err.Error()
		}
		b, _ := io.ReadAll(resp.Body)
		return resp.StatusCode, string(b)
	}
	const host = "Host: ternhill.example\r\n"
	for _, c := range []struct {
		name, text string
		status     []int
	}{
		{"two lengths",
			"POST / HTTP/1.1\r\n" + host +
				"Content-Length: 3\r\nContent-Length: 40\r\n\r\nabcGET /hidden HTTP/1.1\r\n\r\n", []int{400}},
		{"a length that is none", "POST / HTTP/1.1\r\n" + host + "Content-Length: +3\r\n\r\nabc", []int{400}},
		{"an encoding that is none", "POST / HTTP/1.1\r\n" + host + "Transfer-Encoding: xchunked\r\n\r\n0\r\n\r\n",
			[]int{400, 501}},
		{"two encodings",
			"POST / HTTP/1.1\r\n" + host +
				"Transfer-Encoding: chunked\r\nTransfer-Encoding: identity\r\n\r\n0\r\n\r\n", []int{400, 501}},
		{"a space before the colon", "GET / HTTP/1.1\r\n" + host + "Content-Length : 3\r\n\r\n", []int{400}},
		{"a bare line end in a name", "GET / HTTP/1.1\r\n" + host + "X\ny: z\r\n\r\n", []int{400}},
		{"no host", "GET / HTTP/1.1\r\n\r\n", []int{400}},
		{"two hosts", "GET / HTTP/1.1\r\nHost: a\r\nHost: b\r\n\r\n", []int{400}},
		{"a head of 1 MB and more", "GET / HTTP/1.1\r\n" + host + "X: " + strings.Repeat("x", 3<<20) + "\r\n\r\n",
			[]int{431, 0}},
		{"a piece whose length is nonsense",
			"POST / HTTP/1.1\r\n" + host + "Transfer-Encoding: chunked\r\n\r\nzz\r\nabc\r\n0\r\n\r\n",
			[]int{400, 502, 0}},
	} {
		status, says := say(c.text)
		ok := false
		for _, s := range c.status {
			ok = ok || s == status
		}
		if !ok {
			t.Errorf("%s: %d %s", c.name, status, says)
		}
	}
	// Both a length and an encoding: the encoding counts, the length goes, and what follows is no request.
	say("POST /both HTTP/1.1\r\n" + host +
		"Content-Length: 60\r\nTransfer-Encoding: chunked\r\nConnection: close\r\n\r\n3\r\nabc\r\n0\r\n\r\nGET /hidden HTTP/1.1\r\n" +
		host + "\r\n")
	// A body that never ends, or never comes, is given up.
	began := time.Now()
	if status, _ := say("POST /trickle HTTP/1.1\r\n" + host + "Content-Length: 1000\r\n\r\nabc"); time.Since(began) >
		4*time.Second {
		t.Errorf("a body that never comes held it for %s (status %d)", time.Since(began), status)
	}
	mu.Lock()
	defer mu.Unlock()
	for _, s := range seen {
		if strings.Contains(s, "/hidden") && strings.HasPrefix(s, "GET") {
			t.Errorf("a request that was hidden in another came to the origin: %q", seen)
		}
		if strings.HasPrefix(s, "POST /both") && s != "POST /both abc" {
			t.Errorf("the origin got %q", s)
		}
	}
}

// TestConnectionsAreKept: whatever becomes of an answer, its connection to the origin is used again.
func TestConnectionsAreKept(t *testing.T) {
	origin := httptest.NewUnstartedServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/html")
		w.Header().Set("Etag", `"one"`)
		text := aPage + strings.Repeat("<p>owls</p>\n", 2000)
		if r.URL.Path == "/fragment" {
			text = strings.Repeat("<b>x</b>", 2000)
		}
		http.ServeContent(w, r, "", time.Time{}, strings.NewReader(text))
	}))
	var made atomic.Int64
	origin.Config.ConnState = func(_ net.Conn, s http.ConnState) {
		if s == http.StateNew {
			made.Add(1)
		}
	}
	origin.Start()
	defer origin.Close()
	front, _ := before(t, origin.URL, nil)
	for i := range 20 {
		for _, path := range []string{"/", "/fragment"} {
			for _, method := range []string{"GET", "HEAD"} {
				mustAsk(t, method, front.URL+path)
				mustAsk(t, method, front.URL+path, `If-None-Match: "one"`)
				mustAsk(t, method, front.URL+path, fmt.Sprintf("Range: bytes=%d-", i))
			}
		}
	}
	if n := made.Load(); n > 6 {
		t.Errorf("%d connections were made for 240 requests", n)
	}
}
