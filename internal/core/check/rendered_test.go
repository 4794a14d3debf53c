package check

import (
	"testing"

	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pageload"
	"yellowgate/internal/core/weburl"
)

// TestVisits: what a browser saw of a page is told of it, but not where it was led elsewhere, or saw nothing.
func TestVisits(t *testing.T) {
	for text, want := range map[string]int{
		`<!doctype html><html><head><title>a</title></head><body><p>x</p></body></html>`:                                              1,
		`<!doctype html><html><head><meta http-equiv="refresh" content="0; url=/b/"><title>a</title></head><body></body></html>`:      0,
		`<!doctype html><html><head><meta http-equiv="refresh" content="30; url=/b/"><title>a</title></head><body>x</body></html>`:    1,
		`<!doctype html><html><head><title>a</title><script>location.replace("/b/")</script></head><body></body></html>`:              0,
		`<!doctype html><html><head><title>a</title><script>go = () => location.reload()</script></head><body><p>x</p></body></html>`: 1,
	} {
		r := inventory.Take([]byte(text), page.Page{Path: "/a/", File: "a/index.html"}, weburl.NewSite(""), nil)
		p := &Pass{Record: r, Rendered: []*pageload.Record{{}, {Unread: "it never answered"}}}
		if got := len(p.Visits()); got != want {
			t.Errorf("%d visits of %s, want %d", got, text, want)
		}
	}
}

// TestInPlace: an error that came in place of the page is not a page of the site; one that is the page is.
func TestInPlace(t *testing.T) {
	redirected := []pageload.Request{{Status: 302}, {Status: 200, Asked: pageload.Initiator{By: "script"}},
		{Status: 500, Asked: pageload.Initiator{By: "redirect"}}}
	for _, c := range []struct {
		file     string
		requests []pageload.Request
		want     bool
	}{
		{"a.html", []pageload.Request{{Status: 200}, {Status: 404, Asked: pageload.Initiator{By: "script"}}}, false},
		{"a.html", []pageload.Request{{Status: 404}}, true}, {"a.html", redirected, true}, {"a.html", nil, false},
		{"404.html", []pageload.Request{{Status: 404}}, false},
	} {
		r := inventory.Take([]byte("<!doctype html><title>a</title>"), page.Page{Path: "/a", File: c.file},
			weburl.NewSite(""), nil)
		p := &Pass{Record: r, Rendered: []*pageload.Record{{Requests: c.requests}}}
		if got := p.InPlace(p.Rendered[0]); got != c.want || len(p.Visits()) == 1 == c.want {
			t.Errorf("%s with %+v: %v, %d visits", c.file, c.requests, got, len(p.Visits()))
		}
	}
}
