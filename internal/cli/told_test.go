package cli_test

import (
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

// toldGate has a popup that a fragment opens, a found kit, and an item with a script of its
// own.
const toldGate = siteHead + `items:
  kit: {found: {url: /kit.js}, pages: all, except: /bare/}
  own: {script: /js/own.js, pages: all}
  letter: {popup: <p>Dear visitor</p>, label: Letter, open: {fragment: letter}, pages: all}
`

func toldBench(t *testing.T) *bench {
	kit := `<script src="/kit.js" defer></script>`
	b := newBench(t, "site/index.html", doc("Home", kit+`<a href="/visit/#letter">letter</a>`), "site/visit/index.html", doc("Visit", kit), "site/shop/index.html", doc("Shop", ""),
		"site/bare/index.html", doc("Bare", kit), "site/kit.js", "kit(1)", "site/js/own.js", "own(of, the, gate, file)", "yellowgate.yaml", toldGate)
	b.want(0, args("apply", "-q"))
	return b
}

func (b *bench) replace(name, old, new string) {
	b.Helper()
	text := b.read(name)
	if !strings.Contains(text, old) {
		b.Fatalf("%q is not in %s:\n%s", old, name, text)
	}
	b.write(name, strings.ReplaceAll(text, old, new))
}

// TestMayStayAndGone: the table tells what may stay and never was from what was there and is
// gone.
func TestMayStayAndGone(t *testing.T) {
	b := toldBench(t)
	out := b.want(0, args("audit"), "kit                3              2  as the gate says (may stay on 1 more, whose source has none)")
	if strings.Contains(out, "gone") {
		t.Error(out)
	}
	b.replace("public/visit/index.html", `<script src="/kit.js" defer></script>`, "")
	b.want(1, args("audit"), "gone from 1 (may stay on 1 more, whose source has none)", `the page lacks an element of it that the source has: <script src="/kit.js" defer>`)
}

// TestPopupTakenOut: the audit looks at the pages, not at the gate, for what a link opens.
func TestPopupTakenOut(t *testing.T) {
	b := toldBench(t)
	page := regexp.MustCompile(`(?s)<!--yg:letter-->.*?<!--/yg:letter-->`).ReplaceAllString(b.read("public/visit/index.html"), "")
	b.write("public/visit/index.html", page)
	b.want(1, args("audit"), "unreachable-popup", "index.html:", `the link to #letter opens nothing: on /visit/, item "letter" is missing, though the gate lets it in`)
}

// TestStaleFirst: what explains the others comes first, in every format.
func TestStaleFirst(t *testing.T) {
	b := toldBench(t)
	b.replace("yellowgate.yaml", "/js/own.js", "/kit.js")
	out := b.want(1, args("audit"), "stale-output", "missing-item")
	if strings.Index(out, "stale-output") > strings.Index(out, "missing-item") {
		t.Errorf("stale-output is not first:\n%s", out)
	}
	_, csv, _ := b.run("audit", "--format", "csv")
	if first := strings.Split(csv, "\n")[1]; !strings.Contains(first, "stale-output") {
		t.Errorf("the first finding is %s", first)
	}
}

// TestSameContent: two URLs with the same content, one of them an item's.
func TestSameContent(t *testing.T) {
	b := toldBench(t)
	b.write("public/js/twin.js", b.read("public/js/own.js"))
	b.replace("public/visit/index.html", "</body>", `<script src="/js/twin.js" defer></script></body>`)
	b.want(0, args("audit"), "warning double-load", "/js/twin.js has the same content as /js/own.js")
}

// TestMissingPages: a page that the gate writes and the output lacks is an error.
func TestMissingPages(t *testing.T) {
	b := toldBench(t)
	if err := os.RemoveAll(filepath.Join(b.dir, "public/shop")); err != nil {
		t.Fatal(err)
	}
	b.want(1, args("audit"), "error missing-page", "shop/index.html:1:1", "run yellowgate apply")
	b.want(0, args("apply"), "1 page written")
	b.want(0, args("audit"))
}

// TestNeedKeptOut: a gate file that was changed since and contradicts itself now.
func TestNeedKeptOut(t *testing.T) {
	b := toldBench(t)
	b.replace("yellowgate.yaml", "own: {script: /js/own.js,", "own: {script: /js/own.js, needs: [letter],")
	b.replace("yellowgate.yaml", "fragment: letter}, pages: all}", "fragment: letter}, pages: all, except: /shop/}")
	out := b.want(1, args("audit"), `item "own" is here and needs "letter", which the gate keeps out (except, yellowgate.yaml:6:`)
	if strings.Contains(out, "leaked-item") {
		t.Errorf("one cause is told twice:\n%s", out)
	}
	b.want(2, args("apply"), `item "own" is in and needs "letter"`)
}

// TestPopupIds: the id of a popup within its own content, and in another item's code.
func TestPopupIds(t *testing.T) {
	b := toldBench(t)
	b.replace("yellowgate.yaml", "<p>Dear visitor</p>", "<p id=letter>Dear visitor</p>")
	b.want(1, args("check"), `an element of popup of item "letter" has the id "letter"`)
	b.want(0, args("apply", "-q"))
	b.want(1, args("audit"), "repeated-id")
	b.replace("yellowgate.yaml", "<p id=letter>Dear visitor</p>", "<p>Dear visitor</p>")
	b.write("yellowgate.yaml", b.read("yellowgate.yaml")+"  box: {code: '<b id=letter>x</b>', pages: /}\n")
	b.want(1, args("check"), `an element of code of item "box" has the id "letter"`)
}

// TestShowSays: what elements say is in the JSON of a page.
func TestShowSays(t *testing.T) {
	b := newBench(t, "x.html", `<!doctype html><html lang=en><head><meta name=a content=b><meta property="og:title" content="T"><link rel="stylesheet" media=print href=/a.css></head><body></body></html>`)
	b.want(0, args("show", "x.html", "--format", "json"), `"name": "a"`, `"content": "b"`, `"property": "og:title"`, `"rel": "stylesheet"`, `"media": "print"`)
}
