package pageedit

import (
	"fmt"
	"html"
	"math/rand"
	"net/http"
	"net/http/httptest"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/chromedp"

	"yellowgate/internal/clitest"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/testsize"
)

// hostileGate puts what stands in a page wherever a value may stand.
const hostileGate = `site: {url: https://ternhill.example}
metadata:
  - pages: all
    title: "@{page.text(#v)}"
    description: "@{page.text(#v) | sentence}"
    keywords: "@{page.all(.v)}"
    meta: {strip: "@{page.attr(#a, title) | strip}"}
    social: {title: "@{page.attr(#a, title)}"}
    lang: "@{page.text(#v)}"
items:
  places:
    code:
      - '<p title="@{page.text(#v)}" class=@{page.text(#v)} id="x@{page.text(#v)}">@{page.text(#v)}</p><textarea>@{page.text(#v)}</textarea>'
      - <noscript><img src="/n/@{page.text(#v)}" alt="@{page.text(#v)}"></noscript><template><p title="@{page.text(#v)}">@{page.text(#v)}</p></template>
      - <svg><a xlink:href="/x#@{page.text(#v)}"><text x="@{page.text(#v)}">@{page.text(#v)}</text></a></svg>
      - <script>f("@{page.text(#v)}", '@{page.text(#v)}', @{page.text(#v)}); h(` + "`a @{page.text(#v)}`" + `)</script>
      - '<script type="application/ld+json">{"a": "@{page.text(#v)}", "b": [@{page.text(#v)}]}</script>'
    pages: all
  link: {code: '<a href="@{page.text(#v)}">a</a><a href="/a/@{page.text(#v)}/b?c=@{page.text(#v)}#@{page.text(#v)}">b</a>', pages: all}
  own: {code: '<a href="@{page.attr(#a, href)}">c</a><img src="@{page.attr(#a, href)}" alt="">', pages: all}
  style: {code: '<p style="color: @{page.text(#v)}">s</p><style>p { margin: @{page.text(#v)} }</style>', pages: all}
  tree:
    structured: {type: X, a: "@{page.text(#v)}", b: "@{page.all(.v)}", c: {from: .v, each: {d: "@{row.text()}", e: "@{row.attr(title)}"}}}
    pages: all
  asks: {questions: {from: dl, ask: dt, answer: dd}, pages: all}
  file: {script: "/js/@{page.text(#v)}.js", attrs: {data-v: "@{page.text(#v)}"}, pages: all}
`

var hostileWords = []string{
	"</script><script>alert(1)</script>", `"; alert(1); "`, `'-alert(1)-'`, "${alert(1)}", "`", "\\", "\u2028", "<!--", "<!--<script>", "]]>", "-->",
	"<img src=x onerror=alert(1)>", "&quot;", "&lt;script&gt;alert(1)&lt;/script&gt;", "a onclick=alert(1)", "javascript:alert(1)", "java\tscript:alert(1)",
	"\x01javascript:alert(1)", "red;x:expression(1)", "//evil.example", "/\\evil.example", "..", "%2e%2e/", "data:text/html,<script>alert(1)</script>",
	"</textarea><img src=x onerror=alert(1)>", "</noscript><img src=x onerror=alert(1)>", "</template><script>alert(1)</script>", "</title><script>alert(1)</script>",
	"</style><script>alert(1)</script>", "</svg><script>alert(1)</script>", `" onfocus="alert(1)" autofocus tabindex="1`, "' autofocus onfocus=alert(1) '", "*/", "@{page.title}", "@{file:x}",
	"<!--yg:links-->", "<!--/yg:links-->", "url(//evil.example)", "1", "true", "null", "{}", "[]", "\u202e", "x", " ",
}

// TestHostileContent: of 500 hostile contents of pages nothing runs in a browser, nor leads elsewhere, wherever
// placeholders put them. It skips where the machine has no Chromium.
func TestHostileContent(t *testing.T) {
	clitest.NeedBrowser(t)
	g := gate(t, hostileGate)
	var mu sync.Mutex
	current, asked := "", []string(nil)
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		mu.Lock()
		defer mu.Unlock()
		if w.Header().Set("Content-Type", "text/html; charset=utf-8"); r.URL.Path == "/dir/page/" {
			fmt.Fprint(w, current)
		} else {
			asked = append(asked, r.URL.Path)
		}
	}))
	defer server.Close()
	tab := clitest.OwnBrowser(t, 8*time.Minute, server.URL)
	random := rand.New(rand.NewSource(500))
	written, refused := 0, 0
	for i := range testsize.Of(40, 500) {
		v := hostileWords[i%len(hostileWords)]
		for range random.Intn(3) * (i / len(hostileWords)) {
			v += hostileWords[random.Intn(len(hostileWords))]
		}
		e := html.EscapeString(v)
		text := "<!doctype html><html><head><meta charset=utf-8><script>alert = confirm = () => { window.pwned = 1 }; f = h = () => {}</script></head><body><p id=v class=v title=\"" +
			e + "\">" + e + "</p><p class=v>" + e + "</p><a id=a title=\"" + e + "\" href=\"" + e + "\">l</a><dl><dt>" + e + "<dd>" + e + "</dl></body></html>"
		r := g.Page([]byte(text), page.Page{Path: "/dir/page/", File: "dir/page/index.html"})
		for _, p := range r.Problems { // what is refused is not written; the rest is
			if refused++; p.Severity != problem.Error {
				t.Errorf("%q: %v", v, p)
			}
		}
		written += len(r.Written)
		mu.Lock()
		current = string(r.File)
		mu.Unlock()
		tab.Do(chromedp.Navigate(server.URL + "/dir/page/"))
		got := clitest.Value[[]string](tab, `[String(window.pwned), location.pathname,
			[...document.querySelectorAll("[onclick], [onfocus], [onerror], [onload], meta[http-equiv], base, object, embed, iframe")].map(e => e.outerHTML).join(),
			[...document.querySelectorAll("script[src], img[src], link[href]")].map(e => new URL(e.src || e.href)).filter(u => u.host !== location.host && u.host !== "ternhill.example").join()]`)
		if len(got) != 4 || got[0] != "undefined" || got[1] != "/dir/page/" || got[2] != "" || got[3] != "" {
			t.Errorf("%q becomes %q in\n%s", v, got, r.File)
		}
	}
	if written < testsize.Of(40, 500)*4 {
		t.Errorf("only %d parts were written", written)
	}
	t.Logf("%d parts were written, %d refused", written, refused)
}
