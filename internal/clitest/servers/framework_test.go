package servers_test

import (
	"bufio"
	"html"
	"io/fs"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"yellowgate/internal/clitest"
)

// framework is an application as people write one: what answers with or without a last slash, what redirects and what
// is not there is the framework's decision.
const framework = `
import flask, logging, werkzeug.serving
logging.getLogger("werkzeug").disabled = True
app = flask.Flask("plays")
page = flask.render_template_string
LINKS = """<!doctype html><html lang="en"><head><title>{{ t }}</title></head><body><h1>{{ t }}</h1>
<a href="{{ url_for('plays') }}">Plays</a> <a href="/visit">Visit</a> <a href="{{ url_for('visit', day='café 1') }}">A day</a>
<a href="{{ url_for('plays', p=2) }}">2</a> <a href="{{ url_for('plays', p=3, from_='letter') }}">3</a> <a href="/gone">Gone</a> <a href="/old">Old</a>
{% for n in range(4) %}<a href="{{ url_for('play', n=n) }}">{{ n }}</a>{% endfor %}</body></html>"""
@app.route("/")
def home(): return page(LINKS, t="Home")
@app.route("/plays")
def plays(): return page(LINKS, t="Plays, page " + flask.request.args.get("p", "1"))
@app.route("/play/<int:n>/")
def play(n): return page(LINKS, t="Play %d" % n)
@app.route("/visit/", defaults={"day": "any day"})
@app.route("/visit/<day>")
def visit(day): return page(LINKS, t="Visit on " + day)
@app.route("/old")
def old(): return flask.redirect(flask.url_for("plays"), 301)
@app.errorhandler(404)
def lost(e): return page(LINKS, t="Not found"), 404
s = werkzeug.serving.make_server("127.0.0.1", 0, app, threaded=True)
print(s.server_port, flush=True)
s.serve_forever()
`

// TestFramework: of a framework's application every canonical that apply and the gateway write answers 200 without a
// redirect.
func TestFramework(t *testing.T) {
	python, err := exec.LookPath("python3")
	if err != nil || exec.Command(python, "-c", "import flask").Run() != nil {
		t.Skip("python3 with the package flask is not installed")
	}
	app := exec.Command(python, "-c", framework)
	out, err := app.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	app.Stderr = os.Stderr
	if err := app.Start(); err != nil {
		t.Fatal(err)
	}
	defer func() { _ = app.Process.Kill(); _ = app.Wait() }()
	port, err := bufio.NewReader(out).ReadString('\n')
	if err != nil {
		t.Fatal(err)
	}
	origin := "http://127.0.0.1:" + strings.TrimSpace(port)
	b := clitest.New(t, "yellowgate.yaml",
		"yellowgate: 1\nsite: {url: 'https://ternhill.example', origin: '"+origin+
			"', source: captured, output: public, query: p}\n"+
			"defaults: [{pages: all, canonical: '@{page.url}'}]\n")
	b.Want(0, clitest.Args("capture", "--own-site"))
	b.Want(0, clitest.Args("apply"))
	gateway := b.Start("gateway", "--listen", "127.0.0.1:0", "--log", "off")
	answered := map[string]bool{}
	get := func(address string) (int, string) {
		r, err := http.DefaultTransport.RoundTrip(newRequest(t, address))
		if err != nil {
			t.Fatal(err)
		}
		defer r.Body.Close()
		body := new(strings.Builder)
		_, _ = bufio.NewReader(r.Body).WriteTo(body)
		return r.StatusCode, body.String()
	}
	err = filepath.WalkDir(filepath.Join(b.Dir, "public"), func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || filepath.Ext(name) != ".html" {
			return err
		}
		text, err := os.ReadFile(name)
		m := canonical.FindSubmatch(text)
		if m == nil {
			t.Errorf("%s has no canonical", name)
			return err
		}
		path := html.UnescapeString(string(m[1]))
		status, _ := get(origin + path)
		if answered[path] = true; status != 200 {
			t.Errorf("%s: the canonical %s answers %d", name, path, status)
		}
		if status, through := get(gateway.Address + path); status != 200 || through != string(text) {
			t.Errorf("%s: the gateway answers %d with another page:\n%s", path, status, through)
		}
		return err
	})
	for _, path := range []string{"/", "/plays", "/plays?p=2", "/plays?p=3", "/visit/", "/visit/caf%C3%A9%201",
		"/play/3/"} {
		if !answered[path] {
			t.Errorf("no page has the canonical %s: %v", path, answered)
		}
	}
	if err != nil || len(answered) != 10 {
		t.Errorf("%d canonicals, %v: %v", len(answered), err, answered)
	}
}

func newRequest(t *testing.T, address string) *http.Request {
	r, err := http.NewRequestWithContext(t.Context(), http.MethodGet, address, nil)
	if err != nil {
		t.Fatal(err)
	}
	return r
}
