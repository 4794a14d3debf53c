package csp

import (
	"net/url"
	"testing"
)

func address(s string) *url.URL { u, _ := url.Parse(s); return u }

// TestStops: which directive stops a load of a page at https://ternhill.example/visit/.
func TestStops(t *testing.T) {
	for _, c := range []struct{ policy, kind, url, want string }{
		{"", Script, "https://v.example/v.js", ""},
		{"default-src 'self'", Script, "https://ternhill.example/a.js", ""},
		{"default-src 'self'", Script, "https://v.example/v.js", "default-src"},
		{"default-src 'self'; script-src v.example", Script, "https://v.example/v.js", ""},
		{"default-src 'self'; script-src v.example", Script, "https://ternhill.example/a.js", "script-src"},
		{"script-src-elem 'none'; script-src *", Script, "https://v.example/v.js", "script-src-elem"},
		{"script-src 'self'", Style, "https://v.example/v.css", ""},
		{"img-src *.v.example", Image, "https://a.v.example/x", ""},
		{"img-src *.v.example", Image, "https://v.example/x", "img-src"},
		{"img-src https:", Image, "https://w.example/x", ""},
		{"img-src https:", Image, "http://w.example/x", "img-src"},
		{"img-src http:", Image, "https://w.example/x", ""},
		{"img-src data:", Image, "https://w.example/x", "img-src"},
		{"img-src data:", Image, "data:image/gif;base64,R0", ""},
		{"img-src *", Image, "data:image/gif;base64,R0", "img-src"},
		{"frame-src https://v.example/maps/", Frame, "https://v.example/maps/7", ""},
		{"frame-src https://v.example/maps/", Frame, "https://v.example/other", "frame-src"},
		{"frame-src https://v.example/maps", Frame, "https://v.example/maps/7", "frame-src"},
		{"child-src 'none'", Frame, "https://v.example/", "child-src"},
		{"script-src v.example:8443", Script, "https://v.example:8443/a.js", ""},
		{"script-src v.example:8443", Script, "https://v.example/a.js", "script-src"},
		{"script-src v.example:*", Script, "https://v.example:1/a.js", ""},
		{"script-src v.example", Script, "https://v.example:8443/a.js", "script-src"},
		{"SCRIPT-SRC V.Example; script-src 'none'", Script, "https://v.example/a.js", ""},
		{"script-src", Script, "https://ternhill.example/a.js", "script-src"},
		{"script-src 'self' 'strict-dynamic'", Script, "https://ternhill.example/a.js", "script-src"},
	} {
		l := Request{Kind: c.kind, URL: address(c.url), Page: address("https://ternhill.example/visit/"), Parsed: true}
		if got := Parse(c.policy).Stops(l); got != c.want {
			t.Errorf("%s: %s %s is stopped by %q, want %q", c.policy, c.kind, c.url, got, c.want)
		}
	}
	l := Request{Kind: Script, URL: address("https://v.example/v.js"), Page: address("https://ternhill.example/"),
		Parsed: true, Nonce: "abc"}
	for policy, want := range map[string]string{"script-src 'nonce-abc'": "", "script-src 'nonce-abd'": "script-src",
		"script-src 'nonce-abc' 'strict-dynamic'": ""} {
		if got := Parse(policy).Stops(l); got != want {
			t.Errorf("%s: %q", policy, got)
		}
	}
	l = Request{Kind: Script, URL: address("https://v.example/v.js"), Page: address("https://ternhill.example/"),
		Integrity: "sha256-AAAA"}
	if got := Parse("script-src 'sha256-AAAA'").Stops(l); got != "" {
		t.Errorf("by its digest: %q", got)
	}
	if got := Parse("script-src 'strict-dynamic' 'nonce-x'").Stops(l); got != "" {
		t.Errorf("made by a script: %q", got)
	}
}

// TestStopsText: inline code by 'unsafe-inline', a nonce, a digest; handlers by theirs.
func TestStopsText(t *testing.T) {
	const digest = "'sha256-bhHHL3z2vDgxUt0W3dWQOrprscmda2Y5pLsLg4GF+pI='" // of alert(1)
	for _, c := range []struct{ policy, kind, nonce, want string }{
		{"", Script, "", ""},
		{"script-src 'self'", Script, "", "script-src"},
		{"script-src 'self' 'unsafe-inline'", Script, "", ""},
		{"script-src 'unsafe-inline' 'nonce-a'", Script, "", "script-src"},
		{"script-src 'nonce-a'", Script, "a", ""},
		{"script-src " + digest, Script, "", ""},
		{"script-src " + digest, Handler, "", "script-src"},
		{"script-src 'unsafe-hashes' " + digest, Handler, "", ""},
		{"script-src 'nonce-a'", Handler, "a", "script-src"},
		{"script-src-attr 'unsafe-inline'; script-src 'none'", Handler, "", ""},
		{"style-src 'self'", Style, "", "style-src"},
		{"style-src 'self'", Attribute, "", "style-src"},
		{"default-src https:", Style, "", "default-src"},
		{"style-src-attr 'unsafe-inline'; default-src 'self'", Attribute, "", ""},
	} {
		if got := Parse(c.policy).StopsText(c.kind, "alert(1)", c.nonce); got != c.want {
			t.Errorf("%s: %s is stopped by %q, want %q", c.policy, c.kind, got, c.want)
		}
	}
}

// FuzzPolicy: whatever a policy is, it is read.
func FuzzPolicy(f *testing.F) {
	f.Add("script-src 'self' *.v.example:* https: 'sha256-x'; ;; a b", "https://v.example/a")
	f.Fuzz(func(t *testing.T, policy, raw string) {
		u, err := url.Parse(raw)
		if err != nil {
			return
		}
		p := Parse(policy)
		p.Stops(Request{Kind: Script, URL: u, Page: address("https://ternhill.example/"), Parsed: true})
		p.StopsText(Handler, raw, policy)
	})
}
