package siteaudit_test

import (
	"fmt"
	"path/filepath"
	"testing"

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
	if paths != "/blog/a /blog/b /blog/c / " {
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
