package fsys

import (
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"testing"
)

// TestTemporary: what a process left that is gone goes, and nothing else does.
func TestTemporary(t *testing.T) {
	dir := t.TempDir()
	t.Setenv("TMPDIR", dir)
	gone := exec.Command("true")
	if err := gone.Run(); err != nil {
		t.Skip(err)
	}
	dead := "yellowgate-" + strconv.Itoa(gone.Process.Pid) + "-1"
	kept := []string{"yellowgate-test5", "yellowgate-1-x", "yellowgate-" + strconv.Itoa(os.Getpid()) + "-x",
		"other-" + strconv.Itoa(gone.Process.Pid) + "-1"}
	for _, name := range append(kept, dead) {
		if err := os.MkdirAll(filepath.Join(dir, name, "in"), 0o755); err != nil {
			t.Fatal(err)
		}
	}
	made, err := MakeTemporary()
	if err != nil {
		t.Fatal(err)
	}
	if info, err := os.Stat(made); err != nil || info.Mode().Perm() != 0o700 {
		t.Errorf("%v %v", info, err)
	}
	if _, err := os.Stat(filepath.Join(dir, dead)); err == nil {
		t.Error("what a dead process left is there")
	}
	for _, name := range kept {
		if _, err := os.Stat(filepath.Join(dir, name)); err != nil {
			t.Errorf("%s is gone", name)
		}
	}
}
