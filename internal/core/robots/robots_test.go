package robots

import (
	"slices"
	"testing"
)

// TestAllows: the examples of RFC 9309 (2.2.2, 2.2.3, 5), and what robots.txt files have besides.
func TestAllows(t *testing.T) {
	const groups = "User-Agent: *\nDisallow: *.gif$\nDisallow: /example/\nAllow: /publications/\n\n" +
		"User-Agent: foobot\nDisallow:/\nAllow:/example/page.html\nAllow:/example/allowed.gif\n\n" +
		"User-Agent: barbot\nUser-Agent: bazbot\nDisallow: /example/page.html\n\nUser-Agent: quxbot\n\nEOF"
	for _, c := range []struct {
		text, crawler, path string
		want                bool
	}{
		{"", "x", "/", true},
		{groups, "x", "/a.gif", false},
		{groups, "x", "/a.gif?1", true},
		{groups, "x", "/example/", false},
		{groups, "x", "/publications/", true},
		{groups, "FooBot", "/example/page.html", true},
		{groups, "foobot", "/example/page.htm", false},
		{groups, "foobot", "/example/allowed.gif", true},
		{groups, "foobot", "/", false},
		{groups, "barbot", "/example/page.html", false},
		{groups, "bazbot", "/example/page.html", false},
		{groups, "bazbot", "/a.gif", true},
		{groups, "quxbot", "/example/", true},
		{"User-agent: *\nAllow: /example/page/\nDisallow: /example/page/disallowed.gif", "x",
			"/example/page/disallowed.gif", false},
		{"User-agent: *\nDisallow: /a\nAllow: /a", "x", "/a", true},
		{"User-agent: *\nAllow: /a\nDisallow: /a", "x", "/a", true},
		{"User-agent: *\nDisallow: /foo/bar/ツ", "x", "/foo/bar/%E3%83%84", false},
		{"User-agent: *\nDisallow: /foo/bar/%E3%83%84", "x", "/foo/bar/%e3%83%84", false},
		{"User-agent: *\nDisallow: /foo/bar/%62%61%7A", "x", "/foo/bar/baz", false},
		{"User-agent: *\nDisallow: /a%2fb", "x", "/a/b", true},
		{"User-agent: *\nDisallow: /a%2fb", "x", "/a%2Fb", false},
		{"User-agent: *\nDisallow: /*/b*c$", "x", "/a/bxc", false},
		{"User-agent: *\nDisallow: /*/b*c$", "x", "/a/bxcd", true},
		{"User-agent: *\nDisallow: /*/b*c$", "x", "/a/bccc", false},
		{"User-agent: *\nDisallow: /a$", "x", "/a", false},
		{"User-agent: *\nDisallow: /a$", "x", "/ab", true},
		{"User-agent: *\nDisallow:", "x", "/", true},
		{"User-agent: *\nDisallow: # nothing", "x", "/", true},
		{"\ufeffuser-agent : *\r\n disallow : /a # why\r\n", "x", "/a/b", false},
		{"Disallow: /\nUser-agent: *\nDisallow: /a", "x", "/b", true},
		{"User-agent: x\nDisallow: /a\n\nUser-agent: *\nDisallow: /\n\nUser-agent: X\nDisallow: /b", "x", "/b", false},
		{"User-agent: x\nCrawl-delay: 1\nUser-agent: y\nDisallow: /a", "x", "/a", false},
		{"User-agent: yellowgate/9\nDisallow: /a", "yellowgate/0.1.0", "/a", false},
		{"User-agent: *\nDisallow: /a%zz", "x", "/a%zz1", false},
		{"User-agent: *\nDisallow: /%", "x", "/%", false},
	} {
		if got := Parse(c.text, c.crawler).Allows(c.path); got != c.want {
			t.Errorf("%q: %s may ask for %s: %v", c.text, c.crawler, c.path, got)
		}
	}
	for status, want := range map[int]bool{200: false, 404: true, 403: true, 500: false, 503: false} {
		if got := Of(status, "User-agent: *\nDisallow: /a", "x").Allows("/a"); got != want {
			t.Errorf("status %d: %v", status, got)
		}
	}
	if !Of(204, "", "x").Allows("/") || Of(500, "", "x").Allows("/b") ||
		!Of(404, "User-agent: *\nDisallow: /", "x").Allows("/") {
		t.Error("a status without rules")
	}
	const sitemaps = "Sitemap: /a.xml\nUser-agent: y\nsitemap: https://ternhill.example/b.xml # all\n"
	want := []string{"/a.xml", "https://ternhill.example/b.xml"}
	if got := Parse(sitemaps, "x").Sitemaps; !slices.Equal(got, want) {
		t.Errorf("sitemaps %q", got)
	}
}
