package browser_test

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"yellowgate/internal/clitest"
	"yellowgate/internal/testsize"
)

// TestProved: a file that seems idle is proved needless where the page without it is the page with it, after the same
// steps; whatever it does that nothing counts as use keeps it.
func TestProved(t *testing.T) {
	clitest.NeedBrowser(t)
	idle := "function never() {" + strings.Repeat("document.title += 'x';\n", 60) + "}\n" // hardly anything of it runs
	pages := []struct{ file, text, body, want string }{
		{"needless.css", ".gone{color:red}", "<p>a</p>", "proved"},
		{"font.css",
			"@font-face{font-family:kit;src:local('DejaVu Sans Mono'),local('Liberation Mono'),url(/kit.woff2)}",
			"<style>p{font-family:kit}</style><p>a</p>", ""},
		{"keyframes.css", "@keyframes spin{to{color:red}}", "<style>p{animation:spin 9s}</style><p>a</p>", ""},
		{"layer.css", "@layer late{.gone{color:red}}",
			"<style>@layer early{p{color:red}}@layer late{p{color:blue}}</style><p>a</p>", ""},
		{"property.css", "@property --a{syntax:'<color>';inherits:true;initial-value:red}",
			"<style>p{color:var(--a)}</style><p>a</p>", ""},
		{"page.css", "@page{margin:9cm}.gone{color:red}", "<p>a</p>", ""},
		{"needless.js", idle, "<p>a</p>", "proved"},
		{"stores.js", idle + "localStorage.seen = 1", "<p>a</p>", ""},
		{"sends.js", idle + "fetch('/count?x')", "<p>a</p>", ""},
		{"writes.js", idle + "document.documentElement.hidden = true", "<p>a</p>", ""},
		{"calls.js", idle + "function kit() {}", "<script>kit()</script><p>a</p>", ""},
		{"turns.css", ".gone{color:red}",
			"<script>setTimeout(() => { document.body.append(Date.now()) })</script><p>a</p>", ""},
	}
	if !testsize.Full() {
		pages = append(pages[:2:2], pages[6:8]...)
	}
	b := clitest.New(t)
	for i, p := range pages {
		tag := "<link rel=stylesheet href=/" + p.file + ">"
		if strings.HasSuffix(p.file, ".js") {
			tag = "<script src=/" + p.file + "></script>"
		}
		b.Write("site/"+p.file, p.text)
		b.Write(fmt.Sprintf("site/%d.html", i),
			"<!doctype html><html lang=en><head><title>a</title>"+tag+"</head><body>"+p.body+"</body></html>")
	}
	_, out, _ := b.Exec("suggest", "site", "--browser", "--format", "json")
	var r struct {
		Used []struct{ Target, Certainty, Proof, Lines string }
	}
	if err := json.Unmarshal([]byte(out), &r); err != nil {
		t.Fatal(err)
	}
	for _, p := range pages {
		for _, u := range r.Used {
			if u.Target == "/"+p.file && (u.Certainty != p.want || u.Proof == "" || (u.Lines != "") != (p.want != "")) {
				t.Errorf("%+v, want %q", u, p.want)
			}
		}
	}
	if len(r.Used) != len(pages) {
		t.Errorf("%d files, want %d", len(r.Used), len(pages))
	}
	b.Write("yellowgate.yaml", "yellowgate: 1\nsite: {source: site, output: public, ignore: ['[1-9]*.html']}\n")
	b.Want(0, clitest.Args("suggest", "--browser", "--write"), "found: {url: /needless.css}", "pages: none")
}
