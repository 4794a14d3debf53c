package site

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// TestWeights: files are weighed, those that are packed already without being read, and those
// that are not there are not.
func TestWeights(t *testing.T) {
	dir := t.TempDir()
	for name, size := range map[string]int{"a.css": 4000, "a.png": 5000, "A.JPG": 600} {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(strings.Repeat("x", size)), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	list := []File{{Path: "a.css", Size: 4000}, {Path: "a.png", Size: 5000}, {Path: "A.JPG", Size: 600}}
	for _, w := range []*Weights{NewWeights(dir, list), NewWeights(dir, nil)} {
		for _, c := range []struct {
			path        string
			bytes       int
			packed, has bool
		}{{"/a.css", 4000, false, true}, {"/a.png", 5000, true, true}, {"/A.JPG", 600, true, true}, {"/none.png", 0,
			false, false}, {"/", 0, false, false}} {
			bytes, gzip, ok := w.File(c.path)
			if ok != c.has || bytes != c.bytes || c.packed && gzip != bytes || ok && !c.packed && gzip >= bytes {
				t.Errorf("%s: %d bytes, %d compressed, %v", c.path, bytes, gzip, ok)
			}
		}
	}
	if err := os.Remove(filepath.Join(dir, "a.png")); err != nil {
		t.Fatal(err)
	}
	if bytes, _, ok := NewWeights(dir, list).File("/a.png"); !ok || bytes != 5000 {
		t.Error("a packed file is read to be weighed")
	}
}
