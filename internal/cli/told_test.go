package cli_test

import (
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"yellowgate/internal/clitest"
)

// toldGate has a popup that a fragment opens, a found kit, and an item with a script of its
// own.
const toldGate = clitest.SiteHead + `items:
  kit: {found: {url: /kit.js}, pages: all, except: /bare/}
  own: {script: /js/own.js, pages: all}
  letter: {popup: <p>Dear visitor</p>, label: Letter, open: {fragment: letter}, pages: all}
`

func toldBench(t *testing.T) *clitest.Bench {
	kit := `<script src="/kit.js" defer></script>`
	b := clitest.New(t, "site/index.html", clitest.Doc("Home", kit+`<a href="/visit/#letter">letter</a>`),
		"site/visit/index.html", clitest.Doc("Visit", kit), "site/shop/index.html", clitest.Doc("Shop", ""),
		"site/bare/index.html", clitest.Doc("Bare", kit), "site/kit.js", "kit(1)", "site/js/own.js",
		"own(of, the, gate, file)", "yellowgate.yaml", toldGate)
	b.Want(0, clitest.Args("apply", "-q"))
	return b
}

// TestMayStayAndGone: the table tells what may stay and never was from what was there and is
// gone.
func TestMayStayAndGone(t *testing.T) {
	b := toldBench(t)
	out := b.Want(0, clitest.Args("audit"),
		"kit               3         2  as the gate says (may stay on 1 more, whose source has none)")
	if strings.Contains(out, "gone") {
		t.Error(out)
	}
	b.Replace("public/visit/index.html", `<script src="/kit.js" defer></script>`, "")
	b.Want(1, clitest.Args("audit"), "gone from 1 (may stay on 1 more, whose source has none)",
		`the page lacks an element of it that the source has: <script src="/kit.js" defer>`)
}

// TestBrokenFile: the audit tells of a file that an item loads, written or found, where it does not parse.
func TestBrokenFile(t *testing.T) {
	b := toldBench(t)
	b.Write("public/js/other.js", "var a = ;") // of no item
	b.Want(0, clitest.Args("audit"))
	for _, name := range []string{"kit.js", "js/own.js"} {
		right := b.Read("public/" + name)
		b.Write("public/"+name, "fine()\nvar a = ;\n")
		b.Want(1, clitest.Args("audit"), "error code-syntax", name+":2:1  this JavaScript does not parse")
		b.Write("public/"+name, right)
	}
}

// TestPopupTakenOut: the audit looks at the pages, not at the gate, for what a link opens.
func TestPopupTakenOut(t *testing.T) {
	b := toldBench(t)
	page := regexp.MustCompile(`(?s)<!--yg:letter-->.*?<!--/yg:letter-->`).ReplaceAllString(
		b.Read("public/visit/index.html"), "")
	b.Write("public/visit/index.html", page)
	b.Want(1, clitest.Args("audit"), "unreachable-popup", "index.html:",
		`the link to #letter opens nothing: on /visit/, item "letter" is missing, though the gate lets it in`)
}

// TestStaleFirst: what explains the others comes first, in every format.
func TestStaleFirst(t *testing.T) {
	b := toldBench(t)
	b.Replace("yellowgate.yaml", "/js/own.js", "/kit.js")
	out := b.Want(1, clitest.Args("audit"), "stale-output", "missing-item")
	if strings.Index(out, "stale-output") > strings.Index(out, "missing-item") {
		t.Errorf("stale-output is not first:\n%s", out)
	}
	_, csv, _ := b.Exec("audit", "--format", "csv")
	if first := strings.Split(csv, "\n")[1]; !strings.Contains(first, "stale-output") {
		t.Errorf("the first finding is %s", first)
	}
}

// TestSameContent: two URLs with the same content, one of them an item's.
func TestSameContent(t *testing.T) {
	b := toldBench(t)
	b.Write("public/js/twin.js", b.Read("public/js/own.js"))
	b.Replace("public/visit/index.html", "</body>", `<script src="/js/twin.js" defer></script></body>`)
	b.Want(0, clitest.Args("audit"), "warning double-load", "/js/twin.js has the same content as /js/own.js")
}

// TestMissingPages: a page that the gate writes and the output lacks is an error.
func TestMissingPages(t *testing.T) {
	b := toldBench(t)
	if err := os.RemoveAll(filepath.Join(b.Dir, "public/shop")); err != nil {
		t.Fatal(err)
	}
	b.Want(1, clitest.Args("audit"), "error missing-page", "shop/index.html:1:1", "run yellowgate apply")
	b.Want(0, clitest.Args("apply"), "1 page written")
	b.Want(0, clitest.Args("audit"))
}

// TestNeedKeptOut: a gate file that was changed since and contradicts itself now.
func TestNeedKeptOut(t *testing.T) {
	b := toldBench(t)
	b.Replace("yellowgate.yaml", "own: {script: /js/own.js,", "own: {script: /js/own.js, needs: [letter],")
	b.Replace("yellowgate.yaml", "fragment: letter}, pages: all}", "fragment: letter}, pages: all, except: /shop/}")
	out := b.Want(1, clitest.Args("audit"),
		`item "own" is here and needs "letter", which the gate keeps out (except, yellowgate.yaml:6:`)
	if strings.Contains(out, "leaked-item") {
		t.Errorf("one cause is told twice:\n%s", out)
	}
	b.Want(2, clitest.Args("apply"), `item "own" is in and needs "letter"`)
}

// TestPopupIds: the id of a popup within its own content, and in another item's code.
func TestPopupIds(t *testing.T) {
	b := toldBench(t)
	b.Replace("yellowgate.yaml", "<p>Dear visitor</p>", "<p id=letter>Dear visitor</p>")
	b.Want(1, clitest.Args("check"), `an element of popup of item "letter" has the id "letter"`)
	b.Want(2, clitest.Args("apply", "-q"), `an element of popup of item "letter" has the id "letter"`)
	b.Replace("public/visit/index.html", "<p>Dear visitor</p>", "<p id=letter>Dear visitor</p>")
	b.Want(1, clitest.Args("audit"), "repeated-id")
	b.Replace("yellowgate.yaml", "<p id=letter>Dear visitor</p>", "<p>Dear visitor</p>")
	b.Write("yellowgate.yaml", b.Read("yellowgate.yaml")+"  box: {code: '<b id=letter>x</b>', pages: /}\n")
	b.Want(1, clitest.Args("check"), `an element of code of item "box" has the id "letter"`)
}

// TestShowSays: what elements say is in the JSON of a page.
func TestShowSays(t *testing.T) {
	b := clitest.New(t, "x.html",
		`<!doctype html><html lang=en><head><meta name=a content=b><meta property="og:title" content="T"><link rel="stylesheet" media=print href=/a.css></head><body></body></html>`)
	b.Want(0, clitest.Args("show", "x.html", "--format", "json"), `"name": "a"`, `"content": "b"`,
		`"property": "og:title"`, `"rel": "stylesheet"`, `"media": "print"`)
}

// TestLeakedByCode: what code of the page loads of an item that is out is a leak; of one that is in it is none.
func TestLeakedByCode(t *testing.T) {
	b := toldBench(t)
	load := `<script>var s = document.createElement("script"); s.src = "/kit.js"; document.head.append(s)</script>`
	b.Replace("public/bare/index.html", "</body>", load+"</body>")
	b.Replace("public/shop/index.html", "</body>", load+"</body>")
	out := b.Want(1, clitest.Args("audit"), "leaked-item",
		`item "kit" is out here (except, yellowgate.yaml:4:52), and an inline script loads /kit.js of it`)
	if n := strings.Count(out, "of it"); n != 1 {
		t.Errorf("%d leaks:\n%s", n, out)
	}
	b.Write("site/js/loader.js", `var s = document.createElement("script"); s.src = "/kit.js"; document.head.append(s)`)
	b.Write("public/js/loader.js", b.Read("site/js/loader.js"))
	b.Replace("public/bare/index.html", load, `<script src="/js/loader.js" defer></script>`)
	b.Want(1, clitest.Args("audit"), `and /js/loader.js loads /kit.js of it`)
}

// TestReplacedCounted: what goes because something comes in its place is counted.
func TestReplacedCounted(t *testing.T) {
	b := toldBench(t)
	b.Write("site/js/new.js", "fresh()")
	b.Write("yellowgate.yaml",
		toldGate+"  new: {replaces: [{url: /kit.js}, 'script[src*=kit]'], script: /js/new.js, pages: /visit/}\n")
	b.Replace("yellowgate.yaml", "  kit: {found: {url: /kit.js}, pages: all, except: /bare/}\n", "")
	b.Want(0, clitest.Args("where", "new"), "is on 1 of 4 pages", "it takes out what it replaces: 3 elements of 3 pages")
	b.Want(1, clitest.Args("diff", "--summary"), "+1  /visit/", "-2  what it replaces goes: /, /visit/")
	b.Want(0, clitest.Args("apply", "-q"))
	b.Want(0, clitest.Args("diff", "--summary"))
}

// TestMissingFiles: show tells which scripts and pictures of a page the site does not have; a frame may be a page.
func TestMissingFiles(t *testing.T) {
	b := clitest.New(t, "site/index.html",
		clitest.Doc("Home",
			`<script src="/gone.js"></script><script src="/here.js"></script><iframe src="/visit/"></iframe><img src="/gone.png">`),
		"site/here.js", "here()", "yellowgate.yaml", clitest.SiteHead)
	out := b.Want(0, clitest.Args("show", "site/index.html", "--verbose"), "/gone.js  (no such file)",
		"/gone.png  (no such file)", "1 that the site does not have")
	_, alone, _ := b.ExecIn(b.Read("site/index.html"), "show", "-", "--verbose")
	if strings.Count(out, "no such file") != 2 || strings.Contains(alone, "no such file") ||
		!strings.Contains(alone, "/gone.js") {
		t.Error(out, alone)
	}
}
