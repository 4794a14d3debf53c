package pageedit

import (
	"bytes"
	"io/fs"
	"math/rand"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"yellowgate/internal/core/page"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/testsize"
)

// begunGates are gate files that ask for everything that may come later in a page.
var begunGates = []string{
	"items: {x: {script: /x.js, pages: all}, y: {code: <p>y</p>, pages: all, place: body-end}}\n",
	"items: {x: {style-text: 'a{}', pages: has(form)}, y: {code: <p>y</p>, pages: all, place: body-start}}\n",
	"items: {x: {code: <p>x</p>, pages: has(form), place: body-end}, y: {code: <p>y</p>, pages: not has(form), place: {first-in: main}}}\n",
	"items: {x: {code: <p>x</p>, pages: has(.kit) and not has(form), place: {after: h1}}, y: {classes: {body: y}, pages: has(h1)}}\n",
	"items: {x: {found: .kit, pages: none}, y: {found: {url: '/kit/**'}, pages: has(form.none)}}\n",
	"items: {x: {replaces: .kit, code: <p>x</p>, pages: all}, y: {replaces: {url: /kit/a.js}, script: /y.js, pages: all}}\n",
	"items: {x: {code: <p>x</p>, place: spot}, y: {code: <p>y</p>, pages: all, place: {last-in: main}}, z: {classes: {form: z}, pages: all}}\n",
	"items: {x: {code: <p>x</p>, pages: all, place: {instead-of: form}}, y: {code: <p>y</p>, pages: all, place: {before: .kit}, each: true}}\n",
	"metadata: [{pages: all, title: '@{page.heading or \"none\"}'}]\n",
	"metadata: [{pages: has(form), title: Form}, {pages: all, description: d}]\ndefaults: {robots: noindex}\n",
	"items: {x: {found: {url: /kit/b.js}, pages: all, load: defer, place: head-end}}\n",
	"items: {x: {popup: <p>x</p>, label: X, open: [{after: 8s}], pages: has(main)}}\n",
	"items: {x: {code: <p>x</p>, pages: has(main > p:last-child), place: {after: h1 + p}}}\n",
	"items: {x: {code: '<p>@{page.heading or \"none\"}</p>', pages: all, place: body-start}}\n",
	"items: {x: {code: <p>x</p>, pages: has(form), place: body-start}}\n",
	"metadata: [{pages: all, title: '@{page.text(main h1) or \"none\"}'}]\n",
	"metadata: [{pages: all, description: '@{page.attr(form, class) or page.text(p:last-child) or \"none\"}'}]\n",
	"items: {x: {code: '<p>@{page.text(p) or \"none\"}@{page.all(p) or \"none\"}</p>', pages: all, place: body-end}}\n",
	"items: {x: {code: '<p>@{page.text(main) or \"none\"}</p>', pages: all, place: body-start}, y: {code: <p>y</p>, pages: all, place: body-start}}\n",
	"items: {x: {code: '<p>@{page.text(form p) or \"none\"}</p>', place: spot}, y: {structured: {type: ItemList, name: {from: p, each: '@{row.text()}'}}, pages: all, place: body-end}}\n",
	"items: {x: {questions: {from: main, ask: h1, answer: p}, pages: all, place: head-end}, y: {replaces: .kit, code: '<p>@{page.heading or \"none\"}</p>', pages: all}}\n",
	"items: {x: {code: \"<p>\\n</p>\", pages: all, place: body-start}, y: {found: {url: '/kit/**'}, pages: has(form)}}\n",
	"items: {x: {code: <p>x</p>, pages: all, place: {before: p:last-child}}, y: {found: .kit, pages: none}}\n",
	"items: {x: {found: 'p:last-child', pages: none}, y: {classes: {'h1:only-child': y}, pages: all}}\n",
	"items: {x: {code: <p>x</p>, pages: all, place: {first-in: body}}, y: {code: <p>y</p>, pages: has(form), place: {last-in: body}}}\n",
	"items: {x: {replaces: .gone, code: <p>x</p>, script: /x.js, pages: has(form)}}\n",
	"items: {x: {found: table, pages: none}, y: {found: {url: '/**'}, pages: has(h2)}}\n",
	"items: {x: {code: <hr>, pages: all, place: {after: h2}, each: true}, y: {code: <hr>, pages: has(pre), place: {last-in: div}}}\n",
	"items: {x: {found: script, pages: none}, y: {replaces: ul, code: <i>y</i>, pages: all}, z: {classes: {p: z}, pages: not has(table)}}\n",
}

var begunPages = []string{
	source,
	strings.ReplaceAll(source, "\n", "\r\n"),
	"<!doctype html><html><head><meta charset=utf-8><title>a</title></head><body><h1>A</h1><main><p>x</main><!-- yg-spot x --><form></form><div class=kit></div></body></html>",
	"<!doctype html>\n<head>\n<meta charset=utf-8>\n</head>\n<body>\n<meta name=description content=late>\n<script src=/kit/b.js></script>\n<h1>B</h1>\n<p>a\n<div data-yg-spot=x></div>\n<noscript><img src=/kit/a.js></noscript>\n</body>\n<p>after\n",
	"<!doctype html><head><meta charset=utf-8></head><body><div class=kit>never closed <h1>C</h1><form><template><main></main></template><svg><title>t</title></svg>",
	"<!doctype html><head><meta charset=utf-8></head><body><h1>A <b>b</b> c</h1><p>x</body><p>after</body>\r\n<script src=/kit/b.js></script><p>last\r\n",
	"<!doctype html><head><meta charset=utf-8><div class=kit></div><title>t</title></head><body><p>a</p><p>b</p><div class=kit>x</div></body>",
	"<!doctype html><head><meta charset=utf-8></head><body><p>a</p><script src=/kit/b.js></script><p>b</p><form></form></body>",
	"<!doctype html><head><meta charset=utf-8></head><div class=kit></div><meta name=description content=d><body class=a><p>a</p><form></form></body>",
	"<!doctype html><head><meta charset=utf-8></head><body><p>x <!-- a --> <script>'</scr'+'</body>'</script><b><div class=kit><form>a</b></div></body>",
}

// begins checks that what is sure of each beginning of a page is what the whole page begins with. It returns how many
// bytes were sure, of how many.
func begins(t *testing.T, g *Gate, text []byte, cuts []int) (sure, all int) {
	t.Helper()
	pg := page.Page{Path: "/a/", File: "a/index.html"}
	whole := g.Page(text, pg)
	for _, p := range whole.Problems {
		if p.Severity == problem.Error {
			return 0, 0 // nothing is written
		}
	}
	for _, n := range cuts {
		b := g.Begin(text[:n:n], pg)
		if (b.Waits == "") != (len(b.Out) > 0) {
			t.Fatalf("after %d bytes: %q, and %q", n, b.Waits, b.Out)
		}
		if !bytes.HasPrefix(whole.File, b.Out) {
			t.Fatalf("after %d bytes of\n%s\nis sure\n%s\nand the whole is\n%s", n, text, b.Out, whole.File)
		}
		sure, all = sure+len(b.Out), all+n
	}
	return sure, all
}

// TestBegin: however a page is cut, what is sure of its beginning stays.
func TestBegin(t *testing.T) {
	for _, yaml := range begunGates {
		g := gate(t, yaml)
		sure, all := 0, 0
		for _, text := range begunPages {
			var cuts []int
			for n := range len(text) {
				if testsize.Full() || n%3 == len(text)%3 || n > len(text)-40 {
					cuts = append(cuts, n)
				}
			}
			n, of := begins(t, g, []byte(text), cuts)
			sure, all = sure+n, all+of
		}
		// Where something may come into the head until the page ends, nothing leaves before.
		always := func(part string) bool { return strings.Contains(yaml, part) }
		if all > 0 && sure == 0 &&
			!slices.ContainsFunc([]string{"form.none", "head-end", "last-child", "h1 + p", ".gone"}, always) {
			t.Errorf("nothing is ever sure with\n%s", yaml)
		}
	}
}

// TestBeginForeign is TestBegin on pages that nobody made for it, at random cuts.
func TestBeginForeign(t *testing.T) {
	if *pagesDir == "" {
		t.Skip("-pages names a folder of pages")
	}
	random := rand.New(rand.NewSource(1))
	var gates []*Gate
	for _, yaml := range begunGates {
		gates = append(gates, gate(t, "site: {source: s}\n"+yaml))
	}
	pages, sure, all := 0, 0, 0
	_ = filepath.WalkDir(*pagesDir, func(name string, d fs.DirEntry, err error) error {
		if err != nil || !strings.HasSuffix(name, ".html") && !strings.HasSuffix(name, ".htm") {
			return nil
		}
		text, err := os.ReadFile(name)
		if err != nil || len(text) > 1<<20 || len(text) == 0 {
			return nil
		}
		pages++
		for range 3 {
			n, of := begins(t, gates[random.Intn(len(gates))], text, []int{random.Intn(len(text)), random.Intn(len(text))})
			sure, all = sure+n, all+of
		}
		return nil
	})
	t.Logf("%d pages; %d of %d bytes were sure at their cuts", pages, sure, all)
}

// TestWaits: what a page waits for is said, with the line that asks for it.
func TestWaits(t *testing.T) {
	head := "<!doctype html><head><meta charset=utf-8><title>a</title></head><body><p>"
	for _, c := range []struct{ yaml, text, waits string }{
		{"items: {x: {script: /x.js, pages: has(form)}}\n", head + "x</p>", "has(form)"},
		{"items: {x: {script: /x.js, pages: has(form)}}\n", head + "x</p><form></form>", ""},
		{"items: {x: {code: <p>x</p>, pages: has(form), place: body-end}}\n", head + "x</p>", ""},
		{"metadata: [{pages: has(form), title: Form}]\n", head + "x</p>", "has(form)"},
		{"metadata: [{pages: all, title: '@{page.heading or \"none\"}'}]\n", head + "x</p>", "its first heading"},
		{"metadata: [{pages: all, title: '@{page.heading or \"none\"}'}]\n", head + "x</p><h1>H</h1><p>", ""},
		{"metadata: [{pages: all, title: '@{page.text(b) or \"none\"}'}]\n", head + "x</p>", "page.text(b)"},
		{"metadata: [{pages: all, title: '@{page.text(b) or \"none\"}'}]\n", head + "x</p><b>y", "page.text(b)"},
		{"metadata: [{pages: all, title: '@{page.text(b) or \"none\"}'}]\n", head + "x</p><b>y</b>", ""},
		{"metadata: [{pages: all, title: '@{page.attr(b, class) or \"none\"}'}]\n", head + "x</p><b class=c>y<i>", ""},
		{"metadata: [{pages: all, title: '@{page.all(b) or \"none\"}'}]\n", head + "x</p><b>y</b>", "page.all(b)"},
		{"metadata: [{pages: all, title: '@{page.text(b:last-child) or \"none\"}'}]\n", head + "x</p><b>y</b>",
			"page.text(b:last-child)"},
		{"items: {x: {code: '<p>@{page.heading or page.all(b) or \"none\"}</p>', pages: all, place: body-end}}\n",
			head + "x</p>", ""},
		{"items: {x: {code: '<p>@{page.text(b) or \"none\"}</p>', pages: all, place: {after: p}}}\n",
			head + "x</p><div>", ""},
		{"items: {x: {code: '<p>@{page.text(b)}</p>', pages: all, place: body-end}}\n", head + "x</p>", ""},
		{"items: {x: {questions: {from: dl, ask: dt, answer: dd}, pages: all}}\n", head + "x</p><dl></dl>",
			"what dl matches"},
		{"items: {x: {script: {value: /x.js, only: has(form)}, pages: all}}\n", head + "x</p>", "has(form)"},
		{"items: {x: {code: {value: <p>x</p>, only: has(form)}, place: body-end, pages: all}}\n", head + "x</p>", ""},
		{"metadata: [{pages: all, title: T}]\n", strings.Replace(head, "</head>", "", 1),
			"the end of its head and its body tag"},
		{"metadata: [{pages: all, title: T}]\n", strings.Replace(head, "<meta charset=utf-8>", "", 1),
			"its end, since it does not say its encoding"},
		{"items: {x: {code: '<meta name=a content=" + strings.Repeat("b", 1100) +
			">', pages: all, place: {before: meta}}}\n", head + "x</p>",
			"its end, since its encoding would change"},
	} {
		b := gate(t, c.yaml).Begin([]byte(c.text), page.Page{Path: "/a/"})
		if b.Waits != c.waits {
			t.Errorf("%s%s\nwaits for %q, want %q", c.yaml, c.text, b.Waits, c.waits)
		}
	}
}

// TestLateMetadata: what stands in the body of a page whose head is whole is no metadata of it; where the head
// broke, it fell out of it and comes back.
func TestLateMetadata(t *testing.T) {
	g := gate(t, "defaults: {description: of the gate}\n")
	for _, c := range []struct{ text, want string }{
		{"<!doctype html><html><head><title>a</title></head><body><meta name=description content=late></body></html>",
			"of the gate"},
		{"<!doctype html><html><head><title>a</title><p>x</p><meta name=description content=fell></head><body></body></html>",
			"fell"},
	} {
		file := string(g.Page([]byte(c.text), page.Page{Path: "/a/"}).File)
		if strings.Count(file, "name=\"description\"")+strings.Count(file, "name=description") != 1 ||
			!strings.Contains(file, c.want) {
			t.Errorf("%s\nbecomes\n%s", c.text, file)
		}
	}
}
