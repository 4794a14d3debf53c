package publish

import (
	"os"
	"path/filepath"
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/fsys"
	"yellowgate/internal/project"
	"yellowgate/internal/site"
)

// newState is the state of a gate file and an output folder, made.
func newState(t *testing.T) state {
	t.Helper()
	s := state{dir: t.TempDir() + "/" + site.OwnDir + "/public-1", Gate: "yellowgate.yaml", Output: "public"}
	if err := os.MkdirAll(s.dir, 0o755); err != nil {
		t.Fatal(err)
	}
	return s
}

// TestRecordKeeps: what is saved is what is read again, and a journal cut short
// by a kill is read as far as it goes.
func TestRecordKeeps(t *testing.T) {
	s := newState(t)
	at := func(n int64, sum digest) stamp {
		return stamp{fsys.Stamp{Size: n, ModAt: n + 1, Change: n + 2, Number: uint64(n + 3)}, sum}
	}
	r := &record{gate: s.Gate, output: s.Output, folder: "12:3.4", files: map[string]*entry{
		"index.html": {gate: "sha256:a", source: at(5, digestOf([]byte("a"))),
			output: at(9, digestOf([]byte("b"))), applied: 12},
		"odd\tna\nme é.x": {gate: "", source: at(1, digest{}), output: at(3, digest{1})},
		"old.html":        {gate: "sha256:b"},
	}}
	if err := r.save(s, []string{"index.html", "odd\tna\nme é.x", "old.html"}); err != nil {
		t.Fatal(err)
	}
	x, y := digestOf([]byte("x")).String(), digestOf([]byte("y")).String()
	text := "work\t\"apply-1\"\n" + x + "\t\"a b\"\nnonsense\n" + x + "\t\"../up\"\n" + y + "\t\"cut sh"
	if err := os.WriteFile(s.at(journalName), []byte(text), 0o644); err != nil {
		t.Fatal(err)
	}
	got, err := s.loadRecord()
	if err != nil {
		t.Fatal(err)
	}
	if !reflect.DeepEqual(got, r) {
		t.Errorf("read %v\nsaved %v", got, r)
	}
	j, err := s.loadJournal()
	if err != nil || len(j.meant) != 1 || j.meant["a b"][0] != digestOf([]byte("x")) ||
		!reflect.DeepEqual(j.work, []string{"apply-1"}) {
		t.Errorf("the journal is %v, %v", j, err)
	}
	head := recordHead + "\ngate-file\t\"yellowgate.yaml\"\noutput\t\"public\"\n"
	for _, bad := range []string{"something else\n", head + "file\tx\n",
		head + "file\t\"x\"\t0\t0\t0\t0\t00\t0\t0\t00\n", head + "output\tx\n",
		recordHead + "\ngate-file\t\"other.yaml\"\noutput\t\"public\"\n", "yellowgate.record/1\n"} {
		if err := os.WriteFile(s.at(recordName), []byte(bad), 0o644); err != nil {
			t.Fatal(err)
		}
		if _, err := s.loadRecord(); err == nil {
			t.Errorf("%q was read as a record", bad)
		}
	}
	outside := head + "file\t\"../../etc/x\"\t-1\t0" + "\t1\t1\t1\t1\t" + x + "\t1\t1\t1\t1\t" + x + "\n"
	if err := os.WriteFile(s.at(recordName), []byte(outside), 0o644); err != nil {
		t.Fatal(err)
	}
	if got, err := s.loadRecord(); err != nil || len(got.files) != 0 {
		t.Errorf("a file outside the output folder: %v, %v", got, err)
	}
}

// TestOwn: the tool's own folder and files are neither links nor anything else that
// leads elsewhere.
func TestOwn(t *testing.T) {
	for _, name := range []string{"", recordName, journalName, lockName, replacedDir} {
		s := newState(t)
		target := t.TempDir() + "/theirs"
		at := s.dir
		if name != "" {
			at = s.at(name)
		} else {
			os.Remove(at)
		}
		if err := os.Symlink(target, at); err != nil {
			t.Skip("no symbolic links here:", err)
		}
		if _, err := s.open(); err == nil {
			t.Errorf("the state was opened with a link for %q", name)
		}
		if _, err := os.Lstat(target); err == nil {
			t.Errorf("%q was written through a link", name)
		}
	}
}

// TestDistrust: a time is kept only if a later change could not bear it too.
func TestDistrust(t *testing.T) {
	seen := time.Unix(1000, 500_000_000)
	for _, c := range []struct {
		change time.Time
		device uint64
		kept   bool
	}{
		{seen.Add(-time.Second), 7, true}, {seen.Add(-time.Second), 8, false}, {seen.Add(-5 * time.Millisecond), 7, false},
		{seen.Add(time.Hour), 7, false}, {time.Unix(999, 0), 7, false}, {time.Unix(998, 0), 7, true},
	} {
		s := fsys.Stamp{Change: c.change.UnixNano(), Device: 7}
		s.Distrust(seen, c.device)
		if s.Safe() != c.kept {
			t.Errorf("%v: kept %v", c.change, s.Safe())
		}
	}
}

// TestStampLines: a stamp is read as it was written, and one that was damaged is none.
func TestStampLines(t *testing.T) {
	s := stamp{fsys.Stamp{Size: 5, ModAt: 6, Change: 7, Number: 8}, digest{9}}
	fields := strings.Fields(string(s.append(nil)))
	var got stamp
	if len(fields) != 5 || !got.parse(fields) || got != s {
		t.Fatalf("%q became %+v, want %+v", fields, got, s)
	}
	for i := range fields {
		for _, bad := range []string{"", "x", "-", "1e3", "99999999999999999999999"} {
			damaged := slices.Clone(fields)
			damaged[i] = bad
			if got.parse(damaged) {
				t.Errorf("%q is read", damaged)
			}
		}
	}
}

// TestStateNames: the state of an output bears its name, in letters that every file system takes.
func TestStateNames(t *testing.T) {
	for name, want := range map[string]string{"public": "public", "Out 2/web.7_x": "web-7-x", "é": "-", "A-1": "A-1"} {
		p := &project.Project{Dir: t.TempDir(), Gate: &pageedit.Gate{File: &gatefile.Gate{File: "yellowgate.yaml"}}}
		p.Output = filepath.Join(p.Dir, name)
		if got := filepath.Base(stateOf(p, site.Part{}).dir); !strings.HasPrefix(got, want+"-") || len(got) != len(want)+9 {
			t.Errorf("%s: %s, want %s-", name, got, want)
		}
	}
}
