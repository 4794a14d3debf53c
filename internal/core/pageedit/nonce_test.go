package pageedit

import (
	"strings"
	"testing"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/page"
)

// TestPolicies: what items write is let in by a nonce of the page's own, where its policy would stop
// it; what nothing lets in is told, with what would.
func TestPolicies(t *testing.T) {
	const items = `yellowgate: 1
site: {url: "https://ternhill.example"}
items:
  counter: {script: https://count.example/c.js, pages: all}
  site: {script: /site.js, pages: all}
  inline: {code: "<script>count()</script><script type=\"application/ld+json\">{}</script>", place: head-end, pages: all}
  looks: {code: "<style>p{}</style>", place: head-end, pages: all}
  own: {code: "<script nonce=\"mine\">x</script>", place: head-end, pages: all}
`
	file, problems := gatefile.Parse("g.yaml", []byte(items), nil)
	gate, more := New(file, "2026-11-29")
	if ps := append(problems, more...); len(ps) > 0 {
		t.Fatal(ps)
	}
	const own = `<script nonce="n1">own()</script>`
	for _, c := range []struct {
		name, header, head string
		nonced             []string // beginnings of what has the nonce
		told               []string
	}{
		{"no policy", "", own, nil, nil},
		{"a policy that lets all in", "script-src 'self' https://count.example 'unsafe-inline'",
			"<script nonce=x>a</script>", nil, nil},
		{"a nonce", "script-src 'nonce-n1'; style-src 'self' 'unsafe-inline'", own,
			[]string{`<script nonce="n1" src="https://count.example/c.js"`, `<script nonce="n1" src="/site.js"`,
				`<script nonce="n1">count()`}, []string{`item "own"`}},
		{"a nonce where it is needed", "script-src 'self' 'nonce-n1'", own,
			[]string{`<script nonce="n1" src="https://count.example/c.js"`, `<script nonce="n1">count()`},
			[]string{`item "own"`}},
		{"in a meta", "", `<meta http-equiv="Content-Security-Policy" content="script-src 'nonce-n1'">` + own,
			[]string{`<script nonce="n1" src="https://count.example/c.js"`, `<script nonce="n1" src="/site.js"`,
				`<script nonce="n1">count()`}, []string{`item "own"`}},
		{"another nonce", "script-src 'self' 'nonce-n2'", own, nil,
			[]string{
				"item \"counter\": the page's policy stops it: script-src does not allow https://count.example/c.js",
				`item "inline"`, `item "own"`}},
		{"two policies", "script-src 'nonce-n1', default-src 'self' 'unsafe-inline'", own,
			[]string{`<script nonce="n1" src="/site.js"`, `<script nonce="n1">count()`},
			[]string{`item "counter"`, `item "own"`}},
		{"a style of its own nonce", "default-src 'self' 'unsafe-inline' https://count.example; style-src 'nonce-s'",
			`<style nonce=s>i{}</style>`, []string{`<style nonce="s">p{}`}, nil},
		{"strict-dynamic", "script-src 'strict-dynamic' 'nonce-n1' 'unsafe-inline' https:", own,
			[]string{`<script nonce="n1" src="https://count.example/c.js"`, `<script nonce="n1" src="/site.js"`,
				`<script nonce="n1">count()`}, []string{`item "own"`}},
		{"a hostile nonce", `script-src 'nonce-a"><b>'`, `<script nonce='a"><b>'>own()</script>`,
			[]string{`<script nonce="a&#34;&gt;&lt;b&gt;" src="https://count.example/c.js"`,
				`<script nonce="a&#34;&gt;&lt;b&gt;" src="/site.js"`, `<script nonce="a&#34;&gt;&lt;b&gt;">count()`},
			[]string{`item "own"`}},
		{"a nonce in a template", "script-src 'self' 'nonce-n1'", "<template>" + own + "</template>", nil,
			[]string{`item "counter"`, `item "inline"`, `item "own"`}},
	} {
		known := page.Page{Path: "/visit/", File: "visit/index.html"}
		if c.header != "" {
			known.Answer = &page.Answer{Status: 200, Fields: map[string][]string{"content-security-policy": {c.header}}}
		}
		r := gate.Page(
			[]byte(
				"<!doctype html>\n<html lang=en>\n<head>\n"+c.head+
					"\n<title>t</title>\n</head>\n<body>\n<p>x</p>\n</body>\n</html>\n"), known)
		out := string(r.File)
		for _, want := range c.nonced {
			if !strings.Contains(out, want) {
				t.Errorf("%s: %s is not in\n%s", c.name, want, out)
			}
		}
		if got, before := strings.Count(out, " nonce=\""), strings.Count(c.head, " nonce=\"")+1; got-before !=
			len(c.nonced) { // one item has its own
			t.Errorf("%s: %d are given a nonce, want %d:\n%s", c.name, got-before, len(c.nonced), out)
		}
		var told []string
		for _, p := range r.Problems {
			told = append(told, p.Message)
			if p.Remedy == "" || p.Pos.Line == 0 {
				t.Errorf("%s: no remedy or place: %+v", c.name, p)
			}
		}
		if len(told) != len(c.told) {
			t.Errorf("%s: told %q, want %q", c.name, told, c.told)
			continue
		}
		for i := range told {
			if !strings.HasPrefix(told[i], c.told[i]) {
				t.Errorf("%s: told %q, want %q", c.name, told[i], c.told[i])
			}
		}
	}
}
