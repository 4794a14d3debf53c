package pageedit

import (
	"bytes"
	"flag"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/snippet"
)

var pagesDir = flag.String("pages", "", "also test on every .html file below this `folder`")

// gate makes a gate of the text of a gate file, without its first line.
func gate(t testing.TB, yaml string) *Gate {
	t.Helper()
	f, problems := gatefile.Parse("g.yaml", []byte("yellowgate: 1\n"+yaml), nil)
	problems = append(problems,
		f.ReadFiles(gatefile.Sources{Read: func(string) ([]byte, error) { return nil, fs.ErrNotExist }})...)
	g, more := New(f, "2026-11-23")
	if ps := append(problems, more...); len(ps) > 0 {
		t.Fatalf("%s: %v", yaml, ps)
	}
	return g
}

const source = `<!doctype html>
<html lang="en">
<head>
  <meta charset="utf-8">
  <title>Old</title>
  <link rel="stylesheet" href="/kit/a.css">
  <script src="/kit/a.js"></script>
</head>
<body class="x">
  <main>
    <h1>Visit &amp; see</h1>
    <form class="contact"><p>one<p>two</form>
  </main>
  <div class="kit"><div>stray</div></div>
  <!-- </body> -->
</body>
</html>
`

// TestEdits: what one gate file makes of one page, told by what is replaced in
// the source: each "old → new" in turn.
func TestEdits(t *testing.T) {
	item := func(rest string) string { return "items: {x: {" + rest + ", pages: all}}\n" }
	for _, c := range []struct {
		name, yaml string
		edits      []string
	}{
		{"head-start", item("code: <meta name=a content=b>, place: head-start"),
			[]string{`utf-8">`, "utf-8\"><!--yg:x-->\n  <meta name=a content=b><!--/yg:x-->"}},
		{"head-end", item("stylesheet: /x.css"),
			[]string{"/kit/a.js\"></script>",
				"/kit/a.js\"></script><!--yg:x-->\n  <link rel=\"stylesheet\" href=\"/x.css\"><!--/yg:x-->"}},
		{"body-start", item("code: <p>v</p>, place: body-start"),
			[]string{`class="x">`, "class=\"x\"><!--yg:x-->\n  <p>v</p><!--/yg:x-->"}},
		{"body-end, not the one in a comment", item("code: <p>v</p>"),
			[]string{"<!-- </body> -->", "<!-- </body> --><!--yg:x-->\n  <p>v</p><!--/yg:x-->"}},
		{"before", item("code: <p>v</p>, place: {before: form}"),
			[]string{"see</h1>", "see</h1><!--yg:x-->\n    <p>v</p><!--/yg:x-->"}},
		{"after", item("code: <p>v</p>, place: {after: form}"),
			[]string{"two</form>", "two</form><!--yg:x-->\n    <p>v</p><!--/yg:x-->"}},
		{"first-in", item("code: <i>v</i>, place: {first-in: form.contact}"),
			[]string{`contact">`, `contact"><!--yg:x--><i>v</i><!--/yg:x-->`}},
		{"last-in, behind an implied end", item("code: <i>v</i>, place: {last-in: form.contact}"),
			[]string{"two</form>", "two<!--yg:x--><i>v</i><!--/yg:x--></form>"}},
		{"instead-of", item("code: <i>v</i>, place: {instead-of: .kit}"),
			[]string{`<div class="kit"><div>stray</div></div>`, "<!--yg:x--><i>v</i><!--/yg:x-->"}},
		{"two parts, one region", item("stylesheet: /x.css, script: /x.js"),
			[]string{"/kit/a.js\"></script>",
				"/kit/a.js\"></script><!--yg:x-->\n  <link rel=\"stylesheet\" href=\"/x.css\">\n  <script src=\"/x.js\" defer></script><!--/yg:x-->"}},
		{"no marks", "site: {marks: false}\n" + item("stylesheet: /x.css"),
			[]string{"/kit/a.js\"></script>", "/kit/a.js\"></script>\n  <link rel=\"stylesheet\" href=\"/x.css\">"}},
		{"found goes with its line", "items: {k: {found: [{url: /kit/**}, .kit], pages: none}}\n",
			[]string{"\n  <link rel=\"stylesheet\" href=\"/kit/a.css\">", "",
				"\n  <script src=\"/kit/a.js\"></script>", "", "\n  <div class=\"kit\"><div>stray</div></div>", ""}},
		{"found stays", "items: {k: {found: {url: /kit/**}, pages: has(form.contact)}}\n", nil},
		{"the first item in the file owns it",
			"items: {a: {found: '[src*=kit]', pages: all}, b: {found: {url: /kit/**}, pages: none}}\n",
			[]string{"\n  <link rel=\"stylesheet\" href=\"/kit/a.css\">", ""}},
		{"title in place", "metadata: [{pages: all, title: '@{page.heading} | <x>'}]\n",
			[]string{"Old", "Visit &amp; see | &lt;x&gt;"}},
		{"new description after the title", "defaults: {description: 'a \"b\"'}\n",
			[]string{"Old</title>", "Old</title>\n  <meta name=\"description\" content=\"a &#34;b&#34;\">"}},
		{"a new title",
			"items: {old: {found: title, pages: none}}\nmetadata: [{pages: all, title: \"it's <b> & \\\"c\\\"\"}]\n",
			[]string{"<title>Old</title>", "<title>it's &lt;b&gt; &amp; \"c\"</title>"}},
		{"none takes out", "metadata: [{pages: all, title: none}]\n", []string{"\n  <title>Old</title>", ""}},
		{"defaults fill only", "defaults: {title: New}\n", nil},
		{"canonical", "site: {url: 'https://x.example/obs/'}\nmetadata: [{pages: all, canonical: '@{page.url}'}]\n",
			[]string{"Old</title>", "Old</title>\n  <link rel=\"canonical\" href=\"https://x.example/obs/visit/\">"}},
		{"an equal value is no edit", "metadata: [{pages: all, title: Old}]\n", nil},
		{"order by needs", "items: {b: {stylesheet: /b.css, needs: [a], pages: all}, a: {stylesheet: /a.css}}\n",
			[]string{"/kit/a.js\"></script>",
				"/kit/a.js\"></script><!--yg:a-->\n  <link rel=\"stylesheet\" href=\"/a.css\"><!--/yg:a--><!--yg:b-->\n  <link rel=\"stylesheet\" href=\"/b.css\"><!--/yg:b-->"}},
		{"parts at places of their own", item(
			"code: <i>v</i>, stylesheet: /x.css, script: /x.js, place: {code: {before: form}, script: body-end}"), []string{
			"/kit/a.js\"></script>", "/kit/a.js\"></script><!--yg:x-->\n  <link rel=\"stylesheet\" href=\"/x.css\"><!--/yg:x-->",
			"see</h1>", "see</h1><!--yg:x-->\n    <i>v</i><!--/yg:x-->", "<!-- </body> -->", "<!-- </body> --><!--yg:x-->\n  <script src=\"/x.js\"></script><!--/yg:x-->"}},
		{"at each match", item("code: <i>v</i>, place: {first-in: p}, each: true"),
			[]string{"<p>one", "<p><!--yg:x--><i>v</i><!--/yg:x-->one", "<p>two",
				"<p><!--yg:x--><i>v</i><!--/yg:x-->two"}},
		{"instead of each", item("code: <hr>, place: {instead-of: p}, each: true"),
			[]string{"<p>one", "<!--yg:x--><hr><!--/yg:x-->", "<p>two", "<!--yg:x--><hr><!--/yg:x-->"}},
		{"found is moved", "items: {k: {found: '[src=\"/kit/a.js\"]', place: body-end, pages: all}}\n",
			[]string{"\n  <script src=\"/kit/a.js\"></script>", "", "<!-- </body> -->",
				"<!-- </body> -->\n  <script src=\"/kit/a.js\"></script>"}},
		{"found is moved and changed",
			"items: {k: {found: '[src=\"/kit/a.js\"]', place: {before: main}, load: defer, attrs: {data-x: 1}, pages: all}}\n",
			[]string{"\n  <script src=\"/kit/a.js\"></script>", "", "class=\"x\">",
				"class=\"x\">\n  <script defer data-x=\"1\" src=\"/kit/a.js\"></script>"}},
		{"load and attrs of found",
			"items: {k: {found: {url: /kit/a.js}, load: async, attrs: {data-x: '@{page.path}', defer: false}, pages: all}}\n",
			[]string{`<script src=`, `<script async data-x="/visit/" src=`}},
		{"replaces", "items: {k: {replaces: {url: /kit/**}, script: /new.js, stylesheet: /new.css, code: <b>v</b>, load: now, pages: all}}\n", []string{
			`<link rel="stylesheet" href="/kit/a.css">`, `<!--yg:k--><link rel="stylesheet" href="/new.css"><!--/yg:k-->`,
			`<script src="/kit/a.js"></script>`, `<!--yg:k--><script src="/new.js"></script><!--/yg:k-->`,
			"<!-- </body> -->", "<!-- </body> --><!--yg:k-->\n  <b>v</b><!--/yg:k-->"}},
		{"replaces, and is out", "items: {k: {replaces: .kit, code: <b>v</b>, pages: none}}\n",
			[]string{"\n  <div class=\"kit\"><div>stray</div></div>", ""}},
		{"replaces with code", item("replaces: .kit, code: <b>v</b>"),
			[]string{`<div class="kit"><div>stray</div></div>`, "<!--yg:x--><b>v</b><!--/yg:x-->"}},
		{"replaces at another place", item("replaces: .kit, code: <b>v</b>, place: {before: form}"),
			[]string{"see</h1>", "see</h1><!--yg:x-->\n    <b>v</b><!--/yg:x-->",
				"\n  <div class=\"kit\"><div>stray</div></div>", ""}},
		{"classes are merged", item("classes: {body: x quiet, '.kit': a, form: 'contact'}"),
			[]string{`<body class="x">`, `<body class="x quiet">`, `class="kit"`, `class="kit a"`}},
		{"classes of two items",
			"items: {a: {classes: {body: one}, pages: all}, b: {classes: {body: two one, h1: big}, pages: all}}\n",
			[]string{`<body class="x">`, `<body class="x one two">`, "<h1>", `<h1 class="big">`}},
		{"lang", "metadata: [{pages: all, lang: de}]\n", []string{`lang="en"`, `lang="de"`}},
		{"no lang", "metadata: [{pages: all, lang: none}]\n", []string{` lang="en"`, ""}},
		{"keys that stand often", "metadata: [{pages: all, icon: [{href: /i.svg, type: image/svg+xml}, {href: /i32.png, sizes: 32x32}], theme-color: '#000', property: {'og:image': [//x.example/a.png, //x.example/b.png]}, link: {me: 'https://x.example'}, meta: {verify: abc}, social: {title: T}}]\n", []string{
			"Old</title>", `Old</title>
  <meta name="verify" content="abc">
  <meta name="theme-color" content="#000">
  <link rel="icon" href="/i.svg" type="image/svg+xml">
  <link rel="icon" href="/i32.png" sizes="32x32">
  <link rel="me" href="https://x.example">
  <meta property="og:image" content="//x.example/a.png">
  <meta property="og:image" content="//x.example/b.png">
  <meta property="og:title" content="T">`}},
		{"a popup with its runtime", item("popup: <p>hi</p>, open: {fragment: hi}"),
			[]string{"<!-- </body> -->",
				"<!-- </body> --><!--yg:x-->\n  <dialog id=\"x\" data-yg-open=\"[[&#34;fragment&#34;,&#34;hi&#34;]]\" data-yg-again=\"visit\"><p>hi</p></dialog><!--/yg:x--><!--yg:popup-runtime-->\n  " +
					strings.ReplaceAll(snippet.Runtime(), "\n", "\n") + "<!--/yg:popup-runtime-->"}},
		{"params per page",
			"items: {x: {code: '<p data-n=\"@{n}\">v</p>', params: {n: 1}, pages: all, place: {before: form}}}\nper-page: {/visit/: {params: {x: {n: 2}}}}\n",
			[]string{"see</h1>", "see</h1><!--yg:x-->\n    <p data-n=\"2\">v</p><!--/yg:x-->"}},
		{"out of its dates",
			"items: {x: {stylesheet: /x.css, from: 2026-12-01, pages: all}, y: {stylesheet: /y.css, until: 2026-11-22, pages: all}}\n",
			nil},
		{"in its dates", "items: {x: {stylesheet: /x.css, from: 2026-11-23, until: 2026-11-23, pages: all}}\n",
			[]string{"/kit/a.js\"></script>",
				"/kit/a.js\"></script><!--yg:x-->\n  <link rel=\"stylesheet\" href=\"/x.css\"><!--/yg:x-->"}},
	} {
		want := source
		for i := 0; i < len(c.edits); i += 2 {
			if !strings.Contains(want, c.edits[i]) {
				t.Fatalf("%s: %q is not in the source", c.name, c.edits[i])
			}
			want = strings.Replace(want, c.edits[i], c.edits[i+1], 1)
		}
		r := gate(t, c.yaml).Page([]byte(source), page.Page{Path: "/visit/", File: "visit/index.html"})
		if len(r.Problems) > 0 {
			t.Errorf("%s: %v", c.name, r.Problems)
		}
		if string(r.File) != want {
			t.Errorf("%s:\n%s\nwant\n%s", c.name, r.File, want)
		}
		if !bytes.Equal(r.Undo(), []byte(source)) {
			t.Errorf("%s: the inverse gives\n%s", c.name, r.Undo())
		}
	}
}

// TestOddPages: heads that are broken or left out, other encodings and line ends.
func TestOddPages(t *testing.T) {
	both := "items:\n  h: {code: '<meta name=h content=\"é\">', place: head-end, pages: all}\n  b: {code: '<p>é</p>', pages: all}\n"
	utf16 := func(s string) string {
		var b strings.Builder
		b.WriteString("\xff\xfe")
		for _, r := range s {
			b.WriteByte(byte(r))
			b.WriteByte(byte(r >> 8))
		}
		return b.String()
	}
	// Where a page does not say its encoding, what is written is ASCII.
	const h, b = `<!--yg:h--><meta name=h content="&#xE9;"><!--/yg:h-->`, "<!--yg:b--><p>&#xE9;</p><!--/yg:b-->"
	const hU, bU = `<!--yg:h--><meta name=h content="é"><!--/yg:h-->`, "<!--yg:b--><p>é</p><!--/yg:b-->"
	for _, c := range []struct{ name, yaml, source, want string }{
		{"broken head", both, "<head><div>x</div><title>t</title></head><body>y</body>",
			"<head>" + h + "<div>x</div><title>t</title></head><body>y" + b + "</body>"},
		{"nothing written", both, "<title>t</title>x", "<title>t</title>" + h + "x" + b},
		{"open script at the end", both, "<!doctype html><p>x<script>a(", "<!doctype html>" + h + "<p>x" + b + "<script>a("},
		{"open comment", both, "<!doctype html><p>x<!-- a", "<!doctype html>" + h + "<p>x" + b + "<!-- a"},
		{"svg title is not the page's", "metadata: [{pages: all, title: n}]\n",
			"<head></head><body><svg><title>s</title></svg>",
			"<head><title>n</title></head><body><svg><title>s</title></svg>"},
		{"fallen title comes back", "metadata: [{pages: all, title: n}]\n",
			"<head><img></head><body><title>t</title>x", "<head><title>n</title><img></head><body>x"},
		{"what breaks the head goes", "items: {p: {found: img, pages: none}}\nmetadata: [{pages: all, title: n}]\n",
			"<head><img><title>t</title></head><body>x", "<head><title>n</title></head><body>x"},
		{"script first in a body without its tag",
			"items: {s: {code: <script>a()</script>, place: body-start, pages: all}}\n", "<!doctype html><p>x",
			"<!doctype html><!--yg:s--><body><script>a()</script><!--/yg:s--><p>x"},
		{"Latin-1 with CRLF", both, "<head>\r\n<meta charset=iso-8859-1>\r\n</head>\r\n<body>\r\n\xe9\r\n</body>",
			"<head>\r\n<meta charset=iso-8859-1><!--yg:h-->\r\n<meta name=h content=\"&#xE9;\"><!--/yg:h-->\r\n</head>\r\n<body>\r\n\xe9<!--yg:b-->\r\n<p>&#xE9;</p><!--/yg:b-->\r\n</body>"},
		{"undeclared and no UTF-8", both, "<head></head><body>\xe9</body>",
			"<head>" + h + "</head><body>\xe9" + b + "</body>"},
		{"undeclared UTF-8", both, "<head></head><body>é</body>", "<head>" + h + "</head><body>é" + b + "</body>"},
		{"declared UTF-8", both, "<head><meta charset=utf-8></head><body>é</body>",
			"<head><meta charset=utf-8>" + hU + "</head><body>é" + bU + "</body>"},
		{"UTF-16", both, utf16("<head></head><body>é</body>"), utf16("<head>" + hU + "</head><body>é" + bU + "</body>")},
		{"byte order mark", both, "\xef\xbb\xbf<head></head><body>", "\xef\xbb\xbf<head>" + hU + "</head><body>" + bU},
		{"marked regions of an earlier output", both,
			"<head><!--yg:old--><link><!--/yg:old--></head><body>x<!--yg:b--><p>old</p><!--/yg:b--></body>",
			"<head>" + h + "</head><body>x" + b + "</body>"},
		{"fragment", both, "<p>no page of its own", "<p>no page of its own"},
		{"redirect", both, "<meta http-equiv=refresh content='0; url=/new/'><title>x</title>",
			"<meta http-equiv=refresh content='0; url=/new/'><title>x</title>"},
	} {
		r := gate(t, c.yaml).Page([]byte(c.source), page.Page{Path: "/x", File: "x.html"})
		if string(r.File) != c.want || len(r.Problems) > 0 {
			t.Errorf("%s: %v\n%q\nwant\n%q", c.name, r.Problems, r.File, c.want)
		}
	}
}

// TestPageProblems: what keeps a page from being gated.
func TestPageProblems(t *testing.T) {
	for _, c := range []struct{ yaml, source, want string }{
		{"items: {x: {code: '<p>@{fact.none}</p>', pages: all}}\n", source, "@{fact.none} has no value"},
		{"items: {x: {code: <p>y</p>, place: {before: nav}, pages: all}}\n", source, `"nav" matches nothing`},
		{"items: {x: {code: <p>y</p>, place: {first-in: title}, pages: all}}\n", source, "holds text only"},
		{"items: {x: {code: <p>y</p>, place: {before: title}, pages: all}}\n", source, "would end the head"},
		{"items: {x: {code: <p>y</p>, place: {first-in: .kit}, pages: all}, k: {found: .kit, pages: none}}\n", source,
			`goes with item "k"`},
		{"items: {x: {script: /x.js, needs: [n], pages: all}, n: {script: /n.js, pages: all, except: all}}\n", source,
			`needs "n", which is out there (except`},
		{"items: {x: {script: /x.js, needs: [n], pages: all}, n: {found: video}}\n", source, "found parts alone"},
		{"items: {x: {code: <p>y</p>, pages: all}}\n", "<frameset><frame></frameset>", "has a frameset and no body"},
		{"items: {x: {found: b.x, pages: none}}\n", "<!doctype html><b class=x><i>y</b></i>", "where <b> ends is not clear"},
	} {
		r := gate(t, c.yaml).Page([]byte(c.source), page.Page{Path: "/x", File: "x.html"})
		if len(r.Problems) != 1 || !strings.Contains(r.Problems[0].Message, c.want) {
			t.Errorf("%s: problems %v, want %q", c.yaml, r.Problems, c.want)
		}
	}
}

func TestMatchURL(t *testing.T) {
	for _, c := range []struct {
		glob, url string
		want      bool
	}{
		{"/kit/**", "/kit/a/b.js", true}, {"/kit/**", "/kit", true}, {"/kit/**", "/kits/a.js", false}, {"/kit/*",
			"/kit/a/b.js", false},
		{"/kit/*.js", "/kit/a.js", true}, {"/kit/**", "https://x.example/kit/a.js", false}, {"/**", "/a.js", true},
		{"https://x.example/**", "https://x.example/kit/a.js", true}, {"https://x.example/**",
			"http://x.example/a.js", false},
		{"x.example/**", "http://x.example/a.js", true}, {"*.example/kit/*", "https://x.example/kit/a.js", true},
		{"**/a.js", "https://x.example/kit/a.js", true}, {"**/a.js", "/kit/a.js", true}, {"/kit/{a,b}.js", "/kit/b.js", true},
	} {
		if got := MatchURL(c.glob, c.url); got != c.want {
			t.Errorf("%s on %s: %v", c.glob, c.url, got)
		}
	}
}

// TestForeignPagesKeepTheirBytes: one code item on all pages of a folder. Without
// its marked regions the output is the source, and gating the output changes
// nothing.
func TestForeignPagesKeepTheirBytes(t *testing.T) {
	if *pagesDir == "" {
		t.Skip("no folder of foreign pages given with -pages")
	}
	plain := gate(t,
		"items:\n  head-code: {code: '<meta name=probe content=é>', place: head-end, pages: /**}\n  body-code: {code: '<p>é</p>', place: body-end, pages: /**}\n")
	full := gate(t, everything)
	pages, fragments, framesets, misnested, encodings := 0, 0, 0, 0, map[string]int{}
	err := filepath.WalkDir(*pagesDir, func(name string, d fs.DirEntry, err error) error {
		if err != nil || !d.Type().IsRegular() || !strings.Contains(filepath.Ext(name), ".htm") {
			return err
		}
		file, err := os.ReadFile(name)
		if err != nil {
			return err
		}
		known := page.Page{Path: "/" + filepath.Base(name), File: name}
		r := plain.Page(file, known)
		encodings[r.Source.Encoding]++
		switch {
		case r.Fragment:
			fragments++
			return nil
		case r.Scan.Frameset:
			framesets++
			return nil
		case r.Page.Redirect:
			return nil
		}
		pages++
		src := markup.Read(r.File)
		back := markup.Unmark(src, markup.Scan(src.Text, nil))
		if !bytes.Equal(back, file) || !bytes.Equal(r.Undo(), file) || bytes.Equal(r.File, file) {
			t.Errorf("%s: without its marked regions the output is not the source", name)
		}
		if again := plain.Page(r.File, known); !bytes.Equal(again.File, r.File) {
			t.Errorf("%s: applying twice changes something", name)
		}
		r = full.Page(file, known)
		if !bytes.Equal(r.Undo(), file) {
			t.Errorf("%s: the inverse of all that can be set is not the source", name)
		}
		for _, p := range r.Problems {
			if p.Severity == problem.Error { // apply would write nothing
				misnested++
				return nil
			}
		}
		if again := full.Page(r.File, known); !bytes.Equal(again.File, r.File) {
			t.Errorf("%s: applying all that can be set twice changes something", name)
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	t.Logf("%d pages; %d fragments and %d framesets left alone; %d pages refused; encodings %v", pages, fragments,
		framesets, misnested, encodings)
}

// everything is a gate that sets all that can be set on any page.
const everything = `
metadata:
  - {pages: /**, title: é x, description: é "d", lang: fr, theme-color: "#000", icon: /i.svg, canonical: "/c@{page.path}", social: {title: é}, link: {alternate: {href: /fr, hreflang: fr}}}
items:
  inline: {script-text: "f('é')", style-text: "p { margin: 0 }", pages: /**}
  box: {popup: <p>é</p>, label: é, open: {fragment: box}, pages: /**}
  data: {structured: {type: Thing, name: "é"}, pages: /**}
  calm: {classes: {body: calm, html: wide, h1: big}, pages: /**}
  each: {code: <b>é</b>, place: {first-in: h2}, each: true, pages: /**}
  deferred: {found: 'script[src]', load: defer, attrs: {data-x: é}, pages: /**}
`

// TestSpots: where an author asks for an item, and what may be asked.
func TestSpots(t *testing.T) {
	const yaml = "items:\n  map:\n    code: <b title=\"@{height}\">@{cap}</b>\n    stylesheet: /map.css\n    place: {code: spot}\n    params: {height: {value: 480, max: 900}, cap: none}\n    except: /out/\n  only: {code: <i>o</i>, place: spot, pages: /wanted/}\n"
	const link = `<!--yg:map--><link rel="stylesheet" href="/map.css"><!--/yg:map-->`
	for _, c := range []struct{ name, path, body, want, problem string }{
		{"a comment stays", "/", "<p>a</p><!-- yg-spot map -->",
			"<p>a</p><!-- yg-spot map --><!--yg:map--><b title=\"480\">none</b><!--/yg:map-->", ""},
		{"an element is replaced", "/", `<p>a</p><div data-yg-spot="map" data-height="20"></div>`,
			"<p>a</p><!--yg:map--><b title=\"20\">none</b><!--/yg:map-->", ""},
		{"several, each with its own", "/",
			`<!--yg-spot map height=1--><i data-yg-spot=map data-cap="a &amp; b"> </i>`,
			"<!--yg-spot map height=1--><!--yg:map--><b title=\"1\">none</b><!--/yg:map--><!--yg:map--><b title=\"480\">a &amp; b</b><!--/yg:map-->",
			""},
		{"quoted", "/", `<!-- yg-spot map cap='To-"night" <x>' -->`,
			`<!-- yg-spot map cap='To-"night" <x>' --><!--yg:map--><b title="480">To-&#34;night&#34; &lt;x&gt;</b><!--/yg:map-->`,
			""},
		{"no item", "/", "<!-- yg-spot maps -->", "", `a spot names "maps", which is not an item (did you mean "map"?)`},
		{"no parameter", "/", "<!-- yg-spot map heigth=3 -->", "",
			`item "map" has no parameter "heigth" (did you mean "height"?)`},
		{"out of limits", "/", "<!-- yg-spot map height=901 -->", "", "height is at most 900, not 901"},
		{"not empty", "/", "<div data-yg-spot=map>x</div>", "", "is an element that is not empty"},
		{"out", "/out/", "<!-- yg-spot map -->", "", `a spot asks for item "map", which is out here`},
		{"pages and no spot", "/wanted/", "<p>x", "", `item "only" goes to spots alone, and the page has none`},
		{"not in a template", "/", "<template><!-- yg-spot map --></template>", "", ""},
	} {
		src := "<title>t</title><body>" + c.body + "</body>"
		r := gate(t, yaml).Page([]byte(src), page.Page{Path: c.path, File: "p.html"})
		var problem string
		for _, p := range r.Problems {
			problem += p.Message
		}
		if !strings.Contains(problem, c.problem) || (problem == "") != (c.problem == "") {
			t.Errorf("%s: problems %q, want %q", c.name, problem, c.problem)
		}
		if want := "<title>t</title>" + link + "<body>" + c.want + "</body>"; c.want != "" && string(r.File) != want {
			t.Errorf("%s:\n%s\nwant\n%s", c.name, r.File, want)
		}
	}
}

// TestEmptyMetadataGoes: what fell into the body and says nothing does not come back.
func TestEmptyMetadataGoes(t *testing.T) {
	const src = "<head><title>t</title><p>x</p><meta name=description content=''><link rel=alternate hreflang=fr href=''><link rel=alternate hreflang=de href=/de/></head><body>y</body>"
	r := gate(t,
		"metadata: [{pages: all, description: '@{fact.none}', link: {alternate: [{href: '@{fact.none}', hreflang: en}]}}]\n").Page([]byte(src), page.Page{Path: "/", File: "p.html"})
	if text := string(r.File); strings.Contains(text, "content=''") &&
		strings.Index(text, "content=''") < strings.Index(text, "<p>") {
		t.Error(text)
	}
}

// TestManySpots: of a page full of spots that are wrong, enough is told.
func TestManySpots(t *testing.T) {
	src := "<title>t</title>" + strings.Repeat("<!-- yg-spot none -->", 500)
	r := gate(t, "items: {a: {code: x, place: spot}}\n").Page([]byte(src), page.Page{Path: "/", File: "p.html"})
	if len(r.Problems) != mostSpotsTold+1 {
		t.Errorf("%d are told", len(r.Problems))
	}
}

// TestMetadataComesBack: what fell into the body is written in the head, where the
// gate speaks of it.
func TestMetadataComesBack(t *testing.T) {
	const src = "<head><title>t</title><p>x</p><meta name=description content=d><link rel=canonical href=/a><link rel=canonical href=/b></head><body>y</body>"
	for _, c := range []struct{ yaml, want string }{
		{"defaults: {description: e}\n",
			`<head><title>t</title><meta name=description content=d><p>x</p><link rel=canonical href=/a><link rel=canonical href=/b></head><body>y</body>`},
		{"metadata: [{pages: all, description: e}]\n",
			`<head><title>t</title><meta name="description" content="e"><p>x</p><link rel=canonical href=/a><link rel=canonical href=/b></head><body>y</body>`},
		{"metadata: [{pages: all, canonical: /c}]\n",
			`<head><title>t</title><link rel="canonical" href="/c"><p>x</p><meta name=description content=d></head><body>y</body>`},
		{"metadata: [{pages: all, lang: en, title: u}]\nitems: {x: {classes: {body: q}, pages: all}}\n",
			`<html lang="en"><head><title>u</title><body class="q"><p>x</p><meta name=description content=d><link rel=canonical href=/a><link rel=canonical href=/b></head><body>y</body>`},
	} {
		r := gate(t, c.yaml).Page([]byte(src), page.Page{Path: "/", File: "p.html"})
		if string(r.File) != c.want || len(r.Problems) > 0 {
			t.Errorf("%s:\n%s\nwant\n%s\n%v", c.yaml, r.File, c.want, r.Problems)
		}
	}
	// Tags that the source leaves out are written where they need an attribute.
	r := gate(t,
		"metadata: [{pages: all, lang: en}]\nitems: {x: {classes: {body: q}, pages: all}, h: {stylesheet: /a.css, pages: all}, b: {code: <i>b</i>, place: body-start, pages: all}}\n").Page([]byte("<!doctype html><p>x"), page.Page{Path: "/"})
	if want := `<!doctype html><html lang="en"><!--yg:h--><link rel="stylesheet" href="/a.css"><!--/yg:h--><body class="q"><!--yg:b--><i>b</i><!--/yg:b--><p>x`; string(r.File) != want {
		t.Errorf("\n%s\nwant\n%s", r.File, want)
	}
}

// TestContradictions: what a gate file cannot mean on a page.
func TestContradictions(t *testing.T) {
	for _, c := range []struct{ yaml, want string }{
		{"items: {a: {code: <i>a</i>, not-with: b, pages: all}, b: {code: <i>b</i>, pages: /visit/}}\n",
			`items "a" and "b" must never meet, and both are in (g.yaml:2:`},
		{"items: {kit: {popup: x, open: {after: 1s}, pages: all}}\n", ""},
		{"items: {m: {popup: x, open: {after: 1s}, pages: all}}\n",
			`this element has the id "m", and so has the popup of item "m" (g.yaml:2:`},
		{"items: {k: {found: .kit, place: head-end, pages: all}}\n",
			"cannot be moved into the head: what stands at p.html:14 would end it"},
		{"items: {k: {found: main, place: {before: h1}, pages: all}}\n", "its place, before h1, is within what is moved"},
		{"items: {a: {found: .kit, pages: none}, b: {found: .kit > div, pages: all}}\n",
			`item "b" is in, and what it is found by stands in an element that goes with item "a"`},
		{"items: {x: {classes: {.none: a}, pages: all}}\n", "classes \"a\" go nowhere"},
		{"items: {x: {script-text: 'f(@{fact.n})', pages: all}}\n", "@{fact.n} has no value"},
		{"items: {x: {script-text: 'f(@{d | ms})', params: {d: soon}, pages: all}}\n",
			`@{d | ms} cannot be filled in: "soon" is not a time`},
		{"items: {x: {code: <b>x</b>, place: {before: title}, pages: all}}\n", "would end the head"},
	} {
		r := gate(t, c.yaml).Page([]byte(strings.Replace(source, "<main>", "<main id=m>", 1)),
			page.Page{Path: "/visit/", File: "p.html"})
		var got []string
		for _, p := range append(r.Problems, r.Clashes()...) {
			got = append(got, p.Message)
		}
		if (len(got) > 0) != (c.want != "") || !strings.Contains(strings.Join(got, "\n"), c.want) {
			t.Errorf("%s: problems %q, want %q", c.yaml, got, c.want)
		}
	}
}

// TestLoadingValues: values that make the browser load something lead to the site's own
// host and to those that the gate file trusts, in metadata and in attributes of found
// elements; what visitors follow leads anywhere.
func TestLoadingValues(t *testing.T) {
	for _, c := range []struct{ gate, page, want string }{ // want: of the problem, or "" for none
		{"metadata: [{pages: all, link: {manifest: '@{page.meta.x}'}}]", "https://evil.example/x.css",
			"leads to evil.example"},
		{"metadata: [{pages: all, link: {manifest: '@{page.meta.x}'}}]", "https://cdn.ternhill.example/x.css", ""},
		{"metadata: [{pages: all, link: {preconnect: '//@{page.meta.x}/x'}}]", "evil.example",
			"and no value can stand in the host of a URL"},
		{"metadata: [{pages: all, link: {manifest: '@{page.meta.x}'}}]", "javascript:alert(1)",
			"must not begin with javascript:"},
		{"metadata: [{pages: all, link: {manifest: '/css/@{page.meta.x}.css'}}]", "/evil.example", ""},
		{"metadata: [{pages: all, link: {manifest: '/css/@{page.meta.x}.css'}}]", "..", ""},
		{"metadata: [{pages: all, link: {manifest: '/css/@{page.meta.x}/x.css'}}]", "..", `make "." or ".."`},
		{"metadata: [{pages: all, canonical: '@{page.meta.x}'}]", "https://elsewhere.example/", ""},
		{"metadata: [{pages: all, link: {alternate: '@{page.meta.x}'}}]", "https://elsewhere.example/", ""},
		{"items: {k: {found: 'meta[http-equiv]', attrs: {content: '0;url=@{page.meta.x}'}, pages: all}}",
			"javascript:alert(1)", "in the content of a meta element with http-equiv"},
		{"items: {k: {found: 'img', attrs: {poster: '@{page.meta.x}'}, pages: all}}", "https://evil.example/x",
			"leads to evil.example"},
	} {
		text := "yellowgate: 1\nsite: {url: https://ternhill.example, trust: ['*.ternhill.example']}\n" + c.gate + "\n"
		file, problems := gatefile.Parse("g.yaml", []byte(text), nil)
		if len(problems) > 0 {
			t.Errorf("%s: %v", c.gate, problems)
			continue
		}
		g, problems := New(file, "2026-11-25")
		src := `<!doctype html><html><head><title>t</title><meta name="x" content="` + c.page + `"><meta http-equiv="refresh" content="9"></head><body><p>x</p><img src="/a" alt=""></body></html>`
		r := g.Page([]byte(src), page.Page{Path: "/", File: "index.html"})
		for _, p := range r.Problems {
			problems = append(problems, p.Problem)
		}
		switch {
		case c.want == "" && len(problems) > 0, c.want != "" && (len(problems) == 0 || !strings.Contains(
			problems[0].Message, c.want)):
			t.Errorf("%s with %q: %v, want %q", c.gate, c.page, problems, c.want)
		}
	}
}

// TestStandIns: what comes in the place of a script runs when that did, for each of the items that replace it;
// a page that ends up with neither is told.
func TestStandIns(t *testing.T) {
	const two = "items: {k: {replaces: {url: /kit/a.js}, script: /new.js, pages: all}, l: {replaces: {url: /kit/a.js}, script: /also.js, pages: all, except: /bare/}}\n"
	for tag, want := range map[string]string{
		`<script src="/kit/a.js"></script>`:                   "",
		`<script src="/kit/a.js" defer></script>`:             " defer",
		`<script defer async src="/kit/a.js"></script>`:       " async defer",
		`<script type=module src="/kit/a.js"></script>`:       ` type="module"`,
		`<script nomodule src="/kit/a.js"></script>`:          " nomodule",
		`<script async type="MODULE" src=/kit/a.js></script>`: ` type="module" async`,
	} {
		page1 := strings.Replace(source, `<script src="/kit/a.js"></script>`, tag, 1)
		r := gate(t, two).Page([]byte(page1), page.Page{Path: "/visit/", File: "visit/index.html"})
		if text := string(r.File); len(r.Problems) > 0 ||
			!strings.Contains(text,
				`<!--yg:k--><script src="/new.js"`+want+
					`></script><!--/yg:k--><!--yg:l--><script src="/also.js"`+want+`></script><!--/yg:l-->`) {
			t.Errorf("%s: %v\n%s", tag, r.Problems, text)
		}
		if !bytes.Equal(r.Undo(), []byte(page1)) {
			t.Errorf("%s: the inverse gives\n%s", tag, r.Undo())
		}
	}
	now := gate(t, "items: {k: {replaces: {url: /kit/a.js}, script: /new.js, load: async, pages: all}}\n").Page(
		[]byte(source), page.Page{Path: "/visit/", File: "visit/index.html"})
	if !strings.Contains(string(now.File), `<script src="/new.js" async></script>`) {
		t.Errorf("load counts:\n%s", now.File)
	}
	for yaml, want := range map[string]string{
		"items: {k: {replaces: {url: /kit/a.js}, script: /new.js, pages: /else/}}\n": "item \"k\" replaces /kit/a.js, and is out here: the page has neither",
		two: "", "items: {k: {replaces: {url: /kit/a.js}, script: /new.js, pages: none}}\n": "",
	} {
		r := gate(t, yaml).Page([]byte(source), page.Page{Path: "/bare/", File: "bare/index.html"})
		if strings.Contains(string(r.File), "/kit/a.js") || want == "" && len(r.Problems) > 0 ||
			want != "" &&
				(len(r.Problems) != 1 || r.Problems[0].Message != want ||
					r.Problems[0].Severity != problem.Warning) {
			t.Errorf("%s: %v\n%s", yaml, r.Problems, r.File)
		}
	}
}

// TestSpotInParagraph: code that a paragraph cannot hold, at a spot in one, is told; none other.
func TestSpotInParagraph(t *testing.T) {
	for _, c := range []struct {
		code, at string
		told     bool
	}{
		{"<div>m</div>", "<p>see <!-- yg-spot map -->", true}, {"<b>x</b><table></table>",
			"<p class=a>see <b>x</b> <!-- yg-spot map --></p>", true},
		{"<b>m</b>", "<p>see <!-- yg-spot map --></p>", false}, {"<div>m</div>", "<p>see</p><!-- yg-spot map -->", false},
		{"<div>m</div>", "<p>see<div><!-- yg-spot map --></div>", false}, {"<pre2>m</pre2>",
			"<p><!-- yg-spot map --></p>", false},
	} {
		r := gate(t, "items: {map: {code: '"+c.code+"', place: {code: spot}}}\n").Page(
			[]byte("<!doctype html><html lang=en><head><title>t</title></head><body>"+c.at+"</body></html>"),
			page.Page{Path: "/", File: "index.html"})
		if told := len(r.Problems) == 1 && strings.Contains(r.Problems[0].Message,
			"stands in a paragraph"); told != c.told || !told && len(r.Problems) > 0 {
			t.Errorf("%s at %s: %v", c.code, c.at, r.Problems)
		}
	}
}
