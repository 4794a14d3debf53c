package cli_test

import (
	"bytes"
	"fmt"
	"io"
	"io/fs"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
)

// running is the program as a server.
type running struct {
	*testing.T
	cmd     *exec.Cmd
	address string // http://127.0.0.1:PORT
	mu      sync.Mutex
	out     bytes.Buffer
	ended   chan error
}

var addressSaid = regexp.MustCompile(`https?://(?:127\.0\.0\.1|localhost|\[::1\]):\d+`)

// start runs the program in the background until the test ends, and waits until it says at which
// address it answers.
func (b *bench) start(args ...string) *running {
	b.Helper()
	s := &running{T: b.T, cmd: exec.Command(program, args...), ended: make(chan error, 1)}
	s.cmd.Dir, s.cmd.Stdout, s.cmd.Stderr = b.dir, s, s
	if err := s.cmd.Start(); err != nil {
		b.Fatal(err)
	}
	go func() { s.ended <- s.cmd.Wait() }()
	b.Cleanup(func() { _ = s.cmd.Process.Kill() })
	for deadline := time.Now().Add(20 * time.Second); s.address == ""; {
		s.address = addressSaid.FindString(s.said())
		if time.Now().After(deadline) || s.cmd.ProcessState != nil {
			b.Fatalf("%v does not say where it answers:\n%s", args, s.said())
		}
		time.Sleep(5 * time.Millisecond)
	}
	return s
}

// Write implements io.Writer.
func (s *running) Write(p []byte) (int, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.out.Write(p)
}

func (s *running) said() string {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.out.String()
}

// says waits until the program has said something.
func (s *running) says(text string) {
	s.Helper()
	for deadline := time.Now().Add(10 * time.Second); !strings.Contains(s.said(), text); {
		if time.Now().After(deadline) {
			s.Fatalf("%q is never said:\n%s", text, s.said())
		}
		time.Sleep(5 * time.Millisecond)
	}
}

// stop ends the program as an operator would, and returns its exit status.
func (s *running) stop() int {
	s.Helper()
	if err := s.cmd.Process.Signal(syscall.SIGTERM); err != nil {
		s.Fatal(err)
	}
	select {
	case <-s.ended:
	case <-time.After(20 * time.Second):
		s.Fatalf("it does not end:\n%s", s.said())
	}
	return s.cmd.ProcessState.ExitCode()
}

// get asks for a path; more are lines of a head.
func (s *running) get(path string, more ...string) (status int, body string, head http.Header) {
	s.Helper()
	r, err := http.NewRequest("GET", s.address+path, nil)
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

// asWritten calls with the path and the text of each file of the demo's output.
func asWritten(t *testing.T, public string, each func(path, want string)) {
	t.Helper()
	n := 0
	err := filepath.WalkDir(public, func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		want, err := os.ReadFile(name)
		if err != nil {
			return err
		}
		rel, _ := filepath.Rel(public, name)
		each("/"+filepath.ToSlash(rel), string(want))
		n++
		return nil
	})
	if err != nil || n < 40 {
		t.Fatalf("%d files: %v", n, err)
	}
}

// TestServe: every page and file of the demo is served as apply writes it; an audit of what is served
// says what the audit of the output says.
func TestServe(t *testing.T) {
	b := newBench(t)
	b.want(0, args("demo", "--quiet"))
	gate := filepath.Join(b.dir, "tern-hill", "yellowgate.yaml")
	s := b.start("serve", "--gate", gate, "--listen", "127.0.0.1:0", "--verbose")
	public := filepath.Join(b.dir, "tern-hill", "public")
	asWritten(t, public, func(path, want string) {
		if status, body, _ := s.get(path); status != 200 || body != want {
			t.Errorf("%s is not served as apply writes it (status %d)", path, status)
		}
	})
	s.says("GET /visit/index.html 200")
	list := b.want(0, args("capture", s.address, "--to", "served", "--own-site"), "✓ served: ")
	if strings.Contains(list, "reload.js") {
		t.Errorf("the capture has what serve adds:\n%s", list)
	}
	if b.read("served/visit/index.html") != b.read("tern-hill/public/visit/index.html") {
		t.Error("a captured page is not the output's")
	}
	_, saved, _ := s.get("/visit/", "Accept: text/html")
	b.write("saved/visit/index.html", saved)
	b.write("plain/visit/index.html", b.read("tern-hill/public/visit/index.html"))
	count := func(dir string) string {
		return strings.ReplaceAll(b.want(0, args("survey", dir)), dir, "DIR")
	}
	if got, want := count("saved"), count("plain"); strings.Contains(got, "reload") || strings.Count(got, "script") != strings.Count(want, "script") {
		t.Errorf("what serve adds to a page that a browser saved is counted:\n%s\n%s", got, want)
	}
	if status, body, _ := s.get("/.yellowgate/?pages=/events/**"); status != 200 || !strings.Contains(body, "Perseids") || strings.Contains(body, "/journal/") {
		t.Errorf("the list of pages: %d\n%s", status, body)
	}
	if status, body, _ := s.get("/.yellowgate/?pages=((("); status != 200 || !strings.Contains(body, "the query cannot be read") {
		t.Errorf("a query with a mistake: %d\n%s", status, body)
	}
	if status, body, _ := s.get("/.yellowgate/audit?page=/press/"); status != 200 || !strings.Contains(body, "Audit of /press/") || !strings.Contains(body, "unclaimed-element") {
		t.Errorf("the audit of a page: %d\n%s", status, body)
	}
	_, port, _ := strings.Cut(strings.TrimPrefix(s.address, "http://"), ":")
	b.want(2, args("serve", "--gate", gate, "--listen", "127.0.0.1:"+port), "the port "+port+" of 127.0.0.1 is taken", "--listen 127.0.0.1:0")
	if code := s.stop(); code != 0 {
		t.Errorf("it ends with status %d:\n%s", code, s.said())
	}
	b.want(2, args("serve"), "no yellowgate.yaml in this folder")
	b.want(2, args("serve", "--gate", gate, "--listen", "8700"), "--listen takes a host and a port")
	b.want(2, args("serve", "x", "--gate", gate), "serve takes no argument", "for example: yellowgate serve")
	b.write("none.yaml", "yellowgate: 1\n")
	b.want(2, args("serve", "--gate", "none.yaml"), "names no source folder", "yellowgate gateway")
	b.want(3, args("serve", "--gate", "gone.yaml"), "gone.yaml: no such file")
}

// TestServeBrowser: somebody edits the gate file, a code file and a page, and the page in the
// browser follows without a hand on it.
func TestServeBrowser(t *testing.T) {
	name := browserName()
	if name == "" {
		t.Skip("there is no Chromium on this machine to try it in")
	}
	const gate = siteHead + "items:\n  counter: {code-file: code/counter.html, pages: all}\n"
	b := newBench(t, "yellowgate.yaml", gate, "code/counter.html", "<i id=count>one</i>", "site/index.html", doc("Home", "<h1>Home</h1>"), "site/css/site.css", "h1 { color: rgb(1, 2, 3) }")
	s := b.start("serve", "--listen", "127.0.0.1:0")
	tab := tab{t, startBrowser(t, name, 60*time.Second), s.address}
	tab.do(chromedp.Navigate(s.address + "/"))
	counted := "document.getElementById('count') && document.getElementById('count').textContent"
	tab.becomes("at first", counted, "one")
	b.write("code/counter.html", "<i id=count>two</i>")
	tab.becomes("after the code file was changed", counted, "two")
	b.write("yellowgate.yaml", strings.Replace(gate, "pages: all", "pages: none", 1))
	tab.becomes("after the gate file was changed", counted, "null")
	b.write("site/index.html", doc("Home", "<h1>Welcome</h1>"))
	tab.becomes("after the page was changed", "document.querySelector('h1').textContent", "Welcome")
	b.write("yellowgate.yaml", strings.Replace(gate, "pages: all", "pages: (", 1))
	tab.becomes("with a mistake", "document.querySelector('h1').textContent", "The gate is not in order")
	tab.becomes("the place of the mistake", "document.querySelector('.card .file').textContent", "yellowgate.yaml:4:51")
	s.says("yellowgate.yaml:4:51: error")
	b.write("yellowgate.yaml", gate)
	tab.becomes("mended", counted, "two")
	for i := range 3 { // in quick succession
		b.write("code/counter.html", fmt.Sprintf("<i id=count>%d</i>", i))
	}
	tab.becomes("after several changes", counted, "2")
	if tab.becomes("where it is", "location.pathname", "/"); strings.Contains(s.said(), "panic") {
		t.Error(s.said())
	}
}
