package cli_test

import (
	"encoding/json"
	"regexp"
	"strings"
	"testing"

	"yellowgate/internal/clitest"
)

// looseSite loads on all four pages what few of them need.
func looseSite(t *testing.T) *clitest.Bench {
	page := func(body string) string {
		return "<!doctype html>\n<html lang=en>\n<head>\n<meta charset=utf-8>\n<title>t</title>\n<link rel=stylesheet href=/css/site.css>\n<link rel=stylesheet href=/kit/kit.css>\n" +
			"<script src=/kit/kit.js defer></script>\n<script src=/lib/lib.js></script>\n<script src=/js/count.js async></script>\n</head>\n<body>\n" + body + "\n</body></html>\n"
	}
	return clitest.New(t, "site/index.html", page("<p>x</p>"), "site/a/index.html",
		page("<form class=contact></form>"), "site/b/index.html", page("<p onclick='lib.go()'>x</p>"),
		"site/c/index.html", page("<p>x</p>"), "site/css/site.css", "body{margin:0} .kit-less{}", "site/kit/kit.css",
		"form.contact{margin:1em}", "site/kit/kit.js",
		"var f = document.querySelector('form.contact'); if (f) f.reset()", "site/lib/lib.js",
		"window.lib = { go: function () {} }", "site/js/count.js", "fetch('/count')", "yellowgate.yaml",
		"yellowgate: 1\nsite: {source: site, output: public}\nitems:\n  kit:                # for the contact form\n    found: {url: /kit/**}\n    pages: all        # why?\n")
}

// TestSuggest: what loads where nothing needs it, the lines that would change that,
// and what --write does with them.
func TestSuggest(t *testing.T) {
	b := looseSite(t)
	out := b.Want(0, clitest.Args("suggest"), "2 suggestions on 4 pages",
		"kit  possible: on 4 pages, needed on 1 (/a/); saves 6 requests, 3 of them blocking",
		"form.contact on 1 page", "not certain: a script runs on the page", "pages: has(form.contact)",
		"lib  possible: on 4 pages, needed on 1 (/b/)", "lib named by an event handler of the page on 1 page",
		"no script on the others calls the name lib", "pages: /b/", "cannot be seen from the text: 1",
		"/js/count.js  its code does more than look for elements: fetch")
	if strings.Contains(out, "site.css") {
		t.Error("what every page needs is suggested:\n" + out)
	}
	b.Want(0, clitest.Args("suggest", "site", "--verbose"), "3 suggestions on 4 pages", "kit-style",
		"loads /kit/kit.css", "survey site --write")
	b.Want(2, clitest.Args("suggest", "site", "--write"), "a folder has none")
	b.Want(2, clitest.Args("suggest", "--only", "kitt"), `nothing is suggested for "kitt" (did you mean "kit"?)`)
	b.Want(3, clitest.Args("suggest", "nowhere"), "nowhere")

	_, out, _ = b.Exec("suggest", "--format", "json")
	var s struct {
		Format      string
		Pages       int
		Suggestions []struct {
			Name, Query, Lines, Certainty string
			Is                            bool
			Needed                        []string
			Saves                         struct{ Requests, Blocking, Bytes, Gzip int }
		}
		Unseen []struct{ Name, Why string }
	}
	if err := json.Unmarshal([]byte(out), &s); err != nil || s.Format != "yellowgate.suggest/1" || s.Pages != 4 ||
		len(s.Suggestions) != 2 || len(s.Unseen) != 1 {
		t.Fatalf("%v\n%s", err, out)
	}
	if k := s.Suggestions[0]; k.Name != "kit" || !k.Is || k.Query != "has(form.contact)" || k.Saves.Requests != 6 ||
		k.Saves.Blocking != 3 || len(k.Needed) != 1 || k.Lines != "items:\n  kit:\n    pages: has(form.contact)\n" {
		t.Errorf("%+v", k)
	}

	before := b.Read("yellowgate.yaml")
	b.Want(0, clitest.Args("suggest", "--only", "kit", "--write"), "left out: 1 that are not proved") // a script runs
	if b.Read("yellowgate.yaml") != before {
		t.Error("what is only possible was written")
	}
	for _, name := range []string{"index.html", "a/index.html", "b/index.html", "c/index.html"} { // without any
		text := regexp.MustCompile(`<script[^>]*></script>| onclick='[^']*'`).ReplaceAllString(b.Read("site/"+name), "")
		b.Write("site/"+name, text)
	}
	b.Want(0, clitest.Args("suggest"), "kit  certain: on 4 pages, needed on 1 (/a/)")
	b.Want(0, clitest.Args("suggest", "--write", "--dry-run"), "-3 kit goes from 3 pages", "nothing was written")
	if b.Read("yellowgate.yaml") != before {
		t.Error("a dry run wrote")
	}
	b.Want(0, clitest.Args("suggest", "--only", "kit", "--write"), "-3 kit goes from 3 pages",
		"yellowgate.yaml is written")
	if got, want := b.Read("yellowgate.yaml"),
		strings.Replace(before, "pages: all        # why?", "pages: has(form.contact)        # why?",
			1); got != want {
		t.Errorf("the gate file is\n%s\nwant\n%s", got, want)
	}
	b.Want(0, clitest.Args("check"), "No errors, no warnings")
	b.Want(0, clitest.Args("apply"), "4 pages written")
	if has := func(page string) bool { return strings.Contains(b.Read("public/"+page), "kit") }; has("index.html") ||
		has("c/index.html") || !has("a/index.html") {
		t.Error("what was written does not do what was suggested")
	}
	b.Want(0, clitest.Args("suggest"), "✓ nothing loads on 4 pages where nothing seems to need it")
}

// TestLosses: check and diff warn where an item goes out of a page that seems to need
// it, and nowhere else.
func TestLosses(t *testing.T) {
	b := looseSite(t)
	gate := func(kit, lib string) {
		b.Write("yellowgate.yaml",
			"yellowgate: 1\nsite: {source: site, output: public}\nitems:\n  kit: {found: {url: /kit/**}, pages: "+
				kit+"}\n  lib: {found: {url: /lib/**}, pages: "+lib+"}\n")
	}
	gate("all", "all")
	b.Want(0, clitest.Args("apply"))
	gate("/a/", "/b/")
	b.Want(0, clitest.Args("check"), "No errors, no warnings")
	if out := b.Want(1, clitest.Args("diff", "--summary"), "kit  -3"); strings.Contains(out, "warning") {
		t.Error(out)
	}
	gate("none", "/a/")
	b.Want(0, clitest.Args("check"),
		`warning: item "kit" goes out of the page, and the page seems to need it: form.contact is on the page`,
		"(on /a/)",
		`item "lib" goes out of the page, and the page seems to need it: an event handler of the page calls lib, which nothing else defines (on /b/)`,
		"2 warnings")
	b.Want(1, clitest.Args("diff", "--summary"), "warning kit goes from /a/, and the page seems to need it",
		"warning lib goes from /b/")
	b.Want(0, clitest.Args("apply"))
	b.Want(0, clitest.Args("diff"), "Nothing to apply")
	// Something else does the work: another stylesheet and script of the same.
	b.Write("site/kit2.css", "form.contact{margin:2em}")
	b.Write("site/kit2.js", "document.querySelector('form.contact')")
	b.Write("yellowgate.yaml",
		b.Read("yellowgate.yaml")+
			"  kit2: {stylesheet: /kit2.css, script: /kit2.js, pages: /a/}\n  lib2: {script-text: 'window.lib = { go() {} }', pages: /b/}\n")
	b.Want(0, clitest.Args("check"), "No errors, no warnings")
}

// TestSuggestQueries: which pages a suggestion chooses, and where it gives no lines.
func TestSuggestQueries(t *testing.T) {
	page := func(body string) string {
		return "<!doctype html><html lang=en><head><meta charset=utf-8><title>t</title><meta name=author content=\"The trustees\"><link rel=stylesheet href=/kit.css></head><body>" +
			body + "</body></html>"
	}
	kit, none := page("<p class=kit data-kit>"), page("<p>")
	for _, c := range []struct {
		name  string
		gate  string            // items and what follows
		pages map[string]string // more than the two of the site
		css   string
		says  []string
	}{
		{"a class", "", nil, ".kit{}", []string{"pages: has(.kit)", "kit-style"}},
		{"of several, the plainest", "", nil, "p .kit b{} p.kit{} .kit{}", []string{"pages: has(.kit)"}},
		{"a selector that no query can ask", "", nil, "[data-kit]::before{}", []string{"pages: /kit/"}},
		{"a folder", "", map[string]string{"kit/a": kit, "kit/b": kit}, "[data-kit]::before{}", []string{"pages: /kit/**"}},
		{"all but few", "", func() map[string]string {
			more := map[string]string{}
			for _, n := range strings.Fields("a b c d e f g h i j k l m n o") {
				more[n] = kit
				more["x-"+n+"/y"] = kit
			}
			return more
		}(), "[data-kit]::before{}", []string{"pages: all and not /"}},
		{"an item keeps its other lines", "items:\n  mine: {found: {url: /kit.css}, pages: all, note: ours}\n", nil,
			".kit{}", []string{"mine  certain: on 2 pages, needed on 1", "pages: has(.kit)"}},
		{"in for another reason",
			"items:\n  mine: {found: {url: /kit.css}, pages: /kit/}\nper-page:\n  /: {in: [mine]}\n", nil, ".kit{}",
			[]string{"mine  certain", "no short page query"}},
		{"metadata that is the same", "", map[string]string{"c": none}, ".kit{}",
			[]string{"author  certain", "all 3 pages write it, with the value The trustees",
				"- pages: all\n        author: The trustees"}},
		{"metadata that the gate decides", "metadata:\n  - {pages: all, author: Somebody}\n",
			map[string]string{"c": none}, ".kit{}", []string{"1 suggestion on 3 pages"}},
		{"nothing in it", "", nil, "/* nothing */",
			[]string{"nothing loads on 2 pages where nothing seems to need it", "/kit.css  it has no selectors"}},
	} {
		b := clitest.New(t, "site/index.html", none, "site/kit/index.html", kit, "site/kit.css", c.css,
			"yellowgate.yaml", "yellowgate: 1\nsite: {source: site, output: public}\n"+c.gate)
		for name, text := range c.pages {
			b.Write("site/"+name+"/index.html", text)
		}
		out := b.Want(0, clitest.Args("suggest"))
		for _, say := range c.says {
			if !strings.Contains(out, say) {
				t.Errorf("%s: %q is not in\n%s", c.name, say, out)
			}
		}
	}
}

// TestSuggestKeeps: what stands on a page that leads elsewhere stays there, a third party's
// script keeps its settings, and metadata that all pages write gets lines that can be read.
func TestSuggestKeeps(t *testing.T) {
	page := func(head, body string) string {
		return "<!doctype html>\n<html lang=en>\n<head>\n<meta charset=utf-8>\n<title>t</title>\n<meta property=og:type content=website>\n<meta name=color-scheme content=\"light dark\">\n<meta name=author content=\"Tern Hill\">\n" +
			"<link rel=stylesheet href=/kit.css>\n" + head + "</head>\n<body>\n" + body + "\n</body></html>\n"
	}
	const tag = "<script>window.tq = window.tq || []; tq.push(['start', 7])</script>\n<script async src=https://tags.lantern.example/t.js></script>\n"
	b := clitest.New(t, "site/kit.css", ".kit{color:red}", "site/index.html", page("", "<p>x"), "site/a/index.html",
		page("", "<p class=kit>x"), "site/b/index.html", page(tag, "<p>x"), "site/c/index.html", page(tag, "<p>x"),
		"site/old/index.html",
		page("<meta http-equiv=refresh content='0; url=/a/'>\n<script>var moved = 1</script>\n", "<p>moved"))
	b.Want(0, clitest.Args("survey", "site", "--write"), "with a name")
	gate := b.Read("yellowgate.yaml")
	for _, want := range []string{"  kit-style:  # on all 5 pages, 15 bytes\n    found: {url: /kit.css}\n    pages: all or has(meta[http-equiv=\"refresh\" i])\n",
		"    found:\n      - {url: https://tags.lantern.example/t.js}\n      - {text: 'window\\.tq = window\\.tq \\|\\| \\[\\]; tq\\.push\\(\\[''start'', 7\\]\\)'}\n    pages: all\n",
		"    found: {text: 'var moved = 1'}\n    pages: has(meta[http-equiv=\"refresh\" i])\n"} {
		if !strings.Contains(gate, want) {
			t.Errorf("the gate file lacks\n%s\nit is\n%s", want, gate)
		}
	}
	b.Want(0, clitest.Args("check"), "No errors, no warnings")
	b.Want(0, clitest.Args("apply"))
	for _, p := range []string{"index.html", "a/index.html", "b/index.html", "old/index.html"} {
		if b.Read("public/"+p) != b.Read("site/"+p) {
			t.Errorf("%s is not as it was, though all was to stay", p)
		}
	}
	b.Want(0, clitest.Args("suggest", "--write"), "yellowgate.yaml is written", "goes from 1 page")
	gate = b.Read("yellowgate.yaml")
	for _, want := range []string{`property: {"og:type": website}`, "meta: {color-scheme: light dark}",
		"author: Tern Hill"} {
		if !strings.Contains(gate, want) {
			t.Errorf("the gate file lacks %q:\n%s", want, gate)
		}
	}
	b.Want(0, clitest.Args("check"), "No errors, no warnings")
	b.Want(0, clitest.Args("apply"))
	for p, keeps := range map[string]bool{"index.html": false, "a/index.html": true, "b/index.html": true,
		"c/index.html": true, "old/index.html": true} {
		if strings.Contains(b.Read("public/"+p), "kit.css") != keeps {
			t.Errorf("%s: the stylesheet is kept: %v, want %v", p, !keeps, keeps)
		}
	}
	for _, p := range []string{"b/index.html", "c/index.html"} {
		if text := b.Read("public/" + p); !strings.Contains(text, "tq.push") || !strings.Contains(text, "t.js") {
			t.Errorf("%s lost its tag or the settings of it", p)
		}
	}
	b.Want(0, clitest.Args("suggest"), "its code is a third party's")
}
