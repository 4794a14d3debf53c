package browser_test

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"testing"

	"yellowgate/internal/clitest"
	"yellowgate/internal/testsize"
)

// What only happens at run time: pages with one thing wrong each, and what an audit in a browser says of them.

// A runtimeCase has something in its body that goes wrong, and what is to be told: checks, each with its item.
type runtimeCase struct{ body, want string }

func script(code string) string { return "<script>" + code + "</script>" }

const (
	text   = "<p>Text of the page.</p><p>More of it.</p><p>And more.</p><p>And yet more of it.</p><p>The last.</p>"
	adding = "document.body.append"
)

var plantedPages = []runtimeCase{
	// What fails to load.
	{"<script src=/no.js></script>", "failed-load"}, {"<img src=/no.png alt=a>", "failed-load"},
	{"<link rel=stylesheet href=/no.css>", "failed-load"}, {script("fetch('/no.json')"), "failed-load"},
	{script("new Image().src = '/no.png'"), "failed-load"}, {script("import('/no.mjs').catch(() => 0)"), "failed-load"},
	{"<script type=module>import '/no.mjs'</script>", "failed-load"}, {script("new Worker('/no-worker.js')"),
		"failed-load"},
	{script("new Worker('/imports-none.js')"), "failed-load script-error"}, {script("new Worker('/fetches-none.js')"),
		"failed-load"},
	{script("new SharedWorker('/shared-none.js')"), "failed-load"}, {
		script("navigator.serviceWorker.register('/service-none.js')"), "failed-load"},
	{"<iframe src=/no.html></iframe>", "failed-load"}, {"<iframe src=/frame-none.html></iframe>", "failed-load"},
	{script("new XMLHttpRequest().open('GET', '/x'); const x = new XMLHttpRequest(); x.open('GET', '/no.xml'); x.send()"),
		"failed-load"},
	{script("navigator.sendBeacon('/no-beacon', 'a')"), "failed-load"}, {
		"<style>@font-face{font-family:k;src:url(/no.woff2)}h1{font-family:k}</style>", "failed-load"},
	{"<style>h1{background:url(/no.gif)}</style>", "failed-load"}, {"<style>@import '/no-import.css';</style>",
		"failed-load"},
	{"<video src=/no.mp4 preload=auto></video>", "failed-load"}, {script("new EventSource('/no-events')"), "failed-load"},
	{"<div id=h></div>" + script("h.attachShadow({mode: 'open'}).innerHTML = '<img src=/no-shadow.png>'"), "failed-load"},
	{script(
		"const l = document.createElement('link'); l.rel = 'preload'; l.as = 'image'; l.href = '/no-pre.png'; document.head.append(l)"),
		"failed-load"},
	// What fails as it runs.
	{script("none()"), "script-error"}, {script("setTimeout(() => none(), 20)"), "script-error"}, {
		script("Promise.reject(new Error('a'))"), "script-error"},
	{script("new Worker('/throws.js')"), "script-error"}, {script("new SharedWorker('/shared-throws.js')"),
		"script-error"},
	{"<iframe src=/frame-throws.html></iframe>", "script-error"}, {"<img src=/star.svg alt=a onload='none()'>",
		"script-error"},
	{script("customElements.define('x-a', class extends HTMLElement { connectedCallback() { none() } })") +
		"<x-a></x-a>", "script-error"},
	{"<script type=module>null.x</script>", "script-error"}, {
		script(
			"new MutationObserver(() => none()).observe(document.body, {childList: true}); setTimeout(() => " +
				adding + "('a'), 20)"), "script-error"},
	{script("import('/throws.js')"), "script-error"}, {script("requestAnimationFrame(() => none())"), "script-error"},
	{script("queueMicrotask(() => none())"), "script-error"}, {script("var a = ;"), "script-error"},
	// What comes though it is out.
	{script("const s = document.createElement('script'); s.src = '/out.js'; " + adding + "(s)"),
		"runtime-leak:out"}, {script("import('/out.js')"), "runtime-leak:out"},
	{script("document.write('<script src=/out.js><\\/script>')"), "runtime-leak:out"}, {script("fetch('/out.js')"),
		"runtime-leak:out"},
	{script("new Image().src = ['/out', 'pixel.gif'].join('-')"), "runtime-leak:out-pixel"}, {
		script("new Worker('/out.js')"), "runtime-leak:out"},
	{script("document.body.insertAdjacentHTML('beforeend', '<link rel=stylesheet href=/out.css>')"),
		"runtime-leak:out-style"},
	{script("const f = document.createElement('iframe'); f.src = '/out.html'; " + adding + "(f)"),
		"runtime-leak:out-frame"},
	{script("new Worker('/imports-out.js')"), "runtime-leak:out"}, {script("navigator.sendBeacon('/out-pixel.gif')"),
		"runtime-leak:out-pixel"},
	// What is in and is not there, or does not run.
	{"<div id=app>" + text + "</div>" + script("addEventListener('load', () => app.innerHTML = 'new')"), "lost-item:note"},
	{"<div id=app>" + text + "</div>" + script("addEventListener('load', () => app.replaceChildren('new'))"),
		"lost-item:note"},
	{"<div id=app>" + text + "</div>" + script("addEventListener('load', () => app.remove())"), "lost-item:note"},
	{"<div id=app>" + text + "</div>" + script("addEventListener('load', () => app.outerHTML = '<p>new</p>')"),
		"lost-item:note"},
	{"<div id=app>" + text + "</div>" +
		script("addEventListener('load', () => document.querySelector('.note').remove())"), "lost-item:note"},
	{"<div id=app>" + text + "</div>" + script("setTimeout(() => app.textContent = 'new', 30)"), "lost-item:note"},
	{script(
		"new MutationObserver(l => l.forEach(m => m.addedNodes.forEach(n => { if (n.src && n.src.endsWith('last.js')) n.type = 'text/plain' }))).observe(document, {childList: true, subtree: true})"),
		"never-loaded:last"},
	{script(
		"new MutationObserver(l => l.forEach(m => m.addedNodes.forEach(n => { if (n.src && n.src.endsWith('last.js')) n.remove() }))).observe(document, {childList: true, subtree: true})"),
		"never-loaded:last"},
	// What the page says of itself in the end.
	{script("document.title = 'Another'"), "metadata-rewritten"}, {
		script("document.head.append(document.createElement('title'))"), "metadata-rewritten"},
	{script("document.documentElement.lang = 'de'"), "metadata-rewritten"}, {
		script("document.querySelector('[name=description]').content = 'x'"), "metadata-rewritten"},
	{script("document.querySelector('[name=description]').remove()"), "metadata-rewritten"},
	{script("document.head.insertAdjacentHTML('beforeend', '<link rel=canonical href=/x/>')"), "metadata-rewritten"},
	{script("document.head.insertAdjacentHTML('beforeend', '<meta name=robots content=noindex>')"), "metadata-rewritten"},
	{script("document.head.insertAdjacentHTML('beforeend', '<meta property=og:title content=x>')"), "metadata-rewritten"},
	{script("document.head.insertAdjacentHTML('beforeend', '<meta http-equiv=refresh content=900>')"),
		"metadata-rewritten"},
	{script("document.head.insertAdjacentHTML('beforeend', '<link rel=alternate hreflang=de href=/de/>')"),
		"metadata-rewritten"},
	{"<script type=application/ld+json>{\"a\": \"é\",\r\n\"b\": 1}</script>" +
		script("document.querySelector('[type*=json]').textContent = '{}'"), "metadata-rewritten"},
	{script(
		"const s = document.createElement('script'); s.type = 'application/ld+json'; s.text = '{}'; document.head.append(s)"),
		"metadata-rewritten"},
	// What covers the page.
	{text + "<div style='position:fixed;inset:0;background:#fff'>Offer</div>", "covers-the-page"}, {
		text + "<div popover id=o style='width:90%;height:90%'>a</div>" + script("o.showPopover()"),
		"covers-the-page"},
	{text + "<dialog id=d>a</dialog>" + script("d.showModal()"), "covers-the-page"}, {
		text + "<iframe src=/frame.html style='position:fixed;inset:0;width:100%;height:100%'></iframe>",
		"covers-the-page"},
	{text + "<div id=h></div>" +
		script(
			"h.attachShadow({mode: 'open'}).innerHTML = '<div style=\"position:fixed;inset:0;background:#fff\">a</div>'"),
		"covers-the-page"},
	{text + "<div role=dialog style='position:absolute;inset:0;background:#fff'>a</div>", "covers-the-page"},
	// What the page leaves.
	{script("document.cookie = 'a=1'"), "cookie-set"}, {script("localStorage.a = 1"), "cookie-set"}, {
		script("sessionStorage.a = 1"), "cookie-set"},
	{script("indexedDB.open('a')"), "cookie-set"}, {script("caches.open('a')"), "cookie-set"},
	// Who else is asked.
	{script("fetch('https://else.lantern.example/a')"), "unexpected-request"}, {
		script("new Image().src = ['https://else.lantern', 'example/a.gif'].join('.')"), "unexpected-request"},
	{script("new WebSocket('wss://else.lantern.example/a')"), "unexpected-request"}, {
		script("new Worker('/fetches-else.js')"), "unexpected-request"},
	{script("new SharedWorker('/shared-else.js')"), "unexpected-request"}, {
		script("navigator.sendBeacon('https://else.lantern.example/a')"), "unexpected-request"},
	{"<iframe src=/frame-else.html></iframe>", "unexpected-request"}, {
		script("fetch('https://else.lantern.example/a').catch(() => 0); none()"), "script-error unexpected-request"},
	{script("fetch('/no.json', {mode: 'cors'}).then(() => fetch('http://127.0.0.1:1/a'))"),
		"failed-load script-error unexpected-request"}, {
		script("import(['https://else.lantern', 'example/a.js'].join('.')).catch(() => 0)"),
		"unexpected-request"},
	// What moves, and what a policy stops.
	{"<div id=late></div>" + text + text + text + script("setTimeout(() => late.style.height = '400px', 400)"),
		"moves-the-page"},
	{"<head><meta http-equiv=content-security-policy content=\"img-src 'none'\"></head><img src=/star.svg alt=a>",
		"blocked-by-policy"},
	{"<head><meta http-equiv=content-security-policy content=\"connect-src 'none'\"></head>" +
		script("fetch('/star.svg').catch(() => 0)"), "blocked-by-policy"},
	{"<head><meta http-equiv=content-security-policy content=\"frame-src 'none'\"></head><iframe src=/frame.html></iframe>",
		"blocked-by-policy"},
}

// cleanPages have nothing wrong, and do much.
var cleanPages = []string{
	"<script type=application/ld+json>{\"a\": \"é &amp; b\",\r\n\"b\": 1}</script>" + text,
	text, "<script src=/fine.js></script>", "<img src=/star.svg alt=a>", script("fetch('/fine.js')"), script(
		"new Worker('/fine.js')"),
	script("new SharedWorker('/fine.js')"), script("navigator.serviceWorker.register('/fine.js')"), "<iframe src=/frame.html></iframe>",
	script("import('/fine.js')"), "<script type=module>import '/fine.js'</script>", script(
		"try { none() } catch {}"), script("Promise.reject(1).catch(() => 0)"),
	script("document.title = document.title"), "<div style='position:fixed;top:0;height:60px;width:100%'>a</div>" + text,
	"<dialog>a</dialog>", "<div popover>a</div>",
	"<div id=app>" + text + "</div>" + script("app.firstElementChild.className = 'note'"), script(
		"document.currentScript.remove()"),
	"<div id=app>" + text + "</div>" + script(
		"addEventListener('load', () => app.append(app.firstElementChild))"), script("new Image().src = '/star.svg'"),
	script("customElements.define('x-a', class extends HTMLElement {})") + "<x-a></x-a>", "<details><summary>a</summary>b</details>",
	script("document.body.animate({opacity: [0, 1]}, 100)"), script("localStorage.getItem('a')"), script(
		"document.cookie"),
	"<video></video>", "<template><img src=/no.png alt=a></template>", "<noscript><img src=/no.png alt=a></noscript>", script("history.replaceState(0, '', '#a')"),
}

// TestPlanted: each is told by its check with its item, and nothing else is; of clean pages nothing.
func TestPlanted(t *testing.T) {
	clitest.NeedBrowser(t)
	b := clitest.New(t, "site/fine.js", "self.fine = 1", "site/last.js",
		"self.last = 1; document.currentScript.remove()", "site/star.svg",
		"<svg xmlns='http://www.w3.org/2000/svg' width='9' height='9'/>", "site/throws.js", "none()",
		"site/shared-throws.js", "none()", "site/imports-none.js", "importScripts('/no-part.js')",
		"site/fetches-none.js", "fetch('/no-data')", "site/shared-none.js", "fetch('/no-shared')",
		"site/service-none.js", "fetch('/no-service')", "site/imports-out.js", "importScripts('/out.js')",
		"site/fetches-else.js", "fetch('https://else.lantern.example/a')", "site/shared-else.js",
		"fetch('https://else.lantern.example/a')", "site/out.js", "self.out = 1", "site/out.css", "i{color:red}",
		"site/out-pixel.gif", "GIF89a", "site/out.html", clitest.Doc("Out", "<p>x</p>"), "site/frame.html",
		clitest.Doc("Frame", "<p>x</p>"), "site/frame-none.html",
		clitest.Doc("Frame", "<img src=/no-framed.png alt=a>"), "site/frame-throws.html",
		clitest.Doc("Frame", script("none()")), "site/frame-else.html",
		clitest.Doc("Frame", script("fetch('https://else.lantern.example/a')")))
	b.Write("yellowgate.yaml", `yellowgate: 1
site: {source: site, output: public, trust: [fine.lantern.example]}
items:
  note: {code: <p class=note>Open late</p>, pages: 'has(#app)', place: {first-in: '#app'}}
  last: {script: /last.js, pages: all, place: body-end, load: now}
  out: {found: {url: /out.js}, pages: none}
  out-pixel: {found: {url: /out-pixel.gif}, pages: none}
  out-style: {found: {url: /out.css}, pages: none}
  out-frame: {found: {url: /out.html}, pages: none}
`)
	want := map[string]string{}
	put := func(i int, body, checks string) {
		name := fmt.Sprintf("p%03d/index.html", i)
		head, rest, has := strings.Cut(strings.TrimPrefix(body, "<head>"), "</head>")
		if !has {
			head, rest = "", body
		}
		b.Write("site/"+name, "<!doctype html>\n<html lang=en><head><meta charset=utf-8><meta name=viewport content='width=device-width'><title>Page</title>\n"+
			"<meta name=description content='A page'><link rel=icon href=data:,>"+head+"</head>\n<body><h1>Page</h1>\n"+rest+"\n</body></html>\n")
		want["/"+strings.TrimSuffix(name, "index.html")] = checks
	}
	step := testsize.Of(9, 1)
	for i, p := range plantedPages {
		if i%step == 0 {
			put(i, p.body, p.want)
		}
	}
	for i, body := range cleanPages {
		if i%step == 0 {
			put(500+i, body, "")
		}
	}
	b.Want(0, clitest.Args("apply", "-q"))
	_, out, _ := b.Exec("audit", "--browser", "--format", "json", "--fail-on", "never", "--out", "audit.json")
	var a struct {
		Findings []struct{ Check, Page, Item, Message, Severity string }
	}
	if err := json.Unmarshal([]byte(b.Read("audit.json")), &a); err != nil {
		t.Fatal(err, out)
	}
	family := strings.Fields(
		"failed-load script-error runtime-leak never-loaded lost-item metadata-rewritten covers-the-page cookie-set unexpected-request moves-the-page blocked-by-policy unread")
	got, said := map[string][]string{}, map[string][]string{}
	for _, f := range a.Findings {
		name := f.Check
		if f.Item != "" {
			name += ":" + f.Item
		}
		if f.Check == "script-error" && f.Severity == "note" {
			continue // a third party was not called
		}
		if slices.Contains(family, f.Check) && !slices.Contains(got[f.Page], name) {
			got[f.Page] = append(got[f.Page], name)
		}
		said[f.Page] = append(said[f.Page], f.Check+": "+f.Message)
	}
	for page, checks := range want {
		slices.Sort(got[page])
		if list := strings.Join(got[page], " "); list != checks {
			t.Errorf("%s: %q, want %q, for\n%s\n%s", page, list, checks, b.Read("site"+page+"index.html"),
				strings.Join(said[page], "\n"))
		}
	}
	t.Logf("%d pages", len(want))
}

// TestRebuilt: what a visit saw a script rebuild is kept by the page's source, and check and diff warn by it alone.
func TestRebuilt(t *testing.T) {
	clitest.NeedBrowser(t)
	gate := func(place string) string {
		return "yellowgate: 1\nsite: {source: site, output: public}\nitems:\n  note: {code: <p class=note>Open late</p>, pages: all, place: " +
			place + "}\n"
	}
	page := clitest.Doc("Visit", "<div id=app><main><h1>Visit</h1></main></div>"+script("app.replaceChildren('new')"))
	b := clitest.New(t, "site/index.html", page, "yellowgate.yaml", gate("{last-in: main}"))
	b.Want(0, clitest.Args("check"), "No errors, no warnings")
	b.Want(0, clitest.Args("apply"))
	b.Want(1, clitest.Args("audit", "--browser"), "lost-item",
		`item "note" is in the text and not in the browser: a script took it out of div#app`, "missing on 1")
	b.Want(0, clitest.Args("check"), `item "note" stands in div#app, which a script rebuilds`, "[rebuilt-place]")
	b.Write("yellowgate.yaml", gate("{first-in: '#app'}"))
	b.Want(1, clitest.Args("diff", "--summary"), "warning /:", "which a script rebuilds")
	b.Write("yellowgate.yaml", gate("{before: '#app'}"))
	b.Want(0, clitest.Args("check"), "No errors, no warnings")
	b.Want(0, clitest.Args("apply"))
	b.Want(0, clitest.Args("audit", "--browser", "--fail-on", "error"), "as the gate says")
	b.Write("yellowgate.yaml", gate("{last-in: main}"))
	b.Want(0, clitest.Args("check"), "[rebuilt-place]") // a page on which nothing was lost says nothing of other places
	b.Write("site/index.html", page+"\n")
	b.Want(0, clitest.Args("check"), "No errors, no warnings")
	b.Write("yellowgate.yaml", gate("body-end"))
	b.Write("site/index.html",
		clitest.Doc("Visit",
			"<a id=plays>Plays</a>"+
				script("plays.onclick = () => { history.pushState(0, '', '/plays/'); document.title = 'Plays' }")))
	b.Want(0, clitest.Args("apply"))
	if out := b.Want(0, clitest.Args("audit", "--browser", "--click", "#plays", "--verbose", "--fail-on", "never"),
		"the page is at /plays/ in the end"); strings.Contains(out, "metadata-rewritten") {
		t.Error(out)
	}
	b.Want(0, clitest.Args("show", "/", "--browser", "--click", "#plays"),
		"it is at /plays/ now, and loaded nothing for that")
}
