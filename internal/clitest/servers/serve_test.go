package servers_test

import (
	"fmt"
	"io"
	"io/fs"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"yellowgate/internal/clitest"
)

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
	b := clitest.New(t)
	b.Want(0, clitest.Args("demo", "--quiet"))
	gate := filepath.Join(b.Dir, "tern-hill", "yellowgate.yaml")
	s := b.Start("serve", "--gate", gate, "--listen", "127.0.0.1:0", "--verbose")
	public := filepath.Join(b.Dir, "tern-hill", "public")
	asWritten(t, public, func(path, want string) {
		if status, body, _ := s.Get(path); status != 200 || body != want {
			t.Errorf("%s is not served as apply writes it (status %d)", path, status)
		}
	})
	s.Says("GET /visit/index.html 200")
	list := b.Want(0, clitest.Args("capture", s.Address, "--to", "served", "--own-site"), "✓ served: ")
	if strings.Contains(list, "reload.js") {
		t.Errorf("the capture has what serve adds:\n%s", list)
	}
	if b.Read("served/visit/index.html") != b.Read("tern-hill/public/visit/index.html") {
		t.Error("a captured page is not the output's")
	}
	_, saved, _ := s.Get("/visit/", "Accept: text/html")
	b.Write("saved/visit/index.html", saved)
	b.Write("plain/visit/index.html", b.Read("tern-hill/public/visit/index.html"))
	count := func(dir string) string {
		return strings.ReplaceAll(b.Want(0, clitest.Args("survey", dir)), dir, "DIR")
	}
	if got, want := count("saved"), count("plain"); strings.Contains(got, "reload") ||
		strings.Count(got, "script") != strings.Count(want, "script") {
		t.Errorf("what serve adds to a page that a browser saved is counted:\n%s\n%s", got, want)
	}
	if status, body, _ := s.Get("/.yellowgate/?pages=/events/**"); status != 200 ||
		!strings.Contains(body, "Perseids") || strings.Contains(body, "/journal/") {
		t.Errorf("the list of pages: %d\n%s", status, body)
	}
	if status, body, _ := s.Get("/.yellowgate/?pages=((("); status != 200 ||
		!strings.Contains(body, "the query cannot be read") {
		t.Errorf("a query with a mistake: %d\n%s", status, body)
	}
	if status, body, _ := s.Get("/.yellowgate/page?page=/press/"); status != 200 ||
		!strings.Contains(body, "How it is listed") || !strings.Contains(body, "count-pixel") {
		t.Errorf("the page with what decided: %d\n%s", status, body)
	}
	if status, body, _ := s.Get("/.yellowgate/audit?page=/press/"); status != 200 ||
		!strings.Contains(body, "Audit of /press/") || !strings.Contains(body, "unclaimed-element") {
		t.Errorf("the audit of a page: %d\n%s", status, body)
	}
	_, port, _ := strings.Cut(strings.TrimPrefix(s.Address, "http://"), ":")
	b.Want(2, clitest.Args("serve", "--gate", gate, "--listen", "127.0.0.1:"+port),
		"the port "+port+" of 127.0.0.1 is taken", "--listen 127.0.0.1:0")
	if code := s.Stop(); code != 0 {
		t.Errorf("it ends with status %d:\n%s", code, s.Said())
	}
	b.Want(2, clitest.Args("serve"), "no yellowgate.yaml in this folder")
	b.Want(2, clitest.Args("serve", "--gate", gate, "--listen", "8700"), "--listen takes a host and a port")
	b.Want(2, clitest.Args("serve", "x", "--gate", gate), "serve takes no argument", "for example: yellowgate serve")
	b.Write("none.yaml", "yellowgate: 1\n")
	b.Want(2, clitest.Args("serve", "--gate", "none.yaml"), "names no source folder", "yellowgate gateway")
	b.Want(3, clitest.Args("serve", "--gate", "gone.yaml"), "gone.yaml: no such file")
}

// TestServeTells: what check calls an error of a page is shown in its place, and in the terminal.
func TestServeTells(t *testing.T) {
	b := clitest.New(t, "yellowgate.yaml", clitest.SiteHead+"items:\n  own: {script: /js/none.js, pages: /visit/}\n",
		"site/index.html", clitest.Doc("Home", ""), "site/visit/index.html", clitest.Doc("Visit", ""))
	s := b.Start("serve", "--listen", "127.0.0.1:0")
	if status, body, _ := s.Get("/visit/"); status != 500 || !strings.Contains(body, "the site has no such file") {
		t.Errorf("%d\n%s", status, body)
	}
	s.Says("/visit/ is not shown")
	s.Says(`item "own" loads /js/none.js, and the site has no such file`)
	if status, _, _ := s.Get("/"); status != 200 {
		t.Errorf("the home page: %d", status)
	}
}

// TestServeBrowser: somebody edits the gate file, a code file and a page, and the page in the
// browser follows without a hand on it.
func TestServeBrowser(t *testing.T) {
	clitest.NeedBrowser(t)
	const gate = clitest.SiteHead + "items:\n  counter: {code-file: code/counter.html, pages: all}\n"
	b := clitest.New(t, "yellowgate.yaml", gate, "code/counter.html", "<i id=count>one</i>", "site/index.html",
		clitest.Doc("Home", "<h1>Home</h1>"), "site/css/site.css", "h1 { color: rgb(1, 2, 3) }")
	s := b.Start("serve", "--listen", "127.0.0.1:0")
	tab := clitest.BrowserAt(t, s.Address)
	tab.Do(chromedp.Navigate(s.Address + "/"))
	counted := "document.getElementById('count') && document.getElementById('count').textContent"
	tab.Becomes("at first", counted, "one")
	b.Write("code/counter.html", "<i id=count>two</i>")
	tab.Becomes("after the code file was changed", counted, "two")
	b.Write("yellowgate.yaml", strings.Replace(gate, "pages: all", "pages: none", 1))
	tab.Becomes("after the gate file was changed", counted, "null")
	b.Write("site/index.html", clitest.Doc("Home", "<h1>Welcome</h1>"))
	tab.Becomes("after the page was changed", "document.querySelector('h1').textContent", "Welcome")
	b.Write("yellowgate.yaml", strings.Replace(gate, "pages: all", "pages: (", 1))
	tab.Becomes("with a mistake", "document.querySelector('h1').textContent", "The gate is not in order")
	tab.Becomes("the place of the mistake", "document.querySelector('.card .file').textContent", "yellowgate.yaml:4:51")
	s.Says("yellowgate.yaml:4:51: error")
	b.Write("yellowgate.yaml", gate)
	tab.Becomes("mended", counted, "two")
	for i := range 3 { // in quick succession
		b.Write("code/counter.html", fmt.Sprintf("<i id=count>%d</i>", i))
	}
	tab.Becomes("after several changes", counted, "2")
	if tab.Becomes("where it is", "location.pathname", "/"); strings.Contains(s.Said(), "panic") {
		t.Error(s.Said())
	}
}

// TestServeSpellings: a page that is asked for as the site does not call it is redirected to where it is, as hosts do.
func TestServeSpellings(t *testing.T) {
	for _, c := range []struct {
		key  string
		want map[string]string // where a request ends
	}{
		{"",
			map[string]string{"/about": "/about.html", "/about.html": "/about.html", "/visit": "/visit/",
				"/visit/": "/visit/", "/none.txt": "/none.txt"}},
		{", extensionless: true",
			map[string]string{"/about": "/about", "/about.html?x=1": "/about?x=1", "/visit": "/visit/"}},
		{", slashless: true", map[string]string{"/visit/": "/visit", "/visit": "/visit", "/about": "/about.html", "/": "/"}},
	} {
		b := clitest.New(t, "yellowgate.yaml",
			"yellowgate: 1\nsite: {source: site"+c.key+"}\nitems: {bell: {code: <i>bell</i>, pages: all}}\n",
			"site/index.html", clitest.Doc("Home", "h"), "site/about.html", clitest.Doc("About", "a"),
			"site/visit/index.html", clitest.Doc("Visit", "v"))
		s := b.Start("serve", "--listen", "127.0.0.1:0")
		for path, want := range c.want {
			r, err := http.Get(s.Address + path)
			if err != nil {
				t.Fatal(err)
			}
			body, _ := io.ReadAll(r.Body)
			r.Body.Close()
			if got := r.Request.URL.RequestURI(); got != want ||
				strings.Contains(string(body), "<i>bell</i>") != (r.StatusCode == 200) {
				t.Errorf("%q: %s ends at %s with %d, want %s", c.key, path, got, r.StatusCode, want)
			}
		}
	}
}
