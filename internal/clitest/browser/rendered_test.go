package browser_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"yellowgate/internal/clitest"
	"yellowgate/internal/testsize"
)

// planted is a page in which something goes wrong that only a browser shows, and what the audit says
// of it.
var planted = []struct {
	name, page string
	want       []string // check, and a part of the message
}{
	{"a tag that is out is added by a script",
		`<script>var s = document.createElement("script"); s.src = "/js/counter.js"; document.head.append(s);</script>`,
		[]string{
			"runtime-leak counter: item \"counter\" is excluded here, and /js/counter.js is still requested (requested by a script of the page)",
			"loaded-by-script /js/counter.js"}},
	{"by a container", `<script src="/js/box.js"></script>`,
		[]string{
			"runtime-leak counter: item \"counter\" is excluded here, and /js/counter.js is still requested (requested by /js/box.js)",
			"loaded-by-script /js/counter.js (requested by /js/box.js)"}},
	{"a file that is not there", `<script>new Image().src = "/img/none.png";</script>`,
		[]string{"failed-load /img/none.png: it answers 404"}},
	{"a script that is not there",
		`<script>var s = document.createElement("script"); s.src = "/js/none.js"; document.head.append(s);</script>`,
		[]string{"failed-load /js/none.js: it answers 404 (requested by a script of the page)"}},
	{"another site's script that is something else",
		`<script>var s = document.createElement("script"); s.src = "http://127.0.0.1:CORS/page.js"; document.head.append(s);</script>`,
		[]string{
			"failed-load http://127.0.0.1:CORS/page.js: the browser keeps the answer from the page, since it is of another kind than what was requested"}},
	{"a call that fails", `<script>fetch("/fails").catch(function () {});</script>`,
		[]string{"failed-load /fails: it answers 404 (requested by a script of the page)"}},
	{"a wrong digest",
		`<script src="/js/there.js" integrity="sha384-oqVuAfXRKap7fdgcCY5uykM6+R9GqQ8K/uxy9rx7HNQlGYl1kPzQho1wx4JwY8wC"></script>`,
		[]string{
			"failed-load /js/there.js: the browser does not take it, since it is another file than its digest says"}},
	{"a policy",
		`<meta http-equiv="Content-Security-Policy" content="script-src 'self' 'unsafe-inline'"><script>var s = document.createElement("script"); s.src = "https://count.example/c.js"; document.head.append(s);</script>`,
		[]string{"blocked-by-policy"}},
	{"a policy that stops what no text names",
		`<meta http-equiv="Content-Security-Policy" content="script-src 'self' 'unsafe-inline'; connect-src 'self'"><script>fetch("https://data." + "example/stars").catch(function () {}); try { eval("1"); } catch (e) {}</script>`,
		[]string{
			"blocked-by-policy connect-src does not allow https://data.example/stars (requested by a script of the page)",
			"blocked-by-policy script-src does not allow code made of a text (eval), which a script of the page puts in"}},
	{"another site does not let it have it",
		`<script>fetch("http://127.0.0.1:CORS/data").catch(function () {});</script>`,
		[]string{"failed-load http://127.0.0.1:CORS/data: the other site does not let this one have it"}},
	{"without TLS", `<script src="http://count.example/c.js"></script>`,
		[]string{
			"failed-load http://count.example/c.js: the browser does not load it, since it comes without TLS on a page that came with it"}},
	{"nobody answers", `<script>fetch("http://127.0.0.1:1/").catch(function () {});</script>`,
		[]string{"failed-load http://127.0.0.1:1/: "}},
	{"an exception", `<script>
nothing.there();
</script>`, []string{"script-error ReferenceError: nothing is not defined"}},
	{"an exception in a file", `<script src="/js/throws.js"></script>`,
		[]string{"script-error Error: thrown on purpose (/js/throws.js:2)"}},
	{"metadata that a script writes",
		`<meta name="robots" content="noindex"><script>document.title = "Come in!"; document.querySelector("[name=robots]").remove();</script>`,
		[]string{`metadata-rewritten the title is "Visit" in the text, and "Come in!" in the browser`,
			`metadata-rewritten the robots is "noindex" in the text, and gone in the browser`}},
	{"a cookie and a note in the storage",
		`<script>document.cookie = "seen=1; max-age=864000"; localStorage.setItem("visits", "7");</script>`,
		[]string{"cookie-set it leaves the cookie seen, for 10 days",
			"cookie-set it leaves visits in the local storage"}},
	{"a script that is taken out before it is read",
		`<script>document.addEventListener("DOMContentLoaded", function () {}); document.write("<!--");</script>`,
		nil},
	{"something late without a height",
		`<div id=late></div><p style="height: 400px">stars</p><script>setTimeout(function () { document.getElementById("late").innerHTML = "<div style='height: 500px'>late</div>"; }, 300);</script>`,
		[]string{"moves-the-page the layout shifts by "}},
	{"a script that loads an item twice",
		`<script src="/js/twice.js"></script><script>var s = document.createElement("script"); s.src = "/js/twice.js"; document.head.append(s);</script>`,
		[]string{"double-load /js/twice.js is loaded a second time, by a script of the page"}},
	{"an answer of 500", `<script>fetch("http://127.0.0.1:CORS/500").catch(function () {});</script>`,
		[]string{"failed-load http://127.0.0.1:CORS/500: it answers 500 (requested by a script of the page)"}},
	{"a canonical that a script writes",
		`<link rel=canonical href="/p00/"><script>document.querySelector("[rel=canonical]").href = "/p01/";</script>`,
		[]string{`metadata-rewritten the canonical is "/p00/" in the text, and "/p01/" in the browser`}},
	{"a dialog before the page", `<script src="/js/ask.js"></script>`,
		[]string{
			"covers-the-page the dialog ask stands before the page, and nothing else can be used until it is closed, put in by /js/ask.js"}},
	{"a small dialog", `<dialog open style="width: 90px">hint</dialog>`, nil},
	{"a page that leads on", `<script>location.replace("/img/dome.svg");</script>`, nil},
	{"nothing", `<script src="/js/there.js"></script><img src="/img/dome.svg" alt="" width=10 height=10>`, nil},
}

// renderedFamily are the checks of what only a browser shows.
var renderedFamily = []string{"covers-the-page", "failed-load", "script-error", "runtime-leak", "never-loaded",
	"metadata-rewritten", "loaded-by-script", "unexpected-request", "cookie-set", "moves-the-page", "slow-paint",
	"mostly-unused", "popup-stays-shut", "popup-traps"}

// TestPlantedRendered: what is planted at run time is found by its check, with item and chain, and
// nothing else is.
func TestPlantedRendered(t *testing.T) {
	t.Parallel()
	clitest.NeedBrowser(t)
	some := planted
	if !testsize.Full() {
		some = slices.Concat(planted[:1], planted[12:13], planted[len(planted)-1:])
	}
	closed := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/500" {
			w.Header().Set("Access-Control-Allow-Origin", "*")
			w.WriteHeader(http.StatusInternalServerError)
		}
		if r.URL.Path == "/page.js" {
			w.Header().Set("Content-Type", "text/plain")
			w.Header().Set("X-Content-Type-Options", "nosniff")
		}
		fmt.Fprint(w, "{}")
	}))
	defer closed.Close()
	at := strings.TrimPrefix(closed.URL, "http://")
	cors := at[strings.LastIndexByte(at, ':')+1:]
	b := clitest.New(t, "yellowgate.yaml",
		"yellowgate: 1\nsite: {source: site, output: public}\nitems:\n  counter: {found: {url: /js/counter.js}, pages: /with/}\n  wanted: {script: /js/there.js, pages: /wanted/}\n",
		"site/js/counter.js", "counted = 1;", "site/js/there.js", "there = 1;", "site/js/throws.js",
		"// it\nthrow new Error(\"thrown on purpose\");", "site/img/dome.svg",
		"<svg xmlns='http://www.w3.org/2000/svg'/>", "site/js/twice.js", "twice = 1;", "site/js/ask.js",
		`var d = document.createElement("dialog"); d.id = "ask"; d.textContent = "May we?"; document.body.append(d); d.showModal();`,
		"site/js/box.js",
		`var s = document.createElement("script"); s.src = "/js/counter.js"; document.head.append(s);`)
	for i, c := range some {
		head := "<!doctype html>\n<html lang=en>\n<head>\n<meta charset=utf-8>\n<meta name=viewport content=\"width=device-width\">\n<meta name=description content=\"The stars, seen well, page " + strconv.Itoa(i) + ".\">\n<link rel=icon href=/img/dome.svg>\n<title>Visit</title>\n"
		page := strings.ReplaceAll(c.page, "CORS", cors)
		if strings.HasPrefix(page, "<meta") {
			meta, rest, _ := strings.Cut(page, "<script>")
			head, page = head+meta+"\n", "<script>"+rest
		}
		b.Write(fmt.Sprintf("site/p%02d/index.html", i), head+"</head>\n<body>\n<p>visit</p>\n"+page+"\n</body>\n</html>\n")
	}
	b.Want(0, clitest.Args("apply", "--quiet"))
	closing := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {}))
	closing.Close()
	status, out, errout := b.Exec("audit", "--browser", "--format", "json", "--fail-on", "never", "--har-out",
		"planted.har", "--host", at+"="+at)
	if status != 0 || !strings.Contains(errout, "without its sandbox") && isRoot() {
		t.Fatalf("status %d\n%s", status, errout)
	}
	var r struct {
		Findings []struct{ Check, Page, Item, Message string }
		Rendered []struct {
			Path, Unread string
			Requests     []struct{ Target, Failed string }
		}
	}
	if err := json.Unmarshal([]byte(out), &r); err != nil {
		t.Fatal(err)
	}
	if text := b.Read("planted.har"); !strings.Contains(text, `"version": "1.2"`) ||
		strings.Count(text, `"onLoad"`) != len(some) {
		t.Error("the recording has not all pages")
	}
	if len(r.Rendered) != len(some) {
		t.Errorf("%d records of %d pages", len(r.Rendered), len(some))
	}
	for i, c := range some {
		path := fmt.Sprintf("/p%02d/", i)
		var got []string
		for _, f := range r.Findings {
			if f.Page == path &&
				(slices.Contains(renderedFamily, f.Check) || f.Check == "blocked-by-policy" ||
					f.Check == "double-load") {
				item := ""
				if f.Item != "" && f.Check == "runtime-leak" {
					item = f.Item + ": "
				}
				got = append(got, f.Check+" "+item+f.Message)
			}
		}
		for _, want := range c.want {
			want = strings.ReplaceAll(want, "CORS", cors)
			if !slices.ContainsFunc(got, func(s string) bool { return strings.HasPrefix(s, want) }) {
				t.Errorf("%s: %q is not told:\n  %s", c.name, want, strings.Join(got, "\n  "))
			}
		}
		for _, s := range got {
			known := slices.ContainsFunc(c.want,
				func(w string) bool {
					return strings.HasPrefix(s, strings.ReplaceAll(w, "CORS", cors))
				}) || strings.HasPrefix(s, "slow-paint")
			if !known && !strings.HasPrefix(s, "loaded-by-script") {
				t.Errorf("%s: told besides: %s", c.name, s)
			}
		}
	}
}

// TestHAR: what a browser was recorded to ask for is audited like a visit, as far as it goes; what is
// no recording is an error.
func TestHAR(t *testing.T) {
	t.Parallel()
	const recording = `{"log": {"version": "1.2", "pages": [{"id": "p", "startedDateTime": "2026-11-29T10:00:00Z", "title": ""}], "entries": [
{"pageref": "p", "startedDateTime": "2026-11-29T10:00:00Z", "time": 5, "_resourceType": "document", "request": {"method": "GET", "url": "https://ternhill.example/visit/"}, "response": {"status": 200, "content": {"size": 10, "mimeType": "text/html"}}},
{"pageref": "p", "startedDateTime": "2026-11-29T10:00:00.01Z", "time": 5, "_resourceType": "script", "_initiator": {"type": "parser", "url": "https://ternhill.example/visit/"}, "request": {"method": "GET", "url": "https://ternhill.example/js/box.js"}, "response": {"status": 200, "content": {"size": 10, "mimeType": "text/javascript"}}},
{"pageref": "p", "startedDateTime": "2026-11-29T10:00:00.02Z", "time": 5, "_resourceType": "script", "_initiator": {"type": "script", "stack": {"callFrames": [{"url": "https://ternhill.example/js/box.js", "lineNumber": 0}]}}, "request": {"method": "GET", "url": "https://ternhill.example/js/counter.js"}, "response": {"status": 404, "content": {"size": 10, "mimeType": "text/javascript"}}}]}}`
	b := clitest.New(t, "yellowgate.yaml",
		clitest.SiteHead+
			"items:\n  counter: {found: {url: /js/counter.js}, pages: /with/}\n  box: {script: /js/box.js, pages: all}\n  never: {script: /js/never.js, pages: all}\n",
		"site/visit/index.html", clitest.Doc("Visit", "<h1>Visit</h1>"), "site/js/box.js", "box()",
		"site/js/counter.js", "count()", "site/js/never.js", "never()", "visit.har", recording, "bad.har", "[]",
		"no.har", `{"log": {"entries": []}}`)
	b.Want(0, clitest.Args("apply", "--quiet"))
	out := b.Want(1, clitest.Args("audit", "--har", "visit.har"), "visit.har has 1 page", "in the browser",
		"failed-load", "/js/counter.js: it answers 404 (requested by /js/box.js)", "runtime-leak", "never-loaded",
		"the browser never requested /js/never.js")
	if strings.Contains(out, "metadata-rewritten") {
		t.Errorf("a recording has no document:\n%s", out)
	}
	b.Want(3, clitest.Args("audit", "--har", "bad.har"), "bad.har: it is not a HAR", "save all as HAR")
	b.Want(3, clitest.Args("audit", "--har", "no.har"), "log.entries is empty")
	b.Want(3, clitest.Args("audit", "--har", "gone.har"), "gone.har: no such file")
	b.Want(2, clitest.Args("audit", "--har", "visit.har", "--browser"), "not with --browser")
	b.Want(2, clitest.Args("audit", "--har-out", "x.har"), "add --browser")
}

func isRoot() bool {
	out, err := exec.Command("id", "-u").Output()
	return err == nil && strings.TrimSpace(string(out)) == "0"
}

// TestNobodyCalled: without --network, no third party is asked for anything; --host sends one to a
// stand-in, which is.
func TestNobodyCalled(t *testing.T) {
	t.Parallel()
	clitest.NeedBrowser(t)
	asked := make(chan string, 10)
	third := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked <- r.Host + r.URL.Path
		w.Header().Set("Content-Type", "text/javascript")
		fmt.Fprint(w, "document.title = 'called';")
	}))
	defer third.Close()
	at := strings.TrimPrefix(third.URL, "http://")
	b := clitest.New(t, "yellowgate.yaml", clitest.SiteHead+"items: {}\n", "site/index.html",
		clitest.Doc("Home",
			`<script src="http://count.example/c.js"></script><script src="https://192.0.2.7/x.js"></script><img src="https://other.example/p.gif" alt="">`))
	b.Write("yellowgate.yaml",
		strings.Replace(b.Read("yellowgate.yaml"), "https://ternhill.example", "http://ternhill.example", 1)+"")
	out := b.Want(0, clitest.Args("show", "/", "--browser"), "http://count.example/c.js", "not called",
		"https://ternhill.example/"[:0])
	if n := strings.Count(out, "not called"); n != 3 {
		t.Errorf("%d are not called, want 3:\n%s", n, out)
	}
	select {
	case who := <-asked:
		t.Errorf("somebody was asked: %s", who)
	default:
	}
	b.Want(0, clitest.Args("show", "/", "--browser", "--host", "count.example="+at), "called")
	select {
	case who := <-asked:
		if who != "count.example/c.js" {
			t.Errorf("the stand-in was asked for %s", who)
		}
	case <-time.After(2 * time.Minute):
		t.Error("the stand-in was not asked")
	}
	// Other services of this machine are nobody, by whatever name; the site that is named alone answers.
	b.Write("site/loop/index.html",
		clitest.Doc("Loop",
			`<script>for (const u of ["THIRD/a", "LOCAL/b"]) fetch(u, {mode: "no-cors", method: "POST", body: "x"}).catch(() => 0);</script><form action="THIRD/c" method=post target=f></form><iframe name=f></iframe><script>document.forms[0].submit()</script>`))
	b.Replace("site/loop/index.html", "THIRD", third.URL)
	b.Replace("site/loop/index.html", "LOCAL", strings.Replace(third.URL, "127.0.0.1", "localhost", 1))
	served := clitest.Serve(t, b.Dir+"/site")
	for _, page := range []string{"/loop/", served + "/loop/"} {
		if out := b.Want(0, clitest.Args("show", page, "--browser"), "Loop"); !strings.Contains(out, "not called") {
			t.Errorf("%s:\n%s", page, out)
		}
	}
	select {
	case who := <-asked:
		t.Errorf("another service of this machine was asked: %s", who)
	default:
	}
	if !testsize.Full() {
		return
	}
	for _, c := range []struct{ line, want string }{
		{"show / --browser --screen wide", "a screen is a width and a height"},
		{"show / --browser --host x", "--host takes a host, = and an address"},
		{"show / --browser --browser-path /none/chromium", "there is no browser at /none/chromium"},
		{"show / --browser --raw", "no --raw and no --next"},
		{"show / --screen 800x600", "add --browser"},
		{"audit --wait 3s", "add --browser"},
		{"audit --part 1/2 --browser", "not parts of an audit"},
		{"show / --browser --wait -3s", "is not a time: write a number"},
	} {
		b.Want(2, clitest.Args(strings.Fields(c.line)...), c.want)
	}
	b.Want(0, clitest.Args("show", "/", "--browser", "--click", ".nothing"), "not read: there is nothing to click")
}

// TestRenderedEnds: an endless page costs itself its record and nothing else; no process of the browser
// outlives the clitest.Program(), even if that is killed.
func TestRenderedEnds(t *testing.T) {
	t.Parallel()
	clitest.NeedBrowser(t)
	testsize.OnlyFull(t) // it waits for a page that never ends
	b := clitest.New(t, "yellowgate.yaml", clitest.SiteHead+"items: {}\n", "site/index.html",
		clitest.Doc("Home", "<h1>Home</h1>"), "site/busy/index.html",
		clitest.Doc("Busy", "<script>while (true) {}</script>"))
	b.Want(0, clitest.Args("apply", "--quiet"))
	cmd := exec.Command(clitest.Program(), "audit", "--browser", "--fail-on", "never")
	cmd.Dir = b.Dir
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	profile := regexp.MustCompile(`--user-data-dir=(\S+)`)
	var dir string
	for deadline := time.Now().Add(2 * time.Minute); dir == "" && time.Now().Before(deadline); time.Sleep(
		100 * time.Millisecond) {
		out, _ := exec.Command("ps", "-o", "args=", "--ppid", strconv.Itoa(cmd.Process.Pid)).Output()
		if m := profile.FindSubmatch(out); m != nil {
			dir = string(m[1])
		}
	}
	if dir == "" {
		t.Fatal("the browser does not start")
	}
	time.Sleep(time.Second)
	_ = cmd.Process.Kill()
	_ = cmd.Wait()
	for deadline := time.Now().Add(2 * time.Minute); ; time.Sleep(100 * time.Millisecond) {
		out, _ := exec.Command("pgrep", "-f", "--", dir).Output()
		if len(strings.TrimSpace(string(out))) == 0 {
			break
		}
		if time.Now().After(deadline) {
			t.Fatalf("processes of the browser are left: %s", out)
		}
	}
}

// TestLooks: two sides that are the same look the same, moving things included; what differs is found,
// down to a pixel, with its element; what comes and goes is told.
func TestLooks(t *testing.T) {
	testsize.OnlyFull(t)
	t.Parallel()
	clitest.NeedBrowser(t)
	const moving = `<p id=clock></p><div style="width:20px;height:20px;background:#f4d35e;animation:turn 1s linear infinite"></div><style>@keyframes turn { to { transform: translateX(200px) } }</style><script>document.getElementById("clock").textContent = Math.random();</script>`
	body := "<nav class=menu><a href=/>Home</a></nav><main style=\"height:300px\"><h1>Stars</h1><p>Owls over the hill.</p><button class=go style=\"border:1px solid #123456\">Book</button></main>" + moving
	b := clitest.New(t)
	changes := map[string][3]string{ // page -> what is changed, into what, the element
		"same":   {"", "", ""},
		"border": {"solid #123456", "solid #123457", "button.go"},
		"button": {"<button class=go style=\"border:1px solid #123456\">Book</button>", "", "main"},
		"word":   {"Owls over", "Owl over", "p"},
		"menu":   {"<a href=/>Home</a>", "<a href=/>Home</a> <a href=/x>Visit</a>", "a"},
		"script": {"<h1>", "<script src=/late.js></script><h1>", ""},
	}
	for name, c := range changes {
		b.Write("before/"+name+"/index.html", clitest.Doc(name, body))
		after := body
		if c[0] != "" {
			after = strings.Replace(body, c[0], c[1], 1)
		}
		b.Write("after/"+name+"/index.html", clitest.Doc(name, after))
	}
	b.Write("after/late.js", "nothing.there();")
	status, out, errout := b.Exec("compare", "before", "after", "--browser", "--format", "json", "--pictures",
		"pictures", "--mask", "#clock")
	if status != 1 {
		t.Fatalf("status %d\n%s%s", status, out, errout)
	}
	var l struct {
		Pages []struct {
			Path, Unread string
			Difference   struct {
				Pixels  int
				Regions []struct{ Element string }
			}
		}
		RequestsCame map[string][]string
		NewMistakes  map[string][]string
	}
	if err := json.Unmarshal([]byte(out), &l); err != nil {
		t.Fatal(err)
	}
	if len(l.Pages) != len(changes) {
		t.Errorf("%d pages", len(l.Pages))
	}
	for _, p := range l.Pages {
		name := strings.Trim(p.Path, "/")
		want := changes[name][2]
		differs := p.Difference.Pixels > 0
		if p.Unread != "" || differs != (want != "") {
			t.Errorf("%s: %d pixels differ %s", name, p.Difference.Pixels, p.Unread)
			continue
		}
		if want != "" &&
			!slices.ContainsFunc(p.Difference.Regions,
				func(r struct{ Element string }) bool { return strings.HasPrefix(r.Element, want) }) {
			t.Errorf("%s: it differs in %v, want %s", name, p.Difference.Regions, want)
		}
		if b.Exists("pictures/"+name+"-1280x800.png") != differs {
			t.Errorf("%s: a picture is there: %v", name, !differs)
		}
	}
	if !slices.Equal(l.RequestsCame["/late.js"], []string{"/script/"}) || len(l.RequestsCame) != 1 ||
		len(l.NewMistakes) != 1 {
		t.Errorf("what came: %v %v", l.RequestsCame, l.NewMistakes)
	}
	b.Want(0, clitest.Args("compare", "before", "before", "/same/", "--browser", "--mask", "#clock"), "all look the same")
	b.Want(2, clitest.Args("compare", "before", "after", "--mask", "x"), "add --browser")
	b.Want(2, clitest.Args("compare", "before", "after", "--browser", "--runs", "1"), "--runs is from 2 to 50")
	b.Want(1,
		clitest.Args("compare", "before", "after", "/word/", "--browser", "--mask", "#clock", "--format", "html",
			"--out", "looks.html"))
	if page := b.Read("looks.html"); !strings.Contains(page, "data:image/jpeg;base64,") ||
		!strings.Contains(page, "looks different") {
		t.Errorf("the page has no picture:\n%.600s", page)
	}
}

// TestUsed: what ran and what matched tells which pages have no use for a file, and the lines keep it
// to those that have.
func TestUsed(t *testing.T) {
	testsize.OnlyFull(t)
	t.Parallel()
	clitest.NeedBrowser(t)
	idle := "(function () { var form = document.querySelector('form'); if (!form) return;\n" + strings.Repeat(
		"  form.dataset.kit = \"1\"; // what the kit does\n", 60) + "})();\n"
	b := clitest.New(t, "site/css/form.css", "form { color: red }\nform b { color: blue }\n", "site/css/site.css",
		"h1 { color: navy }\n", "site/js/kit.js", idle, "site/js/all.js", "document.body.dataset.all = 1;\n")
	load := "<link rel=stylesheet href=/css/form.css><link rel=stylesheet href=/css/site.css><script src=/js/kit.js defer></script><script src=/js/all.js defer></script>"
	for i := range 4 {
		body := "<h1>Visit</h1>"
		if i == 2 {
			body += "<form><b>x</b></form>"
		}
		b.Write(fmt.Sprintf("site/p%d/index.html", i),
			strings.Replace(clitest.Doc("Visit", body), "</head>", load+"</head>", 1))
	}
	out := b.Want(0, clitest.Args("suggest", "site", "--browser"),
		"no rule of it matches on 3 of 4: /p0/, /p1/, /p3/", "hardly anything of it runs on 3 of 4: /p0/, /p1/, /p3/",
		"found: {url: /css/form.css}", "found: {url: /js/kit.js}", "pages: /p2/", "What nobody did")
	if strings.Contains(out, "site.css") || strings.Contains(out, "all.js") {
		t.Errorf("what every page uses is told:\n%s", out)
	}
	b.Want(0, clitest.Args("suggest", "site", "--browser", "--verbose"), "/css/site.css", "used on /p0/, /p1/, /p2/, /p3/")
	b.Write("yellowgate.yaml", clitest.SiteHead+"items:\n  kit: {found: [{url: /js/kit.js}], pages: all}\n")
	b.Want(0, clitest.Args("suggest", "--browser"), "kit:\n        pages: /p2/")
	b.Want(2, clitest.Args("suggest", "--browser", "--only", "kit"), "--only says what --write writes")
	b.Want(0, clitest.Args("suggest", "--browser", "--write", "--only", "kit"), "-3 kit goes from 3 pages")
	b.Want(3, clitest.Args("suggest", "http://127.0.0.1:1/", "--browser"), "is the server running")
}

// TestPopupsTried: popups that do not open, or that the keyboard cannot close, are told where they
// stand; those of the same page that do are not, nor what only happens by itself.
func TestPopupsTried(t *testing.T) {
	testsize.OnlyFull(t) // TestPopups tries how they open
	t.Parallel()
	clitest.NeedBrowser(t)
	page := func(more string) string {
		return "<!doctype html>\n<html lang=en>\n<head>\n<meta charset=utf-8>\n<title>Visit</title>\n</head>\n<body>\n<a id=ask href=\"/away/\">ask</a>\n<button class=tell>tell</button>\n" +
			more + "\n</body>\n</html>\n"
	}
	b := clitest.New(t, "yellowgate.yaml", `yellowgate: 1
site: {source: site, output: public}
items:
  letter: {popup: '<h2>Letter</h2><button data-yg-close>close</button>', label: Letter, open: [{fragment: news}, {click: "#ask"}, {after: 90s}], pages: all}
  box: {popup: '<p>box</p><button>more</button>', label: Box, open: {click: button.tell}, pages: all}
  deep: {popup: '<p>deep</p>', label: Deep, open: {scroll: 50%}, pages: all}
  going: {popup: '<p>going</p>', label: Going, open: {leaving: true}, again: once, pages: all}
  nowhere: {popup: '<p>no</p>', label: No, open: {click: "#nothing"}, pages: all}
`,
		"site/fine/index.html", page(""),
		"site/policy/index.html", strings.Replace(page(""), "<title>",
			"<meta http-equiv=Content-Security-Policy content=\"script-src 'none'\"><title>", 1),
		"site/stopped/index.html", page(
			"<script>document.querySelector('.tell').addEventListener('click', function (e) { e.stopPropagation(); });</script>"),
		"site/key/index.html", page(
			"<script>addEventListener('keydown', function (e) { if (e.key == 'Escape') e.preventDefault(); }, true);</script>"),
		"site/again/index.html", page(
			"<script>addEventListener('close', function (e) { if (e.target.id == 'letter') e.target.showModal(); }, true);</script>"),
		"site/alert/index.html", page(
			"<script>alert('come in'); document.querySelector('.tell').addEventListener('click', function () { alert('told'); });</script>"),
		"site/tall/index.html", page("<p style='height: 3000px'>tall</p>"),
		"site/still/index.html", page(
			"<p style='height: 3000px'>tall</p><script>addEventListener('scroll', function (e) { e.stopImmediatePropagation(); }, true); const real = setTimeout; setTimeout = function (f, ms) { if (ms != 50) real(f, ms); };</script>"),
		"site/away/index.html", page(""))
	b.Want(0, clitest.Args("apply", "--quiet"))
	status, out, errout := b.Exec("audit", "--browser", "--format", "json", "--fail-on", "never")
	if status != 0 {
		t.Fatal(errout)
	}
	var r struct {
		Findings []struct {
			Check, Page, Item, Message string
			Line                       int
		}
		Rendered []struct {
			Path, Unread string
			Popups       []struct {
				ID, Item, Way  string
				Opened, Closed bool
			}
		}
	}
	if err := json.Unmarshal([]byte(out), &r); err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, f := range r.Findings {
		if strings.HasPrefix(f.Check, "popup-") {
			if f.Line < 10 {
				t.Errorf("%s %s is told at line %d, not at its dialog", f.Check, f.Page, f.Line)
			}
			got = append(got, f.Check+" "+f.Page+" "+f.Item+": "+f.Message)
		}
	}
	slices.Sort(got)
	want := []string{
		"popup-stays-shut /policy/ box: the popup box does not open by a click on button.tell",
		"popup-stays-shut /policy/ going: the popup going does not open when the pointer leaves the page",
		"popup-stays-shut /policy/ letter: the popup letter does not open at #news",
		"popup-stays-shut /policy/ letter: the popup letter does not open by a click on #ask",
		"popup-stays-shut /policy/ letter: the popup letter does not open by itself after 90 s",
		"popup-stays-shut /still/ deep: the popup deep does not open by scrolling to 50 %",
		"popup-stays-shut /stopped/ box: the popup box does not open by a click on button.tell",
		"popup-traps /again/ letter: neither Escape nor a closing button closes the popup letter",
		"popup-traps /key/ box: neither Escape nor a closing button closes the popup box",
		"popup-traps /key/ going: neither Escape nor a closing button closes the popup going",
	}
	if !slices.Equal(got, want) {
		t.Errorf("got\n  %s\nwant\n  %s", strings.Join(got, "\n  "), strings.Join(want, "\n  "))
	}
	for _, page := range r.Rendered {
		if page.Unread != "" {
			t.Errorf("%s: %s", page.Path, page.Unread)
		}
		if n := map[string]int{"/fine/": 5, "/tall/": 6}[page.Path]; n > 0 && len(page.Popups) != n {
			t.Errorf("%s: %v", page.Path, page.Popups)
		}
	}
}

// TestCrashesAtStart: a browser that crashes as it starts is started once more, and no more often.
func TestCrashesAtStart(t *testing.T) {
	name := clitest.NeedBrowser(t)
	b := clitest.New(t, "site/index.html",
		"<!doctype html><html lang=en><head><title>t</title></head><body><p>x</body></html>")
	crashing := filepath.Join(b.Dir, "crashing")
	script := "#!/bin/sh\necho started >> " + b.Dir + "/starts\n[ \"$(wc -l < " + b.Dir + "/starts)\" -gt \"$CRASHES\" ] || exit 3\nexec " + name + " \"$@\"\n"
	if err := os.WriteFile(crashing, []byte(script), 0o755); err != nil {
		t.Fatal(err)
	}
	for crashes, want := range map[string]int{"1": 0, "2": 3} {
		os.Remove(filepath.Join(b.Dir, "starts"))
		t.Setenv("CRASHES", crashes)
		b.Want(want, clitest.Args("survey", "site", "--browser", "--browser-path", crashing))
		if starts, _ := os.ReadFile(filepath.Join(b.Dir, "starts")); strings.Count(string(starts), "\n") != 2 {
			t.Errorf("%s crashes: started %q", crashes, starts)
		}
	}
}
