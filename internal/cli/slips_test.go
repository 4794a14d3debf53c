package cli_test

import (
	"strings"
	"testing"

	"yellowgate/internal/clitest"
)

// TestSlips: slips that a gate file hides from whoever reads it: what the site shows of them.
func TestSlips(t *testing.T) {
	page := strings.Replace(clitest.Doc("Home", `<p id="first">x</p>`), "</head>",
		`<script src="/js/old.js" defer></script></head>`, 1)
	for _, c := range []struct {
		name, yaml string
		status     int
		want       []string
		not        string
	}{
		{"a script that does not parse", "items: {a: {script: /js/bad.js, pages: all}}\n", 1,
			[]string{
				`error: item "a" loads /js/bad.js, which a browser cannot parse (line 2): this JavaScript does not parse`},
			""},
		{"a stylesheet that does not parse", "items: {a: {stylesheet: /css/bad.css, pages: all}}\n", 1,
			[]string{`error: item "a" loads /css/bad.css, which a browser cannot parse (line 1)`}, ""},
		{"a name misspelt in code", "items: {a: {code: '<b>@{colr}</b>', params: {color: red}, pages: all}}\n", 2,
			[]string{`unknown name "colr" in a placeholder (did you mean "color"?)`}, ""},
		{"a name of another language in code",
			"items: {a: {code: '<style>@media x { @{zz} {} }</style>', pages: all}}\n", 0, nil, "zz"},
		{"a parameter that nothing uses",
			"items: {a: {code: '<b>@{color}</b>', params: {color: red, size: 3}, pages: all}}\n", 0,
			[]string{`warning: item "a" uses its parameter "size" nowhere`}, `parameter "color"`},
		{"questions without text", "items: {a: {questions: [{ask: ' ', answer: yes}], pages: all}}\n", 2,
			[]string{"ask of a question has no text"}, ""},
		{"noindex on all pages", "metadata: [{pages: all, robots: noindex}]\n", 0,
			[]string{"warning: this noindex reaches all 2 pages of the site"}, "home page"},
		{"noindex on the home page", "metadata: [{pages: /, robots: 'noindex, nofollow'}]\n", 0,
			[]string{"warning: this noindex reaches the home page"}, "all 2 pages"},
		{"noindex elsewhere", "metadata: [{pages: /visit/, robots: noindex}]\n", 0,
			[]string{"yellowgate.yaml:3:12      1  robots"}, "warning:"},
		{"a rule that sets nothing", "metadata: [{pages: all, title: a}, {pages: all, title: b}]\n", 0,
			[]string{
				"yellowgate.yaml:3:12: warning: this metadata rule chooses 2 pages and sets nothing: later rules",
				"has the last word on 0"}, ""},
		{"a default that fills nothing", "defaults: [{pages: all, title: a}]\n", 0,
			[]string{"sets nothing: the pages have values of their own"}, ""},
		{"a path misspelt within or", "items: {a: {code: <b>x</b>, pages: /vist/ or /visit/}}\n", 0,
			[]string{`warning: /vist/, in /vist/ or /visit/, is not a page of the site (did you mean "/visit/"?)`},
			""},
		{"a path misspelt within not", "items: {a: {code: <b>x</b>, pages: all, except: not /vist/}}\n", 0,
			[]string{`/vist/, in not /vist/, is not a page of the site`}, ""},
		{"a popup with an id of the page",
			"items: {a: {popup: '<p id=first>x</p>', label: l, open: {fragment: a}, pages: all}}\n", 1,
			[]string{`the popup of item "a" has an element with the id "first", and so has the page (on 2 pages`},
			""},
		{"a popup with an id of another item",
			"items: {a: {popup: '<p id=mine>x</p>', label: l, open: {fragment: a}, pages: all}, b: {code: <i id=mine>x</i>, pages: /}}\n",
			1, []string{`the id "mine", and so has item "b" (on /)`}, ""},
		{"one cause, one message: a set",
			"sets: {booking: {query: /book/**}}\nitems: {a: {code: <b>x</b>, pages: booking}}\n", 2,
			[]string{"1 error: nothing was written"}, "unknown page set"},
		{"one cause, one message: a key",
			"itemz: {lib: {}}\nsetz: {a-b: /x/}\nmetadata: [{pages: a-b, title: x}]\nper-page: {/: {in: [lib]}}\n", 2,
			[]string{"2 errors: nothing was written"}, "unknown item"},
		{
			"brackets within braces", "items:\n  a: {pages: all, found: script[src*=dom]}\n", 2,
			[]string{"yellowgate.yaml:4:26: error", `{found: "script[src]"}`}, "",
		},
		{"braces in a list", "items:\n  a:\n    code: x\n    pages: [/a/**,\n      /{de,fr}/b/**]\n", 2,
			[]string{"yellowgate.yaml:7:7: error", "YAML reads the braces and brackets of a value in a list"}, ""},
		{"a quote within quotes", "metadata: [{pages: all, title: '@{page.title or 'x'}'}]\n", 2,
			[]string{"yellowgate.yaml:3:32: error", "quotes within a quoted value end it"}, ""},
		{"without the site's address",
			"site: {source: site, output: public}\nmetadata: [{pages: all, canonical: '@{page.url}'}, {pages: /, canonical: '@{site.url}/'}]\n",
			2, []string{"canonical needs the site's address, and site.url is missing", "1 error"}, ""},
		{"a host of trust that is a URL", "items: {}\n", 0, nil, "trust"},
		{"what comes next of items with dates",
			"items: {a: {code: <b>x</b>, from: 2027-01-05, pages: all}, b: {code: <i>x</i>, until: 2026-12-31, pages: all}, c: {code: <u>x</u>, until: 2026-01-01, pages: all}}\n",
			0,
			[]string{`warning: item "c" is over: its last day was 2026-01-01`,
				"apply must run again on 2027-01-01 (b goes out)"}, ""},
	} {
		t.Run(c.name, func(t *testing.T) {
			t.Parallel()
			head := clitest.SiteHead
			if strings.Contains(c.yaml, "site: {") {
				head = "yellowgate: 1\n"
			}
			b := clitest.New(t, "yellowgate.yaml", head+c.yaml, "site/index.html", page, "site/visit/index.html", page,
				"site/js/bad.js", "ok();\nvar a = ;\n", "site/css/bad.css", "p { color: red }}\n", "site/js/old.js", "old()")
			out := b.Want(c.status, clitest.Args("check", "--at", "2026-11-30"), c.want...)
			// What check calls an error, apply refuses; what apply takes, check does not call one.
			if status, _, _ := b.Exec("apply", "--at", "2026-11-30", "-q"); (status == 0) != (c.status == 0) {
				t.Errorf("check ends with %d, apply with %d", c.status, status)
			}
			if c.not != "" && strings.Contains(out, c.not) {
				t.Errorf("%q is in\n%s", c.not, out)
			}
		})
	}
}

// TestIncludeOutside: gate files of a folder that site.outside names are included, and of no other.
func TestIncludeOutside(t *testing.T) {
	b := clitest.New(t, "shared/a.yaml", "items: {inc: {code-file: i.html, pages: all}}\n", "shared/i.html",
		"<i>i</i>", "top/site/index.html", clitest.Doc("Home", ""), "top/yellowgate.yaml",
		"yellowgate: 1\ninclude: ../shared/*.yaml\nsite: {source: site, output: public}\n")
	b.Want(2, clitest.Args("check", "--gate", "top/yellowgate.yaml"), "the file lies outside the gate file's folder",
		"outside: [PATH]")
	b.Replace("top/yellowgate.yaml", "output: public", "output: public, outside: [../shared]")
	b.Want(0, clitest.Args("apply", "--gate", "top/yellowgate.yaml"), "1 page written")
	if !strings.Contains(b.Read("top/public/index.html"), "<i>i</i>") {
		t.Error(b.Read("top/public/index.html"))
	}
}
