package siteaudit_test

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"yellowgate/internal/core/check"
	"yellowgate/internal/project"
	"yellowgate/internal/publish"
	"yellowgate/internal/siteaudit"
)

// TestLearnt: a folder with clean addresses, published below a path, is read as its own links and its sitemap call it.
func TestLearnt(t *testing.T) {
	dir := t.TempDir()
	sitemap := "<urlset>"
	for _, name := range []string{"index", "blog/a", "blog/b", "blog/c"} {
		to := map[bool]string{true: "", false: name}[name == "index"]
		write(
			t,
			filepath.Join(dir, name+".html"),
			fmt.Sprintf(`<!doctype html><html lang="en"><head><meta charset="utf-8"><title>%s</title>
<link rel="stylesheet" href="/obs/css/site.css"><link rel="canonical" href="https://ternhill.example/obs/%s"></head>
<body><p><a href="/obs/blog/a">a</a> <a href="/obs/blog/b">b</a> <a href="/obs/blog/c">c</a></p></body></html>`, name, to),
		)
		sitemap += "<url><loc>https://ternhill.example/obs/" + to + "</loc></url>"
	}
	write(t, filepath.Join(dir, "sitemap.xml"), sitemap+"</urlset>")
	write(t, filepath.Join(dir, "css/site.css"), "p { color: red }")
	r, err := siteaudit.Audit(t.Context(), siteaudit.Options{Dir: dir})
	if err != nil {
		t.Fatal(err)
	}
	if r.Below != "/obs" {
		t.Errorf("published below %q", r.Below)
	}
	paths := ""
	for _, p := range r.ByPage {
		paths += p.Path + " "
	}
	if paths != "/blog/a.html /blog/b.html /blog/c.html / " {
		t.Errorf("the pages are %s", paths)
	}
	for _, f := range r.Findings {
		switch f.Check {
		case "viewport-missing", "description-missing", "icon-missing":
		default:
			t.Errorf("%s: %s %s", f.Page, f.Check, f.Message)
		}
	}
}

// TestSpares: what is no mistake, or a small one, is told as that.
func TestSpares(t *testing.T) {
	const rest = `<meta charset="utf-8"><meta name="viewport" content="width=device-width"><link rel="icon" href="/i.svg"><meta name="description" content="%s">`
	page := func(title, head, body string) string {
		return fmt.Sprintf(
			`<!doctype html><html lang="en"><head><title>%s</title>`+rest+
				`%s</head><body><h1>%s</h1>%s</body></html>`, title, title, head, title, body)
	}
	styled := func(files ...string) (out []string) {
		for _, f := range files {
			out = append(out, f, page(f, "<link rel=stylesheet href=/f.css>", "<i class=nav>"))
		}
		return out
	}
	for _, c := range []struct {
		name  string
		files []string
		want  string // findings but canonical-missing, with their severities
	}{
		{"a style that hides from old browsers",
			[]string{"index.html", page("a", "<style><!--\np { color: red }\n//--></style>", "<p>x</p>")}, ""},
		{"a style that breaks off",
			[]string{"index.html", page("a", "<style>p { color: red } q</style>", "<p>x</p>")},
			"warning code-syntax"},
		{"a script that breaks off", []string{"index.html", page("a", "<script>if (</script>", "<p>x</p>")},
			"error code-syntax"},
		{"stylesheets that are missing block nothing",
			[]string{"a.css", "p { color: red }", "b.css", "p { color: blue }", "c.css", "p { color: black }",
				"index.html",
				page("a",
					"<link rel=stylesheet href=/a.css><link rel=stylesheet href=/b.css><link rel=stylesheet href=/c.css><link rel=stylesheet href=/d.css>",
					"<p>x</p>")}, "error dead-file"},
		{"a redirect to what is not to be found",
			[]string{"index.html", page("a", "", ""), "old/index.html",
				page("b",
					`<meta http-equiv="refresh" content="0; url=/m/"><link rel="canonical" href="https://ternhill.example/m/">`,
					""), "m/index.html", page("m", `<meta name="robots" content="noindex">`, "")}, ""},
		{"a copy of what is not to be found", []string{"index.html", page("a", "", ""), "old/index.html",
			page("b", `<link rel="canonical" href="https://ternhill.example/m/">`, ""), "m/index.html",
			page("m", `<meta name="robots" content="noindex">`, "")},
			"error canonical-noindexed, note canonical-elsewhere"},
		{"a template",
			[]string{"index.html", page("a", "", ""), "_layout.html",
				"<!-- made by hand -->\n{% block a %}<link rel=stylesheet href=/no.css>{% endblock %}"},
			"note unbuilt-page"},
		{"a part with what is filled in",
			[]string{"index.html", page("a", "", ""), "part.html", `<script src="/js/{{ name }}.js"></script>`},
			"note unbuilt-page"},
		{"a page that shows how templates are written",
			[]string{"index.html", page("a", "", "<pre>{% block a %}</pre>")}, ""},
		{"languages that name each other",
			[]string{"index.html", page("a", `<link rel=alternate hreflang=de href=/de/>`, ""), "de/index.html",
				page("d", `<link rel=alternate hreflang=en href=/><link rel=alternate hreflang=de href=/de/>`, "")},
			""},
		{"a language that does not",
			[]string{"index.html", page("a", `<link rel=alternate hreflang=de href=/de/>`, ""), "de/index.html",
				page("d", "", "")}, "warning alternate-one-way"},
		{"a language that is not to be found",
			[]string{"index.html",
				page("a", `<meta name="robots" content="noindex"><link rel=alternate hreflang=de href=/de/>`, ""),
				"de/index.html", page("d", "", "")}, ""},
		{"the first page of a part without stylesheets",
			append(
				[]string{"f.css", ".nav { color: red }", "c/index.html", page("c", "", "<i class=nav>"), "c/e.html",
					page("e", "", "<i class=nav>")},
				styled("a/index.html", "a/b.html", "a/c.html", "a/d.html", "a/e.html", "a/f.html", "a/g.html",
					"a/h.html")...), ""},
		{"a part of a page, whose script needs the rest",
			[]string{"index.html", page("a", "", ""), "part.html",
				"<p>x</p><script>document.getElementById('box').hidden = true</script>"}, ""},
		{"a sitemap that lists what is gone",
			[]string{"index.html", page("a", "", ""), "b.html", page("b", "", ""), "f.pdf", "x", "sitemap.xml",
				"<urlset><url><loc>https://ternhill.example/</loc></url><url><loc>https://ternhill.example/b.html</loc></url><url><loc>https://ternhill.example/f.pdf</loc></url><url><loc>https://ternhill.example/gone/</loc></url></urlset>"},
			"warning dead-relation"},
		{"what a capture was not asked for",
			[]string{"index.html",
				page("a",
					"<script src=/gone.js defer></script><script src=/unasked.js defer></script><link rel=stylesheet href=/a.css>",
					"<p>x</p>"), "a.css", "p { background: url(/unasked.png) }", ".yellowgate-capture.ndjson",
				`{"url":"https://ternhill.example/","file":"index.html","status":200}` + "\n" +
					`{"url":"https://ternhill.example/gone.js?v=1","status":404,"asked":"file"}` + "\n"},
			"error dead-file"},
		{"a sitemap of more than this folder",
			[]string{"index.html", page("a", "", ""), "sitemap.xml",
				"<urlset><url><loc>https://ternhill.example/</loc></url><url><loc>https://ternhill.example/b.html</loc></url><url><loc>https://ternhill.example/gone/</loc></url></urlset>"},
			""},
		{"media that browsers know",
			[]string{"a.css", "p { color: red }", "index.html",
				page("a",
					`<link rel="stylesheet" href="/a.css" media="(min-resolution: 2dppx) and (-webkit-min-device-pixel-ratio: 2), (hover: hover), only screen and (max-width: 9em)">`,
					"<p>x</p>")}, ""},
		{"an encoding that is declared late, and does not matter",
			[]string{"index.html",
				"<!doctype html><html lang=en><!--" + strings.Repeat(" ", 1100) + "--><title>a</title>" + rest +
					"<meta charset=utf-8><p>x"}, ""},
		{"an address of another page for those who share it",
			[]string{"index.html",
				page("a",
					`<link rel=canonical href=https://obs.example/a.html><meta property=og:title content=a><meta property=og:image content=https://obs.example/i.png><meta property=og:url content=https://obs.example/b.html>`,
					"")}, "note social-incomplete"},
		{"an address of another host",
			[]string{"index.html",
				page("a",
					`<link rel=canonical href=https://obs.example/a.html><meta property=og:title content=a><meta property=og:image content=https://obs.example/i.png><meta property=og:url content=https://plays.example/b.html>`,
					"")}, ""},
		{"what is shown in a frame",
			[]string{"index.html", page("a", "", "<iframe src=/part.html></iframe>"), "part.html",
				"<!doctype html><html lang=en><meta charset=utf-8><p>x"}, ""},
		{"a frame that is not there",
			[]string{"index.html",
				`<!doctype html><html lang=en><head><meta charset=utf-8><title>a</title></head><frameset cols="1,1"><frame src=nav.html><frame src=no.html></frameset></html>`,
				"nav.html", "<!doctype html><html lang=en><meta charset=utf-8><p>x"}, "error dead-file"},
		{"one page without the stylesheet of the others",
			append([]string{"f.css", ".nav { color: red }", "c/index.html", page("c", "", "<i class=nav>")},
				styled("a/index.html", "a/b.html", "a/c.html", "a/d.html", "b/index.html", "d/index.html",
					"e/index.html", "f/index.html")...), "warning missing-style"},
	} {
		dir := t.TempDir()
		write(t, filepath.Join(dir, "i.svg"), "<svg/>")
		for i := 0; i < len(c.files); i += 2 {
			write(t, filepath.Join(dir, c.files[i]), c.files[i+1])
		}
		r, err := siteaudit.Audit(t.Context(), siteaudit.Options{Dir: dir, Address: "https://ternhill.example"})
		if err != nil {
			t.Fatal(err)
		}
		var got []string
		for _, f := range r.Findings {
			if f.Check != "canonical-missing" {
				got = append(got, f.Severity.String()+" "+f.Check)
			}
		}
		slices.Sort(got)
		if strings.Join(got, ", ") != c.want {
			t.Errorf("%s: %q, want %q", c.name, got, c.want)
		}
	}
}

// TestGatedTemplate: a page that begins as a template does, and is a page to the gate, is compared with the gate.
func TestGatedTemplate(t *testing.T) {
	dir := t.TempDir()
	gate := filepath.Join(dir, project.GateFileName)
	write(t, gate, "yellowgate: 1\nsite: {source: site, output: public}\nitems: {bell: {code: <i>bell</i>, pages: all}}\n")
	write(t, filepath.Join(dir, "site/index.html"),
		"{{ banner }}\n<!doctype html><html><head><title>a</title></head><body><p>x</p></body></html>")
	if _, err := publish.Apply(t.Context(), open(t, gate), publish.Options{}); err != nil {
		t.Fatal(err)
	}
	out := filepath.Join(dir, "public/index.html")
	text, err := os.ReadFile(out)
	if err != nil {
		t.Fatal(err)
	}
	write(t, out, strings.Replace(string(text), "<i>bell</i>", "", 1))
	p := open(t, gate)
	r, err := siteaudit.Audit(t.Context(), siteaudit.Options{Dir: p.Output, Project: p})
	if err != nil {
		t.Fatal(err)
	}
	if !slices.ContainsFunc(r.Findings, func(f check.Finding) bool { return f.Check == "missing-item" }) {
		t.Errorf("nothing is missing: %+v", r.Findings)
	}
}

// TestSomewhere: a page misses its canonical where something says at which host the site is; a sitemap does.
func TestSomewhere(t *testing.T) {
	dir := t.TempDir()
	write(t, filepath.Join(dir, "index.html"), "<!doctype html><html lang=en><head><title>a</title></head><body>a</body></html>")
	for _, want := range []bool{false, true} {
		r, err := siteaudit.Audit(t.Context(), siteaudit.Options{Dir: dir})
		if err != nil {
			t.Fatal(err)
		}
		missing := slices.ContainsFunc(r.Findings, func(f check.Finding) bool { return f.Check == "canonical-missing" })
		if missing != want {
			t.Errorf("with a sitemap: %v, canonical-missing: %v", want, missing)
		}
		write(t, filepath.Join(dir, "sitemap.xml"), "<urlset><url><loc>https://ternhill.example/</loc></url></urlset>")
	}
}
