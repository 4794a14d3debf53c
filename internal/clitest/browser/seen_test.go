package browser_test

import (
	"encoding/json"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"yellowgate/internal/clitest"
	"yellowgate/internal/testsize"
)

// TestSeen: where tells what a browser has of the items, and survey what it asks for: of a folder, and of
// a site that runs.
func TestSeen(t *testing.T) {
	t.Parallel()
	clitest.NeedBrowser(t)
	b := clitest.New(t, "yellowgate.yaml", clitest.SiteHead+`items:
  counter: {found: {url: /js/counter.js}, pages: /with/}
  notice: {code: <p class="notice">Closed today</p>, place: body-start, pages: all}
  box: {script: /js/box.js, pages: /shop/}
`,
		"site/with/index.html", clitest.Doc("With", `<script src="/js/counter.js"></script>`),
		"site/shop/index.html", clitest.Doc("Shop", `<script src="/js/gone.js"></script>`),
		"site/bare/index.html", clitest.Doc("Bare",
			`<template><script src="/js/never.js"></script></template><script src="/js/skipped.js" nomodule></script><script>document.querySelector(".notice")?.remove();</script>`),
		"site/js/counter.js", "counted = 1;", "site/js/never.js", "1", "site/js/skipped.js", "1",
		"site/js/box.js", `for (const u of ["/js/counter.js", "https://count.example/c.js"]) { const s = document.createElement("script"); s.src = u; document.head.append(s); }`)
	b.Want(0, clitest.Args("where", "counter", "--browser"), "counter is on 1 of 3 pages",
		"a browser has it on 2 of 3 pages (1280x800)", "excluded, and a browser still has it", "/shop/",
		"by /js/box.js")
	if !testsize.Full() {
		return
	}
	b.Want(0, clitest.Args("where", "notice", "--browser", "--screen", "390x844"), "on 2 of 3 pages (390x844)",
		"in, and a browser has none of it", "/bare/")
	b.Want(0, clitest.Args("where", "box", "--browser"), "on 1 of 3 pages (1280x800)", "as the gate says")
	var lines []struct {
		Item    string
		In      int
		Browser *int
	}
	if err := json.Unmarshal([]byte(b.Want(0, clitest.Args("where", "--browser", "--format", "json", "-q"))),
		&lines); err != nil {
		t.Fatal(err)
	}
	for i, want := range []int{2, 2, 1} {
		if lines[i].Browser == nil || *lines[i].Browser != want {
			t.Errorf("%s: %v, want %d", lines[i].Item, lines[i].Browser, want)
		}
	}
	b.Want(0, clitest.Args("where", "--browser"), "browser has it")
	b.Want(0, clitest.Args("survey", "--browser"), "in a browser (1280x800)", "Failed requests: 1", "/js/gone.js",
		"404", "never requested by the browser: 1", "/js/skipped.js")
	b.Want(2, clitest.Args("where", "--browser", "--table"), "no --table")
	b.Want(2, clitest.Args("where", "robots", "--browser"), "metadata-rewritten")
	b.Want(2, clitest.Args("where", "--screen", "390x844"), "add --browser")
	b.Want(2, clitest.Args("survey", "--browser", "--write"), "no --write")

	b.Want(0, clitest.Args("apply", "-q"))
	served := httptest.NewServer(http.FileServer(http.Dir(filepath.Join(b.Dir, "public"))))
	defer served.Close()
	type asked struct {
		Target, Party, By, Why string
		Pages                  int
	}
	var s struct {
		Browser struct {
			Unread          []string
			Requests        int
			Scripts, Failed []asked
		}
	}
	b.Write("from.txt", served.URL+"/with/\n"+served.URL+"/bare/\n")
	out := b.Want(0,
		clitest.Args("survey", served.URL+"/shop/", "--browser", "--format", "json", "--from", "from.txt", "-q"))
	if err := json.Unmarshal([]byte(out), &s); err != nil {
		t.Fatal(err)
	}
	if want := []asked{{Target: "/js/counter.js", Party: "own", By: "/js/box.js", Why: "", Pages: 1},
		{Target: "https://count.example/c.js", Party: "third", By: "/js/box.js", Why: "", Pages: 1}}; !slices.Equal(
		s.Browser.Scripts, want) || len(s.Browser.Unread) > 0 {
		t.Errorf("a site that runs: %+v\n%s", s.Browser, out)
	}
	if want := []asked{{Target: "/js/gone.js", Party: "own", By: "", Why: "404", Pages: 1}}; !slices.Equal(
		s.Browser.Failed, want) {
		t.Errorf("asked for in vain: %+v", s.Browser.Failed)
	}
	if out := b.Want(0, clitest.Args("suggest", served.URL+"/shop/", "--browser", "-q")); !strings.Contains(out,
		"1 page") {
		t.Errorf("suggest on a site that runs:\n%s", out)
	}
}

// TestCompareRunning: of two sites that run, the pages that both have are compared, though nobody names one.
func TestCompareRunning(t *testing.T) {
	t.Parallel()
	clitest.NeedBrowser(t)
	b := clitest.New(t, "one/index.html", clitest.Doc("1", "<a href=/a>a</a><a href=/b>b</a><p>same</p>"),
		"one/a/index.html", clitest.Doc("a", "<p>was</p>"), "one/b/index.html", clitest.Doc("b", "<p>gone</p>"),
		"two/index.html", clitest.Doc("1", "<a href=/a>a</a><a href=/c>b</a><p>same</p>"), "two/a/index.html",
		clitest.Doc("a", "<p>is another</p>"), "two/c/index.html", clitest.Doc("c", "<p>new</p>"))
	serve := func(dir string) *httptest.Server {
		return httptest.NewServer(http.FileServer(http.Dir(filepath.Join(b.Dir, dir))))
	}
	one, two := serve("one"), serve("two")
	defer one.Close()
	defer two.Close()
	out := b.Want(1, clitest.Args("compare", one.URL, two.URL, "--browser", "--own-site"), "/a/")
	if strings.Contains(out, "/b/") || strings.Contains(out, "/c/") || strings.Contains(out, "no page in common") {
		t.Errorf("compared:\n%s", out)
	}
}

// TestCompareScrolled: what small boxes and sideways ones show only once they are scrolled is compared too; what is
// masked in them is not.
func TestCompareScrolled(t *testing.T) {
	t.Parallel()
	clitest.NeedBrowser(t)
	small := func(last string) string {
		return `<div class=list style="height:80px;overflow-y:auto">` + strings.Repeat("<p>Item</p>", 20) + last + `</div>`
	}
	wide := func(last string) string {
		return `<div style="width:200px;overflow-x:scroll"><table><tr>` + strings.Repeat("<td>Column", 20) + "<td>" +
			last + `</table></div>`
	}
	b := clitest.New(t)
	for side, last := range map[string]string{"one": "1", "two": "2"} {
		b.Write(side+"/small/index.html", clitest.Doc("S", small("<p>"+last+"</p>")))
		b.Write(side+"/wide/index.html", clitest.Doc("W", wide(last)))
		b.Write(side+"/masked/index.html", clitest.Doc("M", small("<p id=when>"+last+"</p>")))
		b.Write(side+"/same/index.html", clitest.Doc("A", small("")+small("<p>x</p>")+wide("3")))
	}
	out := b.Want(1, clitest.Args("compare", "one", "two", "--browser", "--mask", "#when", "-q"), "/small/",
		"div.list, scrolled", "/wide/", "div, scrolled")
	if strings.Contains(out, "/same/") || strings.Contains(out, "/masked/") {
		t.Errorf("pages that show the same:\n%s", out)
	}
}
