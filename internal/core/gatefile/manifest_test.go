package gatefile

import (
	"slices"
	"strings"
	"testing"
)

// TestManifest: the forms in which builds say what they wrote.
func TestManifest(t *testing.T) {
	m, err := ParseManifest([]byte(`{
		"app.js": "assets/app.1f2e.js", "rooted.js": "/assets/r.js", "far.js": "https://cdn.example/f.js", "here.css": "./h.css",
		"list": ["/l1.js", "./l2.css", 3], "deep": {"js": "/d.js", "more.js": {"file": "m.js", "hash": "abc"}}, "none": {}, "count": 4, "empty": []}`))
	if err != nil {
		t.Fatal(err)
	}
	for name, want := range map[string]string{
		"app.js": "/assets/app.1f2e.js", "rooted.js": "/assets/r.js", "far.js": "https://cdn.example/f.js", "here.css": "/h.css",
		"list": "/l1.js /l2.css", "deep.js": "/d.js", "deep.more.js.file": "/m.js", "deep": "", "none": "", "count": "", "empty": "", "gone.js": "", "deep.gone": "",
	} {
		paths, ok := m.Find(name)
		if got := strings.Join(paths, " "); got != want || ok != (want != "") {
			t.Errorf("%s: %q %v, want %q", name, got, ok, want)
		}
	}
	files := m.Files()
	slices.Sort(files)
	if got := strings.Join(files, " "); got !=
		"/assets/app.1f2e.js /assets/r.js /d.js /h.css /l1.js /l2.css /m.js https://cdn.example/f.js" {
		t.Errorf("files: %s", got)
	}
	if s := m.suggest("ap.js"); !strings.Contains(s, "app.js") {
		t.Errorf("no name is near to ap.js: %q", s)
	}
	for _, bad := range []string{"", "[]", `"x"`, "{", "{} x"} {
		if _, err := ParseManifest([]byte(bad)); err == nil {
			t.Errorf("%q is taken", bad)
		}
	}
}
