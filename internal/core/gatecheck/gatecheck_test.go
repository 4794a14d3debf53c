package gatecheck

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/itemmatch"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/problem"
)

func gateOf(t *testing.T, text string) *pageedit.Gate {
	t.Helper()
	f, problems := gatefile.Parse("g.yaml", []byte("yellowgate: 1\n"+text), nil)
	g, more := pageedit.New(f, "2026-11-29")
	for _, p := range append(problems, more...) {
		if p.Severity == problem.Error {
			t.Fatal(p)
		}
	}
	return g
}

const doc = "<!doctype html><html><head><title>x</title>%s</head><body>%s</body></html>"

func pageOf(g *pageedit.Gate, path, head, body string) *pageedit.Result {
	return g.Page(fmt.Appendf(nil, doc, head, body),
		page.Page{Path: path, File: strings.TrimPrefix(path, "/") + "index.html"})
}

// told writes problems as "severity line message".
func told(ps []pageedit.Problem) string {
	var out []string
	for _, p := range ps {
		out = append(out, fmt.Sprintf("%s %d %s", p.Severity, p.Pos.Line, p.Message))
	}
	return strings.Join(out, "; ")
}

// TestMetadataRules: metadata that is required and missing, and a noindex that a rule takes back.
func TestMetadataRules(t *testing.T) {
	g := gateOf(t, `require: [{pages: /a/**, metadata: [description, author]}]
metadata:
  - {pages: all, robots: "noindex, nofollow"}
  - {pages: /open/, robots: noarchive}
  - {pages: /kept/, robots: "noarchive, NoIndex"}
  - {pages: /a/with/, description: d}
per-page:
  /last/: {robots: all}
  /none/: {robots: none}
`)
	for _, c := range []struct{ path, head, required, noindex string }{
		{"/b/", "", "", ""},
		{"/a/", "",
			"warning 2 description is required, and the page would have none; warning 2 author is required, and the page would have none",
			""},
		{"/a/with/", "<meta name=author content=x>", "", ""},
		{"/open/", "", "", "warning 5 this robots takes back the noindex of g.yaml:4:"},
		{"/kept/", "", "", ""},
		{"/last/", "", "", "warning 9 this robots takes back the noindex of g.yaml:4:"},
	} {
		r := pageOf(g, c.path, c.head, "<p>x")
		if got := told(Required(r, g.File)); got != c.required {
			t.Errorf("%s requires: %s, want %s", c.path, got, c.required)
		}
		if got := told(DroppedNoindex(r)); !strings.HasPrefix(got, c.noindex) || c.noindex == "" && got != "" {
			t.Errorf("%s: %s, want %s", c.path, got, c.noindex)
		}
	}
	fragment := g.Page([]byte("<p>x"), page.Page{Path: "/a/f", File: "a/f.html"})
	if !fragment.Fragment || Required(fragment, g.File) != nil || DroppedNoindex(fragment) != nil {
		t.Error("something is asked of a fragment")
	}
}

// TestUnwritten: structured data whose list fact some pages lack.
func TestUnwritten(t *testing.T) {
	g := gateOf(t,
		"items:\n  nights: {questions: '@{fact.nights}', pages: all}\n  plain: {structured: {type: Place, name: x}, pages: all}\n")
	var u Unwritten
	for path, lists := range map[string]map[string]any{
		"/with/": {"nights": []any{map[string]any{"ask": "one", "answer": "two"}}}, "/without/": nil} {
		u.Add(g.Page(fmt.Appendf(nil, doc, "", "<p>x"), page.Page{Path: path, File: "x.html", Lists: lists}))
	}
	ps := u.Problems(g.File)
	if len(ps) != 1 ||
		!strings.Contains(ps[0].Message,
			`"nights" writes no structured data where the list fact is missing (on /without/)`) ||
		ps[0].Severity != problem.Note {
		t.Errorf("%v", ps)
	}
}

// TestSameURL: two items that carry one URL; two parts of one item may.
func TestSameURL(t *testing.T) {
	g := gateOf(t,
		"items:\n  a: {script: /x.js, pages: all}\n  b: {script: /x.js, stylesheet: /x.css, pages: /b/}\n  c: {stylesheet: /c.css, pages: all}\n")
	ps := SameURL(g.File)
	if len(ps) != 1 || ps[0].Message != `items "b" and "a" both carry /x.js` || ps[0].Pos.Line != 4 {
		t.Errorf("%v", ps)
	}
}

// TestOrderOnPages: needs that run late and lines of before and after that the page does not keep,
// since something that was found stands where its author put it.
func TestOrderOnPages(t *testing.T) {
	g := gateOf(t, `items:
  lib: {found: '[src="/lib.js"]', pages: all}
  app: {script: /app.js, load: now, place: head-start, needs: [lib], pages: all}
  note: {code: <p>n</p>, place: body-start, after: [lib], pages: all}
`)
	for _, c := range []struct{ head, body, late, order string }{
		{"<script src=/lib.js></script>", "", "app", ""},
		{"", "<p>x<script src=/lib.js></script>", "app", "note"},
		{"<script src=/lib.js defer></script>", "", "app", ""},
	} {
		r := pageOf(g, "/", c.head, c.body)
		taken := itemmatch.Take(r.File, r.Page, g, nil)
		pass := func() *check.Pass {
			return &check.Pass{Record: taken.Record, Gated: itemmatch.Compare(taken, r)}
		}
		if got := told(LateNeeds(pass(), g.File)); (got != "") != (c.late != "") || !strings.Contains(got, c.late) {
			t.Errorf("%s%s: late: %s, want %s", c.head, c.body, got, c.late)
		}
		if got := told(OutOfOrder(pass())); (got != "") != (c.order != "") || !strings.Contains(got, c.order) {
			t.Errorf("%s%s: order: %s, want %s", c.head, c.body, got, c.order)
		}
	}
}

// TestLosses: an item that goes from a page whose other code asks for it.
func TestLosses(t *testing.T) {
	files := map[string]string{"/lib.js": "window.stars = function () {}", "/calls.js": "stars()",
		"/plain.js": "window.other = 1", "/kit.css": ".kit { color: red }"}
	read := func(path string) ([]byte, bool) { text, ok := files[path]; return []byte(text), ok }
	g := gateOf(t, `items:
  lib: {found: '[src="/lib.js"]', pages: none}
  kit: {found: '[href="/kit.css"]', pages: none}
  box: {found: '#box', pages: none}
`)
	const lib, kit = "<script src=/lib.js></script>", "<link rel=stylesheet href=/kit.css>"
	for _, c := range []struct{ head, body, want string }{
		{lib, "<script src=/calls.js></script>", "lib"},
		{lib, "<script>stars()</script>", "lib"},
		{lib, "<script src=/plain.js></script>", ""},
		{kit, "<p class=kit>x</p>", "kit"},
		{kit, "<p>x</p>", ""},
		{"", "<p id=box>x</p><script>document.getElementById('box').remove()</script>", ""}, // it is no code
		{lib + kit, "<p class=kit onclick='stars()'>x</p>", "lib kit"},
	} {
		r := pageOf(g, "/", c.head, c.body)
		ps := NewJudge(g, read, nil).Losses(r)
		var got []string
		for _, name := range []string{"lib", "kit", "box"} {
			if slices.ContainsFunc(ps, func(p pageedit.Problem) bool {
				return strings.HasPrefix(p.Message, fmt.Sprintf("item %q goes out", name))
			}) {
				got = append(got, name)
			}
		}
		if s := strings.Join(got, " "); s != c.want {
			t.Errorf("%s%s: %q goes with a loss, want %q (%s)", c.head, c.body, s, c.want, told(ps))
		}
	}
}

// TestBuiltAndMissing: files of a build manifest that the site lacks.
func TestBuiltAndMissing(t *testing.T) {
	f, _ := gatefile.Parse("g.yaml",
		[]byte("yellowgate: 1\nsite: {manifest: m.json}\nitems: {a: {script: built:app.js, pages: all}}\n"), nil)
	f.ReadFiles(gatefile.Sources{Read: func(string) ([]byte, error) {
		return []byte(`{"app.js": "/js/app-1.js", "b.css": "/css/b-2.css", "far.js": "https://count.example/far.js"}`), nil
	}})
	if f.Manifest == nil {
		t.Skip("the manifest was not read")
	}
	ps := BuiltAndMissing(f, func(path string) bool { return path == "/js/app-1.js" })
	if len(ps) != 1 || !strings.Contains(ps[0].Message, "names /css/b-2.css") {
		t.Errorf("%v", ps)
	}
}
