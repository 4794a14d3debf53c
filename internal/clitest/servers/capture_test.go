package servers_test

import (
	"encoding/json"
	"fmt"
	"maps"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/klauspost/compress/gzhttp"

	"yellowgate/internal/clitest"
)

// TestCapture: the demo's output, served by a server that knows nothing of it, is captured, and the
// audit of the capture says what the audit of the folder says.
func TestCapture(t *testing.T) {
	b := clitest.New(t)
	b.Want(0, clitest.Args("demo", "--quiet"))
	public := filepath.Join(b.Dir, "tern-hill", "public")
	files := http.FileServer(http.Dir(public))
	served := httptest.NewServer(gzhttp.GzipHandler(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if strings.HasSuffix(r.URL.Path, "/") {
			w.Header().Set("Content-Type", "text/html") // one page is not in utf-8
		}
		files.ServeHTTP(w, r)
	})))
	defer served.Close()
	var all strings.Builder // what no page leads to
	for _, path := range []string{"/book/pay/", "/thanks/", "/sky-camera/", "/visit/access/", "/kit/glyphs/glyphs.js",
		"/lib/starcalc-1.2.js"} {
		fmt.Fprintln(&all, path)
	}
	b.Write("more.txt", "# addresses that no page leads to\n\n"+all.String())
	b.Want(0, clitest.Args("capture", served.URL, "--to", "captured", "--from", "more.txt"), "✓ captured: 28 pages and ")
	for _, name := range []string{"index.html", "visit/index.html", "404.html", "kit/contact/contact.js"} {
		want, err := os.ReadFile(filepath.Join(public, name))
		if err != nil {
			continue
		}
		if got := b.Read("captured/" + name); got != string(want) {
			t.Errorf("%s is not what was served", name)
		}
	}
	if err := os.CopyFS(filepath.Join(b.Dir, "folder"), os.DirFS(public)); err != nil {
		t.Fatal(err)
	}
	of := func(dir string) string {
		return strings.ReplaceAll(
			b.Want(0, clitest.Args("audit", dir, "--verbose", "--no-cache", "--fail-on", "never")), dir, "DIR")
	}
	if got, want := of("captured"), of("folder"); got != want {
		t.Errorf("the audit of the capture:\n%s\nof the folder:\n%s", got, want)
	}
	b.Want(0, clitest.Args("capture", served.URL, "--to", "captured", "--from", "more.txt"),
		"0 came, 0 changed, 0 gone since the last capture")
	out := b.Want(0, clitest.Args("capture", served.URL, "--to", "captured", "--format", "json", "--depth", "1"))
	var s struct{ Pages, Gone int }
	if err := json.Unmarshal([]byte(out), &s); err != nil || s.Pages == 0 || s.Pages > 20 || s.Gone != 0 ||
		!b.Exists("captured/events/perseids/index.html") {
		t.Errorf("%v: %s", err, out)
	}
}

// TestCaptureWays: names and passwords get in and are written nowhere; options and addresses that
// cannot be are clear errors.
func TestCaptureWays(t *testing.T) {
	served := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		name, password, _ := r.BasicAuth()
		if name != "editor" || password != "puffin-7" || r.Header.Get("X-Stage") != "tern" {
			w.WriteHeader(http.StatusUnauthorized)
			return
		}
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		fmt.Fprint(w,
			"<!doctype html><title>Tern Hill</title><h1>Tern Hill</h1><a href=/b>b</a><a href=https://ternhill.example/c>c</a>")
	}))
	defer served.Close()
	b := clitest.New(t, "site/index.html", "<!doctype html><title>a</title>", "yellowgate.yaml",
		"yellowgate: 1\nsite: {source: site, output: public, url: \"https://ternhill.example\"}\nitems: {}\n")
	t.Setenv("YELLOWGATE_PASSWORD", "")
	b.Want(3, clitest.Args("capture", served.URL, "--to", "captured", "--user", "editor"), "401 Unauthorized",
		"nothing was kept")
	if b.Exists("captured") {
		t.Error("a folder was left behind")
	}
	t.Setenv("YELLOWGATE_PASSWORD", "puffin-7")
	b.Want(0,
		clitest.Args("capture", served.URL, "--to", "captured", "--user", "editor", "--header", "X-Stage: tern",
			"--own-site"), "3 pages") // one by the site's own address
	out, err := exec.Command("grep", "-rlE", "puffin|ZWRpdG9y|X-Stage", b.Dir).Output()
	if len(out) > 0 {
		t.Errorf("what was given to get in is in %s (%v)", out, err)
	}
	os.Unsetenv("YELLOWGATE_PASSWORD")
	for _, c := range []struct {
		line string
		want string
	}{
		{"capture", "yellowgate.yaml names no origin"},
		{"show http://a:b@elsewhere.example/", "gets into lists and logs"},
		{"show " + served.URL + " --next", "no --source and no --next"},
		{"audit site --depth 3", "--depth says how a running site is asked, and no address is named"},
		{"survey --user a", "--user says how a running site is asked"},
		{"find x --most 3", "--most says how"},
		{"suggest --with-query", "--with-query says how"},
		{"compare site site --cookies a", "--cookies says how"},
		{"capture localhost:8000 --to c", "a whole address, with http:// or https://"},
		{"capture site --to c", "a whole address, with http:// or https://"},
		{"capture ftp://ternhill.example/ --to c", "only http and https"},
		{"capture http:///a --to c", "names no host"},
		{"capture http://a:b@ternhill.example/ --to c", "gets into lists and logs"},
		{"capture http://ternhill.example/", "needs a folder to keep the pages in"},
		{"capture http://ternhill.example/ --to c --user a", "the environment has none"},
		{"capture http://ternhill.example/ --to c --header nonsense", "a name, a colon and a value"},
		{"capture http://ternhill.example/ --to c --pages has(a)", "only path and file are known"},
		{"capture http://ternhill.example/ --to c --except title=a", "only path and file are known"},
		{"capture http://ternhill.example/ --to c --pages (", "--pages: "},
		{"capture http://ternhill.example/ --to c --parallel 0", "from 1 to 256"},
		{"capture " + served.URL + " --to site", "is not empty, and no capture made it"},
	} {
		b.Want(2, clitest.Args(strings.Fields(c.line)...), c.want)
	}
	b.Want(3, clitest.Args("capture", "http://127.0.0.1:1/", "--to", "c"), "refused", "is the server running")
	b.Want(3, clitest.Args("capture", served.URL, "--to", "c", "--from", "none.txt"), "none.txt: no such file")
	if b.Exists("c") {
		t.Error("a folder was left behind")
	}
}

// TestCookies: those of the file that are for the site and have not ended are sent, no others.
func TestCookies(t *testing.T) {
	served := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/robots.txt" {
			http.SetCookie(w, &http.Cookie{Name: "set", Value: "by-the-site", Path: "/"})
			w.WriteHeader(http.StatusNotFound)
			return
		}
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		fmt.Fprintf(w, "<!doctype html><title>Tern Hill</title><p>%s</p><a href=/deep/er>on</a>", r.Header.Get("Cookie"))
	}))
	defer served.Close()
	b := clitest.New(t, "cookies.txt", strings.Join([]string{"# Cookies", "",
		"127.0.0.1\tFALSE\t/\tFALSE\t0\tsession\tpuffin",
		"#HttpOnly_127.0.0.1\tTRUE\t/deep\tFALSE\t4102444800\tdeep\tauk\r",
		"127.0.0.1\tFALSE\t/\tFALSE\t1000\tended\tno",
		".ternhill.example\tTRUE\t/\tFALSE\t0\tforeign\tno", ""}, "\n"),
		"short.txt", "# a\n127.0.0.1\tFALSE\t/\n", "end.txt", "127.0.0.1\tFALSE\t/\tFALSE\tsoon\ta\tb\n")
	out := b.Want(0, clitest.Args("capture", served.URL, "--to", "captured", "--cookies", "cookies.txt"), "2 pages")
	if strings.Contains(out, "puffin") || strings.Contains(b.Read("captured/.yellowgate-capture.ndjson"), "puffin") {
		t.Error("a cookie is told")
	}
	for file, want := range map[string][]string{"index.html": {"session=puffin", "set=by-the-site"},
		"deep/er/index.html": {"deep=auk", "session=puffin", "set=by-the-site"}} {
		_, sent, _ := strings.Cut(b.Read("captured/"+file), "<p>")
		sent, _, _ = strings.Cut(sent, "</p>")
		if got := strings.Split(sent, "; "); len(got) != len(want) || !slices.Equal(slices.Sorted(slices.Values(got)), want) {
			t.Errorf("%s was asked for with %q", file, got)
		}
	}
	b.Want(2, clitest.Args("capture", served.URL, "--to", "c", "--cookies", "short.txt"),
		"short.txt:2:1: a cookie has seven fields with tabs between them, and this has 3")
	b.Want(2, clitest.Args("capture", served.URL, "--to", "c", "--cookies", "end.txt"),
		`end.txt:1:25: the end of a cookie is in seconds since 1970, not "soon"`)
	b.Want(3, clitest.Args("capture", served.URL, "--to", "c", "--cookies", "none.txt"), "none.txt: no such file")
}

// TestCaptureStopped: Ctrl-C keeps what there is and says how to go on.
func TestCaptureStopped(t *testing.T) {
	served := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		time.Sleep(20 * time.Millisecond)
		w.Header().Set("Content-Type", "text/html")
		var n int
		fmt.Sscanf(r.URL.Path, "/%d", &n)
		fmt.Fprintf(w, "<!doctype html><title>Day %d</title><a href=/%d>next</a>", n, (n+1)%60)
	}))
	defer served.Close()
	b := clitest.New(t)
	cmd := exec.Command(clitest.Program(), "capture", served.URL, "--to", "captured", "--own-site")
	cmd.Dir = b.Dir
	var out strings.Builder
	cmd.Stdout = &out
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	for deadline := time.Now().Add(2 * time.Minute); !b.Exists("captured/3/index.html") && time.Now().Before(deadline); {
		time.Sleep(5 * time.Millisecond)
	}
	if err := cmd.Process.Signal(syscall.SIGINT); err != nil {
		t.Fatal(err)
	}
	_ = cmd.Wait()
	if code := cmd.ProcessState.ExitCode(); code != 130 || !strings.Contains(out.String(), "stopped captured: ") ||
		!strings.Contains(out.String(), "--go-on continues") {
		t.Errorf("status %d: %s", code, out.String())
	}
	b.Want(0, clitest.Args("capture", served.URL, "--to", "captured", "--own-site", "--go-on"), "✓ captured: 61 pages")
}

// TestCaptureServer: a web server's own pages, with its coding and its conditions.
func TestCaptureServer(t *testing.T) {
	nginx, err := exec.LookPath("nginx")
	if err != nil {
		t.Skip("there is no nginx here")
	}
	b := clitest.New(t)
	b.Want(0, clitest.Args("demo", "--quiet"))
	listener := httptest.NewUnstartedServer(nil)
	address := listener.Listener.Addr().String()
	listener.Listener.Close() // nginx takes the port
	b.Write("nginx.conf",
		fmt.Sprintf(
			"daemon off; master_process off; pid %[1]s/pid; error_log stderr;\nevents {}\nhttp { access_log off; gzip on; gzip_min_length 1; charset utf-8; types { text/html html; text/css css; text/javascript js; image/svg+xml svg; }\nclient_body_temp_path %[1]s/t1; proxy_temp_path %[1]s/t2; fastcgi_temp_path %[1]s/t3; uwsgi_temp_path %[1]s/t4; scgi_temp_path %[1]s/t5;\nserver { listen %[2]s; root %[1]s/tern-hill/public; error_page 404 /404.html; } }\n",
			b.Dir, address))
	server := exec.Command(nginx, "-p", b.Dir, "-c", filepath.Join(b.Dir, "nginx.conf"))
	server.Stderr = os.Stderr
	if err := server.Start(); err != nil {
		t.Skip("nginx cannot be run here: ", err)
	}
	defer func() { _ = server.Process.Kill(); _ = server.Wait() }()
	for deadline := time.Now().Add(2 * time.Minute); time.Now().Before(deadline); time.Sleep(20 * time.Millisecond) {
		if r, err := http.Get("http://" + address + "/"); err == nil {
			r.Body.Close()
			break
		}
	}
	b.Want(0, clitest.Args("capture", "http://"+address+"/", "--to", "captured"), "✓ captured: 24 pages")
	said := b.Read("captured/.yellowgate-capture.ndjson")
	for _, want := range []string{`"content-encoding":["gzip"]`, `"content-type":["text/html; charset=utf-8"]`,
		`"etag":[`} {
		if !strings.Contains(said, want) {
			t.Errorf("no %s in %s", want, said)
		}
	}
	if b.Read("captured/visit/index.html") != b.Read("tern-hill/public/visit/index.html") {
		t.Error("the page is not what nginx has")
	}
	b.Write("tern-hill/public/visit/index.html",
		strings.Replace(b.Read("tern-hill/public/visit/index.html"), "</body>", "<p>new</p></body>", 1))
	b.Want(0, clitest.Args("capture", "http://"+address+"/", "--to", "captured"), "0 came, 1 changed, 0 gone")
}

// TestAddresses: an address stands where a folder does; what was captured for it is gone after, and
// what it says is what it says of the folder.
func TestAddresses(t *testing.T) {
	b := clitest.New(t)
	b.Want(0, clitest.Args("demo", "--quiet"))
	if err := os.CopyFS(filepath.Join(b.Dir, "folder"), os.DirFS(filepath.Join(b.Dir, "tern-hill", "site"))); err != nil {
		t.Fatal(err)
	}
	served := httptest.NewServer(http.FileServer(http.Dir(filepath.Join(b.Dir, "folder"))))
	defer served.Close()
	public := httptest.NewServer(http.FileServer(http.Dir(filepath.Join(b.Dir, "tern-hill", "public"))))
	defer public.Close()
	if err := os.Mkdir(filepath.Join(b.Dir, "tmp"), 0o755); err != nil {
		t.Fatal(err)
	}
	t.Setenv("TMPDIR", filepath.Join(b.Dir, "tmp"))
	_, out, errout := b.Exec("survey", served.URL)
	if !strings.Contains(out, served.URL+": 24 pages") || !strings.Contains(out, "/kit/glyphs/glyphs.js") ||
		!strings.Contains(errout, "✓ "+served.URL+": 24 pages") {
		t.Errorf("survey: %s\n%s", out, errout)
	}
	out = b.Want(0, clitest.Args("find", "glyphs", served.URL, "--quiet"), "in "+served.URL)
	if !strings.Contains(out, "contact/index.html:") {
		t.Error(out)
	}
	out = b.Want(1, clitest.Args("audit", served.URL, "--quiet"), "audit of "+served.URL+": 24 pages")
	if strings.Contains(out, "tmp") {
		t.Error(out)
	}
	// Against the gate: the output as it is served, and the source, which is not gated.
	b.Want(0, clitest.Args("audit", public.URL, "--gate", "tern-hill/yellowgate.yaml", "--quiet"), "as the gate says")
	b.Want(1, clitest.Args("audit", served.URL, "--gate", "tern-hill/yellowgate.yaml", "--quiet"), "missing-item",
		"leaked-item")
	out = b.Want(0, clitest.Args("suggest", served.URL, "--quiet"), "contact-kit")
	if strings.Contains(out, "tmp") {
		t.Error(out)
	}
	if out = b.Want(0, clitest.Args("compare", "folder", served.URL, "--quiet", "--verbose")); strings.Contains(out,
		"tmp") {
		t.Error(out)
	}
	b.Want(0, clitest.Args("compare", served.URL, public.URL, "--quiet"), "/kit/glyphs/glyphs.js", "theme-color")
	b.Want(2, clitest.Args("survey", served.URL, "--write"), "a gate file needs a folder of pages that stays",
		"yellowgate capture "+served.URL)
	b.Want(2, clitest.Args("audit", served.URL, "--part", "1/2"), "--part is for the pages of a folder")
	b.Want(3, clitest.Args("audit", "http://127.0.0.1:1/"), "refused")
	asked := make(chan string, 1000)
	slow := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked <- r.URL.Path
		time.Sleep(20 * time.Millisecond)
		fmt.Fprintf(w, "<!doctype html><title>%[1]s</title><a href=%[1]s1>on</a>", r.URL.Path)
	}))
	defer slow.Close()
	cmd := exec.Command(clitest.Program(), "audit", slow.URL)
	cmd.Dir = b.Dir
	var said strings.Builder
	cmd.Stderr = &said
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	for range 5 { // it is in the midst of reading
		<-asked
	}
	if err := cmd.Process.Signal(syscall.SIGINT); err != nil {
		t.Fatal(err)
	}
	_ = cmd.Wait()
	if code := cmd.ProcessState.ExitCode(); code != 130 ||
		!strings.Contains(said.String(), "the site had not been read whole") {
		t.Errorf("status %d: %s", code, said.String())
	}
	left, err := os.ReadDir(filepath.Join(b.Dir, "tmp"))
	if err != nil || len(left) > 0 {
		t.Errorf("left behind: %v %v", left, err)
	}
	if list, _ := filepath.Glob(filepath.Join(b.Dir, "tern-hill", ".yellowgate", "audit-*")); len(list) > 1 {
		t.Errorf("what is captured for once is remembered: %v", list)
	}
}

// TestOrigin: without an address, the gate file says where the site runs and where its pages are
// kept, though what else it names is not there yet.
func TestOrigin(t *testing.T) {
	asked := map[string]int{}
	var mu sync.Mutex
	served := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		mu.Lock()
		asked[r.URL.Path]++
		mu.Unlock()
		w.Header().Set("Link", `</site.css>; rel="stylesheet"`)
		if r.URL.Path == "/site.css" || r.URL.Path == "/site.js" {
			w.Header().Set("Content-Type", map[string]string{"/site.css": "text/css", "/site.js": "text/javascript"}[r.URL.Path])
			fmt.Fprint(w, "/* it is short */")
			return
		}
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		fmt.Fprint(w,
			"<!doctype html><title>Tern Hill</title><h1>Tern Hill</h1><script src=/site.js></script><a href=/visit>visit</a>")
	}))
	defer served.Close()
	b := clitest.New(t, "yellowgate.yaml",
		"yellowgate: 1\nsite: {origin: \""+served.URL+
			"\", source: captured, output: public, url: \"https://ternhill.example\"}\nitems: {looks: {stylesheet: /site.css, integrity: auto}, site: {found: '[src=\"/site.js\"]', pages: all}}\n",
		"broken.yaml", "yellowgate: 1\nsite: {origin: \"http://127.0.0.1:8000/app\"}\n", "lone.yaml",
		"yellowgate: 1\nsite: {origin: \"http://127.0.0.1:8000\"}\n", "kept.yaml",
		"yellowgate: 1\nsite: {origin: \"http://127.0.0.1:8000\", source: pages}\n")
	b.Want(3, clitest.Args("check", "--gate", "kept.yaml"),
		"yellowgate capture keeps the pages of http://127.0.0.1:8000 there")
	b.Want(2, clitest.Args("check", "--gate", "lone.yaml"), "names a server and no folder of its pages")
	b.Want(0, clitest.Args("capture", "--own-site"), "✓ captured: 2 pages and 2 other files")
	b.Want(0, clitest.Args("capture", served.URL, "--own-site"), "✓ captured: 2 pages and 2 other files", "0 came")
	b.Want(0, clitest.Args("check"))
	b.Want(2, clitest.Args("capture", "--gate", "broken.yaml"),
		"broken.yaml:2:16: error: site.origin is the scheme, host and port", "http://127.0.0.1:8000")
	b.Want(3, clitest.Args("capture", "--gate", "none.yaml"), "none.yaml")
	mu.Lock()
	clear(asked)
	mu.Unlock()
	out := b.Want(0, clitest.Args("show", served.URL+"/visit"), "▐ /visit  Tern Hill", "as the server sends it",
		"the server's answer: 200", "▐ header", "stylesheet /site.css", "item")
	if !strings.Contains(out, "  site\n") {
		t.Errorf("the script is not given to its item:\n%s", out)
	}
	mu.Lock()
	if want := map[string]int{"/visit": 1, "/site.css": 1, "/site.js": 1}; !maps.Equal(asked, want) {
		t.Errorf("show asked for %v, want %v", asked, want)
	}
	mu.Unlock()
	b.Want(3, clitest.Args("show", "http://127.0.0.1:1/x"), "is the server running")
	if out := b.Want(0,
		clitest.Args("survey", served.URL, "--own-site", "--except", "/visit/**", "--format",
			"json")); !strings.Contains(out, `"pages": 1`) {
		t.Errorf("--except is not heeded:\n%s", out)
	}
}
