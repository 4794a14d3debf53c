package capture

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/andybalholm/brotli"
	"github.com/klauspost/compress/gzip"
	"github.com/klauspost/compress/zstd"

	"yellowgate/internal/failure"
	"yellowgate/internal/site"
)

// pageOf is a page with a body.
func pageOf(body string) string {
	return "<!doctype html><html lang=en><head><meta charset=utf-8><title>Tern Hill</title></head><body>" + body +
		"</body></html>"
}

// origin is a server whose answers are functions of their own, and what it was asked for.
type origin struct {
	*httptest.Server
	mu    sync.Mutex
	asked []*http.Request
	mux   *http.ServeMux
}

func newOrigin(t *testing.T) *origin {
	o := &origin{mux: http.NewServeMux()}
	o.Server = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		o.mu.Lock()
		o.asked = append(o.asked, r.Clone(context.Background()))
		o.mu.Unlock()
		o.mux.ServeHTTP(w, r)
	}))
	t.Cleanup(o.Close)
	return o
}

// text answers at a path, exactly, with a body.
func (o *origin) text(path, kind, body string) {
	pattern := path
	if strings.HasSuffix(path, "/") {
		pattern += "{$}"
	}
	o.mux.HandleFunc(pattern, func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", kind)
		fmt.Fprint(w, body)
	})
}

func (o *origin) page(path, body string) { o.text(path, "text/html; charset=utf-8", pageOf(body)) }

// paths are the paths asked for, sorted, but for robots.txt and the sitemap.
func (o *origin) paths() (out []string) {
	o.mu.Lock()
	defer o.mu.Unlock()
	for _, r := range o.asked {
		if p := r.URL.RequestURI(); p != "/robots.txt" && p != "/sitemap.xml" {
			out = append(out, p)
		}
	}
	slices.Sort(out)
	return out
}

func (o *origin) capture(t *testing.T, set func(*Options)) (*Summary, string) {
	t.Helper()
	s, dir, err := o.tryCapture(t, set)
	if err != nil {
		t.Fatal(err)
	}
	return s, dir
}

func (o *origin) tryCapture(t *testing.T, set func(*Options)) (*Summary, string, error) {
	t.Helper()
	start, err := url.Parse(o.URL + "/")
	if err != nil {
		t.Fatal(err)
	}
	options := Options{Start: start, Dir: filepath.Join(t.TempDir(), "captured"), Patience: time.Minute}
	if set != nil {
		set(&options)
	}
	ctx, cancel := context.WithTimeout(t.Context(), time.Minute)
	defer cancel()
	s, err := Capture(ctx, options)
	return s, options.Dir, err
}

// files lists what a folder has, sorted, without what the capture says of it.
func files(t *testing.T, dir string) (out []string) {
	t.Helper()
	err := filepath.WalkDir(dir, func(name string, d os.DirEntry, err error) error {
		if err == nil && !d.IsDir() && d.Name() != site.CaptureName {
			rel, _ := filepath.Rel(dir, name)
			out = append(out, filepath.ToSlash(rel))
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	return out
}

// lines are what a capture says, by path and query.
func lines(t *testing.T, dir string) map[string]site.Captured {
	t.Helper()
	b, err := os.ReadFile(filepath.Join(dir, site.CaptureName))
	if err != nil {
		t.Fatal(err)
	}
	out := map[string]site.Captured{}
	for line := range bytes.Lines(b) {
		var c site.Captured
		if err := json.Unmarshal(line, &c); err != nil {
			t.Fatal(err)
		}
		u, err := url.Parse(c.URL)
		if err != nil {
			t.Fatal(err)
		}
		if _, twice := out[u.RequestURI()]; twice {
			t.Errorf("%s has two lines", u.RequestURI())
		}
		out[u.RequestURI()] = c
	}
	return out
}

// TestCapture: pages are found along every kind of link, with what they load and what that loads.
func TestCapture(t *testing.T) {
	o := newOrigin(t)
	o.page("/",
		`<base href="/x/"><a href="../visit/">v</a><a href="https://elsewhere.example/a">e</a><a href=mailto:a@b.example>m</a><iframe src=/frame></iframe><map><area href=/area.html></map><img src=/i.png srcset="/i2.png 2x, /i3.png 3x"><a href="/visit/#top">again</a><a href=/guide.pdf>p</a>`)
	o.page("/visit/",
		`<link rel=stylesheet href=/s.css><script type=module>import "/m.js"</script><style>a{background:url(/b.png)}</style><a href="/">home</a><a href=/index.html>home</a><a href="/gone">g</a>`)
	o.page("/index.html",
		`<base href="/x/"><a href="../visit/">v</a><a href="https://elsewhere.example/a">e</a><a href=mailto:a@b.example>m</a><iframe src=/frame></iframe><map><area href=/area.html></map><img src=/i.png srcset="/i2.png 2x, /i3.png 3x"><a href="/visit/#top">again</a><a href=/guide.pdf>p</a>`)
	o.page("/frame", "f")
	o.page("/area.html", "")
	o.page("/listed", "only the sitemap knows it")
	o.text("/s.css", "text/css", "@import '/t.css'; a{src:url(f.woff2)}")
	o.text("/t.css", "text/css", "")
	o.text("/m.js", "text/javascript", "import './n.js'")
	o.text("/n.js", "text/javascript", "n()")
	for _, name := range []string{"/i.png", "/i2.png", "/i3.png", "/b.png"} {
		o.text(name, "image/png", "png")
	}
	o.text("/f.woff2", "font/woff2", "f")
	o.text("/guide.pdf", "application/pdf", "%PDF")
	o.text("/robots.txt", "text/plain", "User-agent: *\nDisallow: /frame/\nSitemap: "+o.URL+"/maps/all.xml\n")
	o.text("/maps/all.xml", "application/xml",
		"<sitemapindex><sitemap><loc>"+o.URL+"/maps/one.xml</loc></sitemap><sitemap><loc>"+o.URL+
			"/maps/all.xml</loc></sitemap></sitemapindex>")
	o.text("/maps/one.xml", "application/xml", "<urlset><url><loc>"+o.URL+"/listed</loc></url></urlset>")
	s, dir := o.capture(t, nil)
	want := []string{"area.html", "b.png", "f.woff2", "frame/index.html", "guide.pdf", "i.png", "i2.png", "i3.png",
		"index.html", "listed/index.html", "m.js", "maps/all.xml", "maps/one.xml", "n.js", "robots.txt", "s.css",
		"t.css", "visit/index.html"}
	if got := files(t, dir); !slices.Equal(got, want) {
		t.Errorf("kept %q", got)
	}
	if s.Pages != 5 || s.Files != 13 || len(s.Dead) != 1 || s.Dead[0].Status != 404 ||
		!slices.Equal(s.Dead[0].From, []string{o.URL + "/visit/"}) || len(s.LeftOut) != 0 {
		t.Errorf("%+v", s)
	}
	for _, r := range o.asked {
		if r.Method != "GET" || !strings.HasPrefix(r.UserAgent(), "yellowgate/") {
			t.Errorf("%s %s by %s", r.Method, r.URL, r.UserAgent())
		}
	}
	if got := o.paths(); len(got) != len(slices.Compact(got)) {
		t.Errorf("an address was asked for twice: %q", got)
	}
}

// TestCoding: bodies come in every coding, and a body that lies about its own is left out.
func TestCoding(t *testing.T) {
	o := newOrigin(t)
	o.page("/",
		"<a href=/gzip>1</a><a href=/br>2</a><a href=/zstd>3</a><a href=/lies>4</a><a href=/cut>5</a><a href=/odd>6</a>")
	body := []byte(pageOf(strings.Repeat("tern ", 1000)))
	coded := func(path, coding string, encode func(*bytes.Buffer)) {
		var b bytes.Buffer
		encode(&b)
		o.mux.HandleFunc(path, func(w http.ResponseWriter, _ *http.Request) {
			w.Header().Set("Content-Type", "text/html")
			w.Header().Set("Content-Encoding", coding)
			w.Write(b.Bytes())
		})
	}
	coded("/gzip", "gzip", func(b *bytes.Buffer) { w := gzip.NewWriter(b); w.Write(body); w.Close() })
	coded("/br", "br", func(b *bytes.Buffer) { w := brotli.NewWriter(b); w.Write(body); w.Close() })
	coded("/zstd", "zstd", func(b *bytes.Buffer) { w, _ := zstd.NewWriter(b); w.Write(body); w.Close() })
	coded("/lies", "gzip", func(b *bytes.Buffer) { b.Write(body) })
	coded("/cut", "gzip",
		func(b *bytes.Buffer) { w := gzip.NewWriter(b); w.Write(body); w.Close(); b.Truncate(b.Len() / 2) })
	coded("/odd", "tern", func(b *bytes.Buffer) { b.Write(body) })
	s, dir := o.capture(t, nil)
	for _, name := range []string{"gzip", "br", "zstd"} {
		got, err := os.ReadFile(filepath.Join(dir, name, "index.html"))
		if err != nil || !bytes.Equal(got, body) {
			t.Errorf("%s: %v, %d bytes", name, err, len(got))
		}
		if l := lines(t, dir)["/"+name]; l.Bytes != int64(len(body)) || l.Wire == 0 || l.Wire >= l.Bytes {
			t.Errorf("%s: %+v", name, l)
		}
	}
	if s.Pages != 4 || len(s.LeftOut) != 3 {
		t.Errorf("%+v", s)
	}
}

// TestTraps: a site that has no end, lies and leads astray is captured within limits, and what is
// left out is said.
func TestTraps(t *testing.T) {
	o := newOrigin(t)
	stranger := newOrigin(t)
	stranger.page("/", "never to be seen")
	var busy atomic.Int32
	o.page("/",
		`<a href=/calendar/1>c</a><a href=/shop?sid=1>s</a><a href=/circle/a>o</a><a href=/self>o</a><a href=/away>a</a><a href=/busy>b</a><a href=/huge>h</a><a href=/secret/plan>x</a><a href=/.git/config>d</a><a href=/a/%2e%2e/%2e%2e/out>u</a><a href="/`+
			strings.Repeat("n", 300)+
			`">l</a><a href=/failing>f</a><a href=/cut>c</a><script src=/page.js></script><a href=/query>q</a>`)
	o.mux.HandleFunc("/calendar/{n}", func(w http.ResponseWriter, r *http.Request) {
		var n int
		fmt.Sscan(r.PathValue("n"), &n)
		w.Header().Set("Content-Type", "text/html")
		fmt.Fprint(w, pageOf(fmt.Sprintf("<a href=/calendar/%d>next</a><a href=/calendar/%d>later</a>", n+1, n+2)))
	})
	o.mux.HandleFunc("/shop", func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/html")
		fmt.Fprintf(w, pageOf("<a href='/shop?sid=%d'>more</a>"), time.Now().UnixNano())
	})
	for from, to := range map[string]string{"/circle/a": "/circle/b", "/circle/b": "/circle/a", "/self": "/self",
		"/away": stranger.URL + "/", "/query": "/query?a=1"} {
		o.mux.Handle(from, http.RedirectHandler(to, http.StatusFound))
	}
	o.mux.HandleFunc("/busy", func(w http.ResponseWriter, _ *http.Request) {
		if busy.Add(1) < 3 {
			w.Header().Set("Retry-After", "0")
			w.WriteHeader(http.StatusServiceUnavailable)
			return
		}
		fmt.Fprint(w, pageOf("at last"))
	})
	o.text("/huge", "text/html", pageOf(strings.Repeat("tern ", 300_000)))
	o.page("/secret/plan", "")
	o.page("/.git/config", "")
	o.page("/"+strings.Repeat("n", 300), "")
	o.page("/page.js", "not found, said with 200")
	o.mux.HandleFunc("/failing",
		func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(http.StatusInternalServerError) })
	o.mux.HandleFunc("/cut", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Length", "1000")
		fmt.Fprint(w, "<!doctype html>")
	})
	o.text("/robots.txt", "text/plain", "User-agent: yellowgate\nDisallow: /secret/\n")
	secret := http.Header{"Authorization": {"Basic dGVybjpoaWxs"}, "Cookie": {"session=tern"}}
	s, dir := o.capture(t, func(p *Options) { p.Most, p.Largest, p.Header = 50, 1<<20, secret })
	if s.Pages != 50 || s.Queries == 0 || busy.Load() != 3 {
		t.Errorf("%+v, asked %d times", s, busy.Load())
	}
	var dead []string
	for _, d := range s.Dead {
		dead = append(dead, strings.TrimPrefix(d.URL, o.URL)+" "+d.Why)
	}
	slices.Sort(dead)
	if len(dead) != 5 || !strings.HasPrefix(dead[1], "/circle/") || dead[2] != "/failing 500 Internal Server Error" ||
		dead[3] != "/query it redirects in a circle" || dead[4] != "/self it redirects in a circle" {
		t.Errorf("dead: %q", dead)
	}
	for why, n := range map[string]int{"robots.txt asks to leave it out": 1, "its body is larger than 1 MB": 1,
		"it leads to another site": 1, "a part of its path begins with a dot": 1,
		"a part of its path is longer than 200 bytes":                            1,
		"a page came where a script, a stylesheet or another file was requested": 1,
		"its body cannot be read to the end: unexpected EOF":                     1} {
		if s.LeftOut[why] < n {
			t.Errorf("%q: %d of %v", why, s.LeftOut[why], s.LeftOut)
		}
	}
	if len(stranger.asked) != 0 {
		t.Error("a redirect was followed to another site")
	}
	for _, name := range files(t, dir) {
		if strings.Contains(name, "..") || strings.HasPrefix(name, ".git") {
			t.Errorf("kept %s", name)
		}
		text, err := os.ReadFile(filepath.Join(dir, name))
		if err != nil || bytes.Contains(text, []byte("dGVybjpoaWxs")) {
			t.Errorf("%s: %v", name, err)
		}
	}
	if b, _ := os.ReadFile(filepath.Join(dir, site.CaptureName)); bytes.Contains(b, []byte("dGVybjpoaWxs")) ||
		bytes.Contains(b, []byte("session")) {
		t.Error("what was given to get in is written down")
	}
	if _, err := os.Stat(filepath.Join(filepath.Dir(dir), "out")); err == nil {
		t.Error("a file was written outside of the folder")
	}
}

// TestManners: robots.txt, the rate, the depth, the pages chosen, queries, links of the public address.
func TestManners(t *testing.T) {
	o := newOrigin(t)
	o.page("/", "<a href=/one>1</a><a href=/p?a=1>q</a><a href=/p?a=2>q</a><a href=https://ternhill.example/public>p</a>")
	o.page("/one", "<a href=/two>2</a><script src=/s.js?v=1></script>")
	o.text("/s.js", "text/javascript", "")
	o.page("/two", "<a href=/three>3</a>")
	o.page("/three", "")
	o.page("/p", "")
	o.page("/public", "")
	o.text("/robots.txt", "text/plain", "User-agent: *\nDisallow: /one\n")
	for _, c := range []struct {
		name string
		set  func(*Options)
		want string
	}{
		{"as robots.txt asks", nil, "index.html p/index.html"},
		{"ours", func(p *Options) { p.OwnSite = true },
			"index.html one/index.html p/index.html s.js three/index.html two/index.html"},
		{"depth", func(p *Options) { p.OwnSite, p.Depth = true, 2 },
			"index.html one/index.html p/index.html s.js two/index.html"},
		{"most", func(p *Options) { p.OwnSite, p.Most, p.Parallel = true, 2, 1 }, "index.html one/index.html s.js"},
		{"chosen", func(p *Options) {
			p.OwnSite, p.Choose = true, func(path, file string) bool { return path == "/p" || file == "one/index.html" }
		}, "index.html one/index.html p/index.html s.js"},
		{"queries", func(p *Options) { p.WithQuery = true }, "index.html p?a=1/index.html p?a=2/index.html"},
		{"the public address", func(p *Options) { p.Address = "https://ternhill.example" },
			"index.html p/index.html public/index.html"},
		{"a list", func(p *Options) { p.From = []string{"/three", "https://elsewhere.example/"} },
			"index.html p/index.html three/index.html"},
	} {
		t.Run(c.name, func(t *testing.T) {
			_, dir := o.capture(t, c.set)
			for _, r := range o.asked {
				if r.URL.Path == "/s.js" && r.URL.RawQuery != "v=1" {
					t.Errorf("asked for %s", r.URL)
				}
			}
			got := strings.ReplaceAll(strings.Join(files(t, dir), " "), " robots.txt", "") // kept where it is heeded
			if got != c.want {
				t.Errorf("kept %s", got)
			}
		})
	}
	begun := time.Now()
	o.capture(t, func(p *Options) { p.OwnSite, p.Rate = true, 20 })
	if took := time.Since(begun); took < 200*time.Millisecond { // 50 ms from one of six requests to the next
		t.Errorf("with 20 requests a second it took %s", took)
	}
}

// TestAgain: a second capture asks with conditions and tells what came, changed and went; what a
// server fails to answer stays, what was touched by hand is asked for again.
func TestAgain(t *testing.T) {
	var second atomic.Bool
	o := newOrigin(t)
	var unchanged atomic.Int32
	tagged := func(path string, body func() string) {
		o.mux.HandleFunc(path, func(w http.ResponseWriter, r *http.Request) {
			text := pageOf(body())
			tag := `"` + sum([]byte(text)) + `"`
			w.Header().Set("ETag", tag)
			w.Header().Set("Content-Type", "text/html")
			if r.Header.Get("If-None-Match") == tag {
				unchanged.Add(1)
				w.WriteHeader(http.StatusNotModified)
				return
			}
			fmt.Fprint(w, text)
		})
	}
	tagged("/{$}", func() string {
		if second.Load() {
			return "<a href=/same>s</a><a href=/touched>t</a><a href=/changes>c</a><a href=/fails>f</a><a href=/comes>n</a>"
		}
		return "<a href=/same>s</a><a href=/touched>t</a><a href=/changes>c</a><a href=/fails>f</a><a href=/goes>g</a>"
	})
	tagged("/same", func() string { return "same" })
	tagged("/touched", func() string { return "touched" })
	tagged("/changes", func() string { return fmt.Sprint("changes ", second.Load()) })
	o.page("/comes", "")
	o.page("/goes", "")
	o.mux.HandleFunc("/fails", func(w http.ResponseWriter, _ *http.Request) {
		if second.Load() {
			w.WriteHeader(http.StatusBadGateway)
			return
		}
		fmt.Fprint(w, pageOf("here"))
	})
	_, dir := o.capture(t, nil)
	before := lines(t, dir)
	second.Store(true)
	touched := filepath.Join(dir, "touched", "index.html")
	if err := os.WriteFile(touched, []byte("by hand"), 0o644); err != nil {
		t.Fatal(err)
	}
	s, _ := o.capture(t, func(p *Options) { p.Dir = dir })
	if !s.Again || s.Came != 1 || s.Changed != 2 || s.Gone != 1 { // the home page links to something else
		t.Errorf("%+v", s)
	}
	if got := strings.Join(files(t, dir), " "); got !=
		"changes/index.html comes/index.html fails/index.html index.html same/index.html touched/index.html" {
		t.Errorf("kept %s", got)
	}
	if n := unchanged.Load(); n != 1 {
		t.Errorf("%d pages were asked for with their tag and the same", n)
	}
	after := lines(t, dir)
	if after["/same"].Sum != before["/same"].Sum || after["/fails"].File == "" || after["/goes"].File != "" {
		t.Errorf("%+v", after)
	}
	if text, _ := os.ReadFile(touched); string(text) != pageOf("touched") {
		t.Errorf("%s", text)
	}
	_, err := Capture(t.Context(), Options{Start: mustParse(t, o.URL+"/"), Dir: filepath.Dir(dir)})
	var ue *failure.Usage
	if !errors.As(err, &ue) || !strings.Contains(ue.Message, "is not empty, and no capture made it") {
		t.Error(err)
	}
}

// TestForgedRecord: a record that names files outside of its folder, and links that lead out of it,
// make nothing be removed, read or written there.
func TestForgedRecord(t *testing.T) {
	o := newOrigin(t)
	o.page("/", "<a href=/linked/page>l</a><a href=/out>o</a>")
	o.page("/linked/page", "from the site")
	o.page("/out", "from the site")
	top := t.TempDir()
	dir := filepath.Join(top, "captured")
	for name, text := range map[string]string{"mine.html": "mine", "mine.css": "mine", "elsewhere/keep.html": "mine"} {
		full := filepath.Join(top, name)
		if err := os.MkdirAll(filepath.Dir(full), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(full, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	if err := os.Mkdir(dir, 0o755); err != nil {
		t.Fatal(err)
	}
	if err := os.Symlink(filepath.Join(top, "elsewhere"), filepath.Join(dir, "linked")); err != nil {
		t.Skip(err)
	}
	var record bytes.Buffer
	for at, file := range map[string]string{"/gone1": "../mine.html", "/gone2": filepath.Join(top, "mine.css"),
		"/gone3": "linked/keep.html", "/out": "../mine.html"} {
		if err := json.NewEncoder(&record).Encode(
			site.Captured{URL: o.URL + at, File: file, Status: 200, Sum: sum([]byte("mine")), Bytes: 4}); err != nil {
			t.Fatal(err)
		}
	}
	if err := os.WriteFile(filepath.Join(dir, site.CaptureName), record.Bytes(), 0o644); err != nil {
		t.Fatal(err)
	}
	s, _ := o.capture(t, func(p *Options) { p.Dir, p.GoOn = dir, true })
	for _, name := range []string{"mine.html", "mine.css", "elsewhere/keep.html"} {
		if text, err := os.ReadFile(filepath.Join(top, name)); err != nil || string(text) != "mine" {
			t.Errorf("%s: %q, %v", name, text, err)
		}
	}
	if list := files(t, filepath.Join(top, "elsewhere")); len(list) != 1 {
		t.Errorf("written through a link: %q", list)
	}
	if text, err := os.ReadFile(filepath.Join(dir, "out", "index.html")); err != nil ||
		string(text) != pageOf("from the site") {
		t.Errorf("%q, %v", text, err)
	}
	if s.Pages != 2 || s.Gone != 0 || len(s.LeftOut) != 1 {
		t.Errorf("%+v", s)
	}
}

func mustParse(t *testing.T, raw string) *url.URL {
	t.Helper()
	u, err := url.Parse(raw)
	if err != nil {
		t.Fatal(err)
	}
	return u
}

// TestGoOn: what was stopped at any moment and continued is the same in the end, and nothing that
// the folder has is asked for again.
func TestGoOn(t *testing.T) {
	o := newOrigin(t)
	const n = 60
	for i := range n {
		o.page(fmt.Sprintf("/%d", i),
			fmt.Sprintf("<a href=/%d>a</a><a href=/%d>b</a><script src=/s%d.js></script>", (i*2+1)%n, (i*3+2)%n, i%5))
	}
	o.page("/", "<a href=/0>0</a><a href=/30>30</a>")
	for i := range 5 {
		o.text(fmt.Sprintf("/s%d.js", i), "text/javascript", "s()")
	}
	_, whole := o.capture(t, nil)
	want := files(t, whole)
	for _, after := range []int32{1, 4, 9, 15, 20} {
		o.asked = nil
		dir := filepath.Join(t.TempDir(), "captured")
		ctx, stop := context.WithCancel(t.Context())
		var count atomic.Int32
		s, err := Capture(ctx, Options{Start: mustParse(t, o.URL+"/"), Dir: dir, Progress: func(int, int) {
			if count.Add(1) == after {
				stop()
			}
		}})
		stop()
		if err != nil || !s.Stopped {
			t.Fatalf("after %d: %+v, %v", after, s, err)
		}
		had := files(t, dir)
		if len(had) < int(after)-4 || len(had) >= len(want) {
			t.Errorf("after %d: %d files", after, len(had))
		}
		asked := len(o.paths())
		s, _ = o.capture(t, func(p *Options) { p.Dir, p.GoOn = dir, true })
		if got := files(t, dir); s.Stopped || !slices.Equal(got, want) {
			t.Errorf("after %d: %q", after, got)
		}
		asked2 := len(o.paths()) // and stopped in a second capture, it loses nothing
		ctx, stop = context.WithCancel(t.Context())
		stop()
		if s, err := Capture(ctx, Options{Start: mustParse(t, o.URL+"/"), Dir: dir, OwnSite: true}); err != nil ||
			!s.Stopped {
			t.Errorf("after %d: %+v, %v", after, s, err)
		}
		if got := files(t, dir); !slices.Equal(got, want) || len(lines(t, dir)) < len(want) {
			t.Errorf("after %d: stopped again, it has %q", after, got)
		}
		if again := asked2 - asked; again > len(want)-len(had)+4 { // four may have been under way
			t.Errorf("after %d: %d files were there, and %d of %d asked for", after, len(had), again, len(want))
		}
	}
}

// TestUnreachable: a site that does not answer is a clear error, and nothing is taken for a page.
func TestUnreachable(t *testing.T) {
	o := newOrigin(t)
	o.text("/", "application/json", "{}")
	_, _, err := o.tryCapture(t, nil)
	if err == nil || !strings.Contains(err.Error(), "responds with no page") {
		t.Error(err)
	}
	p := newOrigin(t)
	p.mux.HandleFunc("/", func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(http.StatusUnauthorized) })
	_, _, err = p.tryCapture(t, nil)
	if err == nil || !strings.Contains(err.Error(), "401 Unauthorized") {
		t.Error(err)
	}
	q := newOrigin(t)
	q.Close()
	_, dir, err := q.tryCapture(t, nil)
	if _, there := os.Stat(dir); there == nil {
		t.Error("a folder was left behind")
	}
	if err == nil || !strings.Contains(err.Error(), "refused") || !strings.Contains(err.Error(), "is the server running") {
		t.Error(err)
	}
	s := httptest.NewTLSServer(http.NotFoundHandler())
	defer s.Close()
	_, err = Capture(t.Context(), Options{Start: mustParse(t, s.URL+"/"), Dir: filepath.Join(t.TempDir(), "c")})
	if err == nil || !strings.Contains(err.Error(), "the server's certificate is not one that this machine trusts") {
		t.Error(err)
	}
	r := newOrigin(t)
	r.page("/", "")
	r.text("/robots.txt", "text/plain", "User-agent: *\nDisallow: /\n")
	_, dir, err = r.tryCapture(t, nil)
	if _, there := os.Stat(dir); there == nil {
		t.Error("a folder with robots.txt alone was left behind")
	}
	if err == nil || !strings.Contains(err.Error(), "robots.txt disallows") {
		t.Error(err)
	}
	slow := newOrigin(t)
	slow.mux.HandleFunc("/", func(w http.ResponseWriter, r *http.Request) { <-r.Context().Done() })
	begun := time.Now()
	_, _, err = slow.tryCapture(t, func(p *Options) { p.Patience, p.OwnSite = 50*time.Millisecond, true })
	if err == nil || time.Since(begun) > 5*time.Second {
		t.Errorf("%v after %s", err, time.Since(begun))
	}
}

// TestFileOf: where addresses are kept.
func TestFileOf(t *testing.T) {
	for _, c := range []struct {
		raw       string
		isPage    bool
		withQuery bool
		want      string
	}{
		{"/", true, false, "index.html"}, {"/visit/", true, false, "visit/index.html"}, {"/visit", true, false,
			"visit/index.html"},
		{"/a.html", true, false, "a.html"}, {"/a.HTM", true, false, "a.HTM"}, {"/a.php", true, false, "a.php/index.html"},
		{"/a.css?v=1", false, false, "a.css"}, {"/a?x=/1", true, true, "a?x=%2F1/index.html"}, {"/?x=1", true, true,
			"index?x=1.html"},
		{"/caf%C3%A9", true, false, "café/index.html"}, {"/a%20b.js", false, false, "a b.js"},
		{"/.env", false, false, "!"}, {"/a/.b/c", true, false, "!"}, {"/%2e%2e/a", true, false, "!"}, {"/a//b", true,
			false, "!"}, {"/a%00b", true, false, "!"}, {"/a%5Cb", true, false, "!"}, {"/dir/", false, false, "!"}, {
			"/yellowgate.yaml", false, false, "!"}, {"/a/YellowGate.yaml", false, false, "!"},
	} {
		u := mustParse(t, "http://ternhill.example"+c.raw)
		file, why := FileOf(u, c.isPage, c.withQuery)
		if c.want == "!" {
			if why == "" && !site.IsPage(file) || strings.Contains(file, "..") || strings.HasPrefix(file, ".") {
				t.Errorf("%s: %q", c.raw, file)
			}
			continue
		}
		if file != c.want || why != "" {
			t.Errorf("%s: %q, %s; want %q", c.raw, file, why, c.want)
		}
	}
}

// zipped is a text in gzip.
func zipped(text string) []byte {
	var b bytes.Buffer
	w := gzip.NewWriter(&b)
	_, _ = w.Write([]byte(text))
	_ = w.Close()
	return b.Bytes()
}

// TestOnePlace: two addresses with one path are one page where their bodies are alike; else the
// second is left out, and said.
func TestOnePlace(t *testing.T) {
	o := newOrigin(t)
	o.page("/", "<a href=/same>1</a><a href=/same/>2</a><a href=/other>3</a><a href=/other/>4</a>")
	o.page("/same", "one")
	o.page("/same/", "one")
	o.page("/other", "one")
	o.page("/other/", "two")
	s, dir := o.capture(t, func(p *Options) { p.Parallel = 1 })
	if s.Pages != 3 || len(s.LeftOut) != 1 ||
		s.Example["another address with the same path has another body"] != o.URL+"/other/" {
		t.Errorf("%+v", s)
	}
	if text, err := os.ReadFile(filepath.Join(dir, "other", "index.html")); err != nil || string(text) != pageOf("one") {
		t.Errorf("%q, %v", text, err)
	}
	if l := lines(t, dir); l["/same"].File != "same/index.html" || l["/same/"].File != "" {
		t.Errorf("%+v", l)
	}
}
