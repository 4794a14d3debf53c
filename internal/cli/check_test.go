package cli_test

import (
	"encoding/json"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"testing"

	"yellowgate/internal/clitest"
)

// TestCheckWarns: lines of the gate file that choose or change nothing are told,
// and stop nothing.
func TestCheckWarns(t *testing.T) {
	b := clitest.Small(t)
	b.Write("facts.csv", "path,name\n/visit/,Visit us\n/gone/,Nowhere\n")
	b.Write("site/visit/index.html", clitest.Doc("Visit", "<div><h1>Visit</h1></div>"))
	for _, file := range []string{"js/one.js", "c.css", "e.css"} {
		b.Write("site/"+file, "/* "+file+" */")
	}
	gate := clitest.SiteHead[:len(clitest.SiteHead)-2] + `, facts: facts.csv}
sets:
  empty: /nowhere/**
  plain: none
metadata:
  - {pages: all, title: "@{fact.name}"}
items:
  a: {script: /js/one.js, pages: [all, /no/]}
  b: {script: /js/one.js, pages: /visit/, except: /members/}
  c: {stylesheet: /c.css, pages: /visit/, except: /visit/}
  d: {found: [video, h1], pages: none}
  e: {stylesheet: /e.css, pages: empty}
  f: {code: <p>x</p>, place: {before: body > h1}, pages: [/visit/, /members/]}
per-page:
  /visit/: {in: [a]}
`
	b.Write("yellowgate.yaml", gate)
	out := b.Want(0, clitest.Args("check", "--verbose"),
		`facts.csv:3:1: warning: facts are given for /gone/`,
		`yellowgate.yaml:4:10: warning: the page set "empty" chooses no page of the site`,
		`yellowgate.yaml:7:25: note: title: "@{fact.name}" has no value on 2 pages`,
		`yellowgate.yaml:9:40: warning: item "a": pages: /no/ chooses no page`,
		`items "b" and "a" both carry /js/one.js`,
		`warning: item "b": except: /members/ excludes nothing`,
		`the exceptions of item "c" cover all its pages`,
		`warning: item "d": found: video matches nothing on any page`,
		`warning: item "f" has no place: "body > h1" matches nothing (on /visit/)`,
		`warning: per-page /visit/: in for "a" changes nothing`,
	)
	for _, never := range []string{`"plain"`, `item "e": pages`, "h1 matches"} {
		if strings.Contains(out, never) {
			t.Errorf("%q is told:\n%s", never, out)
		}
	}
	b.Want(1, clitest.Args("check", "--fail-on", "warning"))
	if out := b.Want(0, clitest.Args("check")); strings.Contains(out, ": note: ") {
		t.Error("notes are told without --verbose")
	}
	b.Want(0, clitest.Args("apply"), "3 pages written, 4 other files copied", "has no place")

	var told struct {
		Problems []struct{ Severity, Check, Item, Message string }
		Accepted int
	}
	read := func() {
		t.Helper()
		told.Problems = nil
		if err := json.Unmarshal([]byte(b.Want(0, clitest.Args("check", "--format", "json"))), &told); err != nil {
			t.Fatal(err)
		}
	}
	read()
	for _, p := range told.Problems { // what nobody can name, nobody can accept
		b.Want(0, clitest.Args("explain", p.Check), p.Check)
	}
	all := len(told.Problems)
	b.Write("yellowgate.yaml", gate+`accept:
  - {check: chooses-nothing, pages: all, item: c, note: the exceptions are meant}
  - {check: facts-without-page, pages: all, note: the page comes later}
  - {check: no-such-place, pages: /members/, note: another page}
  - {check: shared-url, pages: /visit/, note: about no page}
  - {check: shared-url, about: /a.js, pages: all, note: what check says is about nothing}
`)
	if read(); told.Accepted != 2 || len(told.Problems) != all-2 {
		t.Errorf("%d of %d are left, %d accepted", len(told.Problems), all, told.Accepted)
	}
	b.Want(0, clitest.Args("check"), "2 findings accepted in the gate file", `page set "empty"`,
		"items \"b\" and \"a\"", `"body > h1" matches nothing (on /visit/)`)
	b.Write("yellowgate.yaml", gate+"accept: {check: no-such-place, pages: /visit/, note: later}\n")
	if out := b.Want(0, clitest.Args("apply")); strings.Contains(out, "has no place") {
		t.Error(out)
	}
}

// TestFilesOfServer: what a captured folder lacks and the running site has is no mistake.
func TestFilesOfServer(t *testing.T) {
	asked := map[string]int{}
	var mutex sync.Mutex
	origin := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		mutex.Lock()
		defer mutex.Unlock()
		switch asked[r.URL.Path]++; {
		case r.URL.Path == "/js/got.js" && r.Method == http.MethodHead:
			w.WriteHeader(http.StatusMethodNotAllowed)
		case r.URL.Path != "/js/late opening.js" && r.URL.Path != "/js/got.js":
			http.NotFound(w, r)
		}
	}))
	gate := "yellowgate: 1\nsite: {source: site, output: public, origin: \"" + origin.URL + "\"}\nitems:\n  late: {script: /js/late%20opening.js, pages: all}\n"
	b := clitest.New(t, "yellowgate.yaml", gate, "site/index.html", clitest.Doc("Home", ""), "site/visit/index.html",
		clitest.Doc("Visit", ""))
	b.Want(0, clitest.Args("check"), "No errors")
	b.Want(0, clitest.Args("apply"), "2 pages written")
	if asked["/js/late opening.js"] != 2 {
		t.Errorf("asked for %v: two commands ask once each", asked)
	}
	b.Write("yellowgate.yaml", gate+"  got: {script: /js/got.js, pages: all}\n")
	b.Want(0, clitest.Args("check"), "No errors")
	b.Write("yellowgate.yaml", gate+"  later: {script: /js/later.js, pages: all}\n")
	b.Want(1, clitest.Args("check"), `item "later" loads /js/later.js, and the site has no such file`, "1 error")
	b.Want(2, clitest.Args("apply"), `item "later" loads /js/later.js, and the site has no such file`)
	origin.Close()
	out := b.Want(0, clitest.Args("check"),
		"warning: "+origin.URL+" could not be queried for files that the folder lacks: ", "connection refused")
	if strings.Contains(out, "the site has no such file") {
		t.Errorf("what is unknown is called missing:\n%s", out)
	}
	if _, _, errout := b.Exec("apply"); !strings.Contains(errout, "could not be queried") {
		t.Errorf("apply does not say what it could not ask: %s", errout)
	}
}

// TestJSON: every command's JSON is JSON, and has what a script would look for.
func TestJSON(t *testing.T) {
	b := clitest.Small(t)
	b.Write("yellowgate.yaml", clitest.SmallGate)
	for _, c := range []struct{ args, want string }{
		{"check", `"item":"counter"`}, {"pages", `"sets":[]`}, {"pages --fields", `"name":"fact.name"`}, {
			"why /visit/ counter", `"verdict":"in"`},
		{"why /visit/ title", `"wins":true`}, {"where", `"kind":"code"`}, {"where counter",
			`"reason":"except"`}, {
			"diff", `"new":true`}, {"survey", `"loads"`},
		{"apply", `"written":3`}, {"show /visit/", `"format":"yellowgate.page/1"`}, {"audit", `"errors":0`}, {
			"explain", `"name":"broken-head"`}, {"explain dead-file", `"good":`},
	} {
		_, out, errout := b.Exec(append(strings.Fields(c.args), "--format", "json")...)
		var v any
		if err := json.Unmarshal([]byte(out), &v); err != nil {
			t.Errorf("%s: %v\n%s%s", c.args, err, out, errout)
			continue
		}
		compact, _ := json.Marshal(v)
		if !strings.Contains(string(compact), c.want) {
			t.Errorf("%s: %s is not in %s", c.args, c.want, compact)
		}
	}
}

// TestMarksOff: without marks the audit knows items by URL and text, and the
// output is as it would be written by hand.
func TestMarksOff(t *testing.T) {
	b := clitest.Small(t)
	b.Write("yellowgate.yaml",
		strings.Replace(clitest.SmallGate, "  facts:", "  marks: false\n  facts:", 1)+
			"  style: {stylesheet: /css/site.css, pages: all}\n")
	b.Want(0, clitest.Args("apply"))
	if page := b.Read("public/visit/index.html"); strings.Contains(page, "yg:") ||
		!strings.Contains(page, "\n  <link rel=\"stylesheet\" href=\"/css/site.css\">\n</head>") {
		t.Errorf("the page is\n%s", page)
	}
	b.Want(0, clitest.Args("audit"), "counter            2         2  as the gate says", "style              3         3")
	b.Write("public/members/index.html", b.Read("public/visit/index.html"))
	b.Want(1, clitest.Args("audit"), "leaked on 1")
}

// TestOutputAsSource: an output may serve as a source; its marked regions are
// taken out before anything else.
func TestOutputAsSource(t *testing.T) {
	b := clitest.Small(t)
	b.Write("yellowgate.yaml", clitest.SmallGate)
	b.Exec("apply")
	b.Write("again.yaml",
		strings.NewReplacer("source: site", "source: public", "output: public", "output: second").Replace(
			clitest.SmallGate))
	b.Want(0, clitest.Args("apply", "--gate", "again.yaml"), "3 pages written")
	for _, page := range []string{"index.html", "visit/index.html", "members/index.html"} {
		if b.Read("second/"+page) != b.Read("public/"+page) {
			t.Errorf("%s differs", page)
		}
	}
}

// TestCheckSite: what check finds of a gate file that holds for the site as a whole.
func TestCheckSite(t *testing.T) {
	page := clitest.Doc("t", `<p>x</p><p id="letter">y</p><a href="/b/#letter">l</a>`)
	for _, c := range []struct{ name, yaml, want string }{
		{"a made page where one exists", "blank-pages: [{path: /a/, title: A}]\n",
			"the blank page /a/ exists already: a/index.html"},
		{"an id twice", "items: {letter: {popup: <p>z</p>, open: {fragment: letter}, pages: all}}\n",
			`this element has the id "letter", and so has the popup`},
		{"a link to a popup that is out", "items: {mail: {popup: <p>z</p>, open: {fragment: letter}, pages: /a/}}\n",
			`the link to #letter opens nothing: on /b/, item "mail" is out`},
		{"required", "require: [{pages: /a/, metadata: description}]\n",
			"description is required, and the page would have none (on /a/)"},
		{"noindex taken back", "metadata: [{pages: all, robots: noindex}, {pages: /a/, robots: nofollow}]\n",
			"this robots takes back the noindex of yellowgate.yaml:3:25 (on /a/)"},
		{"noindex taken back per page",
			"metadata: [{pages: all, robots: noindex}]\nper-page: {/b/: {robots: none}}\n",
			"this robots takes back the noindex"},
		{"out of its dates", "items: {x: {script: /x.js, until: 2020-01-01}}\nper-page: {/a/: {in: x}}\n",
			`item "x" is put in on /a/, but on`},
		{"built files", "items: {x: {script: 'built:main', pages: all}}\n", "the build manifest has no \"main\""},
		{"a built file that is missing", "items: {x: {script: 'built:used', pages: all}}\n",
			"the build manifest names /built/other.js, and the site has no such file"},
		{"no item uses", "items: {x: {script: 'built:used', pages: all}}\n", "no item uses the built file /built/other.js"},
		{"no integrity", "items: {x: {script: /no.js, integrity: auto, pages: all}}\n",
			"integrity: auto cannot be made: the site has no file /no.js"},
		{"a missing file", "items: {x: {code-file: no.html, pages: all}}\n", "cannot be read: no.html"},
		{"no list fact", "items: {x: {questions: '@{fact.faq}', pages: all}}\n",
			`item "x" writes no structured data where the list fact is missing`},
		{"variants", "items: {x: {script: /x.js, not-with: y, pages: all}, y: {script: /y.js, pages: /a/}}\n",
			`items "x" and "y" must never meet, and both are in`},
		{"no place", "items: {x: {code: <i>x</i>, place: {before: aside}, pages: all}}\n", `item "x" has no place anywhere`},
		{"no value", "items: {x: {code: '<i>@{fact.price}</i>', pages: all}}\n", "@{fact.price} has no value (on 4 pages"},
		{"clean addresses", "defaults: [{pages: all, canonical: 'https://t.example@{page.path}'}]\n",
			"the site's links say /two, and canonical writes /two.html: so on 2 pages [other-spelling]"},
	} {
		b := clitest.New(t, "site/one.html", clitest.Doc("1", "<a href=/two>2</a>"), "site/two.html",
			clitest.Doc("2", "<a href=/one>1</a>"), "site/a/index.html", page, "site/b/index.html",
			strings.ReplaceAll(page, `<p id="letter">y</p>`, ""), "site/built/used.js", "u()", "build.json",
			`{"used": "built/used.js", "other": "built/other.js"}`, "facts.yaml",
			"/a/: {faq: [{ask: a, answer: b}]}\n", "yellowgate.yaml",
			"yellowgate: 1\nsite: {source: site, output: public, manifest: build.json, facts: facts.yaml}\n"+c.yaml)
		_, out, errout := b.Exec("check", "--verbose")
		if !strings.Contains(strings.Join(strings.Fields(out+errout), " "), c.want) {
			t.Errorf("%s: %q is not in\n%s%s", c.name, c.want, out, errout)
		}
	}
}
