package project

import (
	"errors"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/failure"
	"yellowgate/internal/fsys"
	"yellowgate/internal/site"
)

func write(t *testing.T, dir string, files ...string) {
	t.Helper()
	for i := 0; i < len(files); i += 2 {
		name := filepath.Join(dir, files[i])
		if err := os.MkdirAll(filepath.Dir(name), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(name, []byte(files[i+1]), 0o644); err != nil {
			t.Fatal(err)
		}
	}
}

// TestSkipped: what of a source folder is no part of the site.
func TestSkipped(t *testing.T) {
	dir := t.TempDir()
	write(t, dir, "yellowgate.yaml",
		"yellowgate: 1\nsite: {source: ., output: out/public, facts: facts.csv, ignore: [drafts/**, '*.bak']}\nitems: {x: {code-file: code/x.html, pages: all}}\n",
		"facts.csv", "path\n", "code/x.html", "<p>x</p>", "code/y.html", "<p>y</p>", "index.html", "", "a/b/c.html",
		"", ".hidden/x.html", "", ".htaccess", "", ".well-known/security.txt", "", "out/public/index.html", "",
		"out/other.html", "", "drafts/d.html", "", "x.bak", "", ".yellowgate/record", "")
	p, problems, err := Open(filepath.Join(dir, "yellowgate.yaml"), Options{})
	if err != nil || len(problems) > 0 {
		t.Fatal(err, problems)
	}
	if err := p.Walk(); err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, f := range p.Files {
		got = append(got, f.Path)
	}
	want := []string{".well-known/security.txt", "a/b/c.html", "code/y.html", "index.html", "out/other.html"}
	if !slices.Equal(got, want) {
		t.Errorf("files %v\nwant %v", got, want)
	}
}

func TestFindPage(t *testing.T) {
	dir := t.TempDir()
	write(t, dir, "visit/index.html", "", "about.html", "", "cafe\u0301/index.html", "")
	files, _, err := site.Walk(dir, true, nil)
	if err != nil {
		t.Fatal(err)
	}
	pages, err := site.Pages(files, page.Spelling{})
	if err != nil {
		t.Fatal(err)
	}
	for name, want := range map[string]string{
		"/visit": "/visit/", "/visit/index.html": "/visit/", "visit/": "/visit/", "https://x.example/visit/?a#b": "/visit/", "https://x.example": "",
		"/about.html": "/about.html", filepath.Join(dir, "about.html"): "/about.html", "/caf%C3%A9/": "/café/", "/vist/": "", "https://y.example/visit/": "",
	} {
		pg, err := FindPage(pages, name, "https://x.example", dir)
		var usage *failure.Usage
		switch {
		case want == "" && !errors.As(err, &usage):
			t.Errorf("%s: %v, %v", name, pg, err)
		case want != "" && (err != nil || pg.Path != want):
			t.Errorf("%s: %v, %v, want %s", name, pg, err, want)
		}
	}
	write(t, dir, "visit.html", "")
	files, _, _ = site.Walk(dir, true, nil)
	if _, err := site.Pages(files, page.Spelling{Extensionless: true}); err == nil ||
		!strings.Contains(err.Error(), "are one page") {
		t.Errorf("two files with one path: %v", err)
	}
}

func TestFacts(t *testing.T) {
	for _, c := range []struct{ name, text, want string }{ // want: the facts of /a, or a problem
		{"f.csv", "path,name,n\n/a/,\"One, two\",1.10\n/b/,x,\n", "name=One, two n=1.10"},
		{"f.csv", "\uFEFFname,path\r\nx,/a\r\n", "name=x"},
		{"f.json", `[{"path": "/a", "name": "x", "n": 1.5, "list": [1]}]`, "name=x n=1.5"},
		{"f.yaml", "/a:\n  name: x\n  ok: true\n/b: {name: y}\n", "name=x ok=true"},
		{"f.csv", "page,name\n/a,x\n", "f.csv:1:1: no column is called path"},
		{"f.csv", "path,name\n/a,x,y\n", "f.csv:2:1: the row has 3 values, the header 2"},
		{"f.csv", "path,name\na,x\n", "f.csv:2:1: \"a\" is not the path"},
		{"f.csv", "path,name\n/a,x\n/a/,y\n", "f.csv:3:1: the fact \"name\" of /a/ is given twice"},
		{"f.csv", "path,name\n/a,\"x\n", "f.csv:2:7"},
		{"f.json", "{", "f.json:1:2: this cannot be read: the JSON ends too early"},
		{"f.json", `{"/a": {"n":}}`, "f.json:1:13: this cannot be read: this is not JSON"},
		{"f.json", "[\n {\"path\": \"/a\"},\n {\"name\": 1}]", `f.json:3:2: row 2 has no path`},
		{"f.json", `[{"path": "/a", "n": 1.10, "n": 2}]`, `f.json:1:28: this cannot be read: "n" stands here twice`},
		{"f.yaml", "/a: {n: 1.10, when: 2027-08-12}\n", "n=1.10 when=2027-08-12"},
		{"f.yaml", "- &a {path: /a, n: 1}\n- {<<: *a, path: /b}\n", "n=1"},
		{"f.yaml", "/a: {n: 1}\n/b:\n  n: [1, 2\n", "f.yaml:"},
		{"f.yaml", "/a: {n: 1}\n/a/:\n   n: 2\n", `f.yaml:3:4: the fact "n" of /a/ is given twice`},
		{"f.csv", "path,name,name\n/a,x,y\n", `f.csv:1:11: two columns are called "name": the 2. and the 3.`},
		{"f.csv", "path,name,,\n/a,x,,\n", "name=x"},
		{"f.csv", "path" + strings.Repeat(",c", 1000) + "\n", "f.csv:1:1: the file has 1001 columns; the limit is 1000"},
		{"f.yaml", strings.Repeat("[", 5000), "f.yaml:1:200: this cannot be read: this is nested deeper than 200 levels"},
		{"f.yaml", "a: &a\n  - *a\n", "f.yaml:2:5: this cannot be read: the alias *a stands within what &a names"},
		{"f.yaml", "a: b", `f.yaml:1:4: "a" should be the path`},
		{"f.txt", "", `g.yaml:0: facts come as`},
	} {
		dir := t.TempDir()
		write(t, dir, c.name, c.text)
		g := &gatefile.Gate{}
		g.Site.Facts = []gatefile.Text{{Value: c.name, Pos: problem.Position{File: "g.yaml"}}}
		p := &Project{Dir: fsys.Real(dir)}
		f, problems := p.readFacts(g, func([]byte) {})
		var got []string
		for _, name := range f.Names {
			if v, ok := f.ByPage[page.Key("/a")][name]; ok {
				got = append(got, name+"="+v)
			}
		}
		text := strings.Join(got, " ")
		if len(problems) > 0 {
			text = problems[0].Error()
		}
		if !strings.HasPrefix(text, c.want) {
			t.Errorf("%q: %s, want %s", c.text, text, c.want)
		}
	}
}

// TestAlso: which dot-files are copied.
func TestAlso(t *testing.T) {
	g := &gatefile.Gate{}
	for _, glob := range []string{".htaccess", "a/.nojekyll", ".config/*.json"} {
		g.Site.Also = append(g.Site.Also, gatefile.Text{Value: glob})
	}
	for rel, want := range map[string]bool{".htaccess": true, "deep/.htaccess": true, "a/.nojekyll": true,
		".nojekyll": false, ".config/x.json": true, ".config/x.yaml": false, ".git": false} {
		if got := also(g, rel, false); got != want {
			t.Errorf("%s: %v, want %v", rel, got, want)
		}
	}
	if !also(g, ".config", true) || also(g, ".git", true) {
		t.Error("a dot-folder is entered where a glob leads into it, and no other")
	}
}

// TestDay: a site's days begin in its own time zone.
func TestDay(t *testing.T) {
	now := time.Date(2026, 11, 29, 11, 30, 0, 0, time.UTC)
	for zone, want := range map[string]string{"Pacific/Auckland": "2026-11-30", "Pacific/Honolulu": "2026-11-29",
		"Pacific/Kiritimati": "2026-11-30", "Etc/GMT+12": "2026-11-28"} {
		g, problems := gatefile.Parse("g.yaml", []byte("yellowgate: 1\nsite: {time-zone: "+zone+"}\n"), nil)
		if got := DayAt(g, now); got != want || len(problems) > 0 {
			t.Errorf("%s: %s, want %s %v", zone, got, want, problems)
		}
	}
	g, problems := gatefile.Parse("g.yaml", []byte("yellowgate: 1\nsite: {time-zone: Hill/Tern}\n"), nil)
	if got := DayAt(g, now); got != now.Format(time.DateOnly) || len(problems) != 1 {
		t.Errorf("a zone that does not exist: %s %v", got, problems)
	}
}
