package site

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"yellowgate/internal/failure"
)

// TestParts: every path is in one part and no other, the parts are about alike, and the whole has
// everything.
func TestParts(t *testing.T) {
	const paths, of = 20_000, 8
	in := make([]int, of+1)
	for i := range paths {
		path := fmt.Sprintf("/folder-%d/page-%d/", i%37, i)
		had := 0
		for n := 1; n <= of; n++ {
			if (Part{n, of}).Has(path) {
				in[n]++
				had++
			}
		}
		if had != 1 || !(Part{}).Has(path) || !(Part{1, 1}).Has(path) {
			t.Fatalf("%s is in %d parts", path, had)
		}
	}
	for n, count := range in[1:] {
		if count < paths/of*9/10 || count > paths/of*11/10 {
			t.Errorf("part %d has %d of %d", n+1, count, paths)
		}
	}
}

// TestParsePart: a part as the command line has it.
func TestParsePart(t *testing.T) {
	for text, want := range map[string]Part{"1/1": {1, 1}, "3/8": {3, 8}, "10000/10000": {10000, 10000}} {
		if p, err := ParsePart(text); err != nil || p != want || p.String() != text {
			t.Errorf("%s: %v, %v", text, p, err)
		}
	}
	for _, text := range []string{"", "3", "3/", "/8", "0/8", "9/8", "-1/8", "3/8/2", "a/b", "1/10001", "1.5/2",
		"3 / 8", "99999999999999999999/8"} {
		_, err := ParsePart(text)
		var usage *failure.Usage
		if !errors.As(err, &usage) || !strings.Contains(usage.Message, "3/8") || usage.Remedy == "" {
			t.Errorf("%q: %v", text, err)
		}
	}
}

// TestOwnDir: the tool's own folder keeps itself out of git, and what somebody wrote there stays.
func TestOwnDir(t *testing.T) {
	dir := filepath.Join(t.TempDir(), OwnDir)
	ignore := filepath.Join(dir, ".gitignore")
	for _, want := range []string{"*\n", "!kept\n"} {
		if err := MakeOwnDir(dir); err != nil {
			t.Fatal(err)
		}
		if b, err := os.ReadFile(ignore); err != nil || string(b) != want {
			t.Errorf("%q, %v, want %q", b, err, want)
		}
		if err := os.WriteFile(ignore, []byte("!kept\n"), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	file := filepath.Join(t.TempDir(), "file")
	if err := os.WriteFile(file, nil, 0o644); err != nil {
		t.Fatal(err)
	}
	if err := MakeOwnDir(filepath.Join(file, OwnDir)); err == nil {
		t.Error("a folder was made within a file")
	}
}
