package output

import (
	"os"
	"path/filepath"
	"reflect"
	"testing"
	"time"
)

// TestRecordKeeps: what is saved is what is read again, and a journal cut short
// by a kill is read as far as it goes.
func TestRecordKeeps(t *testing.T) {
	dir := t.TempDir()
	if err := os.Mkdir(filepath.Join(dir, stateDir), 0o755); err != nil {
		t.Fatal(err)
	}
	r := &record{files: map[string]*entry{
		"index.html":      {gate: "sha256:a", source: stamp{5, 17, digestOf([]byte("a"))}, output: stamp{9, 0, digestOf([]byte("b"))}, applied: 12},
		"odd\tna\nme é.x": {gate: "", source: stamp{1, 2, digest{}}, output: stamp{3, 4, digest{1}}},
		"old.html":        {gate: "sha256:b"},
		"theirs.txt":      {kept: true},
	}}
	paths := []string{"index.html", "odd\tna\nme é.x", "old.html", "theirs.txt"}
	if err := r.save(dir, paths); err != nil {
		t.Fatal(err)
	}
	journal := string(appendHex(nil, digestOf([]byte("x")))) + "\t\"a b\"\n" + string(appendHex(nil, digestOf([]byte("y")))) + "\t\"cut sh"
	if err := os.WriteFile(filepath.Join(dir, stateDir, journalName), []byte("\n"+journal), 0o644); err != nil {
		t.Fatal(err)
	}
	got, err := loadRecord(dir)
	if err != nil {
		t.Fatal(err)
	}
	if !reflect.DeepEqual(got.files, r.files) {
		t.Errorf("read %v\nsaved %v", got.files, r.files)
	}
	if len(got.journal) != 1 || got.journal["a b"][0] != digestOf([]byte("x")) {
		t.Errorf("the journal is %v", got.journal)
	}
	for _, bad := range []string{"something else\n", recordHead + "\nfile\tx\n", recordHead + "\nfile\t\"x\"\t0\t0\t0\t0\t00\t0\t0\t00\n"} {
		if err := os.WriteFile(filepath.Join(dir, stateDir, recordName), []byte(bad), 0o644); err != nil {
			t.Fatal(err)
		}
		if _, err := loadRecord(dir); err == nil {
			t.Errorf("%q was read as a record", bad)
		}
	}
}

// TestDistrust: a time is kept only if a later change could not bear it too.
func TestDistrust(t *testing.T) {
	seen := time.Unix(1000, 500_000_000)
	for _, c := range []struct {
		mtime time.Time
		kept  bool
	}{
		{seen.Add(-time.Second), true}, {seen.Add(-5 * time.Millisecond), false}, {seen.Add(time.Hour), false},
		{time.Unix(999, 0), false}, {time.Unix(998, 0), true},
	} {
		s := stamp{mtime: c.mtime.UnixNano()}
		s.distrust(seen)
		if (s.mtime != 0) != c.kept {
			t.Errorf("%v: kept %v", c.mtime, s.mtime != 0)
		}
	}
}
