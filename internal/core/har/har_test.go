package har

import (
	"reflect"
	"strings"
	"testing"
	"time"

	"yellowgate/internal/core/pageload"
)

// recorded is a recording as a browser writes it: a page, a script by the parser, what that loads, a
// redirect, a file that is not there, one that was blocked, one from the cache, and a data: URL.
const recorded = `{"log": {"version": "1.2", "creator": {"name": "A browser", "version": "1"}, "pages": [
 {"startedDateTime": "2026-11-29T10:00:00.000Z", "id": "page_1", "title": "https://ternhill.example/visit/?x=1", "pageTimings": {"onContentLoad": 90.5, "onLoad": 210.25}}],
"entries": [
 {"pageref": "page_1", "startedDateTime": "2026-11-29T10:00:00.000Z", "time": 42.5, "_resourceType": "document", "_initiator": {"type": "other"},
  "request": {"method": "GET", "url": "https://ternhill.example/visit/?x=1", "httpVersion": "http/2.0", "headers": [], "queryString": [], "cookies": [], "headersSize": -1, "bodySize": 0},
  "response": {"status": 200, "statusText": "", "httpVersion": "http/2.0", "headers": [{"name": "Content-Encoding", "value": "br"}], "cookies": [], "content": {"size": 5120, "mimeType": "text/html"}, "redirectURL": "", "headersSize": -1, "bodySize": -1, "_transferSize": 1500, "_error": null}},
 {"pageref": "page_1", "startedDateTime": "2026-11-29T10:00:00.050Z", "time": 10, "_resourceType": "script", "_initiator": {"type": "parser", "url": "https://ternhill.example/visit/?x=1", "lineNumber": 3},
  "request": {"method": "GET", "url": "https://ternhill.example/js/box.js"}, "response": {"status": 200, "content": {"size": 900, "mimeType": "text/javascript"}, "bodySize": 400, "headersSize": 100}},
 {"startedDateTime": "2026-11-29T10:00:00.070Z", "time": 3, "_initiator": {"type": "script", "stack": {"callFrames": [], "parent": {"callFrames": [{"url": "https://ternhill.example/js/box.js", "lineNumber": 6}]}}},
  "request": {"method": "GET", "url": "https://tags.example/go"}, "response": {"status": 302, "redirectURL": "/tag.js", "content": {"mimeType": ""}}},
 {"startedDateTime": "2026-11-29T10:00:00.073Z", "time": 3, "request": {"method": "GET", "url": "https://tags.example/tag.js"}, "response": {"status": 404, "content": {"mimeType": "application/javascript; charset=utf-8"}}},
 {"startedDateTime": "2026-11-29T10:00:00.080Z", "time": 1, "request": {"method": "POST", "url": "https://count.example/p"}, "response": {"status": 0, "_error": "net::ERR_BLOCKED_BY_CLIENT", "content": {}}},
 {"startedDateTime": "2026-11-29T10:00:00.081Z", "time": 1, "_fromCache": "disk", "request": {"method": "GET", "url": "https://ternhill.example/img/dome.svg"}, "response": {"status": 200, "content": {"mimeType": "image/svg+xml", "size": 9}}},
 {"startedDateTime": "2026-11-29T10:00:00.082Z", "time": 1, "request": {"method": "GET", "url": "data:image/png;base64,AAAA"}, "response": {"status": 200, "content": {}}}
]}}`

// TestRead reads a recording as a browser writes it.
func TestRead(t *testing.T) {
	list, err := Read([]byte(recorded))
	if err != nil || len(list) != 1 {
		t.Fatal(list, err)
	}
	r := list[0]
	if r.Path != "/visit/" || r.Measured.Loaded != 210.25 || len(r.Requests) != 6 {
		t.Errorf("%+v", r)
	}
	type row struct {
		kind, failed, by, url string
		line, request         int
		status                int
		wire, bytes           int64
		cached                bool
	}
	want := []row{
		{"document", "", "other", "", 0, -1, 200, 1500, 5120, false},
		{"script", "", "page", "https://ternhill.example/visit/?x=1", 4, -1, 200, 500, 900, false},
		{"other", "", "script", "https://ternhill.example/js/box.js", 7, -1, 302, 0, 0, false},
		{"script", "", "redirect", "https://tags.example/go", 0, 2, 404, 0, 0, false},
		{"other", pageload.NotCalled, "other", "", 0, -1, 0, 0, 0, false},
		{"image", "", "other", "", 0, -1, 200, 0, 9, true},
	}
	for i, x := range r.Requests {
		if got := (row{x.Kind, x.Failed, x.Asked.By, x.Asked.URL, x.Asked.Line, x.Asked.Request, x.Status, x.Wire,
			x.Bytes, x.Cached}); got != want[i] {
			t.Errorf("request %d: %+v, want %+v", i, got, want[i])
		}
	}
	if x := r.Requests[1]; x.Begun != 50 || x.Ended != 60 || r.Requests[0].Coding != "br" ||
		r.Requests[0].Protocol != "http/2.0" {
		t.Errorf("times and codings: %+v", x)
	}
}

// TestRoundTrip: what is written is read again.
func TestRoundTrip(t *testing.T) {
	r := &pageload.Record{Format: pageload.Format, URL: "https://ternhill.example/a/", Path: "/a/", Title: "A",
		Elements: []pageload.DOMElement{}, Measured: pageload.Measured{Loaded: 30}, Requests: []pageload.Request{
			{URL: "https://ternhill.example/a/", Kind: "document", Method: "GET", Status: 301, Begun: 0, Ended: 2,
				Asked: pageload.Initiator{By: "other", Request: -1}},
			{URL: "https://ternhill.example/b/", Kind: "document", Method: "GET", Status: 200, Begun: 2, Ended: 4.5,
				Wire: 700, Bytes: 2000, Coding: "gzip", Protocol: "h2",
				Asked: pageload.Initiator{By: "redirect", URL: "https://ternhill.example/a/", Request: 0}},
			{URL: "https://ternhill.example/a.js?x=1&y", Kind: "script", Method: "GET", Status: 200, Begun: 5, Ended: 6,
				Cached: true,
				Asked:  pageload.Initiator{By: "page", URL: "https://ternhill.example/b/", Line: 7, Request: -1}},
			{URL: "https://count.example/", Kind: "fetch", Method: "POST", Failed: pageload.NotCalled, Begun: 7, Ended: 8,
				Asked: pageload.Initiator{By: "script", URL: "https://ternhill.example/a.js?x=1&y", Line: 2,
					Request: -1}},
			{URL: "https://chat.example/", Kind: "frame", Method: "GET", Status: 200, Begun: 8, Ended: 9,
				Asked: pageload.Initiator{By: "page", URL: "https://ternhill.example/b/", Line: 9, Request: -1}},
			{URL: "https://ternhill.example/d.css", Kind: "style", Method: "GET", Status: 200, Begun: 8, Ended: 9,
				Asked: pageload.Initiator{By: "other", Request: -1}},
			{URL: "https://ternhill.example/c.js", Kind: "script", Method: "GET", Status: 200, Failed: pageload.Integrity,
				Begun: 8, Ended: 9, Asked: pageload.Initiator{By: "preload", Request: -1}},
		}}
	unread := &pageload.Record{Unread: "it crashed"}
	text, err := Write([]*pageload.Record{r, unread}, "0", time.Date(2026, 11, 29, 10, 0, 0, 0, time.UTC))
	if err != nil {
		t.Fatal(err)
	}
	list, err := Read(text)
	if err != nil || len(list) != 1 {
		t.Fatal(err, len(list))
	}
	got := list[0]
	for i := range got.Requests {
		got.Requests[i].Detail = ""
	}
	for i := range r.Requests {
		if a, b := got.Requests[i], r.Requests[i]; !reflect.DeepEqual(a, b) {
			t.Errorf("request %d:\n%+v\nwas\n%+v", i, a, b)
		}
	}
	for _, member := range []string{`"version": "1.2"`, `"creator"`, `"pageref"`, `"cookies": []`, `"cache": {}`,
		`"timings"`} {
		if !strings.Contains(string(text), member) {
			t.Errorf("%s is missing", member)
		}
	}
}

// TestWrong: what is no recording is a clear error.
func TestWrong(t *testing.T) {
	for text, want := range map[string]string{"": "not JSON", "{": "not JSON", "[]": "not a HAR",
		`{"log": {}}`: "log.entries is empty", `{"log": {"entries": [{"request": {"url": "nonsense"}}]}}`: "no page",
		`{"log": {"entries": "x"}}`: "not a HAR"} {
		if _, err := Read([]byte(text)); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v, want %q", text, err, want)
		}
	}
	if list, err := Read(
		[]byte(`{"log": {"entries": [{"request": {"url": "https://a.example/x"}, "response": {"status": -1}}]}}`)); err != nil || list[0].Path != "/x" || list[0].Requests[0].Failed == "" {
		t.Errorf("without pages: %v %v", list, err)
	}
}

// FuzzRead: whatever a file holds, it is read or refused, and what is read can be written.
func FuzzRead(f *testing.F) {
	f.Add([]byte(recorded))
	f.Add(
		[]byte(
			`{"log": {"entries": [{"request": {"url": "https://a.example/x"}, "response": {"status": 302, "redirectURL": "::"}}]}}`))
	f.Fuzz(func(t *testing.T, text []byte) {
		list, err := Read(text)
		if err != nil {
			return
		}
		for _, r := range list {
			r.Link()
			for i := range r.Requests {
				r.Tell(r.Chain(i))
			}
		}
		if _, err := Write(list, "0", time.Time{}); err != nil &&
			!strings.Contains(err.Error(), "unsupported value") && !strings.Contains(err.Error(), "year") {
			t.Error(err)
		}
	})
}
