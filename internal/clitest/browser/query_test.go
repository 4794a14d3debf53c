package browser_test

import (
	"strings"
	"testing"

	"yellowgate/internal/clitest"
)

// TestPagesByQuery: a browser is sent to the address that a page has, its query included, and sees that page.
func TestPagesByQuery(t *testing.T) {
	clitest.NeedBrowser(t)
	b := clitest.New(t, "site/index.html", clitest.Doc("First", "<p>x</p>"), "site/index?p=2.html",
		clitest.Doc("Second", "<p class=second>y</p>"), "site/.yellowgate-capture.ndjson",
		`{"url":"https://ternhill.example/","file":"index.html","status":200}`+"\n"+
			`{"url":"https://ternhill.example/?p=2","file":"index?p=2.html","status":200}`+"\n", "yellowgate.yaml",
		"yellowgate: 1\nsite: {url: 'https://ternhill.example', source: site, output: public, query: p}\nitems: {second: {code: <i>second</i>, pages: query.p = 2}}\n")
	b.Want(0, clitest.Args("apply"))
	out := b.Want(0, clitest.Args("audit", "--browser", "--no-cache"),
		"second            1            1               1  as the gate says")
	if strings.Contains(out, "metadata-rewritten") {
		t.Errorf("the browser saw another page:\n%s", out)
	}
}
