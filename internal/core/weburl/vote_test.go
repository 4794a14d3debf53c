package weburl

import (
	"slices"
	"strings"
	"testing"

	"yellowgate/internal/core/page"
)

func pages(as page.Spelling, files ...string) (out []page.Page) {
	for _, f := range files {
		out = append(out, page.Page{Path: as.PathOf(f), File: f})
	}
	return out
}

// TestVote: how a site calls its pages, by its links.
func TestVote(t *testing.T) {
	files := []string{"index.html", "a.html", "b.html", "c.html", "x/index.html", "y/index.html", "z/index.html"}
	bare, slashless := page.Spelling{Extensionless: true}, page.Spelling{Slashless: true}
	for _, c := range []struct {
		as    page.Spelling
		links string
		want  string
	}{
		{page.Spelling{}, "/a.html /b.html /c.html /x/ /y/", ""},
		{page.Spelling{}, "/a /b", "extensionless /a for /a.html on 2"},
		{page.Spelling{}, "/a", ""},
		{page.Spelling{}, "/a /a /a", ""},
		{page.Spelling{}, "/a /b /c.html", ""},
		{page.Spelling{}, "/a /b /c /c.html", "extensionless /a for /a.html on 3"},
		{page.Spelling{}, "/a /b /x/ /y/ /z/ /", "extensionless /a for /a.html on 2"}, // pages of folders say nothing of files
		{page.Spelling{}, "/x /y?p=1 /z#top", "slashless /x for /x/ on 3"},
		{page.Spelling{}, "/x /y /z/", ""},
		{page.Spelling{}, "https://ternhill.example/a https://elsewhere.example/b b", "extensionless /a for /a.html on 2"},
		{page.Spelling{}, "/x/index.html /nowhere /also/nowhere", ""},
		{bare, "/a /b /c /x/", ""},
		{bare, "/x /y", "slashless /x for /x/ on 2"},
		{slashless, "/x /y /a.html", ""},
	} {
		v := NewVote(c.as, pages(c.as, files...))
		text := ""
		for i, l := range strings.Fields(c.links) {
			text += []string{"<a href=\"" + l + "\">", "<a class=x HREF = '" + l + "'>", "<link href=" + l + ">",
				"<loc> " + l + "</loc>"}[i%4]
		}
		v.Add([]byte(text), NewSite("https://ternhill.example").Page("/", ""))
		got := ""
		for _, r := range v.Results() {
			got = "slashless"
			if r.As.Extensionless && !c.as.Extensionless {
				got = "extensionless"
			}
			got += " " + r.Written + " for " + r.Path + " on " + string(rune('0'+len(r.Pages)))
		}
		if got != c.want {
			t.Errorf("%+v, %s: %q, want %q", c.as, c.links, got, c.want)
		}
	}
}

// TestBase: below which path a folder is published.
func TestBase(t *testing.T) {
	have := []string{"/css/site.css", "/js/a.js", "/", "/a.html", "/obs/own.html"}
	has := func(path string) bool { return slices.Contains(have, path) }
	for text, want := range map[string]string{
		`<link href="/obs/css/site.css"><script src='/obs/js/a.js'>`:                          "/obs",
		`<link href=/hill/obs/css/site.css><script src=/hill/obs/js/a.js></script>`:           "/hill/obs",
		`<link href="/obs/css/site.css">`:                                                     "",
		`<link href="/obs/css/site.css"><link href="/obs/css/site.css?2">`:                    "",
		`<link href="/css/site.css"><script src="/js/a.js">`:                                  "",
		`<link href="/obs/css/site.css"><script src="/obs/js/a.js"><a href="/a.html">`:        "",
		`<link href="//cdn.example/css/site.css"><script src="//cdn.example/js/a.js">`:        "",
		`<a href="/a/b/c/d/css/site.css"><a href="/a/b/c/d/js/a.js">`:                         "",
		`<a href="/one/css/site.css"><a href="/two/js/a.js"><a href="/three/a.html">`:         "",
		`<a href="/obs/own.html"><a href="/obs/js/a.js"><a href="/obs/a.html">`:               "",
		`<a href="/obs/"><a href="/obs"><a href="/obs/nowhere">`:                              "",
		`<a href="/o/js/a.js"><a href="/o/a.html"><a href="/o/css/site.css"><a href="/x.js">`: "/o",
	} {
		v := NewBaseVote(has)
		v.Add([]byte(text))
		if got := v.Result(); got != want {
			t.Errorf("%s: %q, want %q", text, got, want)
		}
	}
}
