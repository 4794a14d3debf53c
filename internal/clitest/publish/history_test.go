package publish_test

import (
	"fmt"
	"io/fs"
	"maps"
	"math/rand/v2"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"yellowgate/internal/clitest"
	"yellowgate/internal/testsize"
)

// filesBelow are the files of a folder with their bytes.
func filesBelow(t *testing.T, dir string) map[string]string {
	t.Helper()
	out := map[string]string{}
	err := filepath.WalkDir(dir, func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		b, err := os.ReadFile(name)
		rel, _ := filepath.Rel(dir, name)
		out[rel] = string(b)
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	return out
}

// TestHistory: what was in effect is listed, told and can be gone back to.
func TestHistory(t *testing.T) {
	b := clitest.New(t)
	b.Want(0, clitest.Args("demo", "d"))
	b.Dir = filepath.Join(b.Dir, "d")
	b.Want(0, clitest.Args("set", "page-veil", "--param", "delay=4s", "-q"))
	b.Want(0, clitest.Args("apply", "-q", "--message", "The veil stays longer"))
	b.Want(0, clitest.Args("apply", "-q")) // nothing else is in effect
	out := b.Want(0, clitest.Args("history"), "apply: The veil stays longer", "edit: set page-veil --param delay=4s",
		"findings")
	if n := strings.Count(out, "apply"); n != 2 {
		t.Errorf("%d applies are listed:\n%s", n, out)
	}
	b.Want(0, clitest.Args("history", "3"), "-    params: {delay: 2s,", "page-veil, parameter delay", "2s → 4s",
		"The other 27 pages stay as they are.")
	b.Want(0, clitest.Args("history", "2"), "+    params: {delay: 4s,")
	b.Want(0, clitest.Args("compare", "@1", "yellowgate.yaml"), "parameter delay", "2s → 4s")
	b.Want(0, clitest.Args("compare", "@1", "@1"), "No page changes.")
	b.Want(2, clitest.Args("compare", "@1", "site"), "site is none")
	b.Want(2, clitest.Args("history", "9"), "the history has no entry 9")
	b.Want(2, clitest.Args("history", "x"), "takes the number of an entry")
	b.Want(2, clitest.Args("history", "1", "--format", "html"), "unknown format")
	b.Want(0, clitest.Args("audit", "-q", "--fail-on", "never"))
	if page := b.Want(0, clitest.Args("history", "--format", "html")); !strings.Contains(page, "<svg") ||
		strings.Contains(page, "http://") {
		t.Errorf("the page has no plot, or loads something")
	}
	file := b.Read("yellowgate.yaml")
	b.Want(0, clitest.Args("back", "--dry-run"), "+    params: {delay: 2s,", "dry run")
	if b.Read("yellowgate.yaml") != file {
		t.Error("a dry run wrote")
	}
	b.Write("yellowgate.yaml", file+"# by hand\n")
	b.Want(2, clitest.Args("back"), "yellowgate.yaml was changed since the last edit")
	b.Want(0, clitest.Args("back", "3"), "What stood there is kept: yellowgate back 4")
	if out := b.Want(0, clitest.Args("history", "4"), "kept before going back", "+# by hand"); strings.Contains(out,
		"pages") {
		t.Errorf("what was kept says what it does:\n%s", out)
	}
	b.Want(0, clitest.Args("back", "4"))
	if b.Read("yellowgate.yaml") != file+"# by hand\n" {
		t.Error("what stood there was lost")
	}
	b.Want(0, clitest.Args("back", "3"))
	b.Want(0, clitest.Args("back"), "as before the edit")
	b.Want(2, clitest.Args("back"), "there is no edit to take back")
	veil := b.Read("code/veil.html")
	b.Write("code/veil.html", "<p>Another veil</p>")
	b.Want(0, clitest.Args("apply", "-q"))
	if err := os.Remove(filepath.Join(b.Dir, "code/veil.html")); err != nil {
		t.Fatal(err)
	}
	b.Want(0, clitest.Args("back", "1"), "code/veil.html")
	if b.Read("code/veil.html") != veil {
		t.Error("a file that the gate file names is not as it was")
	}
	b.Write("yellowgate.yaml", "yellowgate: [") // what does not work can be gone back from
	b.Want(0, clitest.Args("back", "1"), "What stood there is kept")
}

// TestHistoryLimit: the oldest texts go first, the last stay, and 0 keeps nothing.
func TestHistoryLimit(t *testing.T) {
	b := clitest.New(t)
	b.Write("site/index.html", "<!doctype html><title>t</title><p>x")
	gate := "yellowgate: 1\nsite: {source: site, output: public, history: %s}\nitems: {a: {code: '<!-- %s -->', pages: all, place: body-end}}\n"
	r := rand.New(rand.NewPCG(1, 2))
	for range 6 {
		noise := ""
		for range 2000 {
			noise += string(rune('a' + r.IntN(26)))
		}
		b.Write("yellowgate.yaml", fmt.Sprintf(gate, "5 kB", noise))
		b.Want(0, clitest.Args("apply", "-q"))
	}
	b.Want(2, clitest.Args("back", "1"), "is no longer kept", "site.history")
	b.Want(0, clitest.Args("back", "6"))
	size := 0
	for _, text := range filesBelow(t, filepath.Join(b.Dir, ".yellowgate/history-yellowgate.yaml/texts")) {
		size += len(text)
	}
	if size == 0 || size > 5000 {
		t.Errorf("%d bytes are kept", size)
	}
	for _, dir := range []string{".yellowgate", "public"} {
		if err := os.RemoveAll(filepath.Join(b.Dir, dir)); err != nil {
			t.Fatal(err)
		}
	}
	b.Write("yellowgate.yaml", fmt.Sprintf(gate, "0", "x"))
	b.Want(0, clitest.Args("apply", "-q"))
	b.Want(0, clitest.Args("history"), "No history yet")
	b.Write("yellowgate.yaml", fmt.Sprintf(gate, "some", "x"))
	b.Want(2, clitest.Args("apply"), `site.history is a size`, `not "some"`)
}

// TestBack: random edits by command and by hand, each put into effect; gone back to any of them, the output is byte
// for byte what it was, and nothing beside the gate file and what it names has changed.
func TestBack(t *testing.T) {
	b := clitest.New(t)
	b.Want(0, clitest.Args("demo", "d"))
	b.Dir = filepath.Join(b.Dir, "d")
	r := rand.New(rand.NewPCG(29, 1))
	was := map[string]map[string]string{}
	number := regexp.MustCompile(`(?m)^ *(\d+) .*apply: (\w+)`)
	public := func() map[string]string { return filesBelow(t, filepath.Join(b.Dir, "public")) }
	gates := func() map[string]string {
		out := filesBelow(t, b.Dir)
		maps.DeleteFunc(out, func(name, _ string) bool {
			return strings.HasPrefix(name, ".yellowgate") || strings.HasPrefix(name, "public")
		})
		return out
	}
	files := map[string]map[string]string{}
	for n := range testsize.Of(5, 30) {
		switch r.IntN(6) {
		case 0:
			b.Want(0, clitest.Args("set", "page-veil", "-q", "--param", fmt.Sprintf("delay=%dms", 1000+n)))
		case 1:
			b.Want(0, clitest.Args("set", "visit-counter", "-q", "--note", fmt.Sprintf("note %d", n)))
		case 2:
			b.Want(0,
				clitest.Args("add", fmt.Sprintf("item-%d", n), "-q", "--code", fmt.Sprintf("<p>item %d</p>", n),
					"--pages", "/visit/**"))
		case 3:
			b.Write("code/veil.html", b.Read("code/veil.html")+fmt.Sprintf("<!-- %d -->\n", n))
		case 4:
			b.Write("yellowgate.yaml", b.Read("yellowgate.yaml")+fmt.Sprintf("# %d\n", n))
		default:
			b.Write("facts/events.csv",
				strings.Replace(b.Read("facts/events.csv"), "Saturn", fmt.Sprintf("Saturn %d", n), 1))
		}
		word := fmt.Sprintf("m%d", n)
		b.Want(0, clitest.Args("apply", "-q", "--message", word))
		was[word], files[word] = public(), gates()
	}
	list := number.FindAllStringSubmatch(b.Want(0, clitest.Args("history", "--verbose")), -1)
	if len(list) != len(was) {
		t.Fatalf("%d of %d are listed", len(list), len(was))
	}
	r.Shuffle(len(list), func(i, j int) { list[i], list[j] = list[j], list[i] })
	for _, m := range list {
		b.Want(0, clitest.Args("back", m[1], "-q"))
		if now := gates(); !maps.Equal(now, files[m[2]]) {
			t.Fatalf("back %s: other files: %v", m[1], slices.Sorted(maps.Keys(now)))
		}
		b.Want(0, clitest.Args("apply", "-q"))
		if !maps.Equal(public(), was[m[2]]) {
			t.Fatalf("back %s: the output is another than it was", m[1])
		}
	}
}
