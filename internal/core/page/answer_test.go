package page

import (
	"strings"
	"testing"
)

// TestAnswer: what the head of an answer says of a page.
func TestAnswer(t *testing.T) {
	for _, c := range []struct {
		types   []string
		charset string
		html    bool
	}{
		{nil, "", true},
		{[]string{"text/html"}, "", true},
		{[]string{"text/html; charset=windows-1252"}, "windows-1252", true},
		{[]string{`Text/HTML;Charset="UTF-8"`}, "utf-8", true},
		{[]string{"text/html; level=1; charset=euc-kr"}, "euc-kr", true},
		{[]string{"text/plain; charset=utf-8", "text/html; charset=big5"}, "big5", true},
		{[]string{"application/xhtml+xml"}, "", true},
		{[]string{"application/json; charset=utf-8"}, "utf-8", false},
		{[]string{"text/html;;"}, "", true},
		{[]string{"nonsense"}, "", false},
		{[]string{""}, "", false},
	} {
		a := &Answer{Status: 200,
			Fields: map[string][]string{"content-type": c.types, "link": {"</a>; rel=preload", "</b>; rel=icon"}}}
		if got := a.Charset(); got != c.charset {
			t.Errorf("%q: the charset is %q, want %q", c.types, got, c.charset)
		}
		if got := a.IsHTML(); got != c.html {
			t.Errorf("%q: a page: %v", c.types, got)
		}
		if got := a.Field("link"); got != "</a>; rel=preload, </b>; rel=icon" {
			t.Errorf("two lines of one field: %s", got)
		}
	}
	for _, c := range []struct {
		lines []string
		want  string
	}{
		{nil, ""},
		{[]string{"noindex"}, "noindex"},
		{[]string{"NoIndex , nofollow", "noarchive"}, "noindex nofollow noarchive"},
		{[]string{"ternbot: noindex", "nofollow"}, "nofollow"},
		{[]string{"max-snippet: 20, noindex"}, "max-snippet: 20 noindex"},
		{[]string{"noindex, unavailable_after: 25 Jun 2027 15:00:00 PST"},
			"noindex unavailable_after: 25 jun 2027 15:00:00 pst"},
	} {
		a := &Answer{Fields: map[string][]string{"x-robots-tag": c.lines}}
		if got := strings.Join(a.Robots(), " "); got != c.want {
			t.Errorf("%q asks %q, want %q", c.lines, got, c.want)
		}
	}
	var file *Answer
	if file.Charset() != "" || file.Field("link") != "" || !file.IsHTML() || file.Robots() != nil {
		t.Error("a file says something of its transport")
	}
}
