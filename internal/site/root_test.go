package site

import (
	"os"
	"path/filepath"
	"testing"
)

// TestRootOf: the root of a site that no gate file names.
func TestRootOf(t *testing.T) {
	dir := t.TempDir()
	for _, name := range []string{"plain/a/x.html", "site/index.html", "site/visit/index.html", "site/visit/way.html",
		"site/deep/er/x.html"} {
		full := filepath.Join(dir, filepath.FromSlash(name))
		if err := os.MkdirAll(filepath.Dir(full), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(full, []byte("<title>x</title>"), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	for file, want := range map[string][2]string{
		"site/visit/way.html": {"site", "/visit/way.html"}, "site/index.html": {"site", "/"}, "site/visit/index.html": {"site", "/visit/"},
		"plain/a/x.html": {"plain/a", "/x.html"}, "site/deep/er/x.html": {"site/deep/er", "/x.html"},
	} {
		root := RootOf(filepath.Join(dir, filepath.FromSlash(file)))
		rel, _ := filepath.Rel(dir, root)
		if got := PathBelow(root, filepath.Join(dir, filepath.FromSlash(file))); filepath.ToSlash(rel) != want[0] ||
			got != want[1] {
			t.Errorf("%s: root %s, path %s, want %v", file, rel, got, want)
		}
	}
	if got := PathBelow(filepath.Join(dir, "plain"), filepath.Join(dir, "site/visit/way.html")); got != "/way.html" {
		t.Errorf("a page that is not below the root: %s", got)
	}
}
