package cli_test

import (
	"strings"
	"testing"

	"yellowgate/internal/clitest"
)

func TestMain(m *testing.M) { clitest.Main(m) }

// TestThread is the thinnest thread: one item, from gate file to output, show
// and audit.
func TestThread(t *testing.T) {
	b := clitest.New(t, "yellowgate.yaml",
		clitest.SiteHead+
			"items:\n  visit-counter:\n    code-file: code/counter.html\n    place: head-end\n    pages: all\n    except: /members/**\n",
		"code/counter.html", "<script>visits = 1</script>\n", "site/index.html", clitest.Doc("Home", "<h1>Home</h1>"),
		"site/visit/index.html", clitest.Doc("Visit", "<h1>Visit</h1>"), "site/members/index.html",
		clitest.Doc("Members", "<h1>Members</h1>"), "site/css/site.css", "body { color: black }\n")
	b.Want(0, clitest.Args("apply"), "3 pages written, 1 other file copied")
	region := "<!--yg:visit-counter-->\n  <script>visits = 1</script><!--/yg:visit-counter-->"
	if got, want := b.Read("public/visit/index.html"),
		strings.Replace(clitest.Doc("Visit", "<h1>Visit</h1>"), "</title>", "</title>"+region, 1); got != want {
		t.Errorf("the page is\n%s\nwant\n%s", got, want)
	}
	if got := b.Read("public/members/index.html"); got != b.Read("site/members/index.html") {
		t.Errorf("the members' page was changed:\n%s", got)
	}
	if got := b.Read("public/css/site.css"); got != b.Read("site/css/site.css") {
		t.Errorf("the stylesheet was changed: %s", got)
	}
	b.Want(0, clitest.Args("apply"), "up to date")
	b.Want(0, clitest.Args("show", "/visit/"), "visit-counter", "as applied")
	b.Want(0, clitest.Args("audit", "--fail-on", "error"), "as the gate says", "no errors")
	b.Want(0, clitest.Args("why", "/members/", "visit-counter"),
		"out, because except chooses the page (yellowgate.yaml:8:13)")

	b.Write("public/visit/index.html", strings.Replace(b.Read("public/visit/index.html"), "visits = 1", "", 1))
	b.Want(1, clitest.Args("audit"), "item-differs", "edited-output", "differs on 1")
	b.Want(0, clitest.Args("apply"), "1 page written")
	b.Want(0, clitest.Args("diff"), "Nothing to apply")
}
