package firstgate

import (
	"fmt"
	"strings"
	"testing"

	"yellowgate/internal/result"
)

// TestOwnLine: an inline text is found by a line that stands in no other.
func TestOwnLine(t *testing.T) {
	const a, b = "(function ($) {\n  var base = '/a/';\n  go(base)\n})(kit)", "(function ($) {\n  var base = '/b/';\n  go(base)\n})(kit)"
	for _, c := range []struct {
		text   string
		others []string
		want   string
	}{
		{"counter = 1;", nil, "counter = 1;"},
		{"\n  x\n  window.counter = 1;\n", nil, "window.counter = 1;"},
		{a, []string{a, b}, "var base = '/a/';"},
		{b, []string{a, b}, "var base = '/b/';"},
		{"go(base)", []string{a, "go(base)"}, ""},
		{"x", nil, "x"},
		{"window.names = JSON.parse(\"a text that is longer than sixty characters, and that each build makes anew\")",
			nil, "window.names = JSON.parse("},
		{"", nil, ""},
		{"ééééééééééééééééééééééééééééééééééééééééééééééééééééééééééééééééééééééé", nil,
			"éééééééééééééééééééééééééééééééééééééééééééééééééééééééééééé"},
	} {
		if got := ownLine(c.text, c.others, map[string]bool{c.text: true}); got != c.want {
			t.Errorf("%q: %q, want %q", c.text, got, c.want)
		}
	}
}

// TestMatchersOf: each thing found has a matcher that finds it alone, or is left out and
// counted.
func TestMatchersOf(t *testing.T) {
	url := func(tag, target string) *result.Load {
		return &result.Load{Tag: tag, Target: target, Party: "own", Pages: 1}
	}
	text := func(s string) *result.Load {
		return &result.Load{Tag: "script", Party: "inline", Text: s, Target: s, Pages: 2}
	}
	for _, c := range []struct {
		name  string
		loads []*result.Load
		want  string
	}{
		{"one URL", []*result.Load{url("script", "/a.js?v=1")}, `{url: /a.js}`},
		{"one URL by two tags", []*result.Load{url("script", "/a.js"), url("link", "/a.js")}, `{url: /a.js}`},
		{"two queries", []*result.Load{url("script", "/a.js?v=1"), url("script", "/a.js?v=2")},
			`{url: /a.js?v=1} {url: /a.js?v=2}`},
		{"with and without a query", []*result.Load{url("script", "/a.js"), url("script", "/a.js?v=2")},
			`- {url: /a.js?v=2}`},
		{"names of a build",
			[]*result.Load{url("script", "/assets/main-4f2a9c1b.js"), url("link", "/assets/main-4f2a9c1b.css"),
				url("script", "/assets/menu.min.js")},
			`{url: /assets/main-*.js} {url: /assets/main-*.css} {url: /assets/menu.min.js}`},
		{"digests that alone could be words",
			[]*result.Load{url("script", "/a/app.Byl4OWfj.js"), url("link", "/a/x-ext.CqjqNYQ-.woff2"),
				url("script", "/a/plays.md.CiunEpor.lean.js"), url("script", "/b/plays.CiunEpor.js")},
			`{url: /a/app.*.js} {url: /a/x-ext.*.woff2} {url: /a/plays.md.*.lean.js} {url: /b/plays.CiunEpor.js}`},
		{"what a stable name would find, too",
			[]*result.Load{url("script", "/main.4f2a9c1b.js"), url("script", "/main.min.js")},
			`{url: /main.4f2a9c1b.js} {url: /main.min.js}`},
		{"two files of one stable name",
			[]*result.Load{url("script", "/c/chunk-4f2a9c1b.js"), url("script", "/c/chunk-77aa9c1b.js")},
			`{url: /c/chunk-*.js}`},
		{"a digest alone", []*result.Load{url("script", "/n/4f2a9c1b.js")}, `{url: /n/4f2a9c1b.js}`},
		{"a digest alone, and two",
			[]*result.Load{url("script", "/n/4f2a9c1b.js"), url("script", "/n/x-77aa9c1b.d0c0ffee1.js")},
			`{url: /n/4f2a9c1b.js} {url: /n/x-*.*.js}`},
		{"a digest of another host",
			[]*result.Load{{Tag: "script", Target: "https://x.example/main-4f2a9c1b.js", Party: "third"}},
			`{url: https://x.example/main-4f2a9c1b.js}`},
		{"a pixel", []*result.Load{{Tag: "pixel", Target: "https://x.example/p.gif?id=1", Party: "third"}},
			`{url: https://x.example/p.gif}`},
		{"characters of globs", []*result.Load{url("script", "/a[1]*.js")}, `{url: /a\[1]\*.js}`},
		{"values that differ",
			[]*result.Load{text("pageOf.visit = '/a/'; count(1)"), text("pageOf.visit = '/b/'; count(22)")},
			`{text: 'pageOf\.visit ='} of 2`},
		{"short ones of one shape", []*result.Load{text("go('a')"), text("go('b')")},
			`{text: 'go\(''a''\)'} {text: 'go\(''b''\)'}`},
		{"one within another", []*result.Load{text("go(x)"), text("go(x)\nand(more)")},
			`{text: '^\s*go\(x\)\s*$'} {text: 'and\(more\)'}`},
	} {
		var got []string
		for _, x := range matchersOf(c.loads) {
			m := x.matcher
			if m == "" {
				m = "-"
			}
			if x.variants > 1 {
				m += fmt.Sprintf(" of %d", x.variants)
			}
			got = append(got, m)
		}
		if strings.Join(got, " ") != c.want {
			t.Errorf("%s: %s, want %s", c.name, strings.Join(got, " "), c.want)
		}
	}
}

// TestTogether: the settings of a third party's script have one name with it, and nothing
// else has; what stands on pages that lead elsewhere is kept there.
func TestTogether(t *testing.T) {
	vendor := &result.Load{Tag: "script", Target: "https://v.example/v.js", Party: "third", Pages: 3, On: 7}
	other := &result.Load{Tag: "script", Target: "https://w.example/w.js", Party: "third", Pages: 2, On: 5}
	text := func(s string, on uint64) *result.Load {
		return &result.Load{Tag: "script", Party: "inline", Text: s, Target: s, Pages: 2, On: on}
	}
	for _, c := range []struct {
		name  string
		loads []*result.Load
		want  string
	}{
		{"a queue", []*result.Load{vendor, text(`window.vq = window.vq || []; vq.push(["start"])`, 7)}, "v+1"},
		{"a queue and a call",
			[]*result.Load{text(`track("page")`, 7), vendor,
				text("function track() { vq.push(arguments) } var vq = []", 7)}, "v+2"},
		{"settings", []*result.Load{vendor, text(`vendorSettings = { id: "T-1" }`, 7)}, "v+1"},
		{"on other pages", []*result.Load{vendor, text(`vendorSettings = { id: "T-1" }`, 6)}, "v inline-vendorsettings"},
		{"code of the page's own",
			[]*result.Load{vendor, text(`var box = document.querySelector(".box"); box.hidden = true`, 7)},
			"v inline-box-queryselector"},
		{"a call of whatever", []*result.Load{vendor, text(`hl.start()`, 7)}, "v inline-start"},
		{"whose are they",
			[]*result.Load{vendor, {Tag: "script", Target: "https://w.example/w.js", Party: "third", On: 7},
				text(`settings = { id: 1 }`, 7)}, "v w inline-settings"},
		{"two vendors on other pages each", []*result.Load{vendor, other, text(`one = 1`, 7), text(`second = 1`, 5)},
			"v+1 w+1"},
	} {
		var got []string
		taken := map[string]bool{}
		for _, x := range together(matchersOf(c.loads)) {
			s := NameOf(x.Load, taken)
			if len(x.setUps) > 0 {
				s += fmt.Sprint("+", len(x.setUps))
			}
			got = append(got, s)
		}
		if strings.Join(got, " ") != c.want {
			t.Errorf("%s: %s, want %s", c.name, strings.Join(got, " "), c.want)
		}
	}
	for _, c := range []struct {
		load result.Load
		want string
	}{
		{result.Load{Pages: 3}, "all"},
		{result.Load{Pages: 3, Redirects: 3}, `has(meta[http-equiv="refresh" i])`},
		{result.Load{Pages: 3, Redirects: 1}, `all or has(meta[http-equiv="refresh" i])`},
	} {
		if got := everywhere(&c.load); got != c.want {
			t.Errorf("%+v: %s", c.load, got)
		}
	}
}
