package itemmatch

import (
	"fmt"
	"strings"
	"testing"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pageedit"
)

const gateText = `yellowgate: 1
site: {url: "https://ternhill.example"%s}
items:
  lib: {script: /lib.js, pages: all}
  note: {code: '<aside class="visit-note" data-k="1"><p>Bring a coat to @{page.path}</p></aside>', pages: all, except: /out/}
  data: {structured: {type: Place, name: "@{page.path}"}, pages: all, except: /out/}
  setup: {script-text: "countVisits('@{page.path}', 12);", pages: all, except: /out/}
  kit: {found: {url: /kit.js}, pages: all, except: /out/}
  quiet: {classes: {body: quiet-page}, pages: all, except: /out/}
  map: {code: '<div id="map">@{page.path}</div><script src="/map.js"></script>', pages: all, except: /out/}
  coat: {found: p.coat, pages: none}
  late: {script: /late.js, pages: /plain/}
  plain: {code: 'Open late: <b>Fridays</b>', pages: /plain/}
  hook: {code: '<p class="coat">Hang it here</p>', pages: /hook/}
`

const source = "<!doctype html>\n<html lang=en>\n<head>\n<meta charset=utf-8>\n<title>t</title>\n<script src=\"/kit.js\"></script>\n</head>\n<body>\n<p>x</p>\n</body>\n</html>\n"

func gateOf(t *testing.T, site string) *pageedit.Gate {
	t.Helper()
	f, problems := gatefile.Parse("g.yaml", []byte(fmt.Sprintf(gateText, site)), nil)
	g, more := pageedit.New(f, "2026-11-25")
	for _, p := range append(problems, more...) {
		t.Fatal(p)
	}
	return g
}

// told says what a page has of an item, in short.
func told(p *Presence) string {
	var out []string
	add := func(word string, n int) {
		if n > 0 {
			out = append(out, fmt.Sprintf("%s %d", word, n))
		}
	}
	for i := range p.Parts {
		pp := &p.Parts[i]
		add("there", pp.Copies)
		add("differs", len(pp.Differs))
		add("lacks", pp.Lacking)
		add("surplus", len(pp.Surplus))
	}
	add("found", len(p.Found))
	add("gone", len(p.Gone))
	add("changed", len(p.Changed))
	add("doubled", len(p.Doubled))
	add("displaced", len(p.Displaced))
	add("marks too many", len(p.ExtraMarks))
	add("altered", len(p.Altered))
	return strings.Join(out, ", ")
}

// TestCompare: what is recognised of an item on a page that somebody changed, by each way of
// recognising it.
func TestCompare(t *testing.T) {
	for _, c := range []struct {
		name, path string
		marks      bool
		old, new   string // in the output
		want       map[string]string
	}{
		{name: "as written", path: "/in/", marks: true,
			want: map[string]string{"lib": "there 1", "note": "there 1", "data": "there 1", "setup": "there 1",
				"kit": "found 1", "quiet": "there 1"}},
		{name: "as written, out", path: "/out/", marks: true,
			want: map[string]string{"lib": "there 1", "note": "", "data": "", "setup": "", "kit": "", "quiet": ""}},
		{name: "no tag first", path: "/plain/", old: "Open late: <b>Fridays", new: "Open  late:\n<B>Fridays",
			want: map[string]string{"plain": "there 1"}},
		{name: "a comment like a mark", path: "/in/", marks: true, old: "<p>x</p>", new: "<!--yg:no te--><p>x</p>",
			want: map[string]string{"note": "there 1"}},
		{name: "quotes and order", path: "/in/", old: `<aside class="visit-note" data-k="1">`,
			new: "<aside data-k=1\n class='visit-note'>", want: map[string]string{"note": "there 1"}},
		{name: "another text, known by its elements", path: "/in/", old: "Bring a coat", new: "Bring a hat",
			want: map[string]string{"note": "differs 1"}},
		{name: "another value, known by its outline", path: "/in/", old: "countVisits('/in/'",
			new: "countVisits('/elsewhere/'", want: map[string]string{"setup": "differs 1"}},
		{name: "another text, known by its mark", path: "/in/", marks: true, old: "countVisits('/in/', 12);",
			new: "nothing();", want: map[string]string{"setup": "differs 1"}},
		{name: "another text without a mark is gone", path: "/in/", old: "countVisits('/in/', 12);",
			new: "nothing();", want: map[string]string{"setup": "lacks 1"}},
		{name: "another way of loading", path: "/in/", old: `<script src="/lib.js" defer>`,
			new: `<script src="/lib.js" async>`, want: map[string]string{"lib": "differs 1"}},
		{name: "another URL", path: "/in/", old: `src="/lib.js"`, new: `src="/lib-2.js"`,
			want: map[string]string{"lib": "lacks 1"}},
		{name: "in a comment", path: "/in/", old: `<script src="/lib.js" defer></script>`,
			new: `<!--<script src="/lib.js" defer></script>-->`, want: map[string]string{"lib": "lacks 1"}},
		{name: "in a template", path: "/in/", old: "<p>x</p>", new: "<p>x</p><template>",
			want: map[string]string{"note": "lacks 1", "setup": "lacks 1"}},
		{name: "copied to where it is out, with its value", path: "/out/", old: "<p>x</p>",
			new: `<script>countVisits("/in/", 12);</script>`, want: map[string]string{"setup": "differs 1"}},
		{name: "data copied", path: "/out/", old: "<p>x</p>",
			new:  `<script type="application/ld+json">{"@context":"https://schema.org","@type":"Place","name":"/in/"}</script>`,
			want: map[string]string{"data": "differs 1"}},
		{name: "data of somebody else", path: "/out/", old: "<p>x</p>",
			new:  `<script type="application/ld+json">{"@context":"https://schema.org","@type":"Event","name":"/in/"}</script>`,
			want: map[string]string{"data": ""}},
		{name: "classes where it is out", path: "/out/", old: "<body>", new: `<body class="a quiet-page">`,
			want: map[string]string{"quiet": "there 1"}},
		{name: "classes gone", path: "/in/", old: "quiet-page", new: "", want: map[string]string{"quiet": "lacks 1"}},
		{name: "what code loads, alone where it is out", path: "/out/", old: "<p>x</p>",
			new: `<p>x</p><script src="/map.js"></script>`, want: map[string]string{"map": "differs 1"}},
		{name: "what code loads, alone where it is in", path: "/in/", old: `<div id="map">/in/</div>`, new: "",
			want: map[string]string{"map": "lacks 1"}},
		{name: "what another item's code brings is that one's", path: "/hook/", marks: true,
			want: map[string]string{"coat": "", "hook": "there 1"}},
		{name: "beside the other item's marks", path: "/hook/", marks: true, old: "<p>x</p>",
			new: "<p class=coat>x</p>", want: map[string]string{"coat": "found 1"}},
		{name: "marks of what is out", path: "/out/", marks: true, old: "<p>x</p>",
			new: "<p>x</p><!--yg:note--><!--/yg:note-->", want: map[string]string{"note": ""}},
		{name: "found and gone", path: "/in/", old: `<script src="/kit.js"></script>`, new: "",
			want: map[string]string{"kit": "gone 1"}},
		{name: "found and doubled", path: "/in/", old: `<script src="/kit.js"></script>`,
			new:  `<script src="/kit.js"></script><script src="/kit.js"></script>`,
			want: map[string]string{"kit": "found 2, doubled 1"}},
		{name: "found and changed", path: "/in/", old: `<script src="/kit.js">`, new: `<script src="/kit.js" defer>`,
			want: map[string]string{"kit": "found 1, changed 1"}},
		{name: "found, in the other half", path: "/in/", old: "<p>x</p>", new: "<p>x</p>",
			want: map[string]string{"kit": "found 1"}},
		{name: "a region too many", path: "/in/", marks: true, old: "<p>x</p>",
			new: "<p>x</p><!--yg:lib--><!--/yg:lib-->", want: map[string]string{"lib": "there 1, marks too many 1"}},
		{name: "more in a region", path: "/in/", marks: true, old: "</script><!--/yg:lib-->",
			new: "</script><i>more</i><!--/yg:lib-->", want: map[string]string{"lib": "there 1, altered 1"}},
	} {
		site := ""
		if !c.marks {
			site = ", marks: false"
		}
		g := gateOf(t, site)
		known := page.Page{Path: c.path, File: "x.html"}
		result := g.Page([]byte(source), known)
		text := string(result.File)
		if !strings.Contains(text, c.old) {
			t.Fatalf("%s: %q is not in\n%s", c.name, c.old, text)
		}
		text = strings.Replace(text, c.old, c.new, 1)
		h := Compare(Take([]byte(text), known, g, nil), result)
		if h.Same != (c.old == c.new) {
			t.Errorf("%s: Same is %v", c.name, h.Same)
		}
		for item, want := range c.want {
			if got := told(&h.Items[h.Number(item)]); got != want {
				t.Errorf("%s: %s: %q, want %q\n%s", c.name, item, got, want, text)
			}
		}
	}
}

// TestRuntime: the script of popups is recognised, also where somebody changed it.
func TestRuntime(t *testing.T) {
	f, _ := gatefile.Parse("g.yaml",
		[]byte("yellowgate: 1\nitems: {letter: {popup: <p>x</p>, label: Letter, open: {after: 3s}, pages: all}}\n"),
		nil)
	g, _ := pageedit.New(f, "2026-11-25")
	known := page.Page{Path: "/in/", File: "x.html"}
	result := g.Page([]byte(source), known)
	const begin = "<!--yg:popup-runtime-->"
	for name, c := range map[string]struct {
		change  func(string) string
		there   int
		differs bool
	}{
		"as written": {func(s string) string { return s }, 1, false},
		"changed": {
			func(s string) string { return strings.Replace(s, begin+"\n<script>", begin+"\n<script>more();", 1) }, 0,
			true},
		"twice": {func(s string) string {
			return strings.Replace(s, "<p>x</p>\n", "<p>x</p>\n"+begin+"<script>more()</script><!--/yg:popup-runtime-->", 1)
		}, 1, false},
		"gone": {func(s string) string {
			a, b, _ := strings.Cut(s, begin)
			_, c, _ := strings.Cut(b, "<!--/yg:popup-runtime-->")
			return a + c
		}, 0, false},
	} {
		text := string(result.File)
		if !strings.Contains(text, begin) {
			t.Fatal(text)
		}
		h := Compare(Take([]byte(c.change(text)), known, g, nil), result)
		if h.Runtimes != c.there || (h.RuntimeDiffers != nil) != c.differs {
			t.Errorf("%s: %d, %v", name, h.Runtimes, h.RuntimeDiffers)
		}
	}
}

// TestItemAt: whose something is, also without marks.
func TestItemAt(t *testing.T) {
	g := gateOf(t, ", marks: false")
	known := page.Page{Path: "/in/", File: "x.html"}
	result := g.Page([]byte(source), known)
	r := Take(result.File, known, g, nil)
	h := Compare(r, result)
	for text, want := range map[string]string{"visit-note": "note", "countVisits": "setup", "<p>x</p>": "",
		"/lib.js": "lib"} {
		if got := h.ItemAt(strings.Index(string(result.File), text)); got != want {
			t.Errorf("%s belongs to %q, want %q", text, got, want)
		}
	}
	for i := range r.Elements {
		if e := &r.Elements[i]; e.Tag == "script" && e.Item == "" {
			t.Errorf("the script in line %d belongs to nobody", e.Line)
		}
	}
}

// TestClaimed: an element that no mark and no matcher claims is that item's whose URL it loads, be the item in
// or out.
func TestClaimed(t *testing.T) {
	g := gateOf(t, ", marks: false")
	for path, want := range map[string]string{"/in/": "late", "/plain/": "late"} {
		known := page.Page{Path: path, File: "x.html"}
		result := g.Page([]byte(source), known)
		record := Take(
			[]byte(
				strings.Replace(source, "<p>",
					"<link rel=preload as=script href='https://ternhill.example/late.js'><script src=/none.js></script><p>",
					1)), known, g, nil)
		Compare(record, result)
		got := map[string]string{}
		for _, e := range record.Elements {
			got[e.Target] = e.Item
		}
		if got["/late.js"] != want || got["/none.js"] != "" || got["/kit.js"] == "late" {
			t.Errorf("%s: %v", path, got)
		}
	}
}

// TestRetagged: an element that its item no longer matches since its own attrs changed the tag is the item's.
func TestRetagged(t *testing.T) {
	f, problems := gatefile.Parse("g.yaml",
		[]byte(
			"yellowgate: 1\nitems:\n  tidy: {found: 'script[data-old]', attrs: {data-old: false}, pages: all, except: /out/}\n  click: {found: 'a[onclick]', attrs: {onclick: false, data-new: x}, pages: all}\n"),
		nil)
	g, more := pageedit.New(f, "2026-11-25")
	for _, p := range append(problems, more...) {
		t.Fatal(p)
	}
	const old = `<script src="/old.js" data-old></script>`
	for _, c := range []struct{ path, cut, put, tidy, click, owner string }{
		{"/in/", "", "", "found 1", "found 1", "tidy"},
		{"/in/", "<p>", "<p id=p>", "found 1", "found 1", "tidy"},
		{"/in/", `<script src="/old.js"></script>`, "", "gone 1", "found 1", ""},
		{"/in/", ` href=/>x`, " href=/ onclick=go()>x", "found 1", "found 1, gone 1", "tidy"},
		{"/out/", "<p>", "<p><script src=/old.js></script>", "", "found 1", ""},
	} {
		known := page.Page{Path: c.path, File: "x.html"}
		result := g.Page([]byte(strings.Replace(source, "<p>", old+"<p><a onclick=go() href=/>x</a>", 1)), known)
		record := Take([]byte(strings.Replace(string(result.File), c.cut, c.put, 1)), known, g, nil)
		h := Compare(record, result)
		owner := ""
		for _, e := range record.Elements {
			if e.Target == "/old.js" {
				owner = e.Item
			}
		}
		if tidy, click := told(&h.Items[0]), told(&h.Items[1]); tidy != c.tidy || click != c.click || owner != c.owner {
			t.Errorf("%s with %q: tidy %q, click %q, of %q", c.path, c.put, tidy, click, owner)
		}
	}
}
