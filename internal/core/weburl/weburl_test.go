package weburl

import (
	"encoding/json"
	"os"
	"strings"
	"testing"

	standard "github.com/nlnwa/whatwg-url/url"
)

func TestResolve(t *testing.T) {
	site := NewSite("https://ternhill.example/obs/")
	for _, c := range []struct{ page, base, raw, url, path string }{ // path "" for a third party's
		{"/visit/", "", "a.js", "/obs/visit/a.js", "/visit/a.js"},
		{"/visit/", "", "../a.js?v=1#x", "/obs/a.js?v=1", "/a.js"},
		{"/visit/", "", "/obs/js/caf%C3%A9.js", "/obs/js/caf%C3%A9.js", "/js/café.js"},
		{"/visit/", "", "/elsewhere.js", "https://ternhill.example/elsewhere.js", ""},
		{"/visit/", "", "//cdn.example/a.js", "https://cdn.example/a.js", ""},
		{"/visit/", "", "HTTPS://TERNHILL.example/obs/a.js", "/obs/a.js", "/a.js"},
		{"/visit/", "", " \n/obs/a\t.js ", "/obs/a.js", "/a.js"},
		{"/visit/", "/obs/deep/", "a.js", "/obs/deep/a.js", "/deep/a.js"},
		{"/visit/", "https://cdn.example/x/", "a.js", "https://cdn.example/x/a.js", ""},
		{"/visit/", "", "/obs/a/../b.js", "/obs/b.js", "/b.js"},
		{"/visit/", "", `\obs\css\a.css`, "/obs/css/a.css", "/css/a.css"},
		{"/visit/", "", `..\a.js`, "/obs/a.js", "/a.js"},
		{"/visit/", "", "https:a.js", "/obs/visit/a.js", "/visit/a.js"},
		{"/visit/", "", "https:///cdn.example/a.js", "https://cdn.example/a.js", ""},
		{"/visit/", "", "https://ternhill.example:443/obs/a.js", "/obs/a.js", "/a.js"},
		{"/visit/", "", "https://ternhill.example:8443/obs/a.js", "https://ternhill.example:8443/obs/a.js", ""},
		{"/visit/", "", "https://TËRN.example/a.js", "https://xn--trn-jma.example/a.js", ""},
		{"/visit/", "", "a%zz.js", "/obs/visit/a%zz.js", "/visit/a%zz.js"},
		{"/visit/", "", "a b.js", "/obs/visit/a%20b.js", "/visit/a b.js"},
		{"/visit/", "", "ht\ntps://cdn.exa\tmple/a.js", "https://cdn.example/a.js", ""},
		{"/visit/", "", "/obs/%2e%2e/obs/a.js", "/obs/a.js", "/a.js"},
		{"/visit/", "", "https://127.1/a.js", "https://127.0.0.1/a.js", ""},
		{"/visit/", "javascript:1", "a.js", "/obs/visit/a.js", "/visit/a.js"},
	} {
		r, ok := site.Page(c.page, c.base).Resolve(c.raw)
		if !ok || r.URL != c.url || r.Path != c.path || r.Own != (c.path != "") {
			t.Errorf("%q on %s (base %q): %+v, want %s, path %q", c.raw, c.page, c.base, r, c.url, c.path)
		}
	}
	p := NewSite("").Page("/a/", "")
	if r, _ := p.Resolve("data:text/plain,x"); !r.Data {
		t.Error("a data URL loads nothing")
	}
	if r, _ := p.Resolve(" DATA:text/plain," + strings.Repeat("é", 5000)); !r.Data {
		t.Error("a long data URL loads nothing")
	}
	if r, _ := p.Resolve(`\a\` + strings.Repeat("é", 5000)); !r.Own || !strings.HasPrefix(r.Path, "/a/éé") {
		t.Errorf("a long URL: %.20s", r.Path)
	}
	if _, ok := p.Resolve("http://[bad"); ok {
		t.Error("a URL that is none was resolved")
	}
	if r, _ := p.Resolve("/x/#frag"); r.Frag != "frag" || !r.Own {
		t.Errorf("%+v", r)
	}
}

// TestStandard: the standard's own table of URLs (web-platform-tests, url/resources, as far as
// it is about http and https).
func TestStandard(t *testing.T) {
	text, err := os.ReadFile("testdata/urls.json")
	if err != nil {
		t.Fatal(err)
	}
	var cases [][3]*string
	if err := json.Unmarshal(text, &cases); err != nil || len(cases) < 400 {
		t.Fatal(len(cases), err)
	}
	site := NewSite("https://ternhill.example")
	wrong := 0
	for _, c := range cases {
		if *c[1] == "" && !strings.Contains(*c[0], "//") {
			continue // without a base another thing than on a page
		}
		p := site.Page("/", *c[1])
		r, ok := p.Resolve(*c[0])
		if c[2] == nil {
			if ok && *c[1] != "" {
				t.Errorf("%q on %q is %s, and no URL", *c[0], *c[1], r.URL)
			}
			continue
		}
		want, _, _ := strings.Cut(*c[2], "#")
		got := r.URL
		if r.Data {
			got, _, _ = strings.Cut(got, "#")
		}
		if !ok || got != want {
			wrong++
			t.Errorf("%q on %q is %s (%v), want %s", *c[0], *c[1], got, ok, want)
		}
	}
}

// TestAlso: what names the server that makes the pages is the site's own.
func TestAlso(t *testing.T) {
	p := NewSite("https://ternhill.example", "http://127.0.0.1:8000", "").Page("/visit/", "")
	for raw, want := range map[string]string{
		"http://127.0.0.1:8000/js/a.js": "/js/a.js", "//127.0.0.1:8000/js/a.js": "/js/a.js", "https://ternhill.example/b": "/b",
		"http://127.0.0.1:8001/js/a.js": "", "https://count.example/c.js": "", "http://127.0.0.1/a": "",
	} {
		if r, ok := p.Resolve(raw); !ok || r.Own != (want != "") || r.Path != want {
			t.Errorf("%s: %+v, want %q", raw, r, want)
		}
	}
}

// TestPlain: where a URL is resolved the short way, the long one says the same.
func TestPlain(t *testing.T) {
	site := NewSite("https://ternhill.example/obs")
	for _, p := range []Base{site.Page("/visit/a b.html", ""), site.Page("/", "https://cdn.example/x/y/"),
		site.Page("/a/b/c", "../d/")} {
		for _, raw := range []string{"a", "a/", "../a", "../../../../a", "./a", ".", "..", "/obs/a", "/obs", "/x",
			"/a//b", "a//b", "?x=1", "#f", "a?b#c", "a#b?c", "https://w.example/a?b", "https://w.example",
			"https://w.example/../a", "http://ternhill.example/obs/a", "https://ternhill.example/obs/../x",
			"a/./b/../c", "a/..", "a/.", ".../a", "a;b=1/c", "a,b!c$d(e)*f@g", "a?b?c", "a?/../b", "~a", "_",
			"a/b?q=/./x", "caf%C3%A9/a%20b.js?x=%2F#%41", "%7euser/%2f/%41"} {
			if !isPlain(raw) {
				t.Errorf("%q is not plain", raw)
				continue
			}
			agree(t, p, raw)
		}
	}
}

func agree(t *testing.T, p Base, raw string) {
	t.Helper()
	got, _ := p.plainly(raw)
	u, err := standard.ParseRef(p.base.String(), raw)
	if err != nil {
		t.Errorf("%q is no URL", raw)
		return
	}
	want := u.Href(true)
	if got.Own {
		want = u.Pathname() + u.Search()
	}
	if got.URL != want || got.Own != p.site.has(u.Host(), u.Pathname()) {
		t.Errorf("%q on %s: %+v, the standard says %s", raw, p.base, got, want)
	}
}

// FuzzResolve: the short way and the standard's agree.
func FuzzResolve(f *testing.F) {
	for _, s := range []string{"a/../b", "//x", "https://a.example/b", "..//..", "https://a..b/", "http://a.b.1/"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, raw string) {
		p := NewSite("https://ternhill.example/obs").Page("/visit/", "")
		if isPlain(raw) {
			agree(t, p, raw)
		}
		p.Resolve(raw)
	})
}

func BenchmarkResolve(b *testing.B) {
	p := NewSite("https://ternhill.example/obs").Page("/visit/", "")
	for name, raw := range map[string]string{"plain": "../js/menu.js?v=7", "any": "../js/menü.js?v=7"} {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				p.Resolve(raw)
			}
		})
	}
}

// TestBases: what stands above a base element is resolved without it.
func TestBases(t *testing.T) {
	site := NewSite("https://ternhill.example")
	b := site.Bases("/visit/", "https://cdn.example/x/", 100)
	for at, want := range map[int]string{0: "/visit/a.js", 99: "/visit/a.js", 100: "https://cdn.example/x/a.js",
		500: "https://cdn.example/x/a.js"} {
		if r, _ := b.At(at).Resolve("a.js"); r.URL != want {
			t.Errorf("at %d: %s, want %s", at, r.URL, want)
		}
	}
	if r, _ := b.Below().Resolve("a.js"); r.Own {
		t.Error("the page's base is the element's")
	}
	if r, _ := site.Bases("/visit/", "", 0).At(0).Resolve("a.js"); r.URL != "/visit/a.js" {
		t.Error("without a base element: " + r.URL)
	}
	if got := site.Page("/visit/", "").Address("/a b/").String(); got != "https://ternhill.example/a%20b/" {
		t.Error("the address of a path: " + got)
	}
}

// TestForms: what is absolute, and what only an import map knows.
func TestForms(t *testing.T) {
	for raw, want := range map[string][2]bool{
		"https://x.example/": {true, false}, " HTTPS:x": {true, false}, "data:text/plain,x": {true, false}, "/visit/?from=https://x.example/": {false, false}, "visit?u=https://x.example/": {false, true},
		"//x.example/a": {false, false}, "./a.js": {false, false}, "../a.js": {false, false}, ".a": {false, true}, "kit": {false, true}, "@hill/kit": {false, true}, "#top": {false, true}, "1a:b": {false, true}, "": {false, true},
	} {
		if IsAbsolute(raw) != want[0] || IsBare(raw) != want[1] {
			t.Errorf("%q: absolute %v, bare %v", raw, IsAbsolute(raw), IsBare(raw))
		}
	}
}

// TestByQuery: what of a query makes a page is a part of the page that a URL names, and of the base of that page.
func TestByQuery(t *testing.T) {
	site := NewSite("https://ternhill.example/obs").Naming([]string{"p"})
	for raw, want := range map[string]string{
		"": "/plays?p=2", "?p=3&from=letter": "/plays?p=3", "?from=letter": "/plays", "/obs/?p=1": "/?p=1", "https://ternhill.example/obs/a%3Fb?p=1": "/a%3Fb?p=1", "hamlet": "/hamlet",
	} {
		if ref, ok := site.Page("/plays?p=2", "").Resolve(raw); !ok || ref.Page != want {
			t.Errorf("%q names %q, want %q", raw, ref.Page, want)
		}
	}
}
