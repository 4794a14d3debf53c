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

// TestReadme runs the first site of the README as it stands there, in an empty folder: every
// file that it uses is made in it, and every command ends well.
func TestReadme(t *testing.T) {
	shell, err := exec.LookPath("bash")
	if err != nil {
		t.Skip("no bash here:", err)
	}
	text, err := os.ReadFile("../../README.md")
	if err != nil {
		t.Fatal(err)
	}
	script := "set -e\n"
	for _, m := range regexp.MustCompile("(?s)```sh\n(.*?)```").FindAllStringSubmatch(string(text), -1) {
		script += m[1]
	}
	b := clitest.New(t)
	cmd := exec.Command(shell, "-c", script)
	cmd.Dir = b.Dir
	cmd.Env = append(os.Environ(), "PATH="+filepath.Dir(clitest.Program())+string(os.PathListSeparator)+os.Getenv("PATH"))
	out, err := cmd.CombinedOutput()
	if err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	for _, want := range []string{"2 items on 2 pages", "contact-kit    -1  /", "visit-counter  +2", "2 pages written", "out", "-1 visit-counter goes from 1 page: /contact/", "as the gate says"} {
		if !strings.Contains(string(out), want) {
			t.Errorf("%q is not in\n%s", want, out)
		}
	}
	if home := b.Read("public/index.html"); strings.Contains(home, "contact.js") || !strings.Contains(home, "window.visits") {
		t.Errorf("the home page is\n%s", home)
	}
	if page := b.Read("public/contact/index.html"); !strings.Contains(page, "contact.js") || strings.Contains(page, "window.visits") {
		t.Errorf("the contact page is\n%s", page)
	}
}
