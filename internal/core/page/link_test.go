package page

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"
)

// TestLinks reads the field Link (RFC 8288, 3).
func TestLinks(t *testing.T) {
	for _, c := range []struct{ line, want string }{
		{"", ""},
		{"</a.css>", "/a.css"},
		{"</a.css>; rel=preload; as=style", "/a.css as=style rel=preload"},
		{`</a.css>;rel="stylesheet preload";REL=x`, "/a.css rel=stylesheet preload"},
		{`<a,b;c>; rel="next" , <d>;rel=prev,`, "a,b;c rel=next|d rel=prev"},
		{`<a>; title="x, \"y\"; z"; rel=next, <b>`, `a rel=next title=x, "y"; z|b`},
		{"<a>; nopush; rel=preload", "a nopush= rel=preload"},
		{"< a >; rel = preload", "a rel=preload"},
		{"<a", ""},
		{"a; rel=next", ""},
		{`<a>; rel="next`, "a rel=next"},
		{"<a>; =x; ;rel=next", "a rel=next"},
	} {
		var got []string
		for _, l := range (&Answer{Fields: map[string][]string{"link": {c.line}}}).Links() {
			words := []string{l.Target}
			for _, name := range slices.Sorted(maps.Keys(l.Params)) {
				words = append(words, fmt.Sprintf("%s=%s", name, l.Params[name]))
			}
			got = append(got, strings.Join(words, " "))
		}
		if strings.Join(got, "|") != c.want {
			t.Errorf("%s: %q, want %q", c.line, strings.Join(got, "|"), c.want)
		}
	}
	var none *Answer
	if none.Links() != nil || none.Policies() != nil {
		t.Error("no answer says something")
	}
	a := &Answer{Fields: map[string][]string{"content-security-policy": {"a, b ,", "c"}}}
	if got := a.Policies(); !slices.Equal(got, []string{"a", "b", "c"}) {
		t.Errorf("policies: %q", got)
	}
}

// FuzzLinks: whatever a server sends, it is read to its end.
func FuzzLinks(f *testing.F) {
	f.Add(`</a.css>; rel="preload"; as=style, <b>; x="\`)
	f.Fuzz(func(t *testing.T, line string) {
		for _, l := range (&Answer{Fields: map[string][]string{"link": {line}}}).Links() {
			if !strings.Contains(line, l.Target) {
				t.Errorf("%q is not in %q", l.Target, line)
			}
		}
	})
}
