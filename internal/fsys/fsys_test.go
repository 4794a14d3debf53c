package fsys

import (
	"os"
	"path/filepath"
	"testing"
	"time"
)

// TestAbandon: of what was about to be renamed nothing is left.
func TestAbandon(t *testing.T) {
	dir := t.TempDir()
	for _, name := range []string{"a", "b", "c"} {
		name = filepath.Join(dir, name)
		if err := os.WriteFile(name, nil, 0o644); err != nil {
			t.Fatal(err)
		}
		pending.Store(name, true)
		t.Cleanup(func() { pending.Delete(name) })
	}
	Abandon()
	if left, err := os.ReadDir(dir); err != nil || len(left) > 0 {
		t.Errorf("left: %v (%v)", left, err)
	}
}

// TestLimitError: the size is said where it is known.
func TestLimitError(t *testing.T) {
	for want, e := range map[string]*LimitError{
		"the file has 3 MB; the limit is 2 MB":      {Size: 3 << 20, Limit: 2 << 20},
		"the file is larger than the limit of 2 MB": {Limit: 2 << 20},
	} {
		if e.Error() != want {
			t.Errorf("%q, want %q", e.Error(), want)
		}
	}
}

// TestStampOf: a file that was changed has another stamp, though its size and time are set back, and so has one that
// took its place.
func TestStampOf(t *testing.T) {
	name := filepath.Join(t.TempDir(), "a")
	write := func(name, text string) {
		if err := os.WriteFile(name, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	stamp := func() Stamp {
		info, err := os.Stat(name)
		if err != nil {
			t.Fatal(err)
		}
		return StampOf(info)
	}
	write(name, "one")
	first := stamp()
	if !first.Safe() {
		t.Skip("this system tells no time of change")
	}
	if again := stamp(); again != first || first.Size != 3 || first.Number == 0 {
		t.Errorf("%+v, then %+v", first, again)
	}
	for stamp().Change == first.Change { // until the clock of the file system has gone on
		write(name, "two")
	}
	back := time.Unix(0, first.ModAt)
	if err := os.Chtimes(name, back, back); err != nil {
		t.Fatal(err)
	}
	if s := stamp(); s == first || s.Size != first.Size || s.ModAt != first.ModAt || s.Number != first.Number {
		t.Errorf("%+v became %+v", first, s)
	}
	write(name+".new", "one")
	if err := os.Rename(name+".new", name); err != nil {
		t.Fatal(err)
	}
	if s := stamp(); s.Number == first.Number {
		t.Errorf("another file has its number: %+v", s)
	}
}

// TestReal: links are resolved as far as the path exists, and those to what is not there yet.
func TestReal(t *testing.T) {
	dir, err := filepath.EvalSymlinks(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	at := func(name string) string { return filepath.Join(dir, filepath.FromSlash(name)) }
	for link, to := range map[string]string{"near": "later/site", "far": at("later/site"), "up": "..", "folder": "there"} {
		if err := os.Symlink(filepath.FromSlash(to), at(link)); err != nil {
			t.Skip("no symbolic links here:", err)
		}
	}
	if err := os.Mkdir(at("there"), 0o755); err != nil {
		t.Fatal(err)
	}
	for name, want := range map[string]string{
		"near": at("later/site"), "far": at("later/site"), "folder": at("there"), "folder/x/y": at(
			"there/x/y"), "none/x": at("none/x"), "up": filepath.Dir(dir),
	} {
		if got := Real(at(name)); got != want {
			t.Errorf("%s: %s, want %s", name, got, want)
		}
	}
}
