package pageload

import (
	"strings"
	"testing"

	"yellowgate/internal/core/weburl"
)

// TestDiffers: what makes a page another one without a file, and what does not.
func TestDiffers(t *testing.T) {
	visit := func(change func(r *Record)) *Record {
		r := &Record{
			Sights: []Sight{{After: "loading", Boxes: []Box{{"html", 1}, {"p#a.b", 2}}, Running: 1, Picture: 7}},
			Requests: []Request{
				{Target: "/", Method: "GET", Kind: "document"},
				{Target: "/kit.css", Method: "GET", Kind: "style", Asked: Initiator{By: "page", Request: -1}},
				{Target: "/part.css", Method: "GET", Kind: "style", Asked: Initiator{By: "style", Request: 1}},
				{Target: "/kit.woff2", Method: "GET", Kind: "font", Asked: Initiator{By: "style", Request: 1}},
				{URL: "https://ternhill.example/favicon.ico", Target: "/favicon.ico", Method: "GET", Kind: "image",
					Asked: Initiator{By: "other"}},
			},
			Mistakes: []Mistake{{Kind: "exception", Message: "x is not defined"}},
			Stored:   []Stored{{Kind: "local", Name: "seen"}},
		}
		if change != nil {
			change(r)
		}
		return r
	}
	drop := func(r *Record, from, to int) { r.Requests = append(r.Requests[:from:from], r.Requests[to:]...) }
	for _, c := range []struct {
		change func(r *Record)
		want   string
	}{
		{nil, ""},
		{func(r *Record) { drop(r, 1, 3); r.Requests[1].Asked.Request = -1 }, ""},
		{func(r *Record) { drop(r, 4, 5) }, ""},
		{func(r *Record) { drop(r, 3, 4) }, "GET /kit.woff2 is not requested"},
		{func(r *Record) { r.Requests = append(r.Requests, Request{Target: "/more.js", Method: "GET"}) },
			"GET /more.js is requested, and was not before"},
		{func(r *Record) { r.Requests[4].Method, r.Requests[4].Asked.By = "POST", "script" },
			"POST /favicon.ico is requested"},
		{func(r *Record) { r.Sights[0].Boxes[1].Sum = 3 }, "after loading: p#a.b looks different"},
		{func(r *Record) { r.Sights[0].Boxes = r.Sights[0].Boxes[:1] }, "after loading: 1 boxes in place of 2"},
		{func(r *Record) { r.Sights[0].Running = 0 }, "after loading: other animations run"},
		{func(r *Record) { r.Sights[0].Picture = 8 }, "after loading: pixels differ"},
		{func(r *Record) { r.Sights = nil }, "a step leads away"},
		{func(r *Record) { r.Unread = "no" }, "it could not be read"},
		{func(r *Record) { r.Requests[4].Kind, r.Requests[4].Target = "document", "/away" }, "leads to another page"},
		{func(r *Record) { r.Mistakes = nil }, "a script fails no longer: x is not defined"},
		{func(r *Record) { r.Mistakes = append(r.Mistakes, Mistake{Message: "y"}) }, "a script fails: y"},
		{func(r *Record) { r.Stored = nil }, "another store: local seen"},
		{func(r *Record) { r.Stored = append(r.Stored, Stored{Kind: "cookie", Name: "id"}) }, "another store: cookie id"},
	} {
		is := visit(c.change)
		for i := range is.Sights { // of one visit each
			is.Sights[i].Boxes = append([]Box{}, is.Sights[i].Boxes...)
		}
		got := Differs(visit(nil), is, func(target string) bool { return target == "/kit.css" })
		if (got == "") != (c.want == "") || !strings.Contains(got, c.want) {
			t.Errorf("%q, want %q", got, c.want)
		}
	}
}

// TestSockets: the other end of a socket is a third party's or one's own, as for any address; and a page is where a
// script says, if it loaded nothing for that.
func TestSockets(t *testing.T) {
	r := &Record{URL: "https://ternhill.example/plays/", Requests: []Request{
		{URL: "https://ternhill.example/", Kind: "document"}, {URL: "wss://ternhill.example/a"}, {
			URL: "wss://else.example/a"}, {URL: "ws://else.example/b"},
	}}
	r.Settle(weburl.NewSite("https://ternhill.example").Page("/", ""))
	for i, want := range []string{"own", "own", "third", "third"} {
		if r.Requests[i].Party != want {
			t.Errorf("%s: %s, want %s", r.Requests[i].URL, r.Requests[i].Party, want)
		}
	}
	if r.Moved() != "/plays/" {
		t.Error(r.Moved())
	}
	if r.Requests[0].URL = "https://ternhill.example/plays/?a"; r.Moved() != "" {
		t.Error(r.Moved())
	}
}
