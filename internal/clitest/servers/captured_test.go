package servers_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"yellowgate/internal/clitest"
)

// TestCapturedFolder: a folder that a capture made is read with what the transport said of its
// pages, by every command, and what is made of it too.
func TestCapturedFolder(t *testing.T) {
	const hangul = "\xb0\xa1" // a syllable in EUC-KR
	page := "<!doctype html>\n<html lang=ko>\n<head>\n<meta name=viewport content=\"width=device-width\">\n<title>" + hangul + "</title>\n<script src=/a.js></script>\n</head>\n<body>\n<h1>" + hangul + "</h1>\n</body>\n</html>\n"
	b := clitest.New(t, "captured/index.html", page, "captured/a.js", "a()", "captured/plain/index.html",
		strings.ReplaceAll(page, hangul, "ä"), "captured/said/index.html", strings.ReplaceAll(page, hangul, "ö"),
		"captured/.yellowgate-capture.ndjson",
		`{"url":"https://ternhill.example/","file":"index.html","status":200,"time":"2026-11-29T08:00:00Z","headers":{"content-type":["text/html; charset=EUC-KR"]}}`+
			"\n"+
			`{"url":"https://ternhill.example/said/","file":"said/index.html","status":200,"time":"2026-11-29T08:00:00Z","headers":{"content-type":["text/html;charset=utf-8"],"x-robots-tag":["noindex"]}}`+
			"\n", "yellowgate.yaml",
		"yellowgate: 1\nsite: {source: captured, output: public, url: \"https://ternhill.example\"}\nmetadata: [{pages: all, title: \"@{page.heading} | Tern Hill\"}]\nitems: {note: {code: <p>ä</p>, pages: all}}\n")
	b.Want(0, clitest.Args("show", "captured/index.html", "--format", "json"), `"title": "가 | Tern Hill"`,
		`"encoding": "euc-kr"`)
	b.Want(0, clitest.Args("pages", "--format", "json"), `"title": "가"`)
	b.Want(0, clitest.Args("show", "captured/said/index.html"), "the server's answer: 200", "x-robots-tag  noindex")
	b.Want(0, clitest.Args("show", "captured/said/index.html", "--format", "json"), `"x-robots-tag": [`)
	if out := b.Want(0, clitest.Args("show", "captured/plain/index.html")); strings.Contains(out, "answer") {
		t.Error(out)
	}
	b.Write("elsewhere/captured/.yellowgate-capture.ndjson", b.Read("captured/.yellowgate-capture.ndjson"))
	b.Write("elsewhere/captured/said/index.html", b.Read("captured/said/index.html"))
	b.Want(0, clitest.Args("show", "elsewhere/captured/said/index.html"), "/said/  ",
		"x-robots-tag  noindex") // of no gate file
	b.Write("captured/sitemap.xml",
		"<urlset><url><loc>https://ternhill.example/</loc></url><url><loc>https://ternhill.example/said/</loc></url><url><loc>https://ternhill.example/plain/</loc></url></urlset>")
	if out := b.Want(0, clitest.Args("audit", "captured", "-v", "--fail-on", "never"), "noindexed-in-sitemap"); strings.Count(out, "the sitemap lists this page, and it asks not to be indexed") != 1 || strings.Contains(out, "robots-conflict") {
		t.Error(out)
	}
	said := b.Read("captured/said/index.html")
	b.Write("captured/said/index.html", strings.Replace(said, "<title>", "<meta name=robots content=all>\n<title>", 1))
	b.Want(0, clitest.Args("audit", "captured", "-v", "--fail-on", "never"),
		"said/index.html:5:1  robots says index here, and the header X-Robots-Tag says noindex")
	b.Write("captured/said/index.html", said)
	if err := os.Remove(filepath.Join(b.Dir, "captured/sitemap.xml")); err != nil {
		t.Fatal(err)
	}
	b.Want(0, clitest.Args("find", "a.js", "captured"), "index.html")
	out := b.Want(0, clitest.Args("audit", "captured", "-v", "--fail-on", "never"), "charset-missing")
	if strings.Count(out, "the page declares no encoding") != 2 || !strings.Contains(out,
		"plain/index.html:3:1") { // the title of the check, and one page
		t.Error(out)
	}
	b.Want(0, clitest.Args("apply"), "3 pages written")
	if text := b.Read("public/index.html"); !strings.Contains(text, "<title>&#xAC00; | Tern Hill</title>") ||
		!strings.Contains(text, "<h1>"+hangul+"</h1><!--yg:note-->\n<p>&#xE4;</p>") {
		t.Errorf("%q", text)
	}
	if b.Exists("public/.yellowgate-capture.ndjson") {
		t.Error("what capture kept was published")
	}
	b.Want(0, clitest.Args("audit", "--fail-on", "error"), "as the gate says")
	b.Want(0, clitest.Args("diff"), "Nothing to apply")
	b.Write("captured/.yellowgate-capture.ndjson", "nonsense\n")
	b.Want(3, clitest.Args("survey", "captured"),
		"captured/.yellowgate-capture.ndjson:1: this is not a line of a capture", "capture the site again")
	b.Want(3, clitest.Args("check"), ".yellowgate-capture.ndjson:1: this is not a line of a capture")
}
