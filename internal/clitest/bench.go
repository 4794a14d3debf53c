// Package clitest tries the commands as users have them: the built program, run on files in a
// temporary folder. Its folders hold the tests, by what they try: what apply writes (publish),
// running sites and gateways (servers), pages in Chromium (browser), and how work grows with what a
// page holds (growth). What is told and decided is tried beside the commands, in cli.
package clitest

import (
	"bytes"
	"flag"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"github.com/gofrs/flock"
)

// Update says that golden files are to be written anew.
var Update = flag.Bool("update", false, "write the golden files anew")

var dir, program string // of this run of tests

// Main builds the program and runs the tests of a package: call it from TestMain.
func Main(m *testing.M) {
	status, err := run(m)
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
	}
	os.Exit(status)
}

func run(m *testing.M) (status int, err error) {
	if dir, err = os.MkdirTemp("", "yellowgate-test"); err != nil {
		return 1, err
	}
	defer os.RemoveAll(dir)
	program = filepath.Join(dir, "yellowgate")
	if err := build(program); err != nil {
		return 1, err
	}
	defer stopBrowser()
	return m.Run(), nil
}

// build builds the program. The packages of tests that run side by side link it once: the first of
// them into the user's cache, from which the others copy what the go command calls up to date.
func build(name string) error {
	cache, err := os.UserCacheDir()
	if err != nil {
		cache = dir
	}
	shared := filepath.Join(cache, "yellowgate-test", "yellowgate")
	if err := os.MkdirAll(filepath.Dir(shared), 0o700); err != nil {
		return err
	}
	lock := flock.New(shared + ".lock")
	if err := lock.Lock(); err != nil {
		return err
	}
	defer lock.Unlock()
	if out, err := exec.Command("go", "build", "-ldflags", "-s -w", "-o", shared,
		"yellowgate/cmd/yellowgate").CombinedOutput(); err != nil {
		return fmt.Errorf("building: %v\n%s", err, out)
	}
	text, err := os.ReadFile(shared)
	if err != nil {
		return err
	}
	return os.WriteFile(name, text, 0o755)
}

// Program is the path of the built program.
func Program() string { return program }

// Dir is a folder that is gone when all tests of the package have ended.
func Dir() string { return dir }

// lookAtProgram looks at the program's files while a test runs: the go command
// runs a test again when a file changed that it looked at.
var lookAtProgram = sync.OnceFunc(func() {
	_ = filepath.WalkDir(Root("internal"), func(name string, _ os.DirEntry, err error) error {
		if err == nil {
			_, err = os.Stat(name)
		}
		return err
	})
})

// Root is the path of a file or folder of the project, by its path from the project's folder.
func Root(name string) string {
	top := "."
	for range 6 {
		if _, err := os.Stat(filepath.Join(top, "go.mod")); err == nil {
			break
		}
		top = filepath.Join("..", top)
	}
	return filepath.Join(top, filepath.FromSlash(name))
}

// A Bench is a folder with a site in it.
type Bench struct {
	*testing.T
	Dir string
}

// New writes files, given as name and content in turn, into a new folder.
func New(t *testing.T, files ...string) *Bench { return In(t, t.TempDir(), files...) }

// In is New in a folder that is there.
func In(t *testing.T, dir string, files ...string) *Bench {
	lookAtProgram()
	b := &Bench{t, dir}
	for i := 0; i < len(files); i += 2 {
		b.Write(files[i], files[i+1])
	}
	return b
}

// Write writes a file, by its name in the folder.
func (b *Bench) Write(name, text string) {
	b.Helper()
	full := filepath.Join(b.Dir, name)
	if err := os.MkdirAll(filepath.Dir(full), 0o755); err != nil {
		b.Fatal(err)
	}
	if err := os.WriteFile(full, []byte(text), 0o644); err != nil {
		b.Fatal(err)
	}
}

// Read reads a file.
func (b *Bench) Read(name string) string {
	b.Helper()
	text, err := os.ReadFile(filepath.Join(b.Dir, name))
	if err != nil {
		b.Fatal(err)
	}
	return string(text)
}

// Exists reports whether there is something of a name.
func (b *Bench) Exists(name string) bool {
	_, err := os.Stat(filepath.Join(b.Dir, name))
	return err == nil
}

// Replace changes a text in a file, where it has to be.
func (b *Bench) Replace(name, old, new string) {
	b.Helper()
	text := b.Read(name)
	if !strings.Contains(text, old) {
		b.Fatalf("%q is not in %s:\n%s", old, name, text)
	}
	b.Write(name, strings.ReplaceAll(text, old, new))
}

// State is the folder of what is known of an output folder, relative to the bench.
func (b *Bench) State(output string) string {
	b.Helper()
	list, _ := filepath.Glob(filepath.Join(b.Dir, ".yellowgate", output+"-*"))
	if len(list) != 1 {
		b.Fatalf("the states of %s are %v", output, list)
	}
	rel, _ := filepath.Rel(b.Dir, list[0])
	return rel
}

// Exec runs the program and returns its exit status and both outputs.
func (b *Bench) Exec(args ...string) (status int, out, errout string) { return b.ExecIn("", args...) }

// ExecIn is Exec with a text on standard input.
func (b *Bench) ExecIn(stdin string, args ...string) (status int, out, errout string) {
	b.Helper()
	cmd := exec.Command(program, args...)
	cmd.Dir = b.Dir
	var o, e bytes.Buffer
	cmd.Stdin, cmd.Stdout, cmd.Stderr = strings.NewReader(stdin), &o, &e
	err := cmd.Run()
	if _, exited := err.(*exec.ExitError); err != nil && !exited {
		b.Fatal(err)
	}
	return cmd.ProcessState.ExitCode(), o.String(), e.String()
}

// Want runs the program and fails unless it ends with the status and the texts
// stand in what it says, on either output.
func (b *Bench) Want(status int, args []string, texts ...string) string {
	b.Helper()
	got, out, errout := b.Exec(args...)
	all := out + errout
	if got != status {
		b.Errorf("%v: status %d, want %d\n%s", args, got, status, all)
	}
	for _, t := range texts {
		if !strings.Contains(all, t) {
			b.Errorf("%v: %q is not in\n%s", args, t, all)
		}
	}
	return all
}

// Args is a list of arguments.
func Args(a ...string) []string { return a }

// Golden compares a text with a file of testdata.
func Golden(t *testing.T, name, got string) {
	t.Helper()
	file := filepath.Join("testdata", name)
	if *Update {
		if err := os.MkdirAll("testdata", 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(file, []byte(got), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	want, err := os.ReadFile(file)
	if err != nil {
		t.Fatalf("%v (go test ./internal/cli -update writes it)", err)
	}
	if got != string(want) {
		t.Errorf("%s differs (-update writes it anew). Got:\n%s", file, got)
	}
}

// Doc is a small page with a title and a body.
func Doc(title, body string) string {
	return "<!doctype html>\n<html lang=\"en\">\n<head>\n  <meta charset=\"utf-8\">\n  <title>" + title +
		"</title>\n</head>\n<body>\n  " + body + "\n</body>\n</html>\n"
}

// SiteHead begins a gate file.
const SiteHead = "yellowgate: 1\n" +
	"site: {name: Tern Hill Observatory, url: https://ternhill.example, source: site, output: public}\n"

// SmallGate is a gate file for the site of Small.
const SmallGate = `yellowgate: 1
site:
  name: Tern Hill Observatory
  url: https://ternhill.example
  source: site
  output: public
  facts: facts.csv
metadata:
  - pages: all
    title: "@{fact.name or page.title}"
items:
  counter:
    code-file: code/counter.html
    pages: all
    except: /members/**
`

// Small is a site of three pages with a counter on two of them.
func Small(t *testing.T) *Bench {
	return New(t,
		"yellowgate.yaml", SmallGate,
		"facts.csv", "path,name\n/visit/,Visit us\n",
		"code/counter.html", "<script>visits = 1</script>\n",
		"site/index.html", Doc("Home", "<h1>Home</h1>"),
		"site/visit/index.html", Doc("Visit", "<h1>Visit</h1>"),
		"site/members/index.html", Doc("Members", "<h1>Members</h1>"),
		"site/css/site.css", "body { color: black }\n",
	)
}
