package disk

import (
	"os"
	"path/filepath"
	"testing"
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
