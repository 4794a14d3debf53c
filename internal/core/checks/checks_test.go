package checks

import (
	"fmt"
	"maps"
	"os"
	"path"
	"path/filepath"
	"regexp"
	"slices"
	"sort"
	"strings"
	"testing"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/itemmatch"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/weburl"
)

// wanted is how a test page declares the findings that it expects: at the line,
// <!-- want CHECK ... -->. Each name stands for one finding.
var wanted = regexp.MustCompile(`<!-- want ([a-z -]+) -->`)

// elsewhere are the checks that have tests of their own.
var elsewhere = map[*check.Check]bool{Named("unreachable-popup"): true, Named("over-budget"): true,
	Named("imported-everywhere"): true, Named("missing-style"): true, Named("orphan-file"): true,
	Named("repeated-rules"): true, Named("unused-style"): true, Named("too-early"): true}

// TestPages runs the checks that need no gate on the pages of testdata.
func TestPages(t *testing.T) {
	files := map[string]string{"/img/star.svg": "<svg/>", "/js/site.js": "site(); // for all of its pages, every one",
		"/js/twin.js": "site(); // for all of its pages, every one", "/js/other.js": "other()",
		"/lib/stars-1.2.js": "stars(1)", "/lib/stars-2.0.min.js": "stars(2)", "/js/unused.js": "u()"}
	for _, name := range []string{"site", "two", "three", "four", "five", "print"} {
		files["/css/"+name+".css"] = "p { margin: 0 } /* " + name + " */"
	}
	code := slices.DeleteFunc(slices.Sorted(maps.Keys(files)), func(name string) bool { return path.Ext(name) != ".css" })
	site := check.NewSite(check.Known{
		Code:    code,
		HasFile: func(p string) bool { _, ok := files[p]; return ok },
		Read:    func(p string) ([]byte, bool) { b, ok := files[p]; return []byte(b), ok },
		Trust:   []string{"trusted.example", "pay.example", "elsewhere.example"},
		HasPage: func(p string) bool { return page.Key(p) == "/visit" || page.Key(p) == "" },
	})
	names, err := filepath.Glob("testdata/*.html")
	if err != nil || len(names) == 0 {
		t.Fatal("no test pages", err)
	}
	seen := map[string]bool{}
	all := NewGathered()
	for _, name := range names {
		text, err := os.ReadFile(name)
		if err != nil {
			t.Fatal(err)
		}
		var want, got []string
		for n, line := range strings.Split(string(text), "\n") {
			for _, m := range wanted.FindAllStringSubmatch(line, -1) {
				for _, check := range strings.Fields(m[1]) {
					want = append(want, fmt.Sprintf("%d %s", n+1, check))
				}
			}
		}
		r := inventory.Take(text, page.Page{Path: "/visit/", File: name}, weburl.NewSite("https://ternhill.example"),
			weights(files))
		pass := &check.Pass{Record: r, Site: site}
		findings, facts := RunPage(pass)
		all.Add(pass.PageAt(), facts)
		for _, f := range findings {
			got = append(got, fmt.Sprintf("%d %s", f.Line, f.Check))
			seen[f.Check] = true
			if f.Message == "" || f.Remedy == "" || f.Column == 0 {
				t.Errorf("%s: a finding without message, remedy or column: %+v", name, f)
			}
		}
		sort.Strings(want)
		sort.Strings(got)
		if !slices.Equal(got, want) {
			t.Errorf("%s: findings\n  %s\nwant\n  %s", name, strings.Join(got, "\n  "), strings.Join(want, "\n  "))
		}
	}
	for _, html := range []string{`<title>Visit</title><meta name=description content="The stars, seen well.">`,
		`<title>Visit</title><meta name=description content="The stars, seen well.">`} {
		add(all, "/other/", html)
	}
	add(all, "/visit/", `<meta name=robots content=noindex>`)
	add(all, "/copy/", `<link rel=canonical href=/visit/>`)
	for _, f := range RunSite(&check.SitePass{Gathered: all, Site: site, Sitemap: map[string]bool{"/visit": true}}) {
		seen[f.Check] = true
	}
	for _, c := range All() {
		if c.Family != "gate" && c.Family != "server" && c.Family != "rendered" && !elsewhere[c] && !seen[c.Name] {
			t.Errorf("no test page has a finding of %s", c.Name)
		}
	}
}

// add takes a page of a site into what is gathered.
func add(all *check.Gathered, path, html string) {
	pass := &check.Pass{Record: inventory.Take([]byte(html), page.Page{Path: path, File: path[1:] + "index.html"},
		weburl.NewSite("https://ternhill.example"), nil),
		Site: check.NewSite(
			check.Known{HasFile: func(string) bool { return true }, HasPage: func(string) bool { return true }})}
	_, facts := RunPage(pass)
	all.Add(pass.PageAt(), facts)
}

// TestGateFamily compares pages with gates: what stands on the page is the
// source's gated page, changed by hand.
func TestGateFamily(t *testing.T) {
	const source = "<!doctype html>\n<html lang=en>\n<head>\n<meta name=viewport content=x>\n<link rel=icon href=/i.svg>\n<link rel=canonical href=https://x.example/>\n<title>t</title>\n<script src=\"/kit.js\"></script>\n</head>\n<body>\n<p>x</p>\n</body>\n</html>\n"
	const yaml = `yellowgate: 1
budgets: [{pages: /, scripts: 1 kB, requests: 6}]
metadata: [{pages: all, title: "@{page.path}"}]
items:
  lib: {script: /lib.js}
  app: {script: /app.js, needs: [lib], pages: all}
  note: {code: '<p class=note>hello</p>', pages: all}
  kit: {found: '[src="/kit.js"]', pages: none}
  members: {script: /members.js, pages: /members/**}
  spot: {code: '<b>s</b>', place: {before: aside}, pages: all}
`
	f, problems := gatefile.Parse("g.yaml", []byte(yaml), nil)
	g, more := pageedit.New(f, "2026-11-23")
	if ps := append(problems, more...); len(ps) > 0 {
		t.Fatal(ps)
	}
	for _, c := range []struct{ old, new, want string }{
		{"", "", "no-such-place"},
		{`<!--yg:note-->` + "\n" + `<p class=note>hello</p><!--/yg:note-->`, "", "missing-item no-such-place"},
		{`<script src="/app.js" defer></script>`, "", "missing-item no-such-place"},
		{"<p>x</p>", "<p class=note>hello</p>", "no-such-place repeated-item"},
		{"<p>x</p>", `<script src="/kit.js"></script>`, "blocking-script leaked-item no-such-place"},
		{"<p>x</p>", `<script src="/members.js" defer></script>`, "leaked-item no-such-place"},
		{"<title>/</title>", "<title>other</title>", "metadata-differs no-such-place"},
		{"<title>/</title>", "", "metadata-differs no-such-place"},
		{"<title>/</title>", "<title>@{page.title}</title>", "metadata-differs no-such-place placeholder-left"},
		{`<script src="/lib.js" defer></script>`, `<script src="/lib.js" type=module></script>`,
			"item-differs no-such-place"},
		{`<script src="/app.js" defer></script>`, `<script src="/app.js"></script>`,
			"blocking-script item-differs late-need no-such-place"},
		{"</head>\n<body>", "<div></div></head>\n<body>", "no-such-place"},
		{"<p>x</p>", strings.Repeat("<iframe src=/x></iframe>", 5),
			"no-such-place over-budget" + strings.Repeat(" unclaimed-element", 5)},
		{"<title>/</title>", "<title>/</title><p>", "broken-head misplaced-item misplaced-item no-such-place"},
	} {
		result := g.Page([]byte(source), page.Page{Path: "/", File: "index.html"})
		text := string(result.File)
		if !strings.Contains(text, c.old) {
			t.Fatalf("%q is not in\n%s", c.old, text)
		}
		if c.new != "" || c.old != "" {
			text = strings.Replace(text, c.old, c.new, 1)
		}
		taken := itemmatch.Take([]byte(text), page.Page{Path: "/", File: "index.html"}, g, nil)
		findings, _ := RunPage(&check.Pass{Record: taken.Record, Gated: itemmatch.Compare(taken, result)})
		var got []string
		for _, f := range findings {
			if f.Check != "description-missing" {
				got = append(got, f.Check)
			}
		}
		sort.Strings(got)
		want := strings.Fields(c.want)
		if c.new != "" && strings.Contains(c.new, "<div></div></head>") {
			want = append(want, "broken-head")
			sort.Strings(want)
		}
		if !slices.Equal(got, want) {
			t.Errorf("%q → %q: findings %v, want %v", c.old, c.new, got, want)
		}
	}
}

// TestRegistry: every check can be explained.
func TestRegistry(t *testing.T) {
	names := map[string]bool{}
	for _, c := range All() {
		if names[c.Name] || c.Title == "" || len(c.Doc) < 80 || c.Bad == "" || c.Good == "" || c.Family == "" {
			t.Errorf("check %q is told twice, or lacks title, doc or examples", c.Name)
		}
		names[c.Name] = true
	}
}

// weights weighs the files of a map.
type weights map[string]string

func (w weights) File(path string) (bytes, gzip int, ok bool) {
	b, ok := w[path]
	return len(b), len(b), ok
}

func (w weights) Text(text []byte) int { return len(text) }

// TestNames: what check calls as the audit does is a check, and what it alone warns of is none.
func TestNames(t *testing.T) {
	for _, name := range []string{problem.BlockedByPolicy, problem.IdleLine, problem.NoSuchPlace,
		problem.RequiredMissing, problem.UnreachablePopup} {
		if Named(name) == nil {
			t.Errorf("there is no check %s", name)
		}
	}
	for _, name := range problem.Names() {
		if Named(name) != nil {
			t.Errorf("%s is a check, too", name)
		}
	}
}
