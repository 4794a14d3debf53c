package page

import "testing"

// TestPagesByQuery: what of a query makes a page, its key, its address and its fields.
func TestPagesByQuery(t *testing.T) {
	for _, c := range []struct{ address, path, key, url string }{
		{"/?p=2", "/?p=2", "/?p=2", "/?p=2"}, {"/?from=letter", "/", "", "/"}, {"/plays/?s=x&p=2&p=3",
			"/plays/?p=2&p=3&s=x", "/plays?p=2&p=3&s=x", "/plays/?p=2&p=3&s=x"},
		{"/plays/index.html?p=2#top", "/plays/?p=2", "/plays?p=2", "/plays/?p=2"}, {"/caf%C3%A9?s=a%20b+c%26",
			"/café?s=a+b+c%26", "/café?s=a+b+c%26", "/caf%C3%A9?s=a+b+c%26"},
		{"/a%3Fb?p=1", "/a%3Fb?p=1", "/a%3Fb?p=1", "/a%3Fb?p=1"}, {"/?p", "/?p=", "/?p=", "/?p="}, {
			"/?%zz=1&p=%zz&=3", "/", "", "/"}, {"/?&p=1", "/?p=1", "/?p=1", "/?p=1"},
	} {
		path := Identify(c.address, []string{"p", "s"})
		if path != c.path || Key(path) != c.key || URLPath(path) != c.url {
			t.Errorf("%s: path %q, key %q, url %q; want %+v", c.address, path, Key(path), URLPath(path), c)
		}
	}
	if got := Identify("/?p=2", nil); got != "/" {
		t.Errorf("without names: %q", got)
	}
	if got := (Spelling{}).PathOf("a?b=1.html"); got != "/a%3Fb=1.html" || URLPath(got) != "/a%3Fb=1.html" {
		t.Errorf("a mark in a file's name: %q, %q", got, URLPath(got))
	}
	p := Page{Path: "/plays/?p=2&s=a+b"}
	if p.Field("path") != "/plays/" || p.Field("query.p") != "2" || p.Field("query.s") != "a b" ||
		p.Field("query.x") != "" {
		t.Errorf("fields: %q %q %q", p.Field("path"), p.Field("query.p"), p.Field("query.s"))
	}
	by := &Answer{Path: "/?p=2"}
	p = Page{Path: "/index%3Fp=2.html"}
	if p.Called(by); p.Path != "/?p=2" || p.Key() != "/?p=2" {
		t.Errorf("called %q", p.Path)
	}
}
