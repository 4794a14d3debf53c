package publish_test

import (
	"bytes"
	"errors"
	"io"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"

	"yellowgate/internal/failure"
	"yellowgate/internal/publish"
)

// TestWriteFile: a result is written whole or not at all, over nothing that is somebody else's.
func TestWriteFile(t *testing.T) {
	ours := func(head []byte) bool { return bytes.HasPrefix(head, []byte("report")) }
	never := func(string) string { return "is a page" }
	text := func(w io.Writer) error { _, err := io.WriteString(w, "report 2"); return err }
	fails := func(w io.Writer) error { io.WriteString(w, "rep"); return errors.New("no more") }
	silent := func(w io.Writer) error { io.WriteString(w, "report 2"); return nil } // does not look at what writing said
	const none = "-"
	for _, c := range []struct {
		name, there string
		o           publish.FileOptions
		do          func(io.Writer) error
		want, err   string
	}{
		{"new", none, publish.FileOptions{}, text, "report 2", ""},
		{"an empty file", "", publish.FileOptions{IsOurs: ours}, text, "report 2", ""},
		{"an older report", "report 1", publish.FileOptions{IsOurs: ours}, text, "report 2", ""},
		{"an older report, of which nothing else may be written over", "report 1",
			publish.FileOptions{IsOurs: ours, Never: never}, text, "report 2", ""},
		{"somebody's", "mine", publish.FileOptions{IsOurs: ours}, text, "mine", "is there already"},
		{"somebody's, nobody knows", "mine", publish.FileOptions{}, text, "mine", "is there already"},
		{"by force", "mine", publish.FileOptions{IsOurs: ours, Force: true}, text, "report 2", ""},
		{"never", "mine", publish.FileOptions{IsOurs: ours, Never: never, Force: true}, text, "mine", "is a page"},
		{"never an empty one", "", publish.FileOptions{IsOurs: ours, Never: never, Force: true}, text, "", "is a page"},
		{"a name that nothing bears", none, publish.FileOptions{Never: never}, text, "report 2", ""},
		{"an error", none, publish.FileOptions{}, fails, none, "no more"},
		{"an error over an older report", "report 1", publish.FileOptions{IsOurs: ours}, fails, "report 1", "no more"},
	} {
		name := filepath.Join(t.TempDir(), "r.txt")
		if c.there != none {
			if err := os.WriteFile(name, []byte(c.there), 0o644); err != nil {
				t.Fatal(err)
			}
		}
		err := publish.WriteFile(name, c.o, c.do)
		got := none
		if b, rerr := os.ReadFile(name); rerr == nil {
			got = string(b)
		}
		if got != c.want || (err == nil) != (c.err == "") || err != nil && !strings.Contains(err.Error(), c.err) {
			t.Errorf("%s: %q, %v; want %q, %q", c.name, got, err, c.want, c.err)
		}
	}
	var pe *failure.Path
	for _, name := range []string{t.TempDir(), filepath.Join(t.TempDir(), "none", "r.txt")} {
		if err := publish.WriteFile(name, publish.FileOptions{Force: true}, text); !errors.As(err, &pe) {
			t.Errorf("%s: %v", name, err)
		}
	}
	if runtime.GOOS != "linux" {
		return
	}
	for name, want := range map[string]bool{"/dev/null": true, "/dev/full": false} {
		for _, do := range []func(io.Writer) error{text, silent} {
			if err := publish.WriteFile(name, publish.FileOptions{}, do); (err == nil) != want ||
				err != nil && !errors.As(err, &pe) {
				t.Errorf("%s: %v", name, err)
			}
		}
	}
	if err := publish.WriteFile("/dev/null", publish.FileOptions{}, fails); err == nil ||
		!strings.Contains(err.Error(), "no more") {
		t.Errorf("a device: %v", err)
	}
}

// TestReplaceFile: a file keeps its permissions, and a link stays one.
func TestReplaceFile(t *testing.T) {
	dir := t.TempDir()
	file, link := filepath.Join(dir, "a"), filepath.Join(dir, "link")
	err := errors.Join(os.WriteFile(file, []byte("old"), 0o640), os.Chmod(file, 0o640), os.Symlink(file, link),
		publish.ReplaceFile(link, []byte("new")))
	if err != nil {
		t.Fatal(err)
	}
	info, _ := os.Lstat(link)
	was, _ := os.Stat(file)
	b, _ := os.ReadFile(file)
	if string(b) != "new" || was.Mode().Perm() != 0o640 && runtime.GOOS != "windows" || info.Mode()&os.ModeSymlink == 0 {
		t.Errorf("%q, %v, %v", b, was.Mode(), info.Mode())
	}
	var pe *failure.Path
	if err := publish.ReplaceFile(filepath.Join(dir, "none"), nil); !errors.As(err, &pe) {
		t.Error(err)
	}
	if _, err := os.Stat(filepath.Join(dir, "none")); err == nil {
		t.Error("a file came out of nothing")
	}
}
