package cli_test

import (
	"bytes"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"

	"yellowgate/internal/clitest"
	"yellowgate/internal/testsize"
)

// demoBench is the demo site, not yet applied.
func demoBench(t *testing.T) *clitest.Bench {
	b := clitest.New(t)
	b.Want(0, clitest.Args("demo", "all", "-q"))
	b.Dir = filepath.Join(b.Dir, "all")
	return b
}

// inParts runs a command for every part at once, each in a process of its own.
func inParts(b *clitest.Bench, of int, command func(part string) []string) {
	b.Helper()
	var group sync.WaitGroup
	for n := 1; n <= of; n++ {
		part := fmt.Sprintf("%d/%d", n, of)
		group.Go(func() {
			cmd := exec.Command(clitest.Program(), command(part)...)
			cmd.Dir = b.Dir
			if out, err := cmd.CombinedOutput(); err != nil {
				b.Errorf("part %s: %v\n%s", part, err, out)
			}
		})
	}
	group.Wait()
}

func partName(part string) string {
	return "parts/part-" + strings.ReplaceAll(part, "/", "-of-") + ".ndjson"
}

// TestAuditInParts: eight parts at once, joined, are what one audit is, to the byte, in every
// format.
func TestAuditInParts(t *testing.T) {
	b := demoBench(t)
	// Something wrong of every kind that only all pages show, and something that explains others.
	b.Write("public/visit/index.html",
		strings.Replace(b.Read("public/visit/index.html"), "</body>",
			"<p>changed</p><script src=/none.js></script></body>", 1))
	b.Write("public/extra/index.html", "<title>Extra</title><p>x")
	b.Write("public/extra-2/index.html", "<title>Extra</title><p>y")
	b.Write("public/css/lost.css", "p { ] }")
	if err := os.Remove(filepath.Join(b.Dir, "public/press/index.html")); err != nil {
		t.Fatal(err)
	}
	os.Mkdir(filepath.Join(b.Dir, "parts"), 0o755)
	inParts(b, 8, func(part string) []string {
		return clitest.Args("audit", "--part", part, "--records", "-q", "--out", partName(part))
	})
	files, _ := filepath.Glob(filepath.Join(b.Dir, "parts", "*"))
	slices.Reverse(files) // their order says nothing
	if len(files) != 8 {
		t.Fatalf("%v", files)
	}
	forms := [][]string{{}, {"--format", "json"}, {"--format", "html"}, {"--verbose"}, {"--format", "ndjson"},
		{"--format", "csv"}, {"--format", "sarif"}, {"--format", "junit"}, {"--format", "markdown"},
		{"--fail-on", "note"}}
	for _, form := range forms[:testsize.Of(3, len(forms))] {
		status, out, errout := b.Exec(append(clitest.Args("audit", "--no-cache"), form...)...)
		joined, jout, jerr := b.Exec(append(append(clitest.Args("audit", "--join"), form...), files...)...)
		if joined != status || jout != out || jerr != errout {
			t.Errorf("%v: status %d, not %d; %s\n%s", form, joined, status, differs(out, jout), jerr)
		}
	}
	// Without a gate file, and of a folder that is named.
	inParts(b, 3, func(part string) []string {
		return clitest.Args("audit", "site", "--part", part, "-q", "--out", "site-"+partName(part)[6:])
	})
	_, out, _ := b.Exec("audit", "site", "--verbose")
	if _, joined, errout := b.Exec("audit", "--verbose", "--join", "site-part-1-of-3.ndjson",
		"site-part-2-of-3.ndjson", "site-part-3-of-3.ndjson"); joined != out {
		t.Errorf("the site's source: %s\n%s", differs(out, joined), errout)
	}
}

// differs is the first line in which two texts differ.
func differs(a, b string) string {
	as, bs := strings.Split(a, "\n"), strings.Split(b, "\n")
	for i := range as {
		if i >= len(bs) || as[i] != bs[i] {
			return fmt.Sprintf("line %d:\n%.300s\nand\n%.300s", i+1, as[i],
				strings.Join(bs[min(i, len(bs)):min(i+1, len(bs))], ""))
		}
	}
	return "one is longer"
}

// TestPartsThatDoNotFit: parts that are missing, doubled, damaged, or of something else are
// errors that say what to do.
func TestPartsThatDoNotFit(t *testing.T) {
	b := demoBench(t)
	make := func(dir string, of int) (names []string) {
		os.Mkdir(filepath.Join(b.Dir, dir), 0o755)
		for n := 1; n <= of; n++ {
			name := fmt.Sprintf("%s/%d.ndjson", dir, n)
			b.Want(0, clitest.Args("audit", "--part", fmt.Sprintf("%d/%d", n, of), "--out", name),
				fmt.Sprintf("part %d of %d: ", n, of))
			names = append(names, name)
		}
		return names
	}
	join := func(names ...string) []string { return append(clitest.Args("audit", "--join"), names...) }
	parts := make("parts", 3)
	other := make("other", 2)
	b.Want(0, join(parts...), "audit of public")
	b.Want(2, join(parts[0], parts[2]), "missing: part 2/3", "yellowgate audit --part 2/3")
	b.Want(2, join(parts[0], parts[1], parts[2], parts[1]), "part 2 of 3 is there twice")
	b.Want(2, join(parts[0], other[1]), "one of 3", "join the parts of one audit")
	b.Want(2, join(), "no parts to join")
	b.Want(3, join("none.ndjson"), "none.ndjson: no such file")
	b.Want(2, join("yellowgate.yaml"), "yellowgate.yaml is not a part of an audit")
	b.Want(2, append(join(parts...), "--format", "json"), "no records", "--records")
	b.Want(2, clitest.Args("audit", "--part", "4/3"), "such as 3/8")
	b.Want(2, clitest.Args("audit", "--part", "x"), "such as 3/8")
	b.Want(2, clitest.Args("audit", "--part", "1/2", "--format", "sarif"), "--join")
	b.Want(2, clitest.Args("audit", "--records"), "--records is for --part")
	b.Want(2, clitest.Args("apply", "/visit/", "--part", "1/2"), "--part and a page query")
	b.Want(2, clitest.Args("apply", "--part", "0/2"), "such as 3/8")

	whole := b.Read(parts[1])
	lines := strings.SplitAfter(strings.TrimSuffix(whole, "\n"), "\n")
	for what, c := range map[string]struct{ text, says string }{
		"cut short":           {whole[:len(whole)/2], "2.ndjson:"},
		"the end is gone":     {strings.Join(lines[:len(lines)-1], ""), "was not written to its end"},
		"a page is gone":      {lines[0] + strings.Join(lines[2:], "") + "\n", "was expected here"},
		"a page is there too": {lines[0] + lines[1] + strings.Join(lines[1:], "") + "\n", "was expected here"},
		"something changed":   {strings.Replace(whole, `"requests":`, `"requests":1`, 1), "was changed since it was written"},
		"a line is no JSON":   {strings.Replace(whole, lines[1], "{\n", 1), "2.ndjson:2: the line cannot be read"},
		"more behind the end": {whole + "{}\n", "goes on after its end"},
		"another version":     {strings.Replace(whole, `"version":"`, `"version":"9`, 1), "one version"},
		"another gate": {strings.Replace(whole, `"gate":"sha256:`, `"gate":"sha256:0`, 1),
			"was made with another gate"},
		"other files": {strings.Replace(whole, `"site":"`, `"site":"0`, 1), "different files"},
	} {
		b.Write(parts[1], c.text)
		if out := b.Want(2, join(parts...), c.says); strings.Contains(out, "internal error") {
			t.Errorf("%s: %s", what, out)
		}
	}
	b.Write(parts[1], whole)
	b.Write("public/new/index.html", "<title>New</title><p>x")
	b.Want(2, join(parts...), "the files of public are not those of which the parts were made")
	os.RemoveAll(filepath.Join(b.Dir, "public/new"))
	b.Write("yellowgate.yaml", b.Read("yellowgate.yaml")+"\n# later\n")
	b.Want(2, join(parts...), "was made with another gate", "run the parts of the audit again")
}

// TestApplyInParts: parts written at once are what one apply writes; what one wrote the others and
// the whole know as the tool's own.
func TestApplyInParts(t *testing.T) {
	b := demoBench(t)
	want := whole(b, "public")
	again := func() {
		os.RemoveAll(filepath.Join(b.Dir, "public"))
		os.RemoveAll(filepath.Join(b.Dir, ".yellowgate"))
	}
	again()
	parts := func(of int) {
		b.Helper()
		inParts(b, of, func(part string) []string { return clitest.Args("apply", "-q", "--part", part) })
	}
	same := func(what string) {
		b.Helper()
		if got := whole(b, "public"); got != want {
			t.Errorf("%s: %s", what, differs(want, got))
		}
	}
	parts(8)
	same("eight parts")
	b.Want(0, clitest.Args("audit", "--fail-on", "error"), "28 pages")
	b.Want(0, clitest.Args("apply"), "is up to date: 28 pages")
	if list, _ := filepath.Glob(filepath.Join(b.Dir, ".yellowgate", "*-part-*")); len(list) > 0 {
		t.Errorf("the whole was applied, and %v is left", list)
	}
	parts(3)
	same("three parts after the whole")

	// A source goes, and a page changes: whoever has them in his part sees to it.
	b.Write("site/bench/index.html", clitest.Doc("Bench", "<p>one</p>"))
	parts(5)
	if !b.Exists("public/bench/index.html") {
		t.Error("a new page was not written by its part")
	}
	os.RemoveAll(filepath.Join(b.Dir, "site/bench"))
	parts(4)
	if b.Exists("public/bench/index.html") {
		t.Error("the output of a source that is gone is still there")
	}
	b.Want(0, clitest.Args("apply", "-q"))
	os.Remove(filepath.Join(b.Dir, "public/bench"))
	same("in the end")

	// What somebody else put there is nobody's part.
	b.Write("site/later/index.html", clitest.Doc("Later", "<p>x</p>"))
	b.Write("public/later/index.html", "theirs")
	failed := 0
	for n := 1; n <= 4; n++ {
		if status, out, errout := b.Exec("apply", "--part", fmt.Sprintf("%d/4", n)); status != 0 {
			failed++
			if !strings.Contains(out+errout, "that the tool did not write") {
				t.Error(out, errout)
			}
		}
	}
	if failed != 1 || b.Read("public/later/index.html") != "theirs" {
		t.Errorf("%d parts refused to overwrite what is not the tool's", failed)
	}
}

// whole lists a folder with what its files hold.
func whole(b *clitest.Bench, dir string) string {
	b.Helper()
	var out bytes.Buffer
	err := filepath.WalkDir(filepath.Join(b.Dir, dir), func(name string, d os.DirEntry, err error) error {
		if err != nil {
			return err
		}
		rel, _ := filepath.Rel(b.Dir, name)
		if d.IsDir() {
			return nil
		}
		text, err := os.ReadFile(name)
		fmt.Fprintf(&out, "%s: %q\n", rel, text)
		return err
	})
	if err != nil {
		b.Fatal(err)
	}
	return out.String()
}
