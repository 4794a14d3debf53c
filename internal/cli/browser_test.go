package cli_test

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
)

// browserName is the path of a browser on this machine, "" for none.
func browserName() string {
	for _, n := range []string{"chromium", "chromium-browser", "google-chrome", "chrome"} {
		if path, err := exec.LookPath(n); err == nil {
			return path
		}
	}
	return ""
}

// browser starts a real browser on the output folder of a bench. It skips where
// the machine has none.
func browser(b *bench) (ctx context.Context, address string) {
	name := browserName()
	if name == "" {
		b.Skip("there is no Chromium on this machine to try it in")
	}
	return startBrowser(b.T, name, 100*time.Second), serve(b.T, filepath.Join(b.dir, "public"))
}

// serve serves a folder on the loopback, and returns its address.
func serve(t *testing.T, dir string) string {
	server := httptest.NewServer(http.FileServer(http.Dir(dir)))
	t.Cleanup(server.Close)
	return server.URL
}

// startBrowser starts a browser that asks for nothing but the loopback.
func startBrowser(t *testing.T, name string, most time.Duration, more ...chromedp.ExecAllocatorOption) context.Context {
	options := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.ExecPath(name), chromedp.NoSandbox, chromedp.DisableGPU,
		chromedp.Flag("disable-background-networking", true), chromedp.Flag("disable-component-update", true), chromedp.Flag("disable-sync", true),
		chromedp.Flag("host-resolver-rules", "MAP * ~NOTFOUND, EXCLUDE 127.0.0.1"), chromedp.WindowSize(1000, 700))
	options = append(options, more...)
	ctx, stop := chromedp.NewExecAllocator(context.Background(), options...)
	t.Cleanup(stop)
	ctx, stop = chromedp.NewContext(ctx, chromedp.WithErrorf(func(string, ...any) {})) // events it does not know yet
	t.Cleanup(stop)
	ctx, stop = context.WithTimeout(ctx, most)
	t.Cleanup(stop)
	if err := chromedp.Run(ctx); err != nil {
		t.Skipf("the browser %s does not start: %v", name, err)
	}
	return ctx
}

// tab is a browser's tab.
type tab struct {
	*testing.T
	ctx  context.Context
	site string
}

func (t tab) do(actions ...chromedp.Action) {
	t.Helper()
	if err := chromedp.Run(t.ctx, actions...); err != nil {
		t.Fatal(err)
	}
}

// open goes to a page anew, as a visitor who was never there, or as one who was.
func (t tab) open(path string, again bool) {
	t.Helper()
	t.do(chromedp.Navigate(t.site + "/robots.txt")) // of the same origin, without a popup
	if !again {
		t.do(chromedp.Evaluate("localStorage.clear(); sessionStorage.clear()", nil))
	}
	t.do(chromedp.Navigate(t.site + path))
}

// js evaluates an expression to a string.
func (t tab) js(expression string) (out string) {
	t.Helper()
	t.do(chromedp.Evaluate("String("+expression+")", &out))
	return out
}

// becomes waits until an expression has a value.
func (t tab) becomes(what, expression, want string) {
	t.Helper()
	got := ""
	for range 60 {
		// While the tab goes to another page it refuses to answer: it is asked again.
		if err := chromedp.Run(t.ctx, chromedp.Evaluate("String("+expression+")", &got)); err != nil {
			got = err.Error()
		}
		if got == want {
			time.Sleep(100 * time.Millisecond) // until the browser has drawn it: what lay below a dialog takes clicks again
			return
		}
		time.Sleep(50 * time.Millisecond)
	}
	t.Errorf("%s: %s is %q, want %q", what, expression, got, want)
}

// stays looks that an expression keeps a value for a while.
func (t tab) stays(what, expression, want string) {
	t.Helper()
	time.Sleep(500 * time.Millisecond)
	if got := t.js(expression); got != want {
		t.Errorf("%s: %s is %q, want %q", what, expression, got, want)
	}
}

const opened = `(document.querySelector("dialog[open]") || {id: "none"}).id`

// TestPopups tries popups in a real browser: by delay, scroll, click, fragment and
// leaving, each on its own pages; how they close, where the focus goes, and when
// they open again.
func TestPopups(t *testing.T) {
	page := func(body string) string {
		return "<!doctype html><html lang=en><head><meta charset=utf-8><title>t</title></head><body style='height: 3000px; margin: 40px'>" + body + "</body></html>"
	}
	b := newBench(t, "site/robots.txt", "", "site/index.html", page(`<a class=news href="/elsewhere/">news</a> <a id=here href="#letter">letter</a> <a id=there href="/other/#letter">other</a>`),
		"site/other/index.html", page("<p>other"), "site/delay/index.html", page("<p>x"), "site/scroll/index.html", page("<p>x"), "site/leaving/index.html", page("<p>x"),
		"site/once/index.html", page("<p>x"), "site/typing/index.html", page("<input id=q>"), "site/always/index.html", page("<p>x"), "site/span/index.html", page("<p>x"),
		"yellowgate.yaml", `yellowgate: 1
site: {source: site, output: public}
items:
  letter:
    popup: '<h2>Letter</h2><input id="first"><button data-yg-close>close</button>'
    label: The letter
    open:
      - {fragment: letter}
      - {click: a.news, pages: /}
      - {after: 100ms, pages: /delay/}
      - {scroll: 60%, pages: /scroll/}
      - {leaving: true, pages: /leaving/}
    pages: [/, /other/, /delay/, /scroll/, /leaving/]
  typing: {popup: '<button>b</button>', open: {after: 300ms}, pages: /typing/}
  once: {popup: '<button>b</button>', open: {after: 50ms}, again: once, pages: /once/}
  always: {popup: '<button>b</button>', open: {after: 50ms}, again: always, pages: /always/}
  span: {popup: '<button>b</button>', open: {after: 50ms}, again: 7d, pages: /span/}
`)
	b.want(0, args("apply"))
	ctx, address := browser(b)
	v := tab{t, ctx, address}

	v.open("/", false)
	v.stays("nothing opens by itself", opened, "none")
	v.do(chromedp.Focus("a.news", chromedp.ByQuery), chromedp.Click("a.news", chromedp.ByQuery))
	v.becomes("a click", opened, "letter")
	if got := v.js("location.pathname"); got != "/" {
		t.Errorf("a click that opens navigates to %s", got)
	}
	v.becomes("the focus moves in", "document.activeElement.id", "first")
	if got := v.js(`document.querySelector("dialog").getAttribute("aria-label") + document.querySelector("dialog").matches(":modal")`); got != "The lettertrue" {
		t.Errorf("label and modality: %s", got)
	}
	v.do(chromedp.KeyEvent(kb.Escape))
	v.becomes("Escape closes", opened, "none")
	v.becomes("the focus comes back", "document.activeElement.className", "news")
	v.do(chromedp.Click("a.news", chromedp.ByQuery))
	v.becomes("a click opens again", opened, "letter")
	v.do(chromedp.MouseClickXY(3, 3))
	v.becomes("the backdrop closes", opened, "none")
	v.do(chromedp.Click("a.news", chromedp.ByQuery))
	v.becomes("and again", opened, "letter")
	v.do(chromedp.Click("#first", chromedp.ByQuery))
	v.stays("a click inside does not close", opened, "letter")
	v.do(chromedp.Click("[data-yg-close]", chromedp.ByQuery))
	v.becomes("its button closes", opened, "none")

	v.do(chromedp.Click("#here", chromedp.ByQuery))
	v.becomes("a link to the fragment", opened, "letter")
	v.do(chromedp.KeyEvent(kb.Escape))
	v.becomes("closed", opened+" + location.hash", "none")
	v.becomes("the focus is back on the link whose fragment opened it", "document.activeElement.id", "here")
	v.do(chromedp.Click("#here", chromedp.ByQuery))
	v.becomes("the same link again", opened, "letter")
	v.do(chromedp.Evaluate("history.back()", nil))
	v.becomes("Back closes what a fragment opened", opened+" + location.pathname + location.hash", "none/")
	v.do(chromedp.Click("#here", chromedp.ByQuery))
	v.becomes("and the link opens it again", opened, "letter")
	v.do(chromedp.KeyEvent(kb.Escape), chromedp.Click("#there", chromedp.ByQuery))
	v.becomes("a link to another page's fragment", opened+" + location.pathname", "letter/other/")
	v.open("/other/#letter", true)
	v.becomes("an address with the fragment, though it was seen", opened, "letter")
	v.becomes("the focus moves in there, too", "document.activeElement.id", "first")

	v.open("/delay/", false)
	v.becomes("a delay", opened, "letter")
	v.do(chromedp.Reload())
	v.stays("not again in this visit", opened, "none")
	v.do(chromedp.Evaluate("sessionStorage.clear()", nil), chromedp.Reload())
	v.becomes("in another visit", opened, "letter")
	v.open("/other/", false)
	v.stays("the delay is of another page", opened, "none")

	v.open("/typing/", false)
	v.do(chromedp.Evaluate(`var t = setInterval(function () { q.dispatchEvent(new InputEvent("input", {bubbles: true})) }, 20); setTimeout(clearInterval, 300, t); ""`, nil))
	v.stays("while somebody types", opened, "none")
	v.becomes("but after", opened, "typing")

	v.open("/scroll/", false)
	v.do(chromedp.Evaluate("scrollTo(0, 500)", nil))
	v.stays("scrolled a little", opened, "none")
	v.do(chromedp.Evaluate("scrollTo(0, 2200)", nil))
	v.becomes("scrolled past", opened, "letter")

	v.open("/leaving/", false)
	leave := func(y int) chromedp.Action {
		return chromedp.Evaluate(fmt.Sprintf("document.documentElement.dispatchEvent(new MouseEvent('mouseleave', {clientY: %d}))", y), nil)
	}
	v.do(leave(300))
	v.stays("leaving at the side", opened, "none")
	v.do(leave(-1))
	v.becomes("leaving at the top", opened, "letter")

	for _, c := range []struct{ path, age, want string }{
		{"/once/", "400 * 86400e3", "none"}, {"/always/", "0", "always"}, {"/span/", "6 * 86400e3", "none"}, {"/span/", "8 * 86400e3", "span"},
	} {
		v.open(c.path, false)
		name := strings.Trim(c.path, "/")
		v.becomes("the first time", opened, name)
		v.do(chromedp.Evaluate(fmt.Sprintf("sessionStorage.clear(); localStorage.setItem('yg:%s', Date.now() - %s)", name, c.age), nil), chromedp.Reload())
		if c.want == "none" {
			v.stays(c.path+" again", opened, "none")
		} else {
			v.becomes(c.path+" again", opened, c.want)
		}
	}

	moving := `document.querySelector("dialog").getAnimations().length`
	for preference, want := range map[string]string{"no-preference": "1", "reduce": "0"} {
		v.do(emulation.SetEmulatedMedia().WithFeatures([]*emulation.MediaFeature{{Name: "prefers-reduced-motion", Value: preference}}))
		v.open("/", false)
		var got string
		v.do(chromedp.Evaluate(`document.querySelector("a.news").click(); String(`+moving+`)`, &got))
		if got != want {
			t.Errorf("with %s, %s animations", preference, got)
		}
	}
}

// hostile are values that somebody could bring into the facts.
var hostile = []string{
	`</script><script>pwned=1</script>`, `"><img src=x onerror=pwned=1>`, `'><svg onload=pwned=1>`, `";pwned=1;"`, `';pwned=1;'`, "`;pwned=1;`", "${pwned=1}",
	`\`, `\";pwned=1//`, `\u0022;pwned=1//`, "<!--<script>", "--><script>pwned=1</script>", "a\nb\rc\td", "\u2028pwned=1", "\u2029", "&quot;&lt;b&gt;", "&#34;;pwned=1",
	"x onclick=pwned=1 y", "]]>", "{{7*7}}", "é ü 漢 😀", "</title><script>pwned=1</script>", "</style><script>pwned=1</script>", "</dialog><script>pwned=1</script>", "a=b&c=d?e#f", "%00%22", "*/pwned=1/*",
}

// TestHostileValues brings hostile values to every place where a placeholder may
// stand, in a real browser: none of them runs, and each is read back as it was.
func TestHostileValues(t *testing.T) {
	b := newBench(t, "yellowgate.yaml", `yellowgate: 1
site: {source: site, output: public, facts: facts.json}
metadata:
  - {pages: all, title: "@{fact.v}", description: "@{fact.v}", social: {title: "@{fact.v}"}}
items:
  code: {code-file: code.html, pages: all}
  setup: {script-file: setup.js, pages: all}
  data: {structured: {type: Thing, name: "@{fact.v}"}, pages: all}
  box: {popup: '<p id="in">@{fact.v}</p>', label: "@{fact.v}", open: {fragment: box}, pages: all}
  tag: {script: "/js/x.js?v=@{fact.v}", attrs: {data-v: "@{fact.v}"}, pages: all}
`,
		"code.html", `<p id="text">@{fact.v}</p><p id="q2" title="@{fact.v}"></p><p id="q1" title='@{fact.v}'></p><p id="q0" title=@{fact.v}></p><a id="url" href="/s?v=@{fact.v}">x</a>
<script>window.d = "@{fact.v}"; window.s = '@{fact.v}'; window.b = `+"`@{fact.v}`"+`; window.l = @{fact.v};</script><script id="json" type="application/json">{"a": @{fact.v}, "b": "@{fact.v}"}</script>`,
		"setup.js", "window.t1 = @{fact.v};\nwindow.t2 = '@{fact.v}';\n")
	facts := map[string]map[string]string{}
	for i, v := range hostile {
		path := fmt.Sprintf("/h%d/", i)
		facts[path] = map[string]string{"v": v}
		b.write(fmt.Sprintf("site/h%d/index.html", i), "<!doctype html><html lang=en><head><meta charset=utf-8><title>t</title></head><body><p>x</p></body></html>")
	}
	j, err := json.Marshal(facts)
	if err != nil {
		t.Fatal(err)
	}
	b.write("facts.json", string(j))
	b.want(0, args("apply"))
	ctx, address := browser(b)
	v := tab{t, ctx, address}
	const read = `JSON.stringify([document.querySelector("#text").textContent, document.querySelector("#q2").title, document.querySelector("#q1").title, document.querySelector("#q0").title,
		d, s, b, l, t1, t2, JSON.parse(document.querySelector("#json").text).a, JSON.parse(document.querySelector("#json").text).b,
		JSON.parse(document.querySelector("script[type='application/ld+json']").text).name, document.querySelector("#in").textContent, document.querySelector("dialog").getAttribute("aria-label"),
		document.querySelector("script[data-v]").dataset.v, document.querySelector("meta[name=description]").content, document.querySelector("meta[property='og:title']").content])`
	for i, want := range hostile {
		v.do(chromedp.Navigate(fmt.Sprintf("%s/h%d/", address, i)))
		if got := v.js("window.pwned"); got != "undefined" {
			t.Errorf("%q runs", want)
		}
		var got []string
		if err := json.Unmarshal([]byte(v.js(read)), &got); err != nil {
			t.Fatal(err)
		}
		for k, g := range got {
			// A browser reads line ends in markup as line feeds.
			if g != want && !(k < 4 || k > 12) || g != strings.ReplaceAll(want, "\r", "\n") && (k < 4 || k > 12) && g != want {
				t.Errorf("place %d: %q became %q", k, want, g)
			}
		}
	}
}

// TestReportPage: the audit as a page, of a site whose pages would like to run in
// it: filtered, sorted, and a page's details opened, in a real browser.
func TestReportPage(t *testing.T) {
	evil := `</script><img src=x onerror="window.hacked = 1"><script>window.hacked = 1</script>`
	page := func(more string) string {
		return "<!doctype html><html lang=en><head><title>" + strings.ReplaceAll(evil, "<", "&lt;") + "</title>" + more + "</head><body><p>x</body></html>"
	}
	b := newBench(t, "site/index.html", page(""), "site/a/index.html", page("<script src='javascript:window.hacked=1//&lt;/script>'></script><script src=/none.js></script>"), "site/b/index.html", page("<script src=/s.js></script>"), "site/s.js", strings.Repeat("a", 20000), "public/robots.txt", "")
	b.want(1, args("audit", "site", "--format", "html", "--out", "public/report.html"))
	ctx, site := browser(b)
	tab := tab{t, ctx, site}
	tab.do(chromedp.Navigate(site + "/report.html"))
	tab.becomes("what pages contain does not run", "window.hacked", "undefined")
	const first = `[...document.querySelectorAll("#pages tbody tr")].filter(r => !r.hidden).map(r => r.cells[0].textContent)`
	tab.becomes("every page has its row", first, "/a/,/b/,/")
	tab.do(chromedp.Click("#pages th:nth-child(5) button"))
	tab.becomes("the heaviest page first", first+"[0]", "/b/")
	tab.do(chromedp.SendKeys("#filter", "/a/"))
	tab.becomes("filtered by a path", first, "/a/")
	tab.do(chromedp.Click(`button[data-page="0"]`))
	tab.becomes("a page's details", `document.getElementById("detail").open`, "true")
	tab.becomes("the details are its own, as text", `document.getElementById("detail-body").textContent.includes("/none.js") && document.getElementById("detail-title").textContent.includes("</script><img")`, "true")
	tab.becomes("what pages contain still does not run", "window.hacked", "undefined")
	tab.becomes("the page has an address", "location.hash", "#/a/")
	tab.do(chromedp.Evaluate(`document.getElementById("detail").close()`, nil))
	tab.becomes("which goes with it", "location.hash", "")
	tab.do(chromedp.Evaluate(`location.hash = "#/b/"`, nil))
	tab.becomes("a page is opened by its address", `document.getElementById("detail").open && document.getElementById("detail-body").textContent.includes("/s.js")`, "true")
}
