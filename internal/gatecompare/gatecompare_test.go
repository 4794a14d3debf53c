package gatecompare

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"yellowgate/internal/core/pagechange"
	"yellowgate/internal/project"
)

// siteOf writes a site of 60 pages, and two gate files for it.
func siteOf(t *testing.T, before, after string) (was, is *project.Project) {
	t.Helper()
	dir := t.TempDir()
	write := func(name, text string) {
		name = filepath.Join(dir, name)
		if err := os.MkdirAll(filepath.Dir(name), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(name, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	for n := range 60 {
		link := ""
		if n == 7 {
			link = `<a href="/p5/#letter">write</a> <a href="#letter">or here</a>`
		}
		write(fmt.Sprintf("site/p%d/index.html", n), fmt.Sprintf(
			`<!doctype html><html lang="en"><head><meta charset="utf-8"><title>Page %d</title><script src="/kit.js"></script></head>
<body><h1>Page %[1]d</h1><p>Text %[1]d</p>%s</body></html>`,
			n,
			link,
		))
	}
	write("site/kit.js", "/* kit */")
	const head = "yellowgate: 1\nsite: {source: site, output: public, url: 'https://ternhill.example'}\n"
	write("before.yaml", head+before)
	write("after.yaml", head+after)
	for i, p := range []**project.Project{&was, &is} {
		var err error
		if *p, _, err = project.Open(filepath.Join(dir, []string{"before.yaml", "after.yaml"}[i]),
			project.Options{Day: "2026-12-01"}); err != nil {
			t.Fatal(err)
		}
		if err := (*p).Walk(); err != nil {
			t.Fatal(err)
		}
	}
	return was, is
}

// TestCompare: what a change of the gate file does to 60 pages, told as what it is, and what follows of it.
func TestCompare(t *testing.T) {
	was, is := siteOf(t, `
metadata: [{pages: all, title: "@{page.title} | Tern Hill"}]
items:
  kit: {found: 'script[src="/kit.js"]', pages: all}
  veil: {code: "<p>Wait</p><script>lift(@{delay})</script>", params: {delay: 2}, pages: all, place: body-start}
  letter: {popup: "<p>Hello</p>", label: Letter, open: {fragment: letter}, pages: all}
blank-pages: [{path: /made/, title: Made, lang: en, body: ""}]
`, `
metadata: [{pages: all, title: "@{page.title} at Tern Hill"}]
items:
  kit: {found: 'script[src="/kit.js"]', pages: all, except: /p1*/}
  veil: {code: "<p>Wait</p><script>lift(@{delay})</script>", params: {delay: 3}, pages: all, place: body-start}
  letter: {popup: "<p>Hello</p>", label: Letter, open: {fragment: letter}, pages: all, except: [/p5/, /p7/]}
  late: {code: "<b>late</b>", pages: /p2/, place: {before: h1}}
`)
	c, err := Compare(t.Context(), was, is, nil)
	if err != nil {
		t.Fatal(err)
	}
	var items, groups []string
	for _, it := range c.Items {
		items = append(items, fmt.Sprintf("%s +%d -%d", it.Item, len(it.Gained), len(it.Lost)))
	}
	for _, g := range c.Changes {
		groups = append(groups,
			fmt.Sprintf("%s %s: %s %s %d", g.Section(), g.Called(), g.How, g.Pages[0].Was+">"+g.Pages[0].Is,
				len(g.Pages)))
	}
	slices.Sort(items)
	if want := []string{"kit +0 -10", "late +1 -0", "letter +0 -2"}; !slices.Equal(items, want) {
		t.Errorf("items: %q", items)
	}
	for _, want := range []string{
		"metadata title: changed Page 0 | Tern Hill>Page 0 at Tern Hill 60", "items veil, parameter delay: changed 2>3 60",
		"items veil, text in script: changed lift(2)>lift(3) 60", `items kit, script: removed <script src="/kit.js"></script>> 10`,
		"items late, b: added ><b>late</b> 1",
	} {
		if !slices.Contains(groups, want) {
			t.Errorf("%q is not told:\n%s", want, strings.Join(groups, "\n"))
		}
	}
	for _, g := range c.Changes {
		if x := (pagechange.Change{Kind: g.Kind, Item: g.Item}); x.IsElse() {
			t.Errorf("something else: %+v", g)
		}
	}
	if !slices.Equal(c.Removed, []string{"/made/"}) || len(c.Added) != 0 || c.Pages != 60 || c.Unchanged != 0 ||
		c.In["letter"] != 58 {
		t.Errorf("removed %v, added %v, %d pages, %d unchanged, %d with the letter", c.Removed, c.Added, c.Pages,
			c.Unchanged, c.In["letter"])
	}
	if want := []string{"/p5/#letter opens nothing any longer, and /p7/ links to it",
		"/p7/#letter opens nothing any longer, and /p7/ links to it"}; !slices.Equal(
		c.Follows, want) {
		t.Errorf("follows: %q", c.Follows)
	}
}

// TestSame: a gate file compared with itself changes nothing.
func TestSame(t *testing.T) {
	const gate = "items: {veil: {code: <p>Wait</p>, pages: all, place: body-start}}\n"
	was, is := siteOf(t, gate, gate)
	c, err := Compare(t.Context(), was, is, nil)
	if err != nil {
		t.Fatal(err)
	}
	if c.Unchanged != 60 || len(c.Changes)+len(c.Items)+len(c.Changed)+len(c.Follows) > 0 {
		t.Errorf("%+v", c)
	}
}
