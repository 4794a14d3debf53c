package cli_test

import (
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"yellowgate/internal/clitest"
)

// runShell runs what a document has as shell, as it stands there, in an empty folder.
func runShell(t *testing.T, document string) (b *clitest.Bench, out string) {
	t.Helper()
	shell, err := exec.LookPath("bash")
	if err != nil {
		t.Skip("no bash here:", err)
	}
	text, err := os.ReadFile("../../" + document)
	if err != nil {
		t.Fatal(err)
	}
	script := "set -e\n"
	for _, m := range regexp.MustCompile("(?s)```sh\n(.*?)```").FindAllStringSubmatch(string(text), -1) {
		script += m[1]
	}
	b = clitest.New(t)
	cmd := exec.Command(shell, "-c", script)
	cmd.Dir = b.Dir
	cmd.Env = append(os.Environ(),
		"PATH="+filepath.Dir(clitest.Program())+string(os.PathListSeparator)+os.Getenv("PATH"))
	said, err := cmd.CombinedOutput()
	if err != nil {
		t.Fatalf("%v\n%s", err, said)
	}
	return b, string(said)
}

// TestReadme runs the first site of the README: every file that it uses is made in it, and every command
// ends well.
func TestReadme(t *testing.T) {
	b, out := runShell(t, "README.md")
	for _, want := range []string{"2 items on 2 pages", "contact-kit    -1  /", "visit-counter  +2",
		"2 pages written", "out", "-1 visit-counter goes from 1 page: /contact/", "as the gate says"} {
		if !strings.Contains(out, want) {
			t.Errorf("%q is not in\n%s", want, out)
		}
	}
	if home := b.Read("public/index.html"); strings.Contains(home, "contact.js") ||
		!strings.Contains(home, "window.visits") {
		t.Errorf("the home page is\n%s", home)
	}
	if page := b.Read("public/contact/index.html"); !strings.Contains(page, "contact.js") ||
		strings.Contains(page, "window.visits") {
		t.Errorf("the contact page is\n%s", page)
	}
}

// TestSnippets runs the page for who comes with pasted snippets: first nothing changes, then what was decided.
func TestSnippets(t *testing.T) {
	b, out := runShell(t, "docs/snippets.md")
	for _, want := range []string{"2 things found on 3 pages", "byte for byte", "-1 talk goes from 1 page: /",
		"count  -1  /contact/", "The gate file can be applied", "as the gate says",
		"/contact/ does not choose the page"} {
		if !strings.Contains(out, want) {
			t.Errorf("%q is not in\n%s", want, out)
		}
	}
	b.Write("site/new/index.html", "<!DOCTYPE html><html lang=en><head><title>New</title></head><body></body></html>")
	b.Want(0, clitest.Args("apply"))
	for page, want := range map[string][2]int{"index.html": {1, 0}, "contact/index.html": {1, 1},
		"new/index.html": {1, 0}} {
		text := b.Read("public/" + page)
		if got := [2]int{strings.Count(text, "count.js"), strings.Count(text, "talk.js")}; got != want {
			t.Errorf("%s has %v of counter and chat, want %v:\n%s", page, got, want, text)
		}
	}
}

// TestTroubleshooting: every message that the page explains is one of the program.
func TestTroubleshooting(t *testing.T) {
	text, err := os.ReadFile("../../docs/troubleshooting.md")
	if err != nil {
		t.Fatal(err)
	}
	var program strings.Builder
	err = filepath.WalkDir("..", func(name string, d os.DirEntry, err error) error {
		if err == nil && strings.HasSuffix(name, ".go") && !strings.HasSuffix(name, "_test.go") {
			b, _ := os.ReadFile(name)
			program.Write(b)
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	messages := regexp.MustCompile("(?m)^\\| `([^`]+)` \\|").FindAllStringSubmatch(string(text), -1)
	if len(messages) < 10 {
		t.Errorf("%d messages", len(messages))
	}
	for _, m := range messages {
		if !strings.Contains(program.String(), m[1]) {
			t.Errorf("nothing says %q", m[1])
		}
	}
}
