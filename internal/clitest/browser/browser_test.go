package browser_test

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"yellowgate/internal/clitest"
	"yellowgate/internal/testsize"
)

const opened = `(document.querySelector("dialog[open]") || {id: "none"}).id`

// TestPopups tries popups in a real browser: by delay, scroll, click, fragment and
// leaving, each on its own pages; how they close, where the focus goes, and when
// they open again.
func TestPopups(t *testing.T) {
	page := func(body string) string {
		return "<!doctype html><html lang=en><head><meta charset=utf-8><title>t</title></head><body style='height: 3000px; margin: 40px'>" +
			body + "</body></html>"
	}
	b := clitest.New(t, "site/robots.txt", "", "site/index.html", page(
		`<a class=news href="/elsewhere/">news</a> <a id=here href="#letter">letter</a> <a id=there href="/other/#letter">other</a>`),
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
	b.Want(0, clitest.Args("apply"))
	v := clitest.Browser(b)

	v.Open("/", false)
	v.Stays("nothing opens by itself", opened, "none")
	v.Do(chromedp.Focus(chromedp.CSS("a.news")), chromedp.Click(chromedp.CSS("a.news")))
	v.Becomes("a click", opened, "letter")
	if got := v.JS("location.pathname"); got != "/" {
		t.Errorf("a click that opens navigates to %s", got)
	}
	v.Becomes("the focus moves in", "document.activeElement.id", "first")
	if got := v.JS(
		`document.querySelector("dialog").getAttribute("aria-label") + document.querySelector("dialog").matches(":modal")`); got != "The lettertrue" {
		t.Errorf("label and modality: %s", got)
	}
	v.Do(chromedp.KeyEvent(kb.Escape))
	v.Becomes("Escape closes", opened, "none")
	v.Becomes("the focus comes back", "document.activeElement.className", "news")
	v.Do(chromedp.Click(chromedp.CSS("a.news")))
	v.Becomes("a click opens again", opened, "letter")
	v.Do(chromedp.MouseClickXY(3, 3))
	v.Becomes("the backdrop closes", opened, "none")
	v.Do(chromedp.Click(chromedp.CSS("a.news")))
	v.Becomes("and again", opened, "letter")
	v.Do(chromedp.Click(chromedp.CSS("#first")))
	v.Stays("a click inside does not close", opened, "letter")
	v.Do(chromedp.Click(chromedp.CSS("[data-yg-close]")))
	v.Becomes("its button closes", opened, "none")

	v.Open("/", false)
	v.Script(`window.failed = ""; onerror = m => { failed = m }; document.dispatchEvent(new MouseEvent("click")); ""`)
	if got := v.JS("failed"); got != "" {
		t.Errorf("a click on the document: %s", got)
	}
	v.Script(
		`document.addEventListener("click", e => { window.was = e.defaultPrevented; e.preventDefault() }); ""`) // or it opens tabs
	for _, key := range []string{"ctrlKey", "metaKey", "shiftKey"} { // opens the link elsewhere
		v.Script(
			fmt.Sprintf(
				`document.querySelector("a.news").dispatchEvent(new MouseEvent("click", {bubbles: true, cancelable: true, %s: true})); ""`,
				key))
		if was, open := v.JS("was"), v.JS(opened); was != "false" || open != "none" {
			t.Errorf("a click with %s: prevented %s, open %s", key, was, open)
		}
	}
	v.Do(chromedp.Click(chromedp.CSS("a.news")))
	v.Becomes("a click", opened, "letter")
	// Pressed within, released on the backdrop: the click is of what holds both, the dialog.
	v.Script(`(box => {
		box.querySelector("h2").dispatchEvent(new MouseEvent("mousedown", {bubbles: true, clientX: 500, clientY: 350}));
		box.dispatchEvent(new MouseEvent("click", {bubbles: true, cancelable: true, clientX: 4, clientY: 4}));
	})(document.querySelector("dialog")), ""`)
	v.Stays("a selection that ends on the backdrop", opened, "letter")
	v.Do(chromedp.MouseClickXY(3, 3))
	v.Becomes("a click on the backdrop", opened, "none")

	v.Open("/", false)
	v.Do(chromedp.Click(chromedp.CSS("#here")))
	v.Becomes("a link to the fragment", opened, "letter")
	v.Do(chromedp.KeyEvent(kb.Escape))
	v.Becomes("closed", opened+" + location.hash", "none")
	v.Becomes("the focus is back on the link whose fragment opened it", "document.activeElement.id", "here")
	v.Do(chromedp.Click(chromedp.CSS("#here")))
	v.Becomes("the same link again", opened, "letter")
	v.Script("history.back()")
	v.Becomes("Back closes what a fragment opened", opened+" + location.pathname + location.hash", "none/")
	v.Do(chromedp.Click(chromedp.CSS("#here")))
	v.Becomes("and the link opens it again", opened, "letter")
	v.Do(chromedp.KeyEvent(kb.Escape), chromedp.Click(chromedp.CSS("#there")))
	v.Becomes("a link to another page's fragment", opened+" + location.pathname", "letter/other/")
	v.Open("/other/#letter", true)
	v.Becomes("an address with the fragment, though it was seen", opened, "letter")
	v.Becomes("the focus moves in there, too", "document.activeElement.id", "first")

	v.Open("/delay/", false)
	v.Becomes("a delay", opened, "letter")
	v.Do(chromedp.Reload())
	v.Stays("not again in this visit", opened, "none")
	v.Script("sessionStorage.clear()")
	v.Do(chromedp.Reload())
	v.Becomes("in another visit", opened, "letter")
	v.Open("/other/", false)
	v.Stays("the delay is of another page", opened, "none")

	v.Open("/typing/", false)
	v.Script(
		`var t = setInterval(function () { q.dispatchEvent(new InputEvent("input", {bubbles: true})) }, 20); setTimeout(clearInterval, 300, t); ""`)
	v.Stays("while somebody types", opened, "none")
	v.Becomes("but after", opened, "typing")

	v.Open("/scroll/", false)
	v.Script("scrollTo(0, 500)")
	v.Stays("scrolled a little", opened, "none")
	v.Script("scrollTo(0, 2200)")
	v.Becomes("scrolled past", opened, "letter")

	v.Open("/leaving/", false)
	leave := func(y int) {
		v.Script(fmt.Sprintf("document.documentElement.dispatchEvent(new MouseEvent('mouseleave', {clientY: %d}))", y))
	}
	leave(300)
	v.Stays("leaving at the side", opened, "none")
	leave(-1)
	v.Becomes("leaving at the top", opened, "letter")

	for _, c := range []struct{ path, age, want string }{
		{"/once/", "400 * 86400e3", "none"}, {"/always/", "0", "always"}, {"/span/", "6 * 86400e3",
			"none"}, {
			"/span/", "8 * 86400e3", "span"},
	} {
		v.Open(c.path, false)
		name := strings.Trim(c.path, "/")
		v.Becomes("the first time", opened, name)
		v.Script(fmt.Sprintf("sessionStorage.clear(); localStorage.setItem('yg:%s', Date.now() - %s)", name, c.age))
		v.Do(chromedp.Reload())
		if c.want == "none" {
			v.Stays(c.path+" again", opened, "none")
		} else {
			v.Becomes(c.path+" again", opened, c.want)
		}
	}

	moving := `document.querySelector("dialog").getAnimations().length`
	for preference, want := range map[string]string{"no-preference": "1", "reduce": "0"} {
		v.Media("", "prefers-reduced-motion", preference)
		v.Open("/", false)
		if got := clitest.Value[string](v, `document.querySelector("a.news").click(); String(`+moving+`)`); got != want {
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
	b := clitest.New(t, "yellowgate.yaml", `yellowgate: 1
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
		"setup.js", "window.t1 = @{fact.v};\nwindow.t2 = '@{fact.v}';\n", "site/js/x.js", "x()")
	facts := map[string]map[string]string{}
	for i, v := range hostile {
		path := fmt.Sprintf("/h%d/", i)
		facts[path] = map[string]string{"v": v}
		b.Write(fmt.Sprintf("site/h%d/index.html", i),
			"<!doctype html><html lang=en><head><meta charset=utf-8><title>t</title></head><body><p>x</p></body></html>")
	}
	j, err := json.Marshal(facts)
	if err != nil {
		t.Fatal(err)
	}
	b.Write("facts.json", string(j))
	b.Want(0, clitest.Args("apply"))
	v := clitest.Browser(b)
	const read = `JSON.stringify([document.querySelector("#text").textContent, document.querySelector("#q2").title, document.querySelector("#q1").title, document.querySelector("#q0").title,
		d, s, b, l, t1, t2, JSON.parse(document.querySelector("#json").text).a, JSON.parse(document.querySelector("#json").text).b,
		JSON.parse(document.querySelector("script[type='application/ld+json']").text).name, document.querySelector("#in").textContent, document.querySelector("dialog").getAttribute("aria-label"),
		document.querySelector("script[data-v]").dataset.v, document.querySelector("meta[name=description]").content, document.querySelector("meta[property='og:title']").content])`
	for i, want := range hostile {
		if i%testsize.Of(4, 1) != 0 {
			continue
		}
		v.Do(chromedp.Navigate(fmt.Sprintf("%s/h%d/", v.Site, i)))
		if got := v.JS("window.pwned"); got != "undefined" {
			t.Errorf("%q runs", want)
		}
		var got []string
		if err := json.Unmarshal([]byte(v.JS(read)), &got); err != nil {
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
		return "<!doctype html><html lang=en><head><title>" + strings.ReplaceAll(evil, "<", "&lt;") + "</title>" +
			more + "</head><body><p>x</body></html>"
	}
	b := clitest.New(t, "site/index.html", page(""), "site/a/index.html",
		page("<script src='javascript:window.hacked=1//&lt;/script>'></script><script src=/none.js></script>"),
		"site/b/index.html", page("<script src=/s.js></script>"), "site/s.js", strings.Repeat("a", 20000),
		"public/robots.txt", "")
	b.Want(1, clitest.Args("audit", "site", "--format", "html", "--out", "public/report.html"))
	tab := clitest.Browser(b)
	tab.Do(chromedp.Navigate(tab.Site + "/report.html"))
	tab.Becomes("what pages contain does not run", "window.hacked", "undefined")
	const first = `[...document.querySelectorAll("#pages tbody tr")].filter(r => !r.hidden).map(r => r.cells[0].textContent)`
	tab.Becomes("every page has its row", first, "/a/,/b/,/")
	tab.Do(chromedp.Click(chromedp.CSS("#pages th:nth-child(5) button")))
	tab.Becomes("the heaviest page first", first+"[0]", "/b/")
	tab.Do(chromedp.SendKeys(chromedp.CSS("#filter"), "/a/"))
	tab.Becomes("filtered by a path", first, "/a/")
	tab.Do(chromedp.Click(chromedp.CSS(`button[data-page="0"]`)))
	tab.Becomes("a page's details", `document.getElementById("detail").open`, "true")
	tab.Becomes("the details are its own, as text",
		`document.getElementById("detail-body").textContent.includes("/none.js") && document.getElementById("detail-title").textContent.includes("</script><img")`,
		"true")
	tab.Becomes("what pages contain still does not run", "window.hacked", "undefined")
	tab.Becomes("the page has an address", "location.hash", "#/a/")
	tab.Script(`document.getElementById("detail").close()`)
	tab.Becomes("which goes with it", "location.hash", "")
	tab.Script(`location.hash = "#/b/"`)
	tab.Becomes("a page is opened by its address",
		`document.getElementById("detail").open && document.getElementById("detail-body").textContent.includes("/s.js")`,
		"true")
	tab.Becomes("each column has a name",
		`document.querySelectorAll("th").length > 10 && [...document.querySelectorAll("th")].every(h => h.textContent.trim())`,
		"true")
	tab.Becomes("what scrolls takes the keys",
		`[...document.querySelectorAll("main *, dialog *")].every(e => e.localName == "dialog" || getComputedStyle(e).overflowX != "auto" || e.tabIndex == 0)`,
		"true")
	tab.Media("", "prefers-color-scheme", "dark")
	// WCAG 2.2, 1.4.3: the figure stands on the bar.
	tab.Becomes("weights can be read in the dark", `(() => {
		const light = c => { const [r, g, b] = c.match(/[\d.]+/g).map(x => { x /= 255; return x <= .04045 ? x / 12.92 : ((x + .055) / 1.055) ** 2.4 }); return .2126 * r + .7152 * g + .0722 * b + .05 };
		const s = getComputedStyle(document.querySelector("td.weight"));
		return light(s.color) / light(s.backgroundImage.match(/rgb\([^)]*\)/)[0]) >= 4.5 })()`, "true")
}
