package publish_test

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"yellowgate/internal/failure"
	"yellowgate/internal/fsys"
	"yellowgate/internal/project"
	"yellowgate/internal/publish"
	"yellowgate/internal/site"
	"yellowgate/internal/testsize"
)

const faultGate = `yellowgate: 1
site: {name: Tern Hill Observatory, url: https://ternhill.example, source: site, output: public, facts: facts.csv}
metadata: [{pages: all, title: "@{fact.name or page.title}"}]
items:
  counter: {code-file: counter.html, pages: all}
`

func page(title string) string {
	return "<!doctype html>\n<html lang=\"en\">\n<head><title>" + title + "</title></head>\n<body><h1>" + title +
		"</h1></body>\n</html>\n"
}

// A folder is a site in a temporary folder.
type folder struct {
	testing.TB
	dir string
}

func (f folder) write(name, text string) {
	f.Helper()
	full := filepath.Join(f.dir, name)
	err := os.MkdirAll(filepath.Dir(full), 0o755)
	if err == nil {
		err = os.WriteFile(full, []byte(text), 0o644)
	}
	if err != nil {
		f.Fatal(err)
	}
}

func (f folder) remove(name string) { os.RemoveAll(filepath.Join(f.dir, name)) }

// small makes a site of one page.
func (f folder) small() {
	f.write("yellowgate.yaml", faultGate)
	f.write("counter.html", "<script>visits = 1</script>")
	f.write("facts.csv", "path,name\n")
	f.write("site/index.html", page("Tern Hill"))
}

// apply does what the command does.
func (f folder) apply() error { return f.applyPart(site.Part{}) }

func (f folder) applyPart(part site.Part) error {
	p, _, err := project.Open(filepath.Join(f.dir, project.GateFileName), project.Options{})
	if err == nil {
		err = p.Walk()
	}
	if err == nil {
		_, err = publish.Apply(f.Context(), p, publish.Options{Part: part})
	}
	return err
}

// before makes a site that was applied, and then changed in every way that an apply has
// to deal with.
func (f folder) before() {
	f.write("yellowgate.yaml", faultGate)
	f.write("counter.html", "<script>visits = 1</script>")
	f.write("facts.csv", "path,name\n/visit/,Visit us\n")
	for _, name := range []string{"index", "visit/index", "gone/index", "gone/deep/index", "edited/index"} {
		f.write("site/"+name+".html", page(name))
	}
	f.write("site/site.css", "p { margin: 0 }")
	f.write("site/becomes-folder", "a file")
	f.write("site/becomes-file/index.html", page("a folder"))
	if err := f.apply(); err != nil {
		f.Fatal(err)
	}
	f.write("counter.html", "<script>visits = 2</script>")
	f.write("site/site.css", "p { margin: 1em }")
	f.write("site/new/folder/index.html", page("new"))
	f.remove("site/gone")
	f.remove("site/becomes-folder")
	f.write("site/becomes-folder/index.html", page("now a folder"))
	f.remove("site/becomes-file")
	f.write("site/becomes-file", "now a file")
	f.write("public/edited/index.html", page("edited by hand"))
	f.write("public/notes.txt", "mine")
	f.write("public/.hidden", "mine, too")
	f.write(".yellowgate/mine", "mine, too")
}

func (f folder) tree() map[string]string {
	all := map[string]string{}
	err := filepath.WalkDir(f.dir, func(name string, d fs.DirEntry, err error) error {
		if err == nil && d.Type().IsRegular() {
			var b []byte
			if b, err = os.ReadFile(name); err == nil {
				rel, _ := filepath.Rel(f.dir, name)
				all[filepath.ToSlash(rel)] = string(b)
			}
		}
		return err
	})
	if err != nil {
		f.Fatal(err)
	}
	return all
}

// TestFaults lets every call of the file system fail once, in the order in which they
// come, in a site that has everything an apply has to deal with: the apply says what was
// done; nothing of others is touched, every output is whole, nothing is left on its way;
// and the next apply completes it.
func TestFaults(t *testing.T) {
	defer func(slack time.Duration) { fsys.Fault, fsys.Slack = nil, slack }(fsys.Slack)
	fsys.Slack = time.Millisecond // the tick of the clock apart, and no change here comes so soon with the same size
	done := folder{TB: t, dir: t.TempDir()}
	done.before()
	old := done.tree()
	if err := done.apply(); err != nil {
		t.Fatal(err)
	}
	want := done.tree()
	for _, problem := range []error{syscall.ENOSPC, syscall.EIO} {
		failed := 0
		step := testsize.Of(11, 1)
		if problem == syscall.EIO {
			step = testsize.Of(29, 2)
		}
		for n := 1; ; n += step {
			f := folder{TB: t, dir: t.TempDir()}
			f.before()
			var mu sync.Mutex
			calls, what := 0, ""
			fsys.Fault = func(op, name string) error {
				mu.Lock()
				defer mu.Unlock()
				if calls++; calls == n {
					rel, _ := filepath.Rel(f.dir, name)
					what = fmt.Sprintf("call %d, %s %s", n, op, rel)
					return problem
				}
				return nil
			}
			err := f.apply()
			fsys.Fault = nil
			if what == "" {
				if err != nil {
					t.Fatal(err)
				}
				t.Logf("%d calls, of which %d let the apply fail", n-1, failed)
				break
			}
			now := f.tree()
			if err != nil {
				failed++
				f.toldRight(what, err, old, now, want)
			}
			f.whole(what, old, now, want)
			if err := f.apply(); err != nil {
				t.Errorf("%s: the next apply: %v", what, err)
			}
			f.complete(what, f.tree(), want)
		}
		if failed < testsize.Of(1, 20) {
			t.Errorf("only %d calls let the apply fail", failed)
		}
	}
}

// state reports whether a file is of the tool's state, which may differ.
func state(name string) bool {
	return strings.HasPrefix(name, ".yellowgate/public-") && !strings.Contains(name, "/replaced/")
}

// toldRight looks whether "nothing was changed" is said where it is so, and only there.
func (f folder) toldRight(what string, err error, old, now, want map[string]string) {
	f.Helper()
	changed := false
	for name, text := range old {
		changed = changed || strings.HasPrefix(name, "public/") && now[name] != text
	}
	for name := range now {
		_, was := old[name]
		changed = changed || strings.HasPrefix(name, "public/") && !was
	}
	if says := strings.Contains(err.Error(), "nothing was changed"); says && changed {
		f.Errorf("%s: something was changed, and it says: %v", what, err)
	}
	var pe *failure.Path
	var ge *project.GateError
	if !errors.As(err, &pe) && !errors.As(err, &ge) {
		f.Errorf("%s: %T %v", what, err, err)
	}
	if pe != nil && strings.Contains(pe.What, "what is left there") && !strings.Contains(what, "journal") {
		f.Errorf("%s: what could not be removed was not tried again: %v", what, err)
	}
}

// whole looks at what an apply that failed left.
func (f folder) whole(what string, old, now, want map[string]string) {
	f.Helper()
	for name, text := range now {
		_, before := old[name]
		_, after := want[name]
		switch {
		case state(name):
		case !before && !after:
			f.Errorf("%s: %s is left", what, name)
		case text != old[name] && text != want[name]:
			f.Errorf("%s: %s is neither the old nor the new one", what, name)
		}
	}
	for name, text := range old {
		if _, after := want[name]; after && !strings.HasPrefix(name, "public/") && !state(name) && now[name] != text {
			f.Errorf("%s: %s was %q and is %q", what, name, text, now[name])
		}
	}
	if now["public/edited/index.html"] != old["public/edited/index.html"] {
		for name, text := range now {
			if strings.Contains(name, "/replaced/") && text == old["public/edited/index.html"] {
				return
			}
		}
		f.Errorf("%s: the page that was edited by hand is lost", what)
	}
}

// complete looks at what the next apply left.
func (f folder) complete(what string, now, want map[string]string) {
	f.Helper()
	for name, text := range want {
		if !state(name) && now[name] != text {
			f.Errorf("%s: after the next apply %s is %.40q, not %.40q", what, name, now[name], text)
		}
	}
	for name := range now {
		if _, ok := want[name]; !ok && !strings.Contains(name, "/replaced/") {
			f.Errorf("%s: after the next apply %s is left", what, name)
		}
	}
}

// TestTwoMakeTheFolder: the folder of the output comes from somebody else at the same moment.
func TestTwoMakeTheFolder(t *testing.T) {
	defer func() { fsys.Fault = nil }()
	for _, asFile := range []bool{false, true} {
		f := folder{TB: t, dir: t.TempDir()}
		f.small()
		var once sync.Once
		fsys.Fault = func(op, name string) error {
			if op == "mkdir" && name == filepath.Join(f.dir, "public") {
				once.Do(func() {
					if asFile {
						os.WriteFile(name, nil, 0o644)
					} else {
						os.Mkdir(name, 0o755)
					}
				})
			}
			return nil
		}
		if err := f.apply(); (err != nil) != asFile {
			t.Errorf("a file %v: %v", asFile, err)
		}
	}
}

// TestLeftWork: a work folder that cannot be removed is owed: the next apply removes it.
func TestLeftWork(t *testing.T) {
	defer func() { fsys.Fault = nil }()
	f := folder{t, t.TempDir()}
	f.before()
	fsys.Fault = func(op, name string) error {
		if strings.Contains(filepath.ToSlash(name), "/apply-") && op == "remove" {
			return syscall.EIO
		}
		return nil
	}
	var pe *failure.Path
	if err := f.apply(); !errors.As(err, &pe) || !strings.Contains(pe.What, "what is left there, the next apply removes") {
		t.Errorf("the folder could not be removed: %v", err)
	}
	left := func() (names []string) {
		names, _ = filepath.Glob(filepath.Join(f.dir, ".yellowgate", "apply-*"))
		return names
	}
	if len(left()) == 0 {
		t.Fatal("nothing was left")
	}
	fsys.Fault = nil
	if err := f.apply(); err != nil || len(left()) > 0 {
		t.Errorf("%v is left: %v", left(), err)
	}
}

// TestPartLeavesFolders: a part removes pages that are gone, and no folder: another part may be about to write there.
func TestPartLeavesFolders(t *testing.T) {
	f := folder{t, t.TempDir()}
	f.small()
	f.write("site/gone/deep/index.html", page("gone"))
	if err := f.apply(); err != nil {
		t.Fatal(err)
	}
	f.remove("site/gone")
	for n := 1; n <= 2; n++ {
		if err := f.applyPart(site.Part{Number: n, Of: 2}); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := os.Stat(filepath.Join(f.dir, "public/gone/deep/index.html")); err == nil {
		t.Error("the page is there still")
	}
	if _, err := os.Stat(filepath.Join(f.dir, "public/gone/deep")); err != nil {
		t.Error(err)
	}
}

// TestNothingToDo: an apply of what is up to date writes nothing into the output and takes
// no bytes of it.
func TestNothingToDo(t *testing.T) {
	f := folder{TB: t, dir: t.TempDir()}
	f.before()
	for range 2 {
		if err := f.apply(); err != nil {
			t.Fatal(err)
		}
		time.Sleep(30 * time.Millisecond)
	}
	defer func() { fsys.Fault = nil }()
	var opened []string
	var mu sync.Mutex
	fsys.Fault = func(op, name string) error {
		mu.Lock()
		defer mu.Unlock()
		if rel, err := filepath.Rel(filepath.Join(f.dir, "public"), name); err == nil &&
			!strings.HasPrefix(rel, "..") && op != "list" {
			opened = append(opened, op+" "+rel)
		}
		return nil
	}
	if err := f.apply(); err != nil {
		t.Fatal(err)
	}
	if _, ok := fsys.Keeps(f.dir); ok && len(opened) > 0 {
		t.Errorf("nothing was to be done, and these were touched: %v", opened)
	}
}
