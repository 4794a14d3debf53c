package browser_test

import (
	"net/http"
	"net/http/httptest"
	"slices"
	"strings"
	"sync"
	"testing"

	"yellowgate/internal/clitest"
)

// TestHeld: what a visitor's steps would post to somebody else does not leave, from the page, a frame or a worker, by
// whatever means; what only reads does. A page that posts keeps its files, and says why.
func TestHeld(t *testing.T) {
	t.Parallel()
	clitest.NeedBrowser(t)
	var mu sync.Mutex
	var came []string
	api := httptest.NewTLSServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		mu.Lock()
		came = append(came, r.Method+" "+r.URL.Path)
		mu.Unlock()
		w.Header().Set("Access-Control-Allow-Origin", "*")
		if r.URL.Path == "/frame" {
			w.Header().Set("Content-Type", "text/html")
			_, _ = w.Write([]byte(`<button id=b style="position:fixed;inset:0">In the frame</button><script>
				setTimeout(() => { fetch("/read-in-frame"); fetch("/frame-post", {method: "POST", body: "a"}); }, 1500)</script>`))
		}
	}))
	defer api.Close()
	const at = "https://api.lantern.example"
	b := clitest.New(t,
		"site/index.html", clitest.Doc("Post", `<link rel=stylesheet href=/idle.css><button id=send>Send</button>
<iframe src=`+at+`/frame width=300 height=200></iframe>
<script>
const worker = new Worker("/worker.js");
navigator.serviceWorker.register("/sw.js");
document.getElementById("send").addEventListener("click", () => {
  fetch("`+at+`/read");
  fetch("`+at+`/fetch", {method: "POST", mode: "no-cors", body: "a"});
  navigator.sendBeacon("`+at+`/beacon", "a");
  const x = new XMLHttpRequest(); x.open("PUT", "`+at+`/xhr"); x.send("a");
  worker.postMessage("go");
  navigator.serviceWorker.ready.then(r => r.active.postMessage("go"));
});
</script>`),
		"site/quiet.html", clitest.Doc("Quiet", `<link rel=stylesheet href=/idle.css><p>Nothing</p>`),
		"site/idle.css", ".thanks{color:red}",
		"site/worker.js", `onmessage = () => fetch("`+at+`/worker", {method: "POST", mode: "no-cors", body: "a"});`,
		"site/sw.js", `onmessage = () => { fetch("`+at+`/service", {method: "POST", mode: "no-cors", body: "a"}); fetch("`+at+`/read-in-service"); }`)
	out := b.Want(0, clitest.Args("suggest", "site", "--browser", "--format", "text", "-q",
		"--host", "api.lantern.example="+strings.TrimPrefix(api.URL, "https://")), "kept where the page posts to")
	mu.Lock()
	defer mu.Unlock()
	for _, x := range came {
		if !strings.HasPrefix(x, "GET ") && !strings.HasPrefix(x, "OPTIONS ") {
			t.Errorf("%s left", x)
		}
	}
	for _, want := range []string{"/read", "/frame", "/read-in-frame", "/read-in-service"} {
		if !slices.Contains(came, "GET "+want) {
			t.Errorf("%s, which only reads, did not come: %v\n%s", want, came, out)
		}
	}
}

// TestTakenBy: of an item that a script takes out it is said which script, at which line, in a text and as JSON; what a
// frame of somebody else stores is told as theirs.
func TestTakenBy(t *testing.T) {
	t.Parallel()
	clitest.NeedBrowser(t)
	frame := httptest.NewTLSServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/html")
		_, _ = w.Write([]byte(`<script>localStorage.visitor = 1; indexedDB.open("visits");</script>`))
	}))
	defer frame.Close()
	b := clitest.New(t, "yellowgate.yaml", clitest.SiteHead+`items:
  note: {code: <p class=note>Closed today</p>, place: {first-in: '#app'}, pages: all}
  gone: {code: <p class=gone>Gone</p>, place: body-start, pages: all}
`,
		"site/index.html", clitest.Doc("App", `<div id=app><p>App</p></div><script src=/app.js></script>
<iframe src=https://pay.lantern.example/></iframe>`),
		"site/more/index.html", clitest.Doc("More", `<div id=app><p>App</p></div><script src=/app.js></script>`),
		"site/app.js", `// builds the page anew
const root = document.getElementById("app");
function build() { root.innerHTML = "<p>App</p>"; }
build();
document.querySelector(".gone")?.remove();`)
	b.Want(0, clitest.Args("apply", "-q"))
	host := "pay.lantern.example=" + strings.TrimPrefix(frame.URL, "https://")
	b.Want(1, clitest.Args("audit", "--browser", "-q", "--host", host),
		`item "note" is in the text and not in the browser: a script took it out of div#app (/app.js:3)`, "(/app.js:5)")
	b.Want(0, clitest.Args("show", "/", "--browser", "-q", "--host", host), "visitor", "visits")
}

// TestMeasuredAgain: what breaks a budget is measured again until two visits agree, and the middle one counts.
func TestMeasuredAgain(t *testing.T) {
	t.Parallel()
	clitest.NeedBrowser(t)
	for _, c := range []struct {
		heavy  string // a visit after the other: h for one that asks for more than the budget allows
		over   bool
		visits int
	}{{"l", false, 1}, {"hll", false, 3}, {"hhh", true, 3}, {"hlhl", false, 4}, {"hhlh", true, 4}} {
		var mu sync.Mutex
		visits := 0
		api := httptest.NewTLSServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			mu.Lock()
			defer mu.Unlock()
			w.Header().Set("Content-Type", "text/javascript")
			if r.URL.Path != "/kit.js" {
				return
			}
			if visits++; visits <= len(c.heavy) && c.heavy[visits-1] == 'h' {
				_, _ = w.Write([]byte(`for (let i = 0; i < 9; i++) new Image().src = "https://api.lantern.example/" + i + ".png"`))
			}
		}))
		b := clitest.New(t, "yellowgate.yaml", clitest.SiteHead+"budgets: [{pages: all, requests-made: 8}]\n",
			"site/index.html", clitest.Doc("A", `<script src=https://api.lantern.example/kit.js></script>`))
		b.Want(0, clitest.Args("apply", "-q"))
		status, out, _ := b.Exec("audit", "--browser", "-q", "--host",
			"api.lantern.example="+strings.TrimPrefix(api.URL, "https://"))
		mu.Lock()
		if over := strings.Contains(out, "over-budget"); over != c.over || (status == 1) != c.over || visits != c.visits {
			t.Errorf("%s: over %v, status %d, %d visits\n%s", c.heavy, over, status, visits, out)
		}
		mu.Unlock()
		api.Close()
	}
}
