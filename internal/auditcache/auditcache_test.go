package auditcache

import (
	"fmt"
	"os"
	"path/filepath"
	"reflect"
	"sync"
	"testing"

	"yellowgate/internal/core/audit"
	"yellowgate/internal/core/check"
	"yellowgate/internal/core/checks"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/site"
)

// a world is what a store asks about.
type world map[string]string

func (w world) answer(kind QuestionKind, path string) (a Answer) {
	text, ok := w[path]
	a.Is = ok
	switch kind {
	case Size:
		a.Number = int64(len(text))
	case Bytes:
		copy(a.Sum[:], text)
	}
	return a
}

// names are the files of n pages.
func names(n int) (out []string) {
	for i := range n {
		out = append(out, fmt.Sprintf("page-%04d/index.html", i))
	}
	return out
}

// found is what the audit of a page came to; it asks for what two pages share.
func found(s *Store, file string) *Entry {
	return &Entry{Page: &audit.PageResult{Path: "/" + file, File: file, Requests: 3, Bytes: 500,
		Findings: []check.Finding{
			{Check: "dead-file", Severity: problem.Error, Page: "/" + file, File: file, Line: 4, Column: 2,
				Message: "gone", Remedy: "mend it"},
			{Check: "lost-rule", Severity: problem.Note, File: "css/site.css", Line: 1, Column: 1,
				Message: "of another file"}}, Facts: make(checks.Facts, 0),
		Items: []audit.ItemResult{{In: true, Copies: 1}}, Lives: []int{2}},
		Output: s.Digest([]byte(file)), Questions: []Question{s.Ask(Bytes, "/site.css"), s.Ask(HasFile, "/none.js"),
			s.Ask(Size, "/a.png")}}
}

// look looks all pages up, keeps those that are not known, and says how many were known.
func look(t *testing.T, dir string, w world, files []string, context string) (known int) {
	t.Helper()
	s := Open(dir, "/somewhere/public", files, []byte(context), w.answer)
	var group sync.WaitGroup
	for _, file := range files { // all at once
		group.Go(func() {
			want := found(s, file)
			p := s.Lookup(file, want.Output, Digest{}, func() uint8 { return 0 })
			if p == nil {
				s.Keep(file, want)
			} else if !reflect.DeepEqual(p, want.Page) {
				t.Errorf("%s came back as %+v, not %+v", file, p, want.Page)
			}
		})
	}
	group.Wait()
	s.Sweep()
	known, audited := s.Counts()
	if known+audited != len(files) {
		t.Errorf("%d known and %d audited, of %d pages", known, audited, len(files))
	}
	return known
}

// TestStore: what is kept comes back as it was, as long as everything holds that it depends on.
func TestStore(t *testing.T) {
	dir, files := t.TempDir(), names(700)
	w := world{"/site.css": "p {}", "/a.png": "xx"}
	for _, c := range []struct {
		what   string
		change func()
		of     []string
		ctx    string
		known  int
	}{
		{"nothing is kept", func() {}, files, "a", 0},
		{"nothing changed", func() {}, files, "a", 700},
		{"another gate", func() {}, files, "b", 0},
		{"and again", func() {}, files, "b", 700},
		{"a stylesheet changed", func() { w["/site.css"] = "q {}" }, files, "b", 0},
		{"a file came", func() { w["/none.js"] = "" }, files, "b", 0},
		{"a picture of another size", func() { w["/a.png"] = "xxx" }, files, "b", 0},
		{"a picture changed within", func() { w["/a.png"] = "yyy" }, files, "b", 700},
		{"fewer pages", func() {}, files[:400], "b", 400},
		{"the others again", func() {}, files, "b", 400},
	} {
		c.change()
		if got := look(t, dir, w, c.of, c.ctx); got != c.known {
			t.Errorf("%s: %d pages were known, not %d", c.what, got, c.known)
		}
	}
	// One page comes in the middle: only what stands in its file is written again.
	more := append(append(append([]string{}, files[:300]...), "page-0299/new.html"), files[300:]...)
	if got := look(t, dir, w, more, "b"); got != 700 {
		t.Errorf("with one page more, %d were known", got)
	}
}

// TestDamage: whatever happens to a file of the store, no page comes back other than it was.
func TestDamage(t *testing.T) {
	dir, files := t.TempDir(), names(3)
	w := world{"/site.css": "p {}"}
	look(t, dir, w, files, "a")
	list, err := filepath.Glob(filepath.Join(dir, site.OwnDir, "audit-*", "pages-*"))
	if err != nil || len(list) != 1 {
		t.Fatal(list, err)
	}
	whole, err := os.ReadFile(list[0])
	if err != nil {
		t.Fatal(err)
	}
	try := func(what string, b []byte) {
		t.Helper()
		if err := os.WriteFile(list[0], b, 0o644); err != nil {
			t.Fatal(err)
		}
		if got := look(t, dir, w, files, "a"); got != 0 {
			t.Errorf("%s: %d pages were known", what, got)
		}
	}
	for i := 0; i < len(whole); i += 1 + len(whole)/300 {
		b := append([]byte{}, whole...)
		b[i] ^= 0x41
		try(fmt.Sprintf("byte %d changed", i), b)
		try(fmt.Sprintf("cut after byte %d", i), whole[:i])
	}
	try("something behind it", append(append([]byte{}, whole...), 'x'))
	if got := look(t, dir, w, files, "a"); got != 3 {
		t.Errorf("whole again, and %d pages are known", got)
	}
	seed := filepath.Join(filepath.Dir(list[0]), "seed")
	if err := os.WriteFile(seed, []byte("12345678"), 0o644); err != nil {
		t.Fatal(err)
	}
	if got := look(t, dir, w, files, "a"); got != 0 {
		t.Errorf("with another seed, %d pages were known", got)
	}
}

// TestNotToBeWritten: a folder that cannot be made, or is not what it should be, costs time and
// nothing else, and nothing is written elsewhere.
func TestNotToBeWritten(t *testing.T) {
	w := world{}
	elsewhere := t.TempDir()
	for name, make := range map[string]func(dir string) error{
		"a file in its place": func(dir string) error { return os.WriteFile(filepath.Join(dir, site.OwnDir), nil, 0o644) },
		"a link in its place": func(dir string) error {
			look(t, dir, w, names(1), "a")
			list, _ := filepath.Glob(filepath.Join(dir, site.OwnDir, "audit-*"))
			if err := os.RemoveAll(list[0]); err != nil {
				return err
			}
			return os.Symlink(elsewhere, list[0])
		},
	} {
		dir := t.TempDir()
		if err := make(dir); err != nil {
			t.Fatal(err)
		}
		for range 2 {
			if got := look(t, dir, w, names(5), "a"); got != 0 {
				t.Errorf("%s: %d pages were known", name, got)
			}
		}
	}
	if list, _ := os.ReadDir(elsewhere); len(list) != 0 {
		t.Errorf("%v was written through a link", list)
	}
}

// TestFolders: what is kept of folders that were audited long ago goes, and a .gitignore keeps
// all of it out of git.
func TestFolders(t *testing.T) {
	dir, w := t.TempDir(), world{}
	for i := range mostFolders + 3 {
		s := Open(dir, fmt.Sprintf("/folder/%d", i), names(1), nil, w.answer)
		s.Keep(names(1)[0], found(s, names(1)[0]))
		s.Sweep()
	}
	list, _ := filepath.Glob(filepath.Join(dir, site.OwnDir, "audit-*"))
	if len(list) != mostFolders {
		t.Errorf("%d folders are kept, not %d", len(list), mostFolders)
	}
	if b, err := os.ReadFile(filepath.Join(dir, site.OwnDir, ".gitignore")); err != nil || string(b) != "*\n" {
		t.Errorf(".gitignore: %q, %v", b, err)
	}
}
