package servers_test

import (
	"fmt"
	"html"
	"io"
	"maps"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"sync"
	"testing"

	"yellowgate/internal/clitest"
)

// application answers at addresses as applications do: some with a last slash, some without, some with an
// extension, some by query; the other spelling is redirected or not there.
type application struct {
	mu    sync.Mutex
	asked map[string]int // GET and HEAD, by address
	pages map[string]int // status, by path
	moved map[string]string
}

func newApplication() *application {
	a := &application{
		asked: map[string]int{},
		pages: map[string]int{"/": 200, "/gone": 410, "/lost/": 404, "/caf%C3%A9": 200, "/Upper/Case": 200,
			"/a%20b/": 200, "/about.html": 200, "/old.htm": 200, "/v1.2": 200, "/deep/er/and/deeper": 200},
		moved: map[string]string{"/plays/": "/plays", "/from": "/to/", "/visit": "/visit/"},
	}
	for _, p := range []string{"/?p=2", "/?p=3", "/plays?p=2", "/find?p=2&s=star+cluster", "/find?s=caf%C3%A9"} {
		a.pages[p] = 200
	}
	for _, p := range []string{"/plays", "/visit/", "/to/", "/find"} {
		a.pages[p] = 200
	}
	for n := range 12 {
		a.pages[fmt.Sprintf("/plays/%d", n)] = 200
		a.pages[fmt.Sprintf("/events/%d/", n)] = 200
	}
	return a
}

func (a *application) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	path := r.URL.EscapedPath()
	if r.URL.RawQuery != "" {
		path += "?" + r.URL.RawQuery
	}
	a.mu.Lock()
	a.asked[path]++
	a.mu.Unlock()
	path = strings.TrimSuffix(strings.ReplaceAll(path, "from=letter&", ""), "?from=letter") // which is nothing to it
	if to := a.moved[path]; to != "" {
		http.Redirect(w, r, to, http.StatusMovedPermanently)
		return
	}
	status := a.pages[path]
	if path == "/sent" { // which only a form reaches
		if status = 200; r.Method != http.MethodPost {
			w.WriteHeader(http.StatusMethodNotAllowed)
			return
		}
	}
	if status == 0 {
		http.NotFound(w, r)
		return
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.WriteHeader(status)
	fmt.Fprintf(w, "<!doctype html>\n<html lang=\"en\"><head>\n<title>%s</title>\n</head><body>\n", path)
	for _, to := range slices.Sorted(maps.Keys(a.pages)) {
		fmt.Fprintf(w, "<a href=\"%s\">%s</a>\n", to, to)
	}
	fmt.Fprint(w,
		"<a href=/from>moved</a><a href=\"/plays?from=letter&p=2\">as a letter has it</a><a href=\"/visit/?from=letter\">Visit</a></body></html>\n")
}

var canonical = regexp.MustCompile(`<link rel="canonical" href="https://ternhill\.example([^"]*)">`)

// TestOneAddress: capture with apply, the gateway, apply of one page, serve and show give a page one address, which
// is the one at which the site answers, and write the same bytes; nobody asks for an address that the site does
// not use.
func TestOneAddress(t *testing.T) {
	app := newApplication()
	origin := httptest.NewServer(app)
	defer origin.Close()
	b := clitest.New(t, "yellowgate.yaml",
		"yellowgate: 1\nsite: {url: 'https://ternhill.example', origin: '"+origin.URL+
			"', source: captured, output: public, query: [p, s], facts: facts.csv}\n"+
			"defaults: [{pages: all, canonical: '@{page.url}', title: '@{page.path}'}]\nmetadata: [{pages: all, alternates: {en: '/plays/{rest}', de: '/events/{rest}'}, author: '@{fact.author}'}]\nitems: {plays: {code: <i>play</i>, pages: /plays/*}, event: {code: <b>event</b>, pages: [/events/3, /plays/3/]},\n  second: {code: <u>second</u>, pages: query.p = 2}, third: {code: <s>third</s>, pages: '/?p=3'}, first: {code: <em>home</em>, pages: /}}\nper-page: {'/plays?p=2': {description: The second page}}\n")
	b.Write("facts.csv", "path,author\n/plays/?from=letter&p=2,Ada\n/plays/3/,Ben\n")
	b.Want(0, clitest.Args("capture", "--own-site"))
	b.Want(0, clitest.Args("apply"))
	app.mu.Lock()
	for path := range app.asked {
		if app.pages[path] == 0 && app.moved[path] == "" && path != "/robots.txt" && path != "/sitemap.xml" {
			t.Errorf("capture asked for %s, which the site does not use", path)
		}
	}
	clear(app.asked)
	app.mu.Unlock()
	gateway, serve := b.Start("gateway", "--listen", "127.0.0.1:0", "--log", "off"),
		b.Start("serve", "--listen", "127.0.0.1:0")
	bodyOf := func(r *http.Response, err error) string {
		if err != nil {
			t.Fatal(err)
		}
		defer r.Body.Close()
		body, err := io.ReadAll(r.Body)
		if err != nil {
			t.Fatal(err)
		}
		return string(body)
	}
	get := func(address string) string { return bodyOf(http.Get(address)) }
	post := func(address string) string {
		return bodyOf(http.Post(address, "application/x-www-form-urlencoded", strings.NewReader("a=b")))
	}
	written := map[string]string{} // what apply wrote, by the canonical or title that it has
	err := filepath.WalkDir(filepath.Join(b.Dir, "public"), func(name string, d os.DirEntry, err error) error {
		if err == nil && !d.IsDir() && strings.HasSuffix(name, ".html") || strings.HasSuffix(name, ".htm") {
			text, _ := os.ReadFile(name)
			source := regexp.MustCompile(`<a href="`).Split(string(text), 2)[0]
			written[source] = string(text)
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	for path, status := range app.pages {
		if status != 200 {
			if got := get(gateway.Address + path); canonical.MatchString(got) {
				t.Errorf("%s is an error page, and the gateway gives it a canonical: %s", path,
					canonical.FindString(got))
			}
			continue
		}
		through := get(gateway.Address + path)
		if m := canonical.FindStringSubmatch(through); m == nil || html.UnescapeString(m[1]) != path {
			t.Errorf("%s: the gateway's canonical is %q", path, m)
		}
		head := strings.SplitN(through, `<a href="`, 2)[0]
		if written[head] != through {
			t.Errorf("%s: apply did not write what the gateway sends:\n%s", path, head)
		}
		if _, out, _ := b.ExecIn(get(origin.URL+path), "apply", "-", "--as", path); out != through {
			t.Errorf("%s: apply - writes another page than the gateway:\n%s", path, out)
		}
		if got := get(serve.Address + path); !strings.HasPrefix(got, strings.TrimSuffix(head, "\n")) {
			t.Errorf("%s: serve sends another head:\n%s", path, got)
		}
	}
	for _, c := range [][]string{{"/plays/3", "▐ /plays/3"}, {"/plays/3/", "▐ /plays/3"}, {"/visit", "▐ /visit/"}} {
		b.Want(0, clitest.Args("show", c[0]), c[1]+"  ")
		b.Want(0, clitest.Args("why", c[0], "plays"))
	}
	b.Want(0, clitest.Args("show", origin.URL+"/plays/3"), "▐ /plays/3  ")
	if _, out, _ := b.Exec("audit", "--format", "json", "--no-cache"); !strings.Contains(out, `"path":"/plays/3"`) &&
		!strings.Contains(out, `"path": "/plays/3"`) || strings.Contains(out, "canonical-elsewhere") {
		t.Errorf("audit calls pages otherwise: %.400s", out)
	}
	b.Want(0, clitest.Args("where", "event"), "/plays/3", "/events/3/")
	b.Want(0, clitest.Args("where", "second"), "/?p=2", "/plays?p=2", "/find?p=2&s=star+cluster", "3 of 41 pages")
	b.Want(0, clitest.Args("where", "third"), "/?p=3", "1 of 41 pages")
	b.Want(0, clitest.Args("where", "first"), "1 of 41 pages")
	b.Want(0, clitest.Args("show", "/plays?from=letter&p=2"), "▐ /plays?p=2  ", "The second page")
	b.Want(0, clitest.Args("show", "/visit/?from=letter"), "▐ /visit/  ")
	b.Want(0, clitest.Args("why", "/?p=2", "second"))
	sent := post(gateway.Address + "/sent")
	if _, out, _ := b.ExecIn(post(origin.URL+"/sent"), "apply", "-", "--as", "/sent"); out != sent ||
		!strings.Contains(sent, `"https://ternhill.example/sent"`) {
		t.Errorf("of what is sent to it the gateway makes\n%s\nand apply\n%s", sent, out)
	}
	for path, want := range map[string]string{"/plays?p=2": `content="Ada"`, "/plays/3": `content="Ben"`,
		"/events/3/": `href="https://ternhill.example/plays/3" hreflang="en"`} {
		if got := get(gateway.Address + path); !strings.Contains(got, want) {
			t.Errorf("%s has no %s:\n%s", path, want, got)
		}
	}
	if got := get(gateway.Address + "/plays?from=letter&p=2"); !strings.Contains(got,
		`"https://ternhill.example/plays?p=2"`) {
		t.Errorf("of a letter the gateway makes:\n%s", got)
	}
}

// TestHost: a server that answers to several names is asked for the one that is given, and links to that name are the
// site's own.
func TestHost(t *testing.T) {
	served := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Host != "ternhill.example" {
			http.Error(w, "another site", http.StatusMisdirectedRequest)
			return
		}
		w.Header().Set("Content-Type", "text/html")
		fmt.Fprintf(w, "<!doctype html><title>%s</title><a href=\"http://ternhill.example/visit\">v</a>", r.URL.Path)
	}))
	defer served.Close()
	b := clitest.New(t)
	for i, way := range [][]string{{"--name", "ternhill.example"}, {"--header", "Host: ternhill.example"}} {
		to := fmt.Sprintf("kept%d", i)
		b.Want(0, append(clitest.Args("capture", served.URL, "--own-site", "--to", to), way...),
			"2 pages and 0 other files")
		if got := b.Read(to + "/visit/index.html"); !strings.Contains(got, "<title>/visit</title>") {
			t.Errorf("%v kept %s", way, got)
		}
	}
	b.Want(3, clitest.Args("capture", served.URL, "--own-site", "--to", "none"), "421 Misdirected Request")
}

// TestBothSpellings: where a site answers at both spellings with the same bytes, each is a page of its own address,
// also for a gateway that keeps what it gated.
func TestBothSpellings(t *testing.T) {
	origin := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/html")
		fmt.Fprint(w, "<!doctype html><title>Plays</title><h1>Plays</h1>")
	}))
	defer origin.Close()
	b := clitest.New(t, "yellowgate.yaml", "yellowgate: 1\nsite: {url: 'https://ternhill.example', origin: '"+origin.URL+
		"'}\ndefaults: [{pages: all, canonical: '@{page.url}'}]\n")
	gateway := b.Start("gateway", "--listen", "127.0.0.1:0", "--log", "off")
	for range 2 {
		for _, path := range []string{"/plays", "/plays/", "/plays", "/plays/", "/"} {
			r, err := http.Get(gateway.Address + path)
			if err != nil {
				t.Fatal(err)
			}
			body, _ := io.ReadAll(r.Body)
			r.Body.Close()
			if m := canonical.FindSubmatch(body); m == nil || string(m[1]) != path {
				t.Errorf("%s: the canonical is %q", path, m)
			}
		}
	}
}

// TestParameters: a capture says which parameters make other pages, as long as nobody has named any.
func TestParameters(t *testing.T) {
	origin := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/robots.txt" {
			fmt.Fprint(w, "User-agent: *\nDisallow: /?p=3\n")
			return
		}
		w.Header().Set("Content-Type", "text/html")
		fmt.Fprintf(w,
			"<!doctype html><title>Plays %s</title><a href='/?p=2'>2</a><a href='/?p=3'>3</a><a href='/?from=letter&p=2'>3</a>"+
				"<a href='/?from=letter'>x</a><input value='%s'>", r.URL.Query().Get("p"), r.URL.RawQuery)
	}))
	defer origin.Close()
	b := clitest.New(t)
	out := b.Want(0, clitest.Args("capture", origin.URL, "--own-site", "--to", "kept"), "1 page and 0 other files",
		"p: 2 of 2 addresses have another text, such as "+origin.URL+"/?p=2: name it in site.query")
	if strings.Contains(out, "from:") {
		t.Errorf("a parameter that changes no text is told:\n%s", out)
	}
	b.Want(0, clitest.Args("capture", origin.URL, "--to", "asked"), "p: 1 of 1 addresses") // robots.txt leaves one out
	b.Want(0, clitest.Args("capture", origin.URL, "--own-site", "--to", "counted", "--format", "json"),
		`"name": "from"`, `"other": 0`)
	b.Write("yellowgate.yaml",
		"yellowgate: 1\nsite: {origin: '"+origin.URL+"', source: captured, output: public, query: p}\n")
	if out := b.Want(0, clitest.Args("capture", "--own-site"), "3 pages and 0 other files"); strings.Contains(out,
		"site.query") {
		t.Errorf("what is named already is told:\n%s", out)
	}
	if !b.Exists("captured/index?p=3.html") {
		t.Error("the page of ?p=3 is not kept")
	}
}
