package checks

import (
	"encoding/json"
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"
	"testing"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/weburl"
)

// folder is a site of files, held in memory.
type folder map[string]string

func (f folder) Read(path string) ([]byte, bool) { text, ok := f[path]; return []byte(text), ok }

// audit runs the checks of stylesheets and files on all pages of a folder, and tells
// each finding as "file:line check", with what its message names in brackets.
func (f folder) audit(only ...*check.Check) (out []string) {
	has := func(p string) bool { _, ok := f[p]; return ok }
	known := check.Known{HasFile: has, HasPage: has, Read: f.Read, Trust: []string{"trusted.example"}}
	for _, name := range slices.Sorted(maps.Keys(f)) {
		if ext := path.Ext(name); ext == ".css" || ext == ".js" {
			known.Code = append(known.Code, name)
		}
	}
	s := check.NewSite(known)
	w := struct {
		weights
		*inventory.Imports
	}{weights(f), &inventory.Imports{Weights: weights(f), Read: f.Read}}
	gathered := NewGathered()
	var all []check.Finding
	for _, name := range slices.Sorted(maps.Keys(f)) {
		if path.Ext(name) == ".html" {
			r := inventory.Take([]byte("<!doctype html>"+f[name]), page.Page{Path: name, File: name[1:]}, weburl.NewSite(""), w)
			pass := &check.Pass{Record: r, Site: s}
			found, facts := RunPage(pass)
			all = append(all, found...)
			gathered.Add(pass.PageAt(), written(facts))
		}
	}
	all = append(all, RunSite(&check.SitePass{Gathered: gathered, Site: s})...)
	check.Sort(all)
	for _, x := range all {
		if slices.ContainsFunc(only, func(c *check.Check) bool { return c.Name == x.Check }) {
			out = append(out, fmt.Sprintf("%s:%d %s", x.File, x.Line, x.Check))
		}
	}
	return out
}

// written is what is read back of facts that were written down.
func written(f Facts) (out Facts) {
	text, err := json.Marshal(f)
	if err == nil {
		err = json.Unmarshal(text, &out)
	}
	if err != nil {
		panic(err)
	}
	return out
}

// TestImportChecks: what files import is looked at like what pages load.
func TestImportChecks(t *testing.T) {
	page := "<link rel=stylesheet href=/a.css><p>"
	for _, c := range []struct{ css, want string }{
		{"@import 'b.css'; p{}", ""},
		{"@import 'gone.css'; p{}", "a.css:1 dead-file"},
		{"@import 'b.css'; @import url(https://fonts.example/f.css); p{}", "a.css:1 unexpected-host"},
		{"@import 'http://trusted.example/f.css'; p{}", "a.css:1 insecure-load"},
		{"@import 'https://trusted.example/f.css'; p{}", ""},
	} {
		f := folder{"/a.css": c.css, "/b.css": "@import 'a.css'; i{}", "/a.html": page}
		if got := strings.Join(f.audit(Named("dead-file"), Named("unexpected-host"), Named("insecure-load")),
			"; "); got != c.want {
			t.Errorf("%s: %s, want %s", c.css, got, c.want)
		}
	}
}

func TestStyleChecks(t *testing.T) {
	const menu = ".menu{a:1} .menu a{b:2} .menu b{c:3} .menu i{d:4} .menu u{e:5} .old{f:6}"
	for _, c := range []struct {
		name  string
		files folder
		want  string
	}{
		{"a kit that one page needs",
			folder{"/kit.css": ".kit{}", "/a.html": "<link rel=stylesheet href=/kit.css>\n<p class=kit>",
				"/b.html": "\n<link rel=stylesheet href=/kit.css>"}, "b.html:2 unused-style"},
		{"its own variables",
			folder{"/kit.css": ":root{--x:1} .kit{}", "/a.html": "<link rel=stylesheet href=/kit.css>"},
			"a.html:1 unused-style"},
		{"variables that another asks for",
			folder{"/kit.css": ":root{--x:1}",
				"/a.html": "<link rel=stylesheet href=/kit.css><style>p{margin:var(--x)}</style><p>"}, ""},
		{"variables in an attribute",
			folder{"/kit.css": ":root{--x:1} .kit{}",
				"/a.html": "<link rel=stylesheet href=/kit.css><p style='margin:var(--x)'>"}, ""},
		{"a script makes the elements",
			folder{"/kit.css": ".ring{}", "/a.js": "e.className = 'ring'",
				"/a.html": "<link rel=stylesheet href=/kit.css><script src=/a.js></script>"}, ""},
		{"a script that looks for them makes none",
			folder{"/kit.css": ".ring{}", "/a.js": "document.querySelector('.ring')",
				"/a.html": "<link rel=stylesheet href=/kit.css><script src=/a.js></script>"},
			"a.html:1 unused-style"},
		{"a script that does not parse may",
			folder{"/kit.css": ".ring{}", "/a.js": "ring(",
				"/a.html": "<link rel=stylesheet href=/kit.css><script src=/a.js></script>"}, ""},
		{"fonts select nothing",
			folder{"/kit.css": "@font-face{font-family:x}", "/a.html": "<link rel=stylesheet href=/kit.css>"}, ""},
		{"what it imports counts",
			folder{"/kit.css": "@import 'all.css'; .kit{}", "/all.css": "body{}",
				"/a.html": "<link rel=stylesheet href=/kit.css>", "/b.html": ""}, ""},
		{"an alternate is not looked at",
			folder{"/kit.css": ".kit{}", "/a.html": "<link rel='alternate stylesheet' href=/kit.css>"}, ""},

		{"forms without their style",
			folder{"/f.css": "form{} label{}", "/a.html": "<link rel=stylesheet href=/f.css><form>",
				"/b.html": "<link rel=stylesheet href=/f.css><form>",
				"/c.html": "<link rel=stylesheet href=/f.css><form>",
				"/d.html": "<link rel=stylesheet href=/f.css><form>", "/e.html": "<p>\n<form><label>", "/f.html": "",
				"/g.html": "", "/h.html": ""}, "e.html:2 missing-style"},
		{"a page of another kind",
			folder{"/f.css": "form{} .x{}", "/a.html": "<link rel=stylesheet href=/f.css><form class=x>",
				"/b.html": "<link rel=stylesheet href=/f.css><form>",
				"/c.html": "<link rel=stylesheet href=/f.css><form>",
				"/d.html": "<link rel=stylesheet href=/f.css><form>", "/e.html": "<p>\n<form>"}, ""},
		{"another has a rule for them",
			folder{"/f.css": ".f{}", "/g.css": "p .f{}", "/a.html": "<link rel=stylesheet href=/f.css><i class=f>",
				"/b.html": "<link rel=stylesheet href=/f.css><i class=f>",
				"/c.html": "<link rel=stylesheet href=/f.css><i class=f>",
				"/d.html": "<link rel=stylesheet href=/f.css><i class=f>",
				"/e.html": "<link rel=stylesheet href=/g.css><p><i class=f></i><style>p i{}</style>"}, ""},
		{"half of the pages do without",
			folder{"/f.css": ".f{}", "/a.html": "<link rel=stylesheet href=/f.css><i class=f>",
				"/b.html": "<link rel=stylesheet href=/f.css><i class=f>", "/c.html": "<i class=f>",
				"/d.html": "<i class=f>"}, ""},
		{"its selectors match nothing there",
			folder{"/f.css": ".box .f{}", "/a.html": "<link rel=stylesheet href=/f.css><p class=box><i class=f>",
				"/b.html": "<link rel=stylesheet href=/f.css><p class=box><i class=f>",
				"/c.html": "<link rel=stylesheet href=/f.css><p class=box><i class=f>",
				"/d.html": "<link rel=stylesheet href=/f.css><p class=box><i class=f>",
				"/e.html": "<i class=f></i><p class=box>"}, ""},

		{"two would do",
			folder{"/f.css": ".f{}", "/g.css": ".f{} .g{}",
				"/a.html": "<link rel=stylesheet href=/f.css><link rel=stylesheet href=/g.css><i class='f g'>",
				"/b.html": "<link rel=stylesheet href=/f.css><link rel=stylesheet href=/g.css><i class='f g'>",
				"/c.html": "<link rel=stylesheet href=/f.css><link rel=stylesheet href=/g.css><i class='f g'>",
				"/d.html": "<link rel=stylesheet href=/f.css><link rel=stylesheet href=/g.css><i class='f g'>",
				"/e.html": "\n\n<i class='f g'>"}, "e.html:3 missing-style"},
		{"words look like something anyway",
			folder{"/f.css": "blockquote{}", "/a.html": "<link rel=stylesheet href=/f.css><blockquote>",
				"/b.html": "<link rel=stylesheet href=/f.css><blockquote>",
				"/c.html": "<link rel=stylesheet href=/f.css><blockquote>",
				"/d.html": "<link rel=stylesheet href=/f.css><blockquote>", "/e.html": "<blockquote>", "/f.html": "",
				"/g.html": "", "/h.html": ""}, ""},

		{"a bundle swallowed it",
			folder{"/m.css": menu, "/all.css": menu + " p{} q{}",
				"/a.html": "<link rel=stylesheet href=/m.css>\n<link rel=stylesheet href=/all.css><p class=menu>"},
			"a.html:1 repeated-rules"},
		{"rules for print",
			folder{"/m.css": menu, "/all.css": menu + " p{} q{}",
				"/a.html": "<link rel=stylesheet href=/m.css media=print>\n<link rel=stylesheet href=/all.css media=screen><p class=menu>"},
			""},
		{"rules for print and for all",
			folder{"/m.css": menu, "/all.css": menu + " p{} q{}",
				"/a.html": "<link rel=stylesheet href=/m.css media=print>\n<link rel=stylesheet href=/all.css><p class=menu>"},
			"a.html:1 repeated-rules"},
		{"few of its rules",
			folder{"/m.css": menu + " .x{} .y{} .z{} .w{}",
				"/all.css": menu[:60] + " p{} q{} .a{b:c;d:e;f:g;h:i;j:k;l:m;n:o} .bb{p:q;r:s}",
				"/a.html":  "<link rel=stylesheet href=/m.css>\n<link rel=stylesheet href=/all.css><p class=menu>"},
			""},

		{"an import that all pages get, and one needs nothing of",
			folder{"/s.css": "i{}\n", "/t.css": "/* x */\n@import 's.css'; p{}",
				"/a.html": "<link rel=stylesheet href=/t.css><p><i>x",
				"/b.html": "<link rel=stylesheet href=/t.css><p>"}, "t.css:2 imported-everywhere"},
		{"an import that all pages get and need",
			folder{"/s.css": "p{}\n", "/t.css": "/* x */\n@import 's.css';",
				"/a.html": "<link rel=stylesheet href=/t.css><p>", "/b.html": "<link rel=stylesheet href=/t.css><p>"},
			""},
		{"one page names it",
			folder{"/s.css": "p{}\n", "/t.css": "@import 's.css';",
				"/a.html": "<link rel=stylesheet href=/t.css><link rel=stylesheet href=/s.css><p>",
				"/b.html": "<link rel=stylesheet href=/t.css><p>"}, ""},

		{"left over",
			folder{"/old.js": "x()", "/old.css": "p{}", "/s.js": "s()", "/a.html": "<script src=/s.js></script>"},
			"old.css:1 orphan-file; old.js:1 orphan-file"},
		{"named by code or by a page",
			folder{"/one.js": "x()", "/two.js": "y()", "/one.css": "p{}",
				"/s.js":   "import('./one.js'); load(\"/one.css\")",
				"/a.html": "<script src=/s.js></script><p data-load='/two.js'>"}, ""},
		{"its name is put together",
			folder{"/search-index1.2.js": "x()", "/s.js": "load(root + 'search-index' + version + '.js')",
				"/a.html": "<script src=/s.js></script>"}, ""},
		{"its ending is put to a name",
			folder{"/de.js": "x()", "/dark.css": "p{}",
				"/s.js":   "load('/lang/' + lang + '.js'); theme(`/themes/${name}.css`)",
				"/a.html": "<script src=/s.js></script>"}, ""},
		{"an ending put to a name by a page",
			folder{"/de.js": "x()", "/dark.css": "p{}", "/a.html": "<script>load(lang + '.js')</script>"},
			"dark.css:1 orphan-file"},
		{"named by the text of a page",
			folder{"/one.js": "x()", "/a.html": "<p>Load <code>one.js</code> first.</p><!-- one.js -->"},
			"one.js:1 orphan-file"},
		{"named in a condition for old browsers",
			folder{"/one.js": "x()", "/a.html": "<!--[if IE]><script src=one.js></script><![endif]-->"}, ""},
		{"the file it was made of",
			folder{"/one.js": "x()", "/one.min.js": "x()", "/two.css": "p{}", "/two.min.css": "p{}",
				"/a.html": "<script src=/one.min.js></script><link rel=stylesheet href=/two.css><p>"}, ""},
		{"many alike",
			folder{"/lang/aaa.js": "a", "/lang/bbb.js": "b", "/lang/ccc.js": "c", "/lang/ddd.js": "d",
				"/lang/eee.css": "i{}", "/a.html": "<p>"}, "lang/aaa.js:1 orphan-file; lang/eee.css:1 orphan-file"},
		{"three alike", folder{"/lang/aaa.js": "a", "/lang/bbb.js": "b", "/lang/ccc.js": "c", "/a.html": "<p>"},
			"lang/aaa.js:1 orphan-file; lang/bbb.js:1 orphan-file; lang/ccc.js:1 orphan-file"},
		{"what a loader begins with",
			folder{"/req.js": "", "/js/main.js": "", "/a.html": "<script src=/req.js data-main=js/main></script>"},
			""},
		{"the second of two forms",
			folder{"/f.css": ".contact{}", "/g.css": "p{}",
				"/a.html": "<link rel=stylesheet href=/g.css><link rel=stylesheet href=/f.css><form class=contact><p>",
				"/b.html": "<link rel=stylesheet href=/g.css>\n<form class=contact><p>"}, "b.html:2 missing-style"},
		{"two of three forms",
			folder{"/f.css": ".contact{}", "/g.css": "p{}",
				"/a.html": "<link rel=stylesheet href=/g.css><link rel=stylesheet href=/f.css><form class=contact><p>",
				"/b.html": "<link rel=stylesheet href=/g.css>\n<form class=contact><p>",
				"/c.html": "<link rel=stylesheet href=/g.css>\n<form class=contact><p>"}, ""},
		{"named by itself", folder{"/one.js": "//# sourceMappingURL=one.js", "/a.html": "<p>"}, "one.js:1 orphan-file"},
	} {
		if got := strings.Join(
			c.files.audit(Named("unused-style"), Named("missing-style"), Named("repeated-rules"),
				Named("imported-everywhere"), Named("orphan-file")), "; "); got != c.want {
			t.Errorf("%s:\n  %s\nwant\n  %s", c.name, got, c.want)
		}
	}
}
