package weburl

import "testing"

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
	if _, ok := p.Resolve("http://[bad"); ok {
		t.Error("a URL that is none was resolved")
	}
	if r, _ := p.Resolve("/x/#frag"); r.Frag != "frag" || !r.Own {
		t.Errorf("%+v", r)
	}
}
