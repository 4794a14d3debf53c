package publish_test

import (
	"net/http"
	"net/http/httptest"
	"regexp"
	"strings"
	"testing"

	"yellowgate/internal/clitest"
)

var hreflang = regexp.MustCompile(
	`<link rel="alternate" (?:href="([^"]*)" hreflang="([^"]*)"|hreflang="([^"]*)" href="([^"]*)")>`)

// TestAlternates: each page names itself and those of its siblings that there are; a page that comes or goes changes
// what its siblings say, and nothing else is written; one page from standard input is as apply writes it. Every
// address that is written answers, and leads back, by a client of our own.
func TestAlternates(t *testing.T) {
	page := func(head string) string { return clitest.Doc("x", head+"<h1>x</h1>") }
	b := clitest.New(t, "yellowgate.yaml",
		"yellowgate: 1\nsite: {url: https://ternhill.example, source: site, output: public}\n"+
			"metadata: [{pages: all, alternates: {en: '/{rest}', de: '/de/{rest}', fr: '/fr/{rest}', x-default: '/{rest}'}}]\n",
		"site/index.html", page(""), "site/de/index.html", page(""), "site/fr/index.html", page(""),
		"site/visit/index.html", page(`<link rel="alternate" hreflang="fr" href="/fr/gone/">`),
		"site/de/visit/index.html", page(""), "site/feed.xml", "<rss/>", "site/news/index.html",
		page(`<link rel="alternate" type="application/rss+xml" href="/feed.xml">`))
	written := func(file string) (out []string) {
		for _, m := range hreflang.FindAllStringSubmatch(b.Read("public/"+file), -1) {
			out = append(out, m[2]+m[3]+" "+strings.TrimPrefix(m[1]+m[4], "https://ternhill.example"))
		}
		return out
	}
	expect := func(file, want string) {
		t.Helper()
		if got := strings.Join(written(file), ", "); got != want {
			t.Errorf("%s: %s, want %s", file, got, want)
		}
	}
	b.Want(0, clitest.Args("apply"), "6 pages written")
	expect("index.html", "en /, de /de/, fr /fr/, x-default /")
	expect("fr/index.html", "en /, de /de/, fr /fr/, x-default /")
	expect("de/visit/index.html", "en /visit/, de /de/visit/, x-default /visit/")
	expect("visit/index.html", "en /visit/, de /de/visit/, x-default /visit/") // what the source named is gone
	expect("news/index.html", "")
	if !strings.Contains(b.Read("public/news/index.html"), "/feed.xml") {
		t.Error("the feed went, which is not a language")
	}
	if _, out, _ := b.ExecIn(b.Read("site/visit/index.html"), "apply", "-", "--as", "/visit/"); out !=
		b.Read("public/visit/index.html") {
		t.Errorf("apply - writes\n%s", out)
	}
	b.Want(0, clitest.Args("apply"), "is up to date: 6 pages")
	b.Write("site/fr/news/index.html", page(""))
	b.Want(0, clitest.Args("apply"), "2 pages written, 6 left as they were")
	expect("news/index.html", "en /news/, fr /fr/news/, x-default /news/")
	served := httptest.NewServer(http.FileServer(http.Dir(b.Dir + "/public")))
	defer served.Close()
	for _, file := range []string{"index.html", "de/index.html", "visit/index.html", "fr/news/index.html"} {
		for _, x := range written(file) {
			_, path, _ := strings.Cut(x, " ")
			r, err := http.DefaultTransport.RoundTrip(httptest.NewRequest("GET", served.URL+path, nil))
			if err != nil || r.StatusCode != 200 {
				t.Errorf("%s names %s: %v", file, path, err)
				continue
			}
			r.Body.Close()
			if back := strings.Join(written(strings.TrimPrefix(path, "/")+"index.html"), ", "); back !=
				strings.Join(written(file), ", ") {
				t.Errorf("%s names %s, which names %s", file, path, back)
			}
		}
	}
	if _, out, _ := b.Exec("audit", "--format", "json"); strings.Contains(out, "dead-relation") || strings.Contains(out, "alternate-one-way") ||
		strings.Contains(out, "stale-output") {
		t.Errorf("the audit finds\n%s", out)
	}
}
