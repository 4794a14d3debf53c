package gatefile

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/bmatcuk/doublestar/v4"
)

const head = "yellowgate: 1\n"

// problemCases are gate files with mistakes, and what is said of them.
var problemCases = []struct {
	name, text string
	want       []string
}{
	{"empty", "", []string{"1:1 the gate file is empty"}},
	{"no version", "items: {}\n", []string{"1:1 does not say its format's version"}},
	{"other version", "yellowgate: 2\n", []string{"1:13 version 2"}},
	{"unknown key", head + "items:\n  night-letter:\n    code: <p>x</p>\n    excepts: /\n",
		[]string{`5:5 unknown key "excepts" in item "night-letter" (did you mean "except"?)`}},
	{"audit keys", head + "budgets: [{pages: all, scripts: much, blocking: 1.5}, {pages: all}]\naccept: [{check: x, pages: all}, {pages: all, note: n}]\nchecks: {a: loud}\n", []string{
		`2:33 scripts is a size, such as 51200, 50 kB, 8 MB or 64 MiB, not "much"`, `2:49 blocking is a count, not "1.5"`, "2:55 an entry of budgets has pages and a limit", "3:10 an entry of accept has no note",
		"3:34 an entry of accept names no check", `4:13 a severity is one of error, warning, note, none, not "loud"`}},
	{"several at once", head + "site: {nam: x, marks: maybe}\nsets: {events: /a and, all: /b}\nitems: {A: {script: /a.js, load: dever}, b: {}}\n", []string{
		`2:8 unknown key "nam" in site (did you mean "name"?)`, "2:23 site.marks should be true or false",
		"3:22 the query ends where", `3:24 a page set cannot be called "all"`,
		`4:9 lower-case words with hyphens, not "A" (for example a)`, `4:34 load is one of defer, async, module, now, not "dever" (did you mean "defer"?)`}},
	{"query position", head + "items:\n  a:\n    script: /a.js\n    pages: /x or evnts\nsets: {events: /e}\n",
		[]string{`5:18 unknown page set "evnts" (did you mean "events"?)`}},
	{"quoted query position",
		head + "items:\n  a:\n    script: /a.js\n    pages: [\"/x or evnts\"]\nsets: {events: /e}\n",
		[]string{`5:20 unknown page set "evnts"`}},
	{"circle of sets", head + "sets: {a: b, b: c or /x, c: a}\n",
		[]string{"2:26 page sets defined in a circle: a → b → c → a"}},
	{"names", head + "items:\n  a: {script: /a.js, needs: [bb], before: a}\n  b: {script: /b.js}\nper-page: {/x: {in: [c], out: [b]}, /x/: {in: b}, x: {}}\n", []string{
		`3:30 unknown item "bb" (did you mean "b"?)`, `3:43 item "a" names itself`,
		`5:22 unknown item "c"`, "5:37 stands under per-page twice", `5:51 begins with "/"`}},
	{"in and out", head + "items: {a: {script: /a.js}}\nper-page: {/x: {in: a, out: a}}\n",
		[]string{"3:29 both in and out"}},
	{"in while disabled", head + "items: {a: {script: /a.js, disabled: true}}\nper-page: {/x: {in: a}}\n",
		[]string{"3:21 it is disabled"}},
	{"carries nothing", head + "items: {a: {pages: all}}\n", []string{`2:9 item "a" carries nothing`}},
	{"selectors", head + "items:\n  a: {found: 'a:hover', pages: all}\n  b: {code: x, place: {before: 'p::x'}}\n",
		[]string{`3:16 ":hover"`, "4:34 pseudo-element"}},
	{"place",
		head + "items: {a: {code: x, place: head-eend}, b: {code: x, place: before}, c: {code: x, place: spot}}\n",
		[]string{`2:29 unknown place "head-eend" (did you mean "head-end"?)`, `2:61 needs a selector`}},
	{"languages",
		head +
			"metadata: [{pages: all, alternates: {en: '/{rest}', de: /de/, fr: 'fr/{rest}', nolanguage1: '/x/{rest}'}}]\n",
		[]string{"2:57 is not a pattern", "2:67 is not a pattern", "2:80 \"nolanguage1\" is not a language"}},
	{"a host that is none", head + "site: {gateway: {hosts: [www.ternhill.example, \"https://a.example\"]}}\n",
		[]string{`2:48 "https://a.example" is not a host name`}},
	{"what the gateway cannot know yet",
		head + "site: {gateway: {pass: [/a/**, has(form), status = 404 and title]}}\n",
		[]string{`2:32 site.gateway.pass is decided before the page has come, and has(form) stands in it`,
			`2:43 site.gateway.pass is decided before the page has come, and title stands in it`}},
	{"a parameter that makes no page", head + "site: {query: p}\nsets: {a: query.p = 2, b: query.s = 2}\n",
		[]string{`3:27 no page has the parameter "s"`}},
	{"a path without its first slash",
		head + "items: {a: {found: {url: js/kit.js}}, b: {found: {url: kit.js}}, c: {found: {url: ../js/kit.js}}}\n",
		[]string{"2:26 begins with", "2:56 begins with", "2:83 begins with"}},
	{"a parameter", head + "site: {query: ['?p=2', s]}\n", []string{"2:16 is not the name of a parameter"}},
	{"matcher", head + "items: {a: {found: {url: '/a[', text: '('}}, b: {found: {text: '('}}}\n",
		[]string{"2:26 never closed", "2:64 does not compile"}},
	{"tag for a URL", head + "items: {a: {script: '<script>'}, b: {stylesheet: 'p { margin: 0 }'}}\n",
		[]string{"2:21 takes a URL, not a tag", "2:50 takes a URL, not code"}},
	{"placeholder", head + "metadata:\n  - pages: all\n    title: \"@{page.titel} x\"\n",
		[]string{`4:15 unknown name "page.titel" in a placeholder (did you mean "page.title"?)`}},
	{"rule without pages", head + "metadata:\n  - title: x\n", []string{"3:5 does not say for which pages"}},
	{"bare defaults", head + "defaults:\n  description: x\n", nil},
	{"twice", head + "items:\n  a: {script: /a.js}\n  a: {script: /b.js}\n",
		[]string{`4:3 "a" stands in items twice, first in line 3`}},
	{"tab", head + "items:\n\ta: {}\n", []string{"3:1 a tab cannot indent"}},
	{"unquoted placeholder", head + "metadata:\n  - pages: all\n    title: @{page.title}\n",
		[]string{"4:12 this is not YAML"}},
	{"bracket selector", head + "items:\n  a:\n    found: [href=x] b\n", []string{"4:12 this is not YAML"}},
	{"comment in a value", head + "items:\n  a:\n    found: style #contact\n    pages: none\n",
		[]string{"4:18 YAML takes the rest of this line for a comment"}},
	{"colon in a value", head + "items:\n  a:\n    script: /a.js\n    note: first: second\n",
		[]string{"this is not YAML"}},
	{"site url", head + "site: {url: ternhill.example}\n", []string{"2:13 absolute address"}},
	{"attrs", head + "items: {a: {script: /a.js, attrs: {src: x, 'b c': d}}}\n",
		[]string{`2:36 "src" is not set by attrs`, `2:44 not a name for an attribute`}},
	{"params", head + "items: {a: {code: x, params: {n: {value: 12, max: 9}, shape: {value: rong, one-of: [ring, dot]}, d: {value: 2s, min: 300ms}, e: {min: 1}}}}\nper-page: {/x: {params: {a: {n: 0, m: 1}, b: {n: 1}}}}\n", []string{
		"2:42 n is at most 9, not 12", `2:70 shape is one of ring, dot, not "rong" (did you mean "ring"?)`, `2:126 the parameter "e" has no value`,
		`3:36 item "a" has no parameter "m"`, `3:47 unknown item "b"`}},
	{"popup", head + "items:\n  a: {popup: <p>x</p>}\n  b: {code: x, open: {after: 1s}, again: once}\n  c: {popup: x, again: soon, open: [{after: 5}, {scroll: 60}, {fragment: a b}, {click: '::x'}, {pages: all}, {after: 1s, leaving: true}]}\n", []string{
		`3:3 nothing opens the popup of item "a"`, `4:16 "open" is for popups, and item "b" has none`, `4:35 "again" is for popups`,
		`5:24 "soon" does not say when`, `5:45 "5" is not a time`, "5:58 a share of the page", "5:74 a fragment is letters", "5:89 pseudo-element", "5:96 this entry of open does not say what opens", `5:122 "leaving" stands besides "after"`}},
	{"dates",
		head +
			"items: {a: {script: /a.js, from: June, until: 2027-13-01}, b: {script: /b.js, from: 2027-07-01, until: 2027-06-01}}\n",
		[]string{`2:34 from is a day, not "June"`, "2:47 until is a day",
			`2:104 item "b" ends (2027-06-01) before it begins (2027-07-01)`}},
	{"keys that need a part",
		head +
			"items: {a: {code: x, load: defer, media: print, integrity: auto, each: true}, b: {script: [/a.js, /b.js], integrity: sha256-AAAA}, c: {script: /c.js, integrity: md5}}\n",
		[]string{`2:22 "load" is for scripts`, `2:35 "media" is for stylesheets`, `2:49 "integrity" is for a script`,
			"2:66 each is for a place at a selector", "2:118 one integrity value cannot be that of 2 files",
			`2:162 "md5" is not an integrity value`}},
	{"metadata", head + "metadata:\n  - pages: all\n    meta: {description: x, 'og:title': y}\n    link: {stylesheet: /x.css, canonical: /}\n    social: {titel: x}\n    icon: {sizes: any}\n    property: {'og:image': [a, none]}\n", []string{
		`4:12 "description" is a metadata key of its own`, `4:28 "og:title" is a property`, `5:12 "stylesheet" is not set under link`, `5:32 "canonical" is not set under link`,
		`6:14 unknown key "titel" in social (did you mean "title"?)`, `7:11 icon has no href`, `8:16 "property.og:image" is none and has a value`}},
	{"structured",
		head +
			"items: {a: {structured: x}, b: {structured: {a: null}}, c: {questions: [{ask: x}]}, d: {questions: plain}}\n",
		[]string{"2:25 structured should be a mapping", "2:49 an empty value",
			"2:73 a question has an ask and an answer", "2:100 questions should be a list"}},
	{"blank pages and require",
		head + "blank-pages: [{path: x}, {title: y}]\nrequire: [{pages: all, metadata: [titel]}, {pages: all}]\n",
		[]string{`2:22 a page's path begins with "/"`, "2:26 has no path",
			`3:35 unknown metadata key "titel" (did you mean "title"?)`, "3:44 has pages and metadata"}},
	{"not with", head + "items: {a: {script: /a.js, needs: b, not-with: b}, b: {script: /b.js}}\n",
		[]string{`2:48 item "a" needs "b" (line 2), and must not meet it`}},
	{"place per part",
		head +
			"items: {a: {code: x, place: {codes: spot}}, b: {found: p, place: {found: spot}}, c: {popup: x, open: {fragment: c}, place: spot}}\n",
		[]string{`2:30 unknown key "codes" in place (did you mean "code"?)`, "2:74 cannot be moved to a spot",
			"2:82 a popup is not placed at a spot"}},
	{"not a mapping", head + "items: [a]\nsite: x\n",
		[]string{"2:8 items should be a mapping", "3:7 site should be a mapping"}},
}

// TestProblems holds the problems of a gate file, each "line:column message",
// against what is expected: all of them, in order.
func TestProblems(t *testing.T) {
	for _, c := range problemCases {
		_, problems := Parse("g.yaml", []byte(c.text), nil)
		var got []string
		for _, p := range problems {
			got = append(got, strings.TrimPrefix(p.Pos.String(), "g.yaml:")+" "+p.Message)
		}
		ok := len(got) == len(c.want)
		for i := range c.want {
			at, message, found := strings.Cut(c.want[i], " ")
			if !found || !strings.Contains(at, ":") || at == "this" {
				at, message = "", c.want[i]
			}
			ok = ok && strings.HasPrefix(got[i], at) && strings.Contains(got[i], message)
		}
		if !ok {
			t.Errorf("%s: problems\n  %s\nwant\n  %s", c.name, strings.Join(got, "\n  "), strings.Join(c.want, "\n  "))
		}
	}
}

// TestRemedies: the usual slips of YAML are explained.
func TestRemedies(t *testing.T) {
	for text, want := range map[string]string{
		"metadata:\n  - pages: all\n    title: @{page.title}\n": "in quotes",
		"items:\n  a:\n    found: [href=x] b\n":                 "begins with [",
		"items:\n  a:\n    found: *.x\n":                        "begins with *",
		"items:\n  a:\n    script: /a.js\n    note: a: b\n":     "colon and a space",
	} {
		_, problems := Parse("g.yaml", []byte(head+text), nil)
		if len(problems) == 0 || !strings.Contains(problems[0].Remedy, want) {
			t.Errorf("%q: %+v, want a remedy with %q", text, problems, want)
		}
	}
}

// FuzzParse: nothing makes it panic, and every problem has a position.
func FuzzParse(f *testing.F) {
	demo, err := os.ReadFile(filepath.Join("..", "..", "demo", "files", "yellowgate.yaml"))
	if err != nil {
		f.Fatal(err)
	}
	f.Add(demo)
	for _, s := range []string{"", "a", "a: [", "yellowgate: 1\nitems: {a: &x {script: /a}, b: *x}", "? [a]: b",
		"<<: {a: b}", "--- a\n--- b", "items:\n  a:\n    code: |\n      @{page.x\n",
		"yellowgate: !!str 1\nsets: {a: |\n  /b or\n  c}", "sets:\n  a: a", "per-page:\n  /: ~", "\xff",
		"items: {a: {found: {url: 1.0}}}"} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, text []byte) {
		lines := len(linesOf(text))
		_, problems := Parse("g.yaml", text, nil)
		for _, p := range problems {
			if p.Pos.File != "g.yaml" || p.Pos.Line < 1 || p.Pos.Column < 1 || p.Pos.Line > lines+1 || p.Message == "" {
				t.Fatalf("%q: %+v has no position", text, p)
			}
		}
	})
}

// TestAnyCharacters: "**" means any characters wherever it stands.
func TestAnyCharacters(t *testing.T) {
	for _, c := range []struct {
		glob, url string
		want      bool
	}{
		{"**highlight.min.js", "lib/v1/highlight.min.js", true}, {"localhost/a.js", "localhost/a.js", true}, {
			"tags.example/**", "tags.example/a/b.js", true}, {"localhost:3000/*", "localhost:3000/a", true}, {
			"**highlight.min.js", "my-highlight.min.js", true}, {"**highlight.min.js", "lib/highlight.js", false},
		{"https://**highlight*", "https://cdn.example/a/b/highlight-11.js", true}, {"https://**highlight*",
			"https://cdn.example/a/b/other.js", false},
		{"/a**b.js", "/ab.js", true}, {"/a**b.js", "/a/x/y/b.js", true}, {"/a**b.js", "/axb.js", true}, {"/a**b.js",
			"/xab.js", false},
		{"/a**b**c.js", "/a1/2b3/4c.js", true}, {"/a**b**c.js", "/a1/2/4c.js", false}, {"/kit-**", "/kit-1/a/b.js",
			true}, {"/kit-**", "/kit-1.js", true}, {"/kit-**", "/kit/1.js", false},
		{"/kit**/a.js", "/kits/x/a.js", true}, {"/kit**/a.js", "/kit/a.js", true}, {"/kit/**", "/kit/a/b.js", true}, {"/**/a.js", "/a.js", true}, {"/k/**/a*.js", "/k/x/y/ab.js", true},
	} {
		if relative(c.glob) {
			t.Errorf("%s is no path", c.glob)
		}
		if got := doublestar.MatchUnvalidated(anyCharacters(c.glob), c.url); got != c.want {
			t.Errorf("%s, as %s, on %s: %v", c.glob, anyCharacters(c.glob), c.url, got)
		}
	}
}

// TestSibling: the path of a page in another language.
func TestSibling(t *testing.T) {
	of := Alternates{{"en", "/", ""}, {"de", "/de/", ""}, {"pt", "/", ".pt.html"}}
	for _, c := range []struct{ path, language, want string }{
		{"/visit/", "de", "/de/visit/"}, {"/de/visit/", "en", "/visit/"}, {"/de/visit/", "de",
			"/de/visit/"}, {"/",
			"de", "/de/"}, {"/de/", "en", "/"},
		{"/de", "en", "/"}, {"/deep/", "de", "/de/deep/"}, {"/a.pt.html", "en", "/a.pt.html"}, {"/visit/", "fr", ""},
	} {
		if got := of.Sibling(c.path, c.language); got != c.want {
			t.Errorf("%s in %s: %q, want %q", c.path, c.language, got, c.want)
		}
	}
	if got := (Alternates{{"de", "/de/", ""}, {"fr", "/fr/", ""}}).Sibling("/visit/", "de"); got != "" {
		t.Errorf("a page of no language: %q", got)
	}
}
