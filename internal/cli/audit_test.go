package cli_test

import (
	"bytes"
	"compress/gzip"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"yellowgate/internal/clitest"
)

// plain is a page that no check has anything against.
func plain(path, head, body string) string {
	return fmt.Sprintf(
		"<!doctype html>\n<html lang=en>\n<head>\n<meta charset=utf-8>\n<meta name=viewport content=\"width=device-width\">\n<title>The page %s</title>\n"+
			"<meta name=description content=\"About %s, in a few words that say what it is.\">\n<link rel=canonical href=https://ternhill.example%s>\n<link rel=icon href=/i.svg>\n%s</head>\n<body>\n%s\n</body>\n</html>\n",
		path, path, path, head, body)
}

// TestSitemaps: what an index of sitemaps names is followed, and where a part of it
// cannot be read, no page is called unlisted.
func TestSitemaps(t *testing.T) {
	b := clitest.New(t, "s/i.svg", "<svg/>", "s/index.html", plain("/", "", ""), "s/a/index.html",
		plain("/a/", "", ""), "s/b/index.html", plain("/b/", "<meta name=robots content=noindex>\n", ""),
		"s/c/index.html", plain("/c/", "", ""), "s/sitemap.xml",
		`<sitemapindex xmlns="http://www.sitemaps.org/schemas/sitemap/0.9"><sitemap><loc>https://ternhill.example/one.xml</loc></sitemap><sitemap><loc>https://ternhill.example/maps/two.xml.gz</loc></sitemap></sitemapindex>`,
		"s/one.xml",
		`<urlset><url><loc>https://ternhill.example/</loc></url><url><loc>https://ternhill.example/b/</loc></url></urlset>`)
	var packed bytes.Buffer
	z := gzip.NewWriter(&packed)
	fmt.Fprint(z, `<urlset><url><loc>https://ternhill.example/a/</loc></url></urlset>`)
	z.Close()
	b.Write("s/maps/two.xml.gz", packed.String())
	out := b.Want(0, clitest.Args("audit", "s", "-v"), "noindexed-in-sitemap", "b/index.html", "unlisted-in-sitemap",
		"c/index.html:6:1")
	if strings.Count(out, "the sitemap does not list this page") != 1 {
		t.Error(out)
	}
	b.Write("s/maps/two.xml.gz", "no archive")
	if out := b.Want(0, clitest.Args("audit", "s", "-v"), "noindexed-in-sitemap"); strings.Contains(out,
		"unlisted-in-sitemap") {
		t.Error(out)
	}
}

// TestAuditText: findings of one cause are one line; with -v every finding is
// there, and the pages with the most to mend, with what they load for nothing.
func TestAuditText(t *testing.T) {
	kit := "<link rel=stylesheet href=/kit.css>\n<script src=/a.js></script>\n"
	b := clitest.New(t,
		"s/i.svg", "<svg/>",
		"s/lib/gone.js", "gone()",
		"s/a.js", "a()",
		"s/c.js", "c()",
		"s/kit.css", ".kit { margin: 0 }",
		"s/index.html", plain("/", kit, "<p class=kit>"),
		"s/a/index.html", plain("/a/", kit, ""),
		"s/b/index.html", plain("/b/", kit+"<script src=/c.js></script>\n<script src=/gone.js defer></script>\n", ""))
	out := b.Want(1, clitest.Args("audit", "s"), "of them styles that match nothing",
		"/a.js blocks rendering until it has run (on all 3 pages)", "3 causes on 3 pages (5 places)",
		"a file of that name is at /lib/gone.js")
	if strings.Count(out, "blocks rendering until") != 2 || strings.Contains(out, "pages with the most to mend") {
		t.Error(out)
	}
	if out := b.Want(1, clitest.Args("audit", "s", "-v"), "unused-style", "pages with the most to mend",
		"unused"); strings.Count(
		out, "blocks rendering until") != 4 ||
		strings.LastIndex(out, "  /b/ ") > strings.LastIndex(out, "  /a/ ") {
		t.Error(out)
	}
}

// TestCompareHTML: the later audit as a page, with the earlier one beside it; a saved
// audit says the same as the folder.
func TestCompareHTML(t *testing.T) {
	evil := "</script><img src=x onerror=alert(1)>"
	b := clitest.New(t,
		"one/i.svg", "<svg/>",
		"one/a.js", "a()",
		"one/index.html", plain("/", "<script src=/a.js></script>\n", ""),
		"one/b/index.html", plain("/b/", "", ""),
		"two/i.svg", "<svg/>",
		"two/b.css", "@import 'c.css'; p{}",
		"two/c.css", "i{}",
		"two/index.html", plain("/", "<link rel=stylesheet href=/b.css>\n", "<p>"),
		"two/b/index.html", plain("/b/", "", ""))
	b.Want(0, clitest.Args("audit", "one", "--format", "json", "--out", "one.json"))
	page := b.Want(0, clitest.Args("compare", "one", "two", "--format", "html"), "Before and after", "Went", "Came",
		"/a.js", "/b.css", "/c.css", "Changed in something else than what is listed: /", "Mended:", "blocking-script",
		"the paler bar is before", "aria-label=\"Weight of the pages\"")
	saved := b.Want(0, clitest.Args("compare", "one.json", "two", "--format", "html"))
	// It has no text: whether anything else changed is open there, and all else is the same.
	rest := regexp.MustCompile(
		`(?s)<details open><summary><b>What else changed.*?</details>|<p class="(?:warning|good)">(?:Changed in something else|Whether anything else).*?</p>|Whether anything else changed[^<]*`)
	if !strings.Contains(saved, "a saved audit has no text") ||
		rest.ReplaceAllString(strings.Replace(saved, "one.json", "one", 1), "") != rest.ReplaceAllString(page, "") {
		t.Errorf("a saved audit is told otherwise than its folder:\n%s\n%s", firstLines(saved), firstLines(page))
	}
	for _, load := range []string{"<link", "<img", "<iframe", "<script src", "@import", "url(", "href=\"http"} {
		if strings.Contains(page, load) {
			t.Errorf("the page loads something: %s", load)
		}
	}
	b.Want(0, clitest.Args("compare", "two", "two", "--format", "html"), "Nothing changed.")
	b.Write("two/b/index.html", plain("/b/", "<script src=\""+evil+"\" defer></script>\n", ""))
	page = b.Want(0, clitest.Args("compare", "one", "two", "--format", "html"))
	if strings.Contains(page, "<img") || strings.Contains(page, evil) {
		t.Error("what a page contains became markup")
	}
}

// TestAuditLines: one a line comes the same as in one piece, each page's record and
// verdicts before the next.
func TestAuditLines(t *testing.T) {
	b := clitest.New(t, "yellowgate.yaml",
		"yellowgate: 1\nsite: {source: s, output: out, url: https://ternhill.example}\nitems: {a: {script: /a.js, pages: all}}\n",
		"s/i.svg", "<svg/>", "s/a.js", "a()", "s/index.html", plain("/", "", ""), "s/b/index.html",
		plain("/b/", "", ""))
	b.Want(0, clitest.Args("apply"))
	b.Write("out/b/index.html", strings.Replace(b.Read("out/b/index.html"), "/a.js", "/c.js", 1))
	_, whole, _ := b.Exec("audit", "--format", "json")
	var a struct {
		Records, Verdicts, Findings []json.RawMessage
	}
	if err := json.Unmarshal([]byte(whole), &a); err != nil || len(a.Records) != 2 || len(a.Verdicts) != 2 ||
		len(a.Findings) < 2 {
		t.Fatalf("%v\n%s", err, whole)
	}
	_, lines, _ := b.Exec("audit", "--format", "ndjson")
	var want []string
	add := func(raw json.RawMessage) {
		var compact bytes.Buffer
		if err := json.Compact(&compact, raw); err != nil {
			t.Fatal(err)
		}
		want = append(want, compact.String())
	}
	for i := range a.Records {
		add(a.Records[i])
		add(a.Verdicts[i])
	}
	for _, f := range a.Findings {
		add(f)
	}
	if got := strings.Split(strings.TrimSpace(lines), "\n"); !slices.Equal(got, want) {
		t.Errorf("lines\n%s\nwant\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
}

// TestImportsShown: show and survey tell what is imported, and a budget counts it.
func TestImportsShown(t *testing.T) {
	b := clitest.New(t, "yellowgate.yaml",
		"yellowgate: 1\nsite: {source: s, output: out, url: https://ternhill.example}\nbudgets: [{pages: all, styles: 40, requests: 3}]\n",
		"s/i.svg", "<svg/>", "s/a.css", "@import 'b.css'; @import 'gone.css'; p{}", "s/b.css", "i{margin:0}",
		"s/index.html", plain("/", "<link rel=stylesheet href=/a.css>\n", "<p>"))
	b.Want(0, clitest.Args("show", "/"), "imports /b.css", "imports /gone.css", "no such file", "4 requests")
	b.Want(0, clitest.Args("survey", "s"), "import", "/b.css")
	b.Want(0, clitest.Args("apply"))
	b.Want(1, clitest.Args("audit"), "over-budget", "styles: 51 bytes, and the budget is 40 bytes",
		"requests: 4, and the budget is 3", "/a.css, loaded on 1 page, imports /gone.css: the site has no such file")
}

// firstLines are those of a page that are about a comparison.
func firstLines(page string) string {
	i := strings.Index(page, "Before and after")
	return page[max(i, 0):min(max(i, 0)+1500, len(page))]
}

// TestWholeSite: what all pages have alike is one finding, in the text and for programs, and
// is reported each page where one has it otherwise.
func TestWholeSite(t *testing.T) {
	page := func(head string) string {
		return "<!doctype html>\n<html lang=en>\n<head>\n<meta charset=utf-8>\n<title>" + head +
			"</title>\n<meta name=description content=\"" + head +
			" on Tern Hill\">\n</head>\n<body><p>x</body></html>\n"
	}
	b := clitest.New(t, "s/index.html", page("Home"), "s/a.html", page("A"), "s/b.html", page("B"), "s/404.html",
		page("Not found"), "s/sitemap.xml",
		"<urlset><url><loc>https://ternhill.example/</loc></url><url><loc>https://ternhill.example/a.html</loc></url><url><loc>https://ternhill.example/b.html</loc></url></urlset>",
		"s/old.html", "<!doctype html><html lang=en><title>Old</title><script>location.replace('/a.html')</script>")
	out := b.Want(0, clitest.Args("audit", "s", "--verbose"), "on all 3 pages: the page has no canonical",
		"on all 4 pages: no <link rel=\"icon\">", "on all 4 pages: the page has no viewport")
	if strings.Count(out, "canonical-missing") != 1 ||
		strings.Contains(out, "404.html:5:1  the page has no canonical") {
		t.Error(out)
	}
	_, text, _ := b.Exec("audit", "s", "--format", "json")
	var a struct {
		Findings []struct {
			Check, Page string
			Pages       int
		}
		Totals struct{ Warnings, Notes int }
	}
	if err := json.Unmarshal([]byte(text), &a); err != nil {
		t.Fatal(err)
	}
	pages := map[string]int{}
	for _, f := range a.Findings {
		pages[f.Check] += max(f.Pages, 1)
		if (f.Page == "") != (f.Pages > 0) {
			t.Errorf("%+v", f)
		}
	}
	if pages["canonical-missing"] != 3 || pages["icon-missing"] != 4 || pages["viewport-missing"] != 4 ||
		a.Totals.Warnings != 1 ||
		a.Totals.Notes != 2 {
		t.Errorf("%v, %+v", pages, a.Totals)
	}
	os.Remove(filepath.Join(b.Dir, "s/sitemap.xml")) // now nothing says at which address the site is
	if out := b.Want(0, clitest.Args("audit", "s", "--verbose")); strings.Contains(out, "canonical") {
		t.Error(out)
	}
	b.Write("s/a.html",
		strings.Replace(b.Read("s/a.html"), "</head>",
			"<link rel=canonical href=https://ternhill.example/a.html>\n</head>", 1))
	b.Want(0, clitest.Args("audit", "s", "--verbose"), "canonical-missing", "index.html:3", "b.html:3")
	b.Want(1, clitest.Args("audit", "s", "--fail-on", "note"))
}

// TestAuditFragments: templates and parts of pages are no site to audit; what templates fill in later is no dead file.
func TestAuditFragments(t *testing.T) {
	b := clitest.New(t,
		"s/part.html", "<p>x</p>",
		"s/layout.html", "---\nlayout: x\n---\n<img src=\"{{ url }}\" alt=\"\">")
	b.Want(2, clitest.Args("audit", "s"), "no file of HTML in s is a page: all 2 are without",
		"name the folder of the finished pages")
	b.Write("s/index.html", plain("/", `<script src="{{ base }}/a.js" defer></script>`, ""))
	if out := b.Want(0, clitest.Args("audit", "s", "-v"), "2 files of HTML without html"); strings.Contains(out, "{{") {
		t.Error(out)
	}
}

// TestMendFirst: what one mistake of a template makes stands in one line of what to mend first; what a template has not
// filled in is no file.
func TestMendFirst(t *testing.T) {
	b := clitest.New(t, "s/site.css", "@import \"{{ pathto('x.css') }}\"; p { color: red }")
	for _, name := range []string{"s/index.html", "s/a/index.html", "s/b/index.html"} {
		b.Write(name, clitest.Doc(name, "<link rel=stylesheet href=/site.css><script src=/1.js></script><script src=/2.js></script>"+
			"<script src=/3.js></script><script src=/4.js></script><script src=/5.js></script><p>x</p>"))
	}
	out := b.Want(1, clitest.Args("audit", "s"), "dead-file, on all 3 pages, and 4 more like it: the page is broken")
	first, _, _ := strings.Cut(out, "error dead-file")
	if strings.Count(first, "the site has no such file") != 1 || strings.Contains(out, "pathto") {
		t.Errorf("what is alike is told apart:\n%s", out)
	}
	b.Want(1, clitest.Args("audit", "s", "--format", "html", "--out", "r.html"))
	if page := b.Read("r.html"); strings.Count(page, "4 more like it") != 1 {
		t.Error("the page tells them apart")
	}
}

// TestAskedLater: what an audit remembers of a page is asked for anew once a capture finds out that a file is missing.
func TestAskedLater(t *testing.T) {
	const home = `{"url":"https://ternhill.example/","file":"index.html","status":200}` + "\n"
	b := clitest.New(t, "site/index.html", clitest.Doc("Plays", "<script src=/late.js defer></script><p>x</p>"),
		"site/.yellowgate-capture.ndjson", home, "yellowgate.yaml",
		"yellowgate: 1\nsite: {url: https://ternhill.example, source: site, output: public}\n")
	b.Want(0, clitest.Args("apply"))
	if out := b.Want(0, clitest.Args("audit")); strings.Contains(out, "late.js") {
		t.Errorf("nobody knows whether it is there:\n%s", out)
	}
	b.Write("site/.yellowgate-capture.ndjson",
		home+`{"url":"https://ternhill.example/late.js","status":404,"asked":"file"}`+"\n")
	b.Want(1, clitest.Args("audit"), "/late.js: the site has no such file")
}

// TestMendFirstShared: what pages share counts on all of them, and several such causes with one remedy are one line.
func TestMendFirstShared(t *testing.T) {
	b := clitest.New(t)
	for n := range 21 {
		b.Write(fmt.Sprintf("s/%02d.html", n), clitest.Doc(fmt.Sprint("Plays ", n/3), fmt.Sprintf("<h1>%d</h1><p>x</p>", n)))
	}
	out := b.Want(0, clitest.Args("audit", "s"), "title-shared, on 3 pages, and 6 more like it: search results")
	if first, _, _ := strings.Cut(out, "warning title-shared"); strings.Count(first, "same title") != 1 {
		t.Errorf("what is alike is told apart:\n%s", out)
	}
}

// TestCompareSpellings: two folders whose links write addresses in two ways have the same pages.
func TestCompareSpellings(t *testing.T) {
	b := clitest.New(t)
	for side, end := range map[string]string{"one": "", "two": ".html"} {
		for _, name := range []string{"a", "b", "c"} {
			b.Write(side+"/blog/"+name+".html",
				clitest.Doc(name,
					strings.ReplaceAll("<a href=/blog/aX>a</a><a href=/blog/bX>b</a><a href=/blog/cX>c</a>", "X",
						end)))
		}
	}
	if out := b.Want(0, clitest.Args("compare", "one", "two")); strings.Contains(out, "pages that are") {
		t.Error(out)
	}
}
