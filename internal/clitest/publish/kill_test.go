package publish_test

import (
	"fmt"
	"math/rand"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"yellowgate/internal/clitest"
	"yellowgate/internal/testsize"
)

// TestKilled kills an apply at random moments: every output file is the old one or the new one, the
// next apply completes the work, and what is not the tool's is as it was. scripts/kill does it at
// length.
func TestKilled(t *testing.T) {
	b := clitest.New(t, "yellowgate.yaml", "", "public/theirs.txt", "theirs", ".yellowgate/mine", "mine")
	pages := testsize.Of(100, 400)
	long := strings.Repeat("<p>the dome opens when the sky is clear</p>\n", 400)
	for i := range pages {
		b.Write(fmt.Sprintf("site/p%03d/index.html", i), clitest.Doc(fmt.Sprint("Page ", i), long))
	}
	set := func(version int) {
		b.Write("yellowgate.yaml",
			fmt.Sprintf(
				"yellowgate: 1\nsite: {source: site, output: public}\nitems: {a: {code: '<b>version %d</b>', pages: all}}\n",
				version))
	}
	read := func() (versions map[string]string) {
		versions = map[string]string{}
		for i := range pages {
			name := fmt.Sprintf("public/p%03d/index.html", i)
			text, err := os.ReadFile(filepath.Join(b.Dir, name))
			if err != nil {
				continue
			}
			whole := ""
			for v := range 2 {
				mark := fmt.Sprintf("<b>version %d</b>", v)
				if strings.Contains(string(text), mark) && strings.HasSuffix(string(text), "</html>\n") && len(text) > len(long) {
					whole = mark
				}
			}
			versions[name] = whole
		}
		return versions
	}
	var took time.Duration
	for version := range 3 {
		set(version % 2)
		begun := time.Now()
		b.Want(0, clitest.Args("apply", "-q"))
		took = time.Since(begun)
	}
	r := rand.New(rand.NewSource(12))
	stopped, mixed := 0, 0
	rounds := testsize.Of(3, 12)
	for round := range rounds {
		set((round + 1) % 2)
		cmd := exec.Command(clitest.Program(), "apply", "-q")
		cmd.Dir = b.Dir
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		// Until it writes, on however busy a machine.
		for working := false; !working && cmd.ProcessState == nil; time.Sleep(time.Millisecond) {
			work, _ := filepath.Glob(filepath.Join(b.Dir, ".yellowgate", "apply-*"))
			working = len(work) > 0
		}
		time.Sleep(time.Duration(r.Int63n(int64(took))) * time.Duration(round) / time.Duration(rounds))
		if cmd.Process.Kill() == nil && cmd.Wait() != nil {
			stopped++
		}
		kinds := map[string]int{}
		for name, version := range read() {
			if version == "" {
				t.Errorf("round %d: %s is neither the old file nor the new one", round, name)
			}
			kinds[version]++
		}
		if len(kinds) > 1 {
			mixed++
		}
		b.Want(0, clitest.Args("apply", "-q"))
		for name, version := range read() {
			if version != fmt.Sprintf("<b>version %d</b>", (round+1)%2) {
				t.Fatalf("round %d: after the next apply %s has %s", round, name, version)
			}
		}
		if left, _ := filepath.Glob(filepath.Join(b.Dir, ".yellowgate", "apply-*")); len(left) > 0 {
			t.Errorf("round %d: %v is left", round, left)
		}
		if b.Read("public/theirs.txt") != "theirs" || b.Read(".yellowgate/mine") != "mine" {
			t.Errorf("round %d: a file of others was touched", round)
		}
	}
	t.Logf("%d of %d were killed before they had ended, %d left pages old and new", stopped, rounds, mixed)
	if stopped == 0 {
		t.Error("no apply was killed before it had ended: nothing was tried")
	}
}

// TestSurveyPipe: the inventory of a page from standard input, with and without a gate file.
func TestSurveyPipe(t *testing.T) {
	const page = `<!doctype html><html lang=en><head><title>Visit</title><link rel=stylesheet href="a.css"><script src="https://count.example/c.js" async></script></head><body><script>go()</script></body></html>`
	b := clitest.New(t)
	for _, c := range []struct {
		args   []string
		status int
		want   []string
	}{
		{clitest.Args("survey", "-", "--as", "/visit/"), 0, []string{"a.css", "https://count.example/c.js", "async"}},
		{clitest.Args("survey", "-", "--as", "/visit/", "--format", "json"), 0,
			[]string{`"path": "/visit/"`, `"target": "/visit/a.css"`, `"runs": "async"`, `"party": "third"`}},
		{clitest.Args("survey", "-", "--as", "/visit/", "--format", "ndjson"), 0, []string{`"target":"/visit/a.css"`}},
		{clitest.Args("survey", "-"), 0, []string{"a.css", "https://count.example/c.js"}},
	} {
		status, out, errout := b.ExecIn(page, c.args...)
		if status != c.status {
			t.Errorf("%v: status %d\n%s%s", c.args, status, out, errout)
		}
		for _, w := range c.want {
			if !strings.Contains(out+errout, w) {
				t.Errorf("%v: %q is not in\n%s%s", c.args, w, out, errout)
			}
		}
	}
	b.Write("yellowgate.yaml",
		"yellowgate: 1\nsite: {source: ., output: public}\nitems: {counter: {found: '[src*=\"count.example\"]', pages: none}}\n")
	if status, out, errout := b.ExecIn(page, "survey", "-", "--as", "/visit/", "--format", "json"); status != 0 ||
		!strings.Contains(out, `"item": "counter"`) {
		t.Errorf("with a gate file: %d\n%s%s", status, out, errout)
	}
	if status, out, errout := b.ExecIn("", "survey", "-", "--as", "/x/"); status != 0 ||
		strings.Contains(out+errout, "internal error") {
		t.Errorf("of nothing: %d\n%s%s", status, out, errout)
	}
}
