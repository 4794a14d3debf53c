package preview

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"yellowgate/internal/core/page"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/project"
	"yellowgate/internal/server/reload"
)

const gateFile = `yellowgate: 1
site: {source: site, output: public, url: "https://ternhill.example"}
blank-pages: [{path: /sky-camera/, title: Camera}]
items:
  counter: {code: "<i>counted</i>", pages: not /members/**}
`

// newSite writes a site and its gate file.
func newSite(t *testing.T) (dir string) {
	dir = t.TempDir()
	for name, text := range map[string]string{
		"yellowgate.yaml":           gateFile,
		"site/index.html":           "<!doctype html><title>Tern Hill</title><p>x",
		"site/visit/index.html":     "<!doctype html><title>Visit</title><p>x",
		"site/members/index.html":   "<!doctype html><title>Members</title><p>x",
		"site/about.html":           "<!doctype html><title>About</title><p>x",
		"site/404.html":             "<!doctype html><title>Nothing here</title><p>x",
		"site/part.html":            "<b>a fragment</b>",
		"site/wide/index.html":      utf16("<!doctype html><title>Wide</title><p>x"),
		"site/js/site.js":           "site();",
		"site/data.unknown-kind":    "<script>x</script>",
		"site/.env":                 "SECRET=1",
		"site/.well-known/security": "Contact: x",
		"secret.txt":                "secret",
		"site/café/index.html":      "<!doctype html><title>Café</title><p>x",
	} {
		name = filepath.Join(dir, name)
		if err := os.MkdirAll(filepath.Dir(name), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(name, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	_ = os.Symlink("../secret.txt", filepath.Join(dir, "site/linked.txt"))
	_ = os.Symlink("js/site.js", filepath.Join(dir, "site/same.js"))
	return dir
}

func utf16(s string) string {
	b := []byte{0xFF, 0xFE}
	for _, c := range []byte(s) {
		b = append(b, c, 0)
	}
	return string(b)
}

func handler(t *testing.T, dir string, change func(*Options)) (http.Handler, *reload.Watcher) {
	g := reload.Open(reload.Options{Gate: filepath.Join(dir, "yellowgate.yaml"), Walk: true})
	o := Options{Gate: g,
		Pages: func(w io.Writer, p *project.Project, q string) error {
			fmt.Fprint(w, len(p.Pages), " pages ", q)
			return nil
		},
		Audit: func(w io.Writer, p *project.Project, pg *page.Page) error {
			fmt.Fprint(w, "audit of ", pg.Path)
			return nil
		},
		Why: func(w io.Writer, p *project.Project, pg *page.Page) error {
			fmt.Fprint(w, "why ", pg.Path)
			return nil
		},
		Problems: func(w io.Writer, ps []problem.Problem, err error) error {
			fmt.Fprint(w, "wrong: ", ps, err)
			return nil
		}}
	if change != nil {
		change(&o)
	}
	return Handler(t.Context(), o), g
}

// get asks for a path; more are lines of a head.
func get(h http.Handler, method, target string, more ...string) *http.Response {
	r := httptest.NewRequest(method, "http://localhost:8700/", nil)
	r.RequestURI = target
	if u, err := url.ParseRequestURI(target); err == nil { // as a server reads it
		r.URL = u
	}
	for _, line := range more {
		name, value, _ := strings.Cut(line, ": ")
		if r.Header.Set(name, value); name == "Host" {
			r.Host = value
		}
	}
	w := httptest.NewRecorder()
	h.ServeHTTP(w, r)
	return w.Result()
}

func body(r *http.Response) string {
	b, _ := io.ReadAll(r.Body)
	return string(b)
}

// TestAnswers: what is asked for, and what comes.
func TestAnswers(t *testing.T) {
	h, _ := handler(t, newSite(t), func(o *Options) { o.Names = []string{"tern.lan"} })
	counted := "<i>counted</i>"
	for _, c := range []struct {
		method, target string
		more           string
		status         int
		want           string // in the body; "!" before what must not be
	}{
		{"GET", "/", "", 200, counted},
		{"GET", "/index.html", "", 200, counted},
		{"GET", "/visit/", "", 200, counted},
		{"GET", "/visit/?utm=1", "", 200, counted},
		{"GET", "/visit", "", 302, "/visit/"},
		{"GET", "/visit?a=b", "", 302, "/visit/?a=b"},
		{"GET", "//visit", "", 302, "/visit/"},
		{"GET", "/visit/index.html", "", 200, counted},
		{"GET", "/about.html", "", 200, counted},
		{"GET", "/members/", "", 200, "!" + counted},
		{"GET", "/sky-camera/", "", 200, "<title>Camera</title>"},
		{"GET", "/caf%C3%A9/", "", 200, "Café"},
		{"GET", "/part.html", "", 200, "!" + counted},
		{"GET", "/js/site.js", "", 200, "site();"},
		{"GET", "/same.js", "", 200, "site();"},
		{"GET", "/nothing/", "", 404, "Nothing here"},
		{"GET", "/linked.txt", "", 404, "!secret"},
		{"GET", "/.env", "", 404, "!SECRET"},
		{"GET", "/.well-known/security", "", 200, "Contact"},
		{"GET", "/../secret.txt", "", 404, "!secret"},
		{"GET", "/%2e%2e/secret.txt", "", 404, "!secret"},
		{"GET", "/js/..%2f..%2fsecret.txt", "", 404, "!secret"},
		{"GET", "/js/..%5c..%5csecret.txt", "", 404, "!secret"},
		{"GET", "/%00", "", 404, ""},
		{"GET", "/js/site.js/", "", 404, "!site()"},
		{"POST", "/", "", 405, "GET and HEAD"},
		{"OPTIONS", "/", "", 405, "GET and HEAD"},
		{"HEAD", "/visit/", "", 200, "!x"},
		{"GET", "/visit/", "Host: evil.example", 421, "evil.example"},
		{"GET", "/visit/", "Host: tern.lan:8700", 200, counted},
		{"GET", "/visit/", "Host: 192.0.2.7", 200, counted},
		{"GET", "/visit/", "Host: [::1]:8700", 200, counted},
		{"GET", "/visit/", "Host: a.localhost.", 200, counted},
		{"GET", "/visit/", "Host: localhost.evil.example", 421, ""},
		{"GET", "/js/site.js", "Range: bytes=0-3", 206, "site"},
		{"GET", Own, "", 200, "9 pages"},
		{"GET", Own + "?pages=/visit/", "", 200, "/visit/"},
		{"GET", Own + "audit?page=/visit/", "", 200, "audit of /visit/"},
		{"GET", Own + "audit?page=/none/", "", 404, "/none/"},
		{"GET", Own + "page?page=/visit/", "", 200, "why /visit/"},
		{"GET", Own + "page?page=/none/", "", 404, "/none/"},
		{"GET", Own + "reload.js", "", 200, "EventSource"},
		{"GET", Own + "other", "", 404, Own},
		{"GET", "/.yellowgate", "", 404, ""},
	} {
		var more []string
		if c.more != "" {
			more = append(more, c.more)
		}
		r := get(h, c.method, c.target, more...)
		text := body(r)
		if r.StatusCode == http.StatusFound {
			text = r.Header.Get("Location")
		}
		unwanted, not := strings.CutPrefix(c.want, "!")
		if r.StatusCode != c.status || not && strings.Contains(text, unwanted) || !not && !strings.Contains(text, c.want) {
			t.Errorf("%s %s %s: %d, want %d with %q:\n%s", c.method, c.target, c.more, r.StatusCode, c.status, c.want, text)
		}
	}
	if r := get(h, "HEAD", "/visit/"); r.Header.Get("Content-Length") != fmt.Sprint(len(body(get(h, "GET", "/visit/")))) {
		t.Error("HEAD has another length than GET")
	}
	if got := get(h, "GET", "/data.unknown-kind").Header.Get("Content-Type"); got != "application/octet-stream" {
		t.Errorf("a file of an unknown kind is sent as %q", got)
	}
}

// TestReload: what loads a page again goes to browsers alone, and into no page that it would spoil.
func TestReload(t *testing.T) {
	h, _ := handler(t, newSite(t), nil)
	const browser = "Accept: text/html,application/xhtml+xml,*/*;q=0.8"
	for target, want := range map[string]bool{"/visit/": true, "/about.html": true, "/nothing/": true, Own: true,
		"/wide/": false, "/js/site.js": false, Own + "reload.js": false} {
		plain, seen := body(get(h, "GET", target)), body(get(h, "GET", target, browser))
		if strings.Contains(plain, "reload.js") {
			t.Errorf("%s: curl gets what loads again", target)
		}
		if rest, has := strings.CutPrefix(seen, plain); !has || (rest != "") != want ||
			want &&
				!strings.Contains(rest,
					`<!--yg:serve-reload--><script src="/.yellowgate/reload.js?1" async></script>`) {
			t.Errorf("%s: a browser gets %q after the page", target, rest)
		}
	}
}

// TestBroken: a gate with a mistake is shown in place of every page until it is mended; a page that
// cannot be gated shows its own.
func TestBroken(t *testing.T) {
	dir := newSite(t)
	h, _ := handler(t, dir, nil)
	source, _ := handler(t, dir, func(o *Options) { o.Source = true })
	gate := filepath.Join(dir, "yellowgate.yaml")
	set := func(text string) {
		if err := os.WriteFile(gate, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	set(strings.Replace(gateFile, "items:", "itemz:", 1))
	for _, target := range []string{"/visit/", "/js/site.js", Own, Own + "audit?page=/visit/"} {
		if r := get(h, "GET", target); r.StatusCode != 500 || !strings.Contains(body(r), "wrong: ") {
			t.Errorf("%s of a broken gate: %d", target, r.StatusCode)
		}
	}
	if r := get(source, "GET", "/visit/"); r.StatusCode != 200 || strings.Contains(body(r), "counted") {
		t.Errorf("--source of a broken gate: %d", r.StatusCode)
	}
	set(strings.Replace(gateFile, "counted", "counted again", 1))
	if text := body(get(h, "GET", "/visit/")); !strings.Contains(text, "counted again") {
		t.Errorf("mended: %s", text)
	}
	set(gateFile + "  twice: {found: p, pages: all, place: {before: '[a=\"1\"]'}, code: '<b>x</b>'}\n")
	if r := get(h, "GET", "/visit/"); r.StatusCode != 200 && r.StatusCode != 500 {
		t.Errorf("a page with a problem of its own: %d", r.StatusCode)
	}
	if err := os.Remove(gate); err != nil {
		t.Fatal(err)
	}
	if r := get(h, "GET", "/visit/"); r.StatusCode != 500 || !strings.Contains(body(r), "no such file") {
		t.Errorf("without a gate file: %d", r.StatusCode)
	}
}

// TestCaptured: what a capture kept of the head is sent again.
func TestCaptured(t *testing.T) {
	dir := newSite(t)
	record := `{"url":"http://127.0.0.1:8000/visit/","file":"visit/index.html","status":200,"headers":{"content-type":["text/html; charset=koi8-r"],"content-security-policy":["default-src 'self'"],"cache-control":["max-age=600"]}}`
	if err := os.WriteFile(filepath.Join(dir, "site/.yellowgate-capture.ndjson"), []byte(record), 0o644); err != nil {
		t.Fatal(err)
	}
	h, _ := handler(t, dir, nil)
	r := get(h, "GET", "/visit/")
	if r.Header.Get("Content-Type") != "text/html; charset=koi8-r" ||
		r.Header.Get("Content-Security-Policy") != "default-src 'self'" ||
		r.Header.Get("Cache-Control") != "no-store" {
		t.Errorf("the head: %v", r.Header)
	}
	if r := get(h, "GET", "/.yellowgate-capture.ndjson"); r.StatusCode != 404 {
		t.Errorf("the record of the capture is served: %d", r.StatusCode)
	}
}

// TestEvents: a browser that waits is told of each state, and let go when the server ends.
func TestEvents(t *testing.T) {
	dir := newSite(t)
	g := reload.Open(reload.Options{Gate: filepath.Join(dir, "yellowgate.yaml"), Walk: true})
	ctx, stop := context.WithCancel(t.Context())
	s := httptest.NewServer(Handler(ctx, Options{Gate: g}))
	defer s.Close()
	r, err := http.Get(s.URL + Own + "events")
	if err != nil {
		t.Fatal(err)
	}
	defer r.Body.Close()
	lines := bufio.NewScanner(r.Body)
	next := func() string {
		for lines.Scan() {
			if lines.Text() != "" {
				return lines.Text()
			}
		}
		return "the end"
	}
	if got := next(); got != "data: 1" || r.Header.Get("Content-Type") != "text/event-stream" {
		t.Errorf("at first: %q", got)
	}
	g.Again()
	if got := next(); got != "data: 2" {
		t.Errorf("after a change: %q", got)
	}
	end := time.AfterFunc(5*time.Second,
		func() { t.Error("the connection does not end with the server"); s.CloseClientConnections() })
	stop()
	if got := next(); got != "the end" {
		t.Errorf("at the end: %q", got)
	}
	end.Stop()
}
