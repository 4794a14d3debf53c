package cli_test

import (
	"strings"
	"testing"

	"yellowgate/internal/clitest"
)

// TestMessages: what the usual slips are told, and what to do about them.
func TestMessages(t *testing.T) {
	const page = `<!doctype html><html lang=en><head><meta charset=utf-8><title>x</title><script src="/js/x.js?v=1"></script></head><body id=foo><p>a</p></body></html>`
	item := func(lines string) string {
		return "items:\n  a:\n    " + strings.ReplaceAll(lines, "\n", "\n    ") + "\n"
	}
	for _, c := range []struct {
		name, yaml string
		args       []string
		status     int
		want       []string
	}{
		{"a URL for a selector", item("found: /js/x.js"), nil, 2,
			[]string{`yellowgate.yaml:5:12: error: item "a": "/js/x.js" is not a selector: it looks like a URL`,
				"write {url: /js/x.js}"}},
		{"a relative URL for a selector", item("found: js/x.js"), nil, 2, []string{"write {url: /js/x.js}"}},
		{"# in a value", item("found: #foo"), nil, 2,
			[]string{`"found" in item "a" has no value`,
				"# begins a comment in YAML: put the value in quotes, '#foo'"}},
		{"# in a list", item("found:\n  - #foo"), nil, 2, []string{"# begins a comment in YAML: put the value in quotes"}},
		{"# in brackets", item("found: [ #foo ]"), nil, 2, []string{"a value that begins with # is put in quotes"}},
		{"code in braces", item("code: {x}"), nil, 2,
			[]string{"code should be a text, not a mapping", "YAML reads braces as a mapping"}},
		{"a glob without a slash", item("code: <b>x</b>\npages: news/*"), nil, 2,
			[]string{`"news/*" is not a glob`, `(did you mean "/news/*"?)`}},
		{"place: head", item("code: <b>x</b>\nplace: head\npages: all"), nil, 2,
			[]string{`unknown place "head" (did you mean "head-end"?)`, "the places are: head-start"}},
		{"og:title as a key", "metadata:\n  - pages: all\n    og:title: x\n", nil, 2,
			[]string{`unknown key "og:title"`, "social: {title: …}"}},
		{"an unknown key of a matcher", item("found: {src: x.js}"), nil, 2,
			[]string{`unknown key "src" in a matcher`, "the keys there are: url, text"}},
		{"an unknown key of open", item("popup: x\nopen: {delay: 3s}\npages: all"), nil, 2,
			[]string{`unknown key "delay" in open`,
				"the keys there are: after, scroll, click, fragment, leaving, pages"}},
		{"an unknown key of an item", item("script: /js/x.js\nexcepts: /"), nil, 2,
			[]string{`(did you mean "except"?)`, "the keys there are:"}},
		{"a regular expression", item(`found: {text: "foo("}`), nil, 2,
			[]string{"the regular expression does not compile", `write a \ before each: 'foo\('`}},
		{"a regular expression in a query", "sets:\n  n: 'title matches \"a(b\"'\n", nil, 2,
			[]string{"the regular expression does not compile", `"a\\(b"`}},
		{"a tag of YAML", item("code: <b>x</b>\npages: !all"), nil, 2,
			[]string{`YAML takes "!all" for a tag`, "put the value in quotes"}},
		{"a key without a value", item("code: <b>x</b>\npages:"), nil, 2, []string{`"pages" in item "a" has no value`}},
		{"an attribute in brackets", item("found: [data-x]"), nil, 2,
			[]string{"YAML takes [data-x] for a list", "put it in quotes: '[data-x]'"}},
		{"an element in brackets is a list", item("found: [script]\npages: all"), nil, 0,
			[]string{"found in the source of 2 pages"}},
		{"a selector into a noscript", item("found: noscript img"), nil, 2,
			[]string{"a browser with scripting on sees text in a noscript, and no elements"}},
		{"noscript:has()", item("code: <b>x</b>\npages: has(noscript:has(img))"), nil, 2, []string{"in a noscript"}},
		{"a file that the site lacks", item("script: /js/y.js\npages: all"), nil, 1,
			[]string{`item "a" loads /js/y.js, and the site has no such file (did you mean "/js/x.js"?)`}},
		{"a file in other case", item("script: /js/X.js\npages: all"), nil, 1,
			[]string{"it has /js/x.js: paths heed upper and lower case"}},
		{"a stylesheet of another site", item("stylesheet: https://v.example/y.css\npages: all"), nil, 0,
			[]string{"No errors"}},
		{"a matcher that matches nothing", item("found: {url: /lib/x.js}\npages: all"), nil, 0,
			[]string{
				`warning: item "a": found: url: /lib/x.js matches nothing on any page (did you mean "/js/x.js"?)`}},
		{"a matcher of what scripts bring", item("found: {url: /lib/x.js, rendered: true}\npages: all"), nil, 0,
			[]string{"No errors, no warnings"}},
		{"a matcher with another query", item(`found: {url: "/js/x.js?v=2"}` + "\npages: all"), nil, 0,
			[]string{`(did you mean "/js/x.js", without the query?)`}},
		{"a matcher by its query", item(`found: {url: "/js/x.js?v=*"}` + "\npages: all"), nil, 0,
			[]string{"No errors, no warnings", "found in the source of 2 pages"}},
		{"another extension", item("found: {url: /js/x.min.js}\npages: all"), nil, 0, []string{`(did you mean "/js/x.js"?)`}},
		{"an exception that excludes nothing", item("code: <b>x</b>\npages: /\nexcept: /contact.html"), nil, 0,
			[]string{"warning: item \"a\": except: /contact.html excludes nothing that pages chooses"}},
		{"a page without its ending", item("code: <b>x</b>\npages: /contact"), nil, 0,
			[]string{`(did you mean "/contact.html"?)`}},
		{"before a found item",
			item("code: <b>x</b>\nbefore: [g]\npages: all") + "  g: {found: {url: /js/x.js}, pages: all}\n", nil, 1,
			[]string{`item "a" is to stand before "g", which is found in the source page`,
				"place: {before: SELECTOR}"}},
		{"before a found item, at its place",
			item("code: <script>b()</script>\nplace: {before: 'script[src]'}\nbefore: [g]\npages: all") +
				"  g: {found: {url: /js/x.js}, pages: all}\n", nil, 0, []string{"No errors"}},
		{"notes that fail are shown",
			item("code: <b>@{fact.x or 'y'}</b>\npages: all") +
				"metadata: [{pages: all, description: '@{fact.x}'}]\n", []string{"check", "--fail-on", "note"}, 1,
			[]string{"has no value on 2 pages"}},
		{"semicolons", "", []string{"check", "--gate", "semi.yaml"}, 2,
			[]string{"the values of this file are not separated by commas", "save it with commas"}},
		{"find without a word", "", []string{"find"}, 2,
			[]string{"find takes a word, a name or a URL", "yellowgate find domkit"}},
		{"compare without folders", "", []string{"compare"}, 2,
			[]string{"compare takes two folders", "yellowgate compare site public"}},
		{"why without a page", "", []string{"why"}, 2,
			[]string{"why takes a page and an item", "yellowgate why /visit/ night-letter"}},
		{"pages that are none", item("code: <b>x</b>\npages: all"), []string{"pages", "/contact"}, 0,
			[]string{`did you mean "/contact.html"?`}},
		{"an audit of nothing", "", []string{"audit", "empty"}, 2,
			[]string{"there is no page in empty: nothing was audited"}},
		{"metadata that no page has", item("code: <b>x</b>\npages: all"), []string{"where", "robots"}, 0,
			[]string{"(no value)"}},
		{"items of an empty mapping", "items: {}\n", []string{"add", "b", "--code", "<i>x</i>", "--pages", "all"}, 0,
			[]string{"+items:", "+  b:"}},
		{"less of what is not there", item("code: <b>x</b>\npages: all\nexcept: [/, /x/]"),
			[]string{"set", "a", "--less", "--except", "/y/"}, 2,
			[]string{`except of item "a" has no "/y/"`, "it has /, /x/"}},
		{"less of a list", item("code: <b>x</b>\npages: all\nexcept: [/, /x/]"),
			[]string{"set", "a", "--less", "--except", "/"}, 0, []string{"+1 a comes to 1 page: /", "except: [/x/]"}},
		{"less of the only one", item("code: <b>x</b>\npages: all\nexcept: /"),
			[]string{"set", "a", "--less", "--except", "/"}, 0, []string{"-    except: /"}},
		{"removing an item with a spot", item("code: <b>x</b>\nplace: spot"), []string{"remove", "a"}, 0,
			[]string{"is written"}},
		{"a page that is one all the same", "", []string{"check", "--gate", "whole.yaml"}, 0, []string{"1 item on 3 pages"}},
		{"a fragment", item("code: <b>x</b>\npages: all"), nil, 0,
			[]string{"1 item on 2 pages", "1 file without html, head, body or title", "part.html"}},
	} {
		b := clitest.New(t, "site/index.html", page, "site/contact.html", page, "site/js/x.js", "x()\n",
			"site/part.html", "<p>x</p>\n", "empty/notes.txt", "x", "semi.csv", "path;name\n/;Home\n", "semi.yaml",
			"yellowgate: 1\nsite: {source: site, output: public, facts: semi.csv}\n", "whole.yaml",
			"yellowgate: 1\nsite: {source: site, output: public, pages: [part.html]}\nitems: {a: {code: <b>x</b>, pages: all}}\n",
			"yellowgate.yaml", "yellowgate: 1\nsite: {source: site, output: public}\n"+c.yaml)
		if c.args == nil {
			c.args = []string{"check"}
		}
		t.Run(c.name, func(t *testing.T) {
			b.T = t
			b.Want(c.status, c.args, c.want...)
		})
	}
}

// TestNoGateFile: whoever has none is told how to get one.
func TestNoGateFile(t *testing.T) {
	b := clitest.New(t, "site/index.html", clitest.Doc("t", ""))
	b.Want(2, clitest.Args("check"), "no yellowgate.yaml in this folder", "yellowgate survey DIR --write")
}

// TestSpotsOfRemoved: an item whose spot stands in pages is not removed in silence.
func TestSpotsOfRemoved(t *testing.T) {
	b := clitest.New(t, "site/index.html", clitest.Doc("t", "<!-- yg-spot map -->"), "yellowgate.yaml",
		clitest.SiteHead+"items:\n  map: {code: <b>x</b>, place: spot}\n  other: {code: <i>y</i>, pages: all}\n")
	b.Want(2, clitest.Args("remove", "map"), `item "map" has a spot on /`, "--release")
	b.Want(0, clitest.Args("remove", "map", "--release"), "is written", "yellowgate check")
	b.Want(2, clitest.Args("apply"), `a spot names "map", which is not an item`)
}

// TestBeforeFirstApply: diff compares with the source until something is applied.
func TestBeforeFirstApply(t *testing.T) {
	b := clitest.New(t, "site/index.html", clitest.Doc("Home", `<script src="/kit.js"></script>`),
		"site/a/index.html", clitest.Doc("A", `<script src="/kit.js"></script>`), "site/b/index.html",
		clitest.Doc("B", ""), "yellowgate.yaml",
		clitest.SiteHead+"items:\n  kit: {found: {url: /kit.js}, pages: /}\n  note: {code: <b>x</b>, pages: /a/}\n")
	out := b.Want(1, clitest.Args("diff"), "kit   -1  /a/", "note  +1  /a/", "--- source/a/index.html",
		`-  <script src="/kit.js"></script>`, "new, as the source has it: b/index.html",
		"the gate changes 1 of them; 2 will be written as the source has them")
	if strings.Contains(out, "source/index.html") {
		t.Errorf("a page that does not change has a diff:\n%s", out)
	}
	b.Write("public/b/index.html", "somebody's")
	b.Want(1, clitest.Args("diff", "--summary"), "1 file in the output folder not written by the tool")
	b.Want(3, clitest.Args("apply"), "b/index.html")
}
