package reload

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"yellowgate/internal/project"
)

// folder is a gate file with its site, in a folder of its own.
type folder struct {
	*testing.T
	dir string
}

func newFolder(t *testing.T) *folder {
	f := &folder{t, t.TempDir()}
	f.write("site/index.html", "<!doctype html><title>Tern Hill</title>")
	f.write("code/counter.html", "<script>count(1)</script>")
	f.write("gates/more.yaml", "items: {late: {code: <p>late</p>, pages: all}}\n")
	f.gate("counter")
	return f
}

func (f *folder) gate(item string) {
	f.write("yellowgate.yaml",
		"yellowgate: 1\ninclude: [gates/*.yaml]\nsite: {source: site, output: public}\nitems: {"+item+
			": {code-file: code/counter.html, pages: all}}\n")
}

func (f *folder) write(name, text string) {
	f.Helper()
	name = filepath.Join(f.dir, name)
	if err := os.MkdirAll(filepath.Dir(name), 0o755); err != nil {
		f.Fatal(err)
	}
	if err := os.WriteFile(name, []byte(text), 0o644); err != nil {
		f.Fatal(err)
	}
}

func (f *folder) open(o Options) *Watcher {
	o.Gate = filepath.Join(f.dir, "yellowgate.yaml")
	return Open(o)
}

// items are the names of the items that are in effect.
func items(s *Reading) (names string) {
	if s.Project != nil {
		for _, it := range s.Project.Gate.File.Items {
			names += it.Name + " "
		}
	}
	return strings.TrimSpace(names)
}

// TestFresh: whatever the gate depends on is noticed when somebody asks; what is broken changes
// nothing.
func TestFresh(t *testing.T) {
	f := newFolder(t)
	told := 0
	g := f.open(Options{Walk: true, Told: func(*Reading) { told++ }})
	first := g.Fresh()
	if items(first) != "counter late" || first.Err != nil || first.Number != 1 || told != 1 {
		t.Fatalf("at first: %q %v, told %d times", items(first), first.Err, told)
	}
	if g.Fresh() != first {
		t.Error("nothing has changed, and it was read again")
	}
	digest := first.Project.Digest
	for _, c := range []struct {
		name, file, text string
		items            string
		broken, same     bool
	}{
		{"the gate file", "yellowgate.yaml",
			strings.Replace(mustRead(f, "yellowgate.yaml"), "counter:", "visits:", 1), "visits late", false, false},
		{"a file that it names", "code/counter.html", "<script>count(22)</script>", "visits late", false, false},
		{"a file that it includes", "gates/more.yaml", "items: {later: {code: <p>late</p>, pages: all}}\n",
			"visits later", false, false},
		{"a mistake", "yellowgate.yaml", "yellowgate: 1\nitems: {x: {code: }}\nitemz: {}\n", "visits later", true, true},
		{"another mistake", "yellowgate.yaml", "yellowgate: [", "visits later", true, true},
		{"mended", "yellowgate.yaml",
			"yellowgate: 1\nsite: {source: site, output: public}\nitems: {a: {code-file: code/none.html, pages: all}}\n",
			"visits later", true, true},
		{"what it names came", "code/none.html", "<p>here</p>", "a", false, false},
	} {
		f.write(c.file, c.text)
		s := g.Fresh()
		if items(s) != c.items || (s.Err != nil) != c.broken || (s.Project.Digest == digest) != c.same {
			t.Errorf("%s: %q, error %v, digest the same: %v", c.name, items(s), s.Err, s.Project.Digest == digest)
		}
		digest = s.Project.Digest
	}
	if told != 8 {
		t.Errorf("told %d times, want 8", told)
	}
	if err := os.Remove(filepath.Join(f.dir, "yellowgate.yaml")); err != nil {
		t.Fatal(err)
	}
	if s := g.Fresh(); s.Err == nil || items(s) != "a" {
		t.Errorf("without a gate file: %q %v", items(s), s.Err)
	}
}

func mustRead(f *folder, name string) string {
	b, err := os.ReadFile(filepath.Join(f.dir, name))
	if err != nil {
		f.Fatal(err)
	}
	return string(b)
}

// TestMissing: a page that came is found when somebody asks for it; nothing new is no news.
func TestMissing(t *testing.T) {
	f := newFolder(t)
	g := f.open(Options{Walk: true})
	now, first := time.Now(), g.Now()
	if g.Missing(now) || g.Now() != first {
		t.Error("nothing is new, and it is told")
	}
	f.write("site/visit/index.html", "<!doctype html><title>Visit</title>")
	if g.Missing(now.Add(100*time.Millisecond)) || !g.Missing(now.Add(2*time.Second)) || len(g.Now().Project.Pages) != 2 {
		t.Errorf("a page that came: %d pages", len(g.Now().Project.Pages))
	}
}

// TestRun: changes are noticed without anybody asking, and listeners are told.
func TestRun(t *testing.T) {
	f := newFolder(t)
	g := f.open(Options{Walk: true})
	ctx, stop := context.WithCancel(t.Context())
	defer stop()
	if !g.Run(ctx) {
		t.Log("the system tells of no changes here")
	}
	read, stopListening := g.Until()
	defer stopListening()
	next := func(what string, ok func(*Reading) bool) {
		t.Helper()
		for deadline := time.After(2 * time.Minute); ; {
			if ok(g.Now()) {
				return
			}
			select {
			case <-read:
			case <-deadline:
				t.Errorf("%s was not noticed", what)
				return
			}
		}
	}
	f.gate("visits")
	next("the gate file", func(s *Reading) bool { return items(s) == "visits late" })
	f.write("site/visit/index.html", "<!doctype html><title>Visit</title>")
	next("a page in a new folder", func(s *Reading) bool { return len(s.Project.Pages) == 2 })
	n := g.Now().Number
	f.write("site/visit/index.html", "<!doctype html><title>Visit us</title>")
	next("a change of that page", func(s *Reading) bool { return s.Number > n })
	f.write("gates/new.yaml", "items: {new: {code: <p>n</p>, pages: all}}\n")
	next("a gate file that a glob names", func(s *Reading) bool { return items(s) == "visits late new" })
	if err := os.RemoveAll(filepath.Join(f.dir, "site/visit")); err != nil {
		t.Fatal(err)
	}
	next("a folder that went", func(s *Reading) bool { return len(s.Project.Pages) == 1 })
	f.write("site/visit/index.html", "<!doctype html><title>Visit</title>")
	next("the folder again", func(s *Reading) bool { return len(s.Project.Pages) == 2 })
	n = g.Now().Number
	f.write("site/visit/index.html", "<!doctype html><title>Once more</title>")
	next("a change in the folder that came again", func(s *Reading) bool { return s.Number > n })
	n = g.Now().Number
	f.write("public/index.html", "an output")
	f.write("site/.hidden", "x")
	time.Sleep(1200 * time.Millisecond)
	if got := g.Now().Number; got != n {
		t.Errorf("what is none of the site was read %d times", got-n)
	}
}

// TestHalfWritten: a gate file that is being written is not put into effect, though each piece of it
// may be a gate file.
func TestHalfWritten(t *testing.T) {
	f := newFolder(t)
	var seen atomic.Pointer[string]
	g := f.open(Options{Told: func(s *Reading) { x := items(s); seen.Store(&x) }})
	ctx, stop := context.WithCancel(t.Context())
	defer stop()
	g.Run(ctx)
	out, err := os.Create(filepath.Join(f.dir, "yellowgate.yaml"))
	if err != nil {
		t.Fatal(err)
	}
	defer out.Close()
	fmt.Fprint(out, "yellowgate: 1\nitems:\n")
	for i := range 40 {
		fmt.Fprintf(out, "  item-%d: {code: <p>%d</p>, pages: all}\n", i, i)
		began := time.Now()
		time.Sleep(5 * time.Millisecond)
		if time.Since(began) > 30*time.Millisecond {
			t.Skip("this machine is too busy to write a file in small pieces without a rest")
		}
		if got := *seen.Load(); strings.HasPrefix(got, "item-0") && i < 39 && !strings.HasSuffix(got, "item-39") {
			t.Fatalf("after %d of 40 items: %q is in effect", i+1, got)
		}
	}
	deadline := time.Now().Add(3 * time.Second)
	for !strings.HasSuffix(*seen.Load(), "item-39") && time.Now().Before(deadline) {
		time.Sleep(10 * time.Millisecond)
	}
	if got := *seen.Load(); !strings.HasSuffix(got, "item-39") {
		t.Errorf("in the end %q is in effect", got)
	}
}

// TestNewDay: items with dates turn when the site's day does.
func TestNewDay(t *testing.T) {
	f := newFolder(t)
	f.write("yellowgate.yaml",
		"yellowgate: 1\nsite: {time-zone: Pacific/Auckland}\nitems: {gala: {code: <p>gala</p>, pages: all, from: 2026-11-30}}\n")
	g := f.open(Options{})
	s := *g.Now()
	s.Day = "2026-11-29"
	for at, want := range map[string]bool{"2026-11-29T10:59:59Z": false, "2026-11-29T11:00:00Z": true} {
		now, err := time.Parse(time.RFC3339, at)
		if err != nil {
			t.Fatal(err)
		}
		if got := g.newDay(&s, now); got != want {
			t.Errorf("at %s a day begins: %v, want %v", at, got, want)
		}
	}
	if midnight := time.Date(2026, 11, 28, 11, 0, 0, 0, time.UTC); !g.newest(&s).Before(time.Now().Add(time.Hour)) ||
		g.newest(&s).Before(midnight) {
		t.Errorf("the newest of what it is made of is of %s", g.newest(&s))
	}
	g.Project = project.Options{Day: "2026-11-01"}
	if g.newDay(&s, time.Now()) {
		t.Error("a day that was named turns")
	}
}

// TestTogether: whoever asks at one time gets a whole state. The race detector looks on.
func TestTogether(t *testing.T) {
	f := newFolder(t)
	g := f.open(Options{Walk: true})
	read, stop := g.Until()
	defer stop()
	var all sync.WaitGroup
	all.Go(func() {
		time.Sleep(50 * time.Millisecond) // amid the others
		g.Run(t.Context())
	})
	for i := range 8 {
		all.Go(func() {
			for n := range 12 {
				switch (i + n) % 6 {
				case 0:
					f.gate([]string{"counter", "visits"}[n%2])
				case 1:
					g.Again()
				case 2:
					gone := fmt.Sprintf("gates/gone%d", i) // nobody else writes or removes it
					f.write(gone+"/more.yaml", "")
					os.RemoveAll(filepath.Join(f.dir, gone))
					g.Missing(time.Unix(int64(100*i+2*n), 0))
				case 3:
					_, stop := g.Until()
					stop()
				default:
					if s := g.Fresh(); s.Project != nil && items(s) != "late counter" && items(s) != "late visits" &&
						items(s) != "counter late" && items(s) != "visits late" {
						t.Errorf("items %q", items(s))
					}
				}
			}
		})
	}
	all.Wait()
	<-read // somebody has read something
}
