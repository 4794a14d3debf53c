package cli_test

import (
	"bytes"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
)

// counterDir is where a program with counters may be built.
var counterDir string

// program is the built program, on which the commands are tested.
var program string

func TestMain(m *testing.M) {
	dir, err := os.MkdirTemp("", "yellowgate-test")
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	program = filepath.Join(dir, "yellowgate")
	build := exec.Command("go", "build", "-o", program, "yellowgate/cmd/yellowgate")
	if out, err := build.CombinedOutput(); err != nil {
		fmt.Fprintf(os.Stderr, "building: %v\n%s", err, out)
		os.Exit(1)
	}
	counterDir = dir
	status := m.Run()
	os.RemoveAll(dir)
	os.Exit(status)
}

// A bench is a folder with a site in it.
type bench struct {
	*testing.T
	dir string
}

// lookAtProgram looks at the program's files while a test runs: the go command
// runs a test again when a file changed that it looked at.
var lookAtProgram = sync.OnceFunc(func() {
	_ = filepath.WalkDir("..", func(name string, _ os.DirEntry, err error) error {
		if err == nil {
			_, err = os.Stat(name)
		}
		return err
	})
})

// newBench writes files, given as name and content in turn, into a new folder.
func newBench(t *testing.T, files ...string) *bench {
	lookAtProgram()
	b := &bench{t, t.TempDir()}
	for i := 0; i < len(files); i += 2 {
		b.write(files[i], files[i+1])
	}
	return b
}

func (b *bench) write(name, text string) {
	b.Helper()
	full := filepath.Join(b.dir, name)
	if err := os.MkdirAll(filepath.Dir(full), 0o755); err != nil {
		b.Fatal(err)
	}
	if err := os.WriteFile(full, []byte(text), 0o644); err != nil {
		b.Fatal(err)
	}
}

func (b *bench) read(name string) string {
	b.Helper()
	text, err := os.ReadFile(filepath.Join(b.dir, name))
	if err != nil {
		b.Fatal(err)
	}
	return string(text)
}

func (b *bench) exists(name string) bool {
	_, err := os.Stat(filepath.Join(b.dir, name))
	return err == nil
}

// state is the folder of what is known of an output folder, relative to the site's.
func (b *bench) state(output string) string {
	b.Helper()
	list, _ := filepath.Glob(filepath.Join(b.dir, ".yellowgate", output+"-*"))
	if len(list) != 1 {
		b.Fatalf("the states of %s are %v", output, list)
	}
	rel, _ := filepath.Rel(b.dir, list[0])
	return rel
}

// run runs the program and returns its exit status and both outputs.
func (b *bench) run(args ...string) (status int, out, errout string) { return b.runIn("", args...) }

func (b *bench) runIn(stdin string, args ...string) (status int, out, errout string) {
	b.Helper()
	cmd := exec.Command(program, args...)
	cmd.Dir = b.dir
	var o, e bytes.Buffer
	cmd.Stdin, cmd.Stdout, cmd.Stderr = strings.NewReader(stdin), &o, &e
	err := cmd.Run()
	if _, exited := err.(*exec.ExitError); err != nil && !exited {
		b.Fatal(err)
	}
	return cmd.ProcessState.ExitCode(), o.String(), e.String()
}

// want runs the program and fails unless it ends with the status and the texts
// stand in what it says, on either output.
func (b *bench) want(status int, args []string, texts ...string) string {
	b.Helper()
	got, out, errout := b.run(args...)
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

func args(a ...string) []string { return a }

// doc is a small page with a title and a body.
func doc(title, body string) string {
	return "<!doctype html>\n<html lang=\"en\">\n<head>\n  <meta charset=\"utf-8\">\n  <title>" + title + "</title>\n</head>\n<body>\n  " + body + "\n</body>\n</html>\n"
}

const siteHead = "yellowgate: 1\nsite: {name: Tern Hill Observatory, url: https://ternhill.example, source: site, output: public}\n"

// TestThread is the thinnest thread: one item, from gate file to output, show
// and audit.
func TestThread(t *testing.T) {
	b := newBench(t,
		"yellowgate.yaml", siteHead+"items:\n  visit-counter:\n    code-file: code/counter.html\n    place: head-end\n    pages: all\n    except: /members/**\n",
		"code/counter.html", "<script>visits = 1</script>\n",
		"site/index.html", doc("Home", "<h1>Home</h1>"),
		"site/visit/index.html", doc("Visit", "<h1>Visit</h1>"),
		"site/members/index.html", doc("Members", "<h1>Members</h1>"),
		"site/css/site.css", "body { color: black }\n",
	)
	b.want(0, args("apply"), "3 pages written, 1 other file copied")
	region := "<!--yg:visit-counter-->\n  <script>visits = 1</script><!--/yg:visit-counter-->"
	if got, want := b.read("public/visit/index.html"), strings.Replace(doc("Visit", "<h1>Visit</h1>"), "</title>", "</title>"+region, 1); got != want {
		t.Errorf("the page is\n%s\nwant\n%s", got, want)
	}
	if got := b.read("public/members/index.html"); got != b.read("site/members/index.html") {
		t.Errorf("the members' page was changed:\n%s", got)
	}
	if got := b.read("public/css/site.css"); got != b.read("site/css/site.css") {
		t.Errorf("the stylesheet was changed: %s", got)
	}
	b.want(0, args("apply"), "up to date")
	b.want(0, args("show", "/visit/"), "visit-counter", "as applied")
	b.want(0, args("audit", "--fail-on", "error"), "as the gate says", "no errors")
	b.want(0, args("why", "/members/", "visit-counter"), "out, because except chooses the page (yellowgate.yaml:8:13)")

	b.write("public/visit/index.html", strings.Replace(b.read("public/visit/index.html"), "visits = 1", "", 1))
	b.want(1, args("audit"), "item-differs", "edited-output", "differs on 1")
	b.want(0, args("apply"), "1 page written")
	b.want(0, args("diff"), "Nothing to apply")
}
