//go:build unix

package publish_test

import (
	"bytes"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"syscall"
	"testing"
	"time"

	"yellowgate/internal/clitest"
	"yellowgate/internal/testsize"
)

// What is not the tool's comes out as it was, whatever records, links and names say.

// tree is all that a folder holds: files with their bytes, folders, links with where they
// lead.
func tree(b *clitest.Bench, dir string) map[string]string {
	b.Helper()
	all := map[string]string{}
	err := filepath.WalkDir(filepath.Join(b.Dir, dir), func(name string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		rel, _ := filepath.Rel(b.Dir, name)
		switch {
		case d.IsDir():
			all[rel] = "folder"
		case d.Type()&fs.ModeSymlink != 0:
			to, _ := os.Readlink(name)
			all[rel] = "link to " + to
		case d.Type().IsRegular():
			text, err := os.ReadFile(name)
			if err != nil {
				return err
			}
			all[rel] = "file " + string(text)
		default:
			all[rel] = d.Type().String()
		}
		return nil
	})
	if err != nil {
		b.Fatal(err)
	}
	return all
}

// sameTree tells what differs between two trees.
func sameTree(b *clitest.Bench, what string, before, after map[string]string) {
	b.Helper()
	for name, x := range before {
		if after[name] != x {
			b.Errorf("%s: %s was %.60q and is %.60q", what, name, x, after[name])
		}
	}
	for name := range after {
		if _, ok := before[name]; !ok {
			b.Errorf("%s: %s is new", what, name)
		}
	}
}

func link(b *clitest.Bench, to, name string) {
	b.Helper()
	if err := os.Symlink(to, filepath.Join(b.Dir, name)); err != nil {
		b.Skip("no symbolic links here:", err)
	}
}

// noWork fails where a file on its way is left.
func noWork(b *clitest.Bench) {
	b.Helper()
	for name := range tree(b, ".") {
		if base := filepath.Base(name); strings.HasPrefix(base, "apply-") || strings.HasPrefix(base, ".yg-") ||
			strings.HasPrefix(base, "kept-") {
			b.Errorf("%s is left", name)
		}
	}
}

// TestTwoGateFiles: each gate file and each output folder has a record of its own, and
// two gate files in turn do not take each other's pages for somebody's.
func TestTwoGateFiles(t *testing.T) {
	b := clitest.Small(t)
	b.Write("yellowgate.yaml", clitest.SmallGate)
	b.Write("other.yaml", strings.Replace(clitest.SmallGate, "counter:", "clicker:", 1))
	b.Write("elsewhere.yaml", strings.Replace(clitest.SmallGate, "output: public", "output: staging", 1))
	b.Want(0, clitest.Args("apply"), "3 pages written")
	b.Want(0, clitest.Args("apply", "--gate", "elsewhere.yaml"), "3 pages written")
	b.Want(0, clitest.Args("apply"), "up to date")
	b.Want(0, clitest.Args("apply", "--gate", "elsewhere.yaml"), "up to date")
	for range 2 {
		out := b.Want(0, clitest.Args("apply", "--gate", "other.yaml"), "2 pages written")
		if strings.Contains(out, "by hand") {
			t.Errorf("the other gate file's pages were taken for edited ones:\n%s", out)
		}
		b.Want(1, clitest.Args("diff", "--summary"), "2 of 3 pages are behind")
		b.Want(0, clitest.Args("apply"), "2 pages written")
	}
	// The output that the gate file named before is left as it is, and known.
	b.Write("yellowgate.yaml", strings.Replace(clitest.SmallGate, "output: public", "output: www", 1))
	b.Want(0, clitest.Args("apply"), "3 pages written")
	b.Write("yellowgate.yaml", clitest.SmallGate)
	b.Want(0, clitest.Args("apply"), "up to date")
	if n, _ := filepath.Glob(filepath.Join(b.Dir, ".yellowgate", "*", "record")); len(n) != 4 {
		t.Errorf("the records are %v", n)
	}
	noWork(b)
}

// TestMovedProject: a project that is moved as a whole keeps its record.
func TestMovedProject(t *testing.T) {
	b := clitest.Small(t)
	b.Write("p/yellowgate.yaml", "")
	for _, name := range []string{"site", "code", "facts.csv"} {
		os.Rename(filepath.Join(b.Dir, name), filepath.Join(b.Dir, "p", name))
	}
	b.Write("p/yellowgate.yaml", clitest.SmallGate)
	b.Want(0, clitest.Args("apply", "--gate", "p/yellowgate.yaml"), "3 pages written")
	if err := os.Rename(filepath.Join(b.Dir, "p"), filepath.Join(b.Dir, "q")); err != nil {
		t.Fatal(err)
	}
	b.Want(0, clitest.Args("apply", "--gate", "q/yellowgate.yaml"), "up to date")
}

// TestRefilled: an output folder that was emptied or deleted, and filled by hand, is
// somebody's.
func TestRefilled(t *testing.T) {
	for _, deleted := range []bool{false, true} {
		b := clitest.Small(t)
		b.Write("yellowgate.yaml", clitest.SmallGate)
		b.Want(0, clitest.Args("apply"))
		os.RemoveAll(filepath.Join(b.Dir, "public"))
		if !deleted {
			b.Write("public/keep", "")
		}
		time.Sleep(10 * time.Millisecond) // or the file system makes the folder at the same time, with the same number
		b.Write("public/index.html", "my own page")
		b.Write("public/visit/index.html", "my own visit")
		before := tree(b, "public")
		b.Want(3, clitest.Args("apply"), "2 files that the tool did not write stand where it has to write",
			"nothing was changed")
		sameTree(b, "a refilled output", before, tree(b, "public"))
		b.Want(1, clitest.Args("diff", "--summary"), "2 files in the output folder not written by the tool")
	}
}

// TestNamesOfOthers: files with names as the tool's own files once had, or may have, come
// out as they were.
func TestNamesOfOthers(t *testing.T) {
	b := clitest.Small(t)
	b.Write("yellowgate.yaml", clitest.SmallGate)
	b.Want(0, clitest.Args("apply"))
	for _, name := range []string{".yg-0123.tmp", ".yg-00112233445566778899-1", "visit/.yg-x.tmp",
		".yellowgate/apply-00112233445566778899/0", "index.html.new", "index.html~", ".index.html123"} {
		b.Write("public/"+name, "mine: "+name)
	}
	b.Write(".yellowgate/apply-00112233445566778899/0", "mine")
	b.Write(b.State("public")+"/record.new", "mine")
	before := tree(b, "public")
	b.Write("code/counter.html", "<script>visits = 2</script>\n")
	b.Want(0, clitest.Args("apply"), "2 pages written")
	after := tree(b, "public")
	for name, was := range before {
		if !strings.HasSuffix(name, ".html") && after[name] != was {
			t.Errorf("%s is now %q", name, after[name])
		}
	}
	if b.Read(".yellowgate/apply-00112233445566778899/0") != "mine" || b.Read(b.State("public")+"/record.new") != "mine" {
		t.Error("a file with a name like the tool's was taken")
	}
}

// TestLinksInTheWay: a link in any part of a page's path is refused, for the whole site
// and for some pages.
func TestLinksInTheWay(t *testing.T) {
	for _, c := range []struct{ link, to string }{
		{"public/visit/index.html", "../../elsewhere/mine.html"}, {"public/visit", "../elsewhere"}, {"public/visit",
			"members"}, {"public/visit/index.html", "nowhere"},
	} {
		for _, a := range [][]string{{"apply"}, {"apply", "/visit/"}, {"apply", "/visit/", "--take-over"}} {
			b := clitest.Small(t)
			b.Write("yellowgate.yaml", clitest.SmallGate)
			b.Want(0, clitest.Args("apply"))
			b.Write("elsewhere/mine.html", "mine")
			b.Write("elsewhere/index.html", "mine, too")
			if err := os.RemoveAll(filepath.Join(b.Dir, c.link)); err != nil {
				t.Fatal(err)
			}
			link(b, c.to, c.link)
			b.Write("code/counter.html", "<script>visits = 2</script>\n")
			before := tree(b, ".")
			b.Want(3, a, "(a link, or no file)", "nothing was changed")
			after := tree(b, ".")
			sameTree(b, fmt.Sprint(c, a), before, after)
		}
	}
}

// TestForgedRecord: a record that names files of others costs nobody a file, and one that
// says that hostile pages are current costs time.
func TestForgedRecord(t *testing.T) {
	b := clitest.Small(t)
	b.Write("yellowgate.yaml", clitest.SmallGate)
	b.Want(0, clitest.Args("apply"))
	record := b.State("public") + "/record"
	good := b.Read(record)
	var line string // of the visit page
	for l := range strings.Lines(good) {
		if strings.Contains(l, "visit/index.html") {
			line = l
		}
	}
	// The page's entry, under names of files that nobody's apply wrote.
	b.Write("public/notes.txt", "mine")
	b.Write("secret.txt", "mine")
	forged := good
	for _, name := range []string{"notes.txt", "../secret.txt", "../yellowgate.yaml", "/etc/hostname", "visit"} {
		forged += strings.Replace(line, `"visit/index.html"`, fmt.Sprintf("%q", name), 1)
	}
	b.Write(record, forged)
	b.Want(0, clitest.Args("apply"), "up to date")
	if b.Read("public/notes.txt") != "mine" || b.Read("secret.txt") != "mine" ||
		b.Read("yellowgate.yaml") != clitest.SmallGate {
		t.Error("a forged record cost a file")
	}
	// A record with the very digest of the file: it is removed, and kept.
	b.Write(record, good)
	b.Write("public/copy.html", b.Read("public/visit/index.html"))
	b.Write(record, good+strings.Replace(line, `"visit/index.html"`, `"copy.html"`, 1))
	b.Want(0, clitest.Args("apply"), "1 file removed")
	if b.Read(b.State("public")+"/replaced/copy.html") != b.Read("public/visit/index.html") {
		t.Error("what only a record called the tool's is not kept")
	}
	// A hostile page whose digest the record has: it is not what the gate makes of it.
	hostile := b.Read("public/index.html")
	b.Write("public/visit/index.html", hostile)
	var of string
	for l := range strings.Lines(good) {
		if strings.Contains(l, `"index.html"`) {
			of = l
		}
	}
	f, g := strings.Split(line, "\t"), strings.Split(of, "\t")
	copy(f[9:], g[9:])
	b.Write(record, strings.Replace(good, line, strings.Join(f, "\t"), 1))
	b.Want(0, clitest.Args("apply"), "1 page written")
	if !strings.Contains(b.Read("public/visit/index.html"), "<title>Visit us</title>") {
		t.Error("a forged record let a hostile page stay")
	}
	for _, damaged := range []string{"", good[:len(good)/2], strings.Replace(good, "file\t", "flie\t", 1),
		strings.ReplaceAll(good, "\t", " "), "\x00\xff"} {
		b.Write(record, damaged)
		before := tree(b, "public")
		status, out, errout := b.Exec("apply")
		if status != 0 && (status != 3 || !strings.Contains(errout, "delete the record")) {
			t.Errorf("a damaged record: status %d\n%s%s", status, out, errout)
		}
		sameTree(b, "a damaged record", before, tree(b, "public"))
	}
}

// TestForgedJournal: only what a journal names by the tool's own random names is removed,
// and only in the tool's own folder.
func TestForgedJournal(t *testing.T) {
	b := clitest.Small(t)
	b.Write("yellowgate.yaml", clitest.SmallGate)
	b.Want(0, clitest.Args("apply"))
	b.Write("mine/0", "mine")
	b.Write("mine/apply-00112233445566778899/0", "mine")
	b.Write(".yellowgate/apply-00112233445566778899/0", "left")
	b.Write(".yellowgate/apply-11112233445566778899/0", "mine")
	b.Write(".yellowgate/apply-11112233445566778899/notes", "mine")
	link(b, "../mine", ".yellowgate/apply-99112233445566778899")
	journal := ""
	for _, name := range []string{"apply-00112233445566778899", "../mine", "../mine/apply-00112233445566778899",
		filepath.Join(b.Dir, "mine"), "apply-99112233445566778899", "apply-11112233445566778899", "", ".", ".."} {
		journal += fmt.Sprintf("work\t%q\n", name)
	}
	b.Write(b.State("public")+"/journal", journal+strings.Repeat("0", 32)+"\t\"../../mine/0\"\n")
	before := tree(b, "mine")
	b.Want(0, clitest.Args("apply"), "up to date")
	sameTree(b, "a forged journal", before, tree(b, "mine"))
	if b.Exists(".yellowgate/apply-00112233445566778899") ||
		b.Read(".yellowgate/apply-11112233445566778899/notes") != "mine" {
		t.Error("what an apply left is there still, or more than that is gone")
	}
	if b.Exists(b.State("public") + "/journal") {
		t.Error("the journal is there still")
	}
}

// TestStateOfOthers: the tool's folder, its files or FIFOs in their place that lead
// elsewhere are errors, at once, and nothing is written through them.
func TestStateOfOthers(t *testing.T) {
	for _, name := range []string{"", "/record", "/journal", "/lock", "/replaced", "/.."} {
		for _, fifo := range []bool{false, true} {
			b := clitest.Small(t)
			b.Write("yellowgate.yaml", clitest.SmallGate)
			b.Want(0, clitest.Args("apply"))
			b.Write("public/index.html", "by hand")
			at := b.State("public") + name
			b.Write("elsewhere/x", "mine")
			os.RemoveAll(filepath.Join(b.Dir, at))
			if name == "/.." {
				at = ".yellowgate"
				os.RemoveAll(filepath.Join(b.Dir, at))
			}
			if fifo {
				if err := syscall.Mkfifo(filepath.Join(b.Dir, at), 0o644); err != nil {
					t.Skip("no FIFOs here:", err)
				}
			} else {
				link(b,
					filepath.Join(b.Dir, "elsewhere",
						map[bool]string{true: "x", false: ""}[strings.Contains(name, "record")]), at)
			}
			before := tree(b, ".")
			b.Want(3, clitest.Args("apply"), at, "move it away")
			sameTree(b, fmt.Sprint(name, fifo), before, tree(b, "."))
		}
	}
}

// TestSwaps: a page that became a folder of the same name, and the other way round.
func TestSwaps(t *testing.T) {
	b := clitest.Small(t)
	b.Write("yellowgate.yaml", clitest.SmallGate)
	b.Write("site/about", "a file without an ending")
	b.Write("site/docs/a/b.html", clitest.Doc("B", ""))
	b.Write("site/docs/c.txt", "c")
	b.Want(0, clitest.Args("apply"))
	os.Remove(filepath.Join(b.Dir, "site/about"))
	os.RemoveAll(filepath.Join(b.Dir, "site/docs"))
	b.Write("site/about/index.html", clitest.Doc("About", ""))
	b.Write("site/docs", "now a file")
	b.Want(0, clitest.Args("apply"), "1 page written, 1 other file copied, 3 files removed")
	b.Want(0, clitest.Args("diff", "--summary"), "Nothing to apply")
	if b.Read("public/docs") != "now a file" || !strings.Contains(b.Read("public/about/index.html"), "About") {
		t.Error("the outputs are not what the source has")
	}
	noWork(b)
	// With something of somebody's in the folder it is refused.
	b.Write("site/visit2/index.html", clitest.Doc("V", ""))
	b.Want(0, clitest.Args("apply"))
	os.RemoveAll(filepath.Join(b.Dir, "site/visit2"))
	b.Write("site/visit2", "a file")
	b.Write("public/visit2/.secret", "mine")
	before := tree(b, "public")
	b.Want(3, clitest.Args("apply"), "visit2 (a folder, and it has to be a file)", "nothing was changed")
	sameTree(b, "a folder with something of others", before, tree(b, "public"))
	noWork(b)
}

// TestSameStamp: a source whose size and times stayed while its bytes changed is seen.
func TestSameStamp(t *testing.T) {
	b := clitest.Small(t)
	b.Write("yellowgate.yaml", clitest.SmallGate)
	b.Want(0, clitest.Args("apply"))
	b.Want(0, clitest.Args("apply"), "up to date")
	for _, name := range []string{"site/visit/index.html", "site/css/site.css", "public/index.html"} {
		full := filepath.Join(b.Dir, name)
		info, err := os.Stat(full)
		if err != nil {
			t.Fatal(err)
		}
		text := []byte(b.Read(name))
		text[len(text)-3] ^= 1
		if err := os.WriteFile(full, text, 0o644); err != nil {
			t.Fatal(err)
		}
		if err := os.Chtimes(full, info.ModTime(), info.ModTime()); err != nil {
			t.Fatal(err)
		}
		b.Want(1, clitest.Args("diff", "--summary"), "behind")
		out := b.Want(0, clitest.Args("apply"))
		if strings.Contains(out, "up to date") {
			t.Errorf("%s was changed, and apply did not see it", name)
		}
		b.Want(0, clitest.Args("diff", "--summary"), "Nothing to apply")
	}
}

// TestThroughLinks: a project that is reached through a link does not publish its gate
// file and code, nor write into its own source.
func TestThroughLinks(t *testing.T) {
	b := clitest.Small(t)
	b.Write("yellowgate.yaml", clitest.SmallGate)
	root := clitest.New(t)
	link(root, b.Dir, "project")
	for _, gate := range []string{"source: .", "source: " + filepath.Join(root.Dir, "project")} {
		b.Write("yellowgate.yaml", strings.Replace(clitest.SmallGate, "source: site", gate, 1))
		os.RemoveAll(filepath.Join(b.Dir, "public"))
		root.Want(0, clitest.Args("apply", "--gate", "project/yellowgate.yaml"))
		for _, name := range []string{"public/yellowgate.yaml", "public/code/counter.html", "public/facts.csv",
			"public/.yellowgate", "public/public"} {
			if b.Exists(name) {
				t.Errorf("%s: %s is published", gate, name)
			}
		}
		if !b.Exists("public/site/index.html") {
			t.Errorf("%s: the pages are not", gate)
		}
	}
	// A link in the source to the gate file, to a code file, to a dot-file.
	os.RemoveAll(filepath.Join(b.Dir, "public"))
	b.Write(".env", "SECRET=1")
	link(b, "yellowgate.yaml", "gate.txt")
	link(b, "code/counter.html", "counter.txt")
	link(b, ".env", "env.txt")
	link(b, "facts.csv", "ok.csv")
	b.Want(0, clitest.Args("apply"))
	for _, name := range []string{"gate.txt", "counter.txt", "env.txt", "ok.csv"} {
		if b.Exists("public/" + name) {
			t.Errorf("%s is published through a link", name)
		}
	}
	// An output folder that is a link to the source.
	link(b, "site", "out")
	b.Write("yellowgate.yaml", strings.Replace(clitest.SmallGate, "output: public", "output: out", 1))
	before := tree(b, "site")
	b.Want(2, clitest.Args("apply"), "the output folder is the source folder")
	b.Write("yellowgate.yaml", strings.Replace(clitest.SmallGate, "output: public", "output: out/deep/..", 1))
	b.Want(2, clitest.Args("apply"), "the output folder")
	sameTree(b, "the source", before, tree(b, "site"))
}

// TestOutside: files that lie outside the gate file's folder are not read unasked.
func TestOutside(t *testing.T) {
	top := clitest.New(t, "private/key.html", "<p>secret</p>", "private/f.csv", "path,name\n/visit/,secret\n",
		"private/gate.yaml", "sets: {a: /x/}\n")
	b := clitest.Small(t)
	os.Rename(b.Dir, filepath.Join(top.Dir, "p"))
	b.Dir = filepath.Join(top.Dir, "p")
	link(b, "../../private/key.html", "code/key.html")
	link(b, "../private", "linked")
	for name, change := range map[string][2]string{
		"by its path":            {"code/counter.html", "../private/key.html"},
		"through a link":         {"code/counter.html", "code/key.html"},
		"through a link above":   {"code/counter.html", "linked/key.html"},
		"facts":                  {"facts: facts.csv", "facts: ../private/f.csv"},
		"an include with a link": {"yellowgate: 1\n", "yellowgate: 1\ninclude: linked/*.yaml\n"},
	} {
		b.Write("yellowgate.yaml", strings.Replace(clitest.SmallGate, change[0], change[1], 1))
		out := b.Want(2, clitest.Args("apply"), "outside the gate file's folder", "--outside", "yellowgate.yaml:")
		if strings.Contains(out, "secret") || b.Exists("public") {
			t.Errorf("%s: something was read or written\n%s", name, out)
		}
		if name != "an include with a link" {
			b.Want(0, clitest.Args("check", "--outside"))
			b.Write("yellowgate.yaml",
				strings.Replace(b.Read("yellowgate.yaml"), "site:\n", "site:\n  outside: [../private]\n", 1))
			b.Want(0, clitest.Args("check"))
		}
	}
}

// TestNeverWaits: FIFOs, devices and folders in the place of files are errors, at once.
func TestNeverWaits(t *testing.T) {
	b := clitest.Small(t)
	b.Write("folder.html/x", "")
	if err := syscall.Mkfifo(filepath.Join(b.Dir, "fifo.html"), 0o644); err != nil {
		t.Skip("no FIFOs here:", err)
	}
	link(b, "fifo.html", "fifo.csv")
	link(b, "/dev/zero", "zero.html")
	link(b, "/dev/zero", "zero.yaml")
	b.Write("empty.html", "")
	for _, c := range []struct {
		from, to string
		want     string
	}{
		{"code/counter.html", "fifo.html", "this is a FIFO, not a file"},
		{"code/counter.html", "/dev/zero", "--outside"},
		{"code/counter.html", "zero.html", "--outside"},
		{"code/counter.html", "folder.html", "this is a folder, not a file"},
		{"code/counter.html", "empty.html", ""},
		{"facts.csv", "fifo.csv", "this is a FIFO"},
		{"yellowgate: 1\n", "yellowgate: 1\ninclude: fifo.*\n", "this is a FIFO"},
		{"  facts: facts.csv\n", "  facts: facts.csv\n  manifest: fifo.html\n", "this is a FIFO"},
	} {
		b.Write("yellowgate.yaml", strings.Replace(clitest.SmallGate, c.from, c.to, 1))
		if c.want == "" {
			b.Want(0, clitest.Args("check"), "is empty: the item brings nothing")
			continue
		}
		b.Want(2, clitest.Args("check"), c.want, "yellowgate.yaml:")
	}
	for _, gate := range []string{"fifo.html", "/dev/zero", "zero.yaml", "folder.html"} {
		b.Want(3, clitest.Args("check", "--gate", gate), "not a file")
	}
	// A page that names FIFOs and devices as its files.
	b.Write("yellowgate.yaml", clitest.SmallGate)
	if err := syscall.Mkfifo(filepath.Join(b.Dir, "site/fifo.js"), 0o644); err != nil {
		t.Fatal(err)
	}
	link(b, "/dev/zero", "site/zero.css")
	b.Write("site/index.html",
		clitest.Doc("Home",
			`<script src="/fifo.js"></script><link rel="stylesheet" href="/zero.css"><img src="/../../../../dev/zero"><script src="/%2e%2e/%2e%2e/fifo.js"></script>`))
	for _, a := range [][]string{{"survey", "site"}, {"check"}, {"apply"}, {"audit", "--fail-on", "never"},
		{"suggest"}, {"show", "/"}, {"find", "x", "site"}, {"compare", "site", "public"},
		{"show", "site/index.html"}} {
		done := make(chan bool)
		go func() {
			select {
			case <-done:
			case <-time.After(2 * time.Minute):
				t.Errorf("%v waits", a)
			}
		}()
		if status, out, errout := b.Exec(a...); status != 0 {
			t.Errorf("%v: status %d\n%s%s", a, status, out, errout)
		}
		close(done)
	}
}

// TestOut: --out writes over nothing that is not a report, and into devices and pipes as
// they are.
func TestOut(t *testing.T) {
	b := clitest.Small(t)
	b.Write("yellowgate.yaml", clitest.SmallGate)
	b.Want(0, clitest.Args("apply"))
	for _, name := range []string{"yellowgate.yaml", "code/counter.html", "facts.csv", "site/index.html",
		"site/css/site.css"} {
		for _, force := range []string{"--force", "--quiet"} {
			before := b.Read(name)
			b.Want(2, clitest.Args("check", "--out", name, force), name+" is", "nothing was written")
			if b.Read(name) != before {
				t.Errorf("%s was written over", name)
			}
		}
	}
	// Whatever writes a result, wherever it stands, and whether the gate file can be read or not.
	b.Write("later.yaml", clitest.SmallGate)
	b.Write("loose/index.html", clitest.Doc("Loose", ""))
	own := []string{"yellowgate.yaml", "later.yaml", "code/counter.html", "facts.csv", "site/index.html",
		"site/css/site.css", "loose/index.html"}
	for _, gate := range []string{clitest.SmallGate, "yellowgate: 1\nitems: [",
		strings.Replace(clitest.SmallGate, "source: site", "source: .", 1)} {
		b.Write("yellowgate.yaml", gate)
		for _, a := range [][]string{{"audit", "site"}, {"audit", "loose"}, {"suggest", "loose"}, {"survey", "loose"},
			{"find", "x", "loose"}, {"explain"}, {"schema"}, {"compare", "loose", "site"}} {
			for i, name := range own {
				if (i+len(a[0]))%testsize.Of(6, 1) != 0 {
					continue
				}
				if name == "loose/index.html" && !slices.Contains(a, "loose") && !strings.Contains(gate, "source: .") {
					continue
				}
				before := b.Read(name)
				if status, _, _ := b.Exec(append(a, "--out", name, "--force")...); b.Read(name) != before || status == 0 {
					t.Errorf("%v: %s was written over, status %d", a, name, status)
					b.Write(name, before)
				}
			}
		}
	}
	away := clitest.In(t, t.TempDir())
	away.Want(2, clitest.Args("explain", "--out", filepath.Join(b.Dir, "site/index.html"), "--force"),
		"is a file of the site's source")
	b.Write("yellowgate.yaml", clitest.SmallGate)
	link(b, "site/index.html", "link.html")
	b.Want(2, clitest.Args("check", "--out", "link.html", "--force"), "source")
	b.Write("notes.txt", "mine")
	b.Write("package.json", "{\n \"name\": \"x\"}")
	b.Write("empty", "")
	b.Want(2, clitest.Args("check", "--out", "notes.txt"), "is not a report of this program", "--force")
	b.Want(2, clitest.Args("audit", "--format", "json", "--out", "package.json"), "--force")
	b.Want(0, clitest.Args("check", "--out", "empty"))
	b.Want(0, clitest.Args("check", "--out", "notes.txt", "--force"))
	b.Want(3, clitest.Args("check", "--out", "site"), "folder")
	if b.Read("notes.txt") != b.Read("empty") || b.Read("package.json") != "{\n \"name\": \"x\"}" {
		t.Error("--force wrote something else, or a file of others was written over")
	}
	// Every result may be written again over itself.
	for _, a := range [][]string{{"survey", "site"}, {"show", "/"}, {"pages"}, {"check"}, {"diff"}, {"audit"},
		{"why", "counter"}, {"why", "/", "counter"}, {"where", "counter"}, {"compare", "site", "public"}, {"suggest"},
		{"find", "visits"}, {"explain"}, {"explain", "title-missing"}, {"schema"}, {"apply"}} {
		for i, format := range []string{"text", "json", "ndjson", "csv", "html", "markdown", "junit", "sarif",
			"gitlab", "svg"} {
			if (i+len(a[0]))%testsize.Of(4, 1) != 0 {
				continue
			}
			c := append(append([]string{}, a...), "--format", format, "--out", "result")
			os.Remove(filepath.Join(b.Dir, "result"))
			if status, _, _ := b.Exec(c...); status == 2 || status == 3 {
				continue // no such format here
			}
			if !b.Exists("result") || b.Read("result") == "" {
				continue
			}
			if status, out, errout := b.Exec(c...); status == 2 || status == 3 {
				t.Errorf("%v: a second time: %d\n%s%s\n%.200s", c, status, out, errout, b.Read("result"))
			}
		}
	}
	fifo := filepath.Join(b.Dir, "pipe")
	if err := syscall.Mkfifo(fifo, 0o644); err != nil {
		t.Skip("no FIFOs here:", err)
	}
	got := make(chan string)
	go func() {
		text, _ := os.ReadFile(fifo)
		got <- string(text)
	}()
	b.Want(0, clitest.Args("check", "--out", "pipe"))
	if text := <-got; text != b.Read("empty") {
		t.Errorf("into a pipe came %q", text)
	}
	if info, err := os.Lstat(fifo); err != nil || info.Mode()&fs.ModeNamedPipe == 0 {
		t.Error("the pipe is no pipe any more")
	}
	b.Want(0, clitest.Args("check", "--out", "/dev/null"))
}

// TestFullDisk: a result that cannot be written ends with status 3.
func TestFullDisk(t *testing.T) {
	full, err := os.OpenFile("/dev/full", os.O_WRONLY, 0)
	if err != nil {
		t.Skip("no /dev/full here:", err)
	}
	defer full.Close()
	b := clitest.Small(t)
	b.Write("yellowgate.yaml", clitest.SmallGate)
	b.Want(0, clitest.Args("apply"))
	r, w, _ := os.Pipe()
	r.Close()
	defer w.Close()
	for _, a := range [][]string{{"survey", "site"}, {"check"}, {"audit"}, {"audit", "--format", "json"},
		{"survey", "site", "--format", "ndjson"}, {"show", "/"}, {"schema"}, {"apply"}, {"--help"}} {
		for name, to := range map[string]*os.File{"a full disk": full, "a closed pipe": w} {
			cmd := exec.Command(clitest.Program(), a...)
			var errout bytes.Buffer
			cmd.Dir, cmd.Stdout, cmd.Stderr = b.Dir, to, &errout
			cmd.Run()
			if cmd.ProcessState.ExitCode() != 3 {
				t.Errorf("%v to %s: status %v\n%s", a, name, cmd.ProcessState, &errout)
			}
			if to == full && !strings.Contains(errout.String(), "no space left") {
				t.Errorf("%v to %s: %q", a, name, &errout)
			}
		}
	}
	b.Want(3, clitest.Args("check", "--out", "/dev/full"), "/dev/full: no space left")
}

// TestStopped: an apply that is stopped by a signal leaves whole files, nothing on its
// way, and says what it did; the next one completes it.
func TestStopped(t *testing.T) {
	b := clitest.Small(t)
	b.Write("yellowgate.yaml", clitest.SmallGate)
	for i := range testsize.Of(500, 1500) {
		b.Write(fmt.Sprintf("site/p/%d.html", i), clitest.Doc(fmt.Sprint(i), strings.Repeat("<p>text</p>", 50)))
	}
	counts := regexp.MustCompile(`stopped: (nothing was changed|\d+ of \d+ files)`)
	stopped := 0
	for i, signal := range []os.Signal{os.Interrupt, syscall.SIGTERM, os.Interrupt, syscall.SIGTERM,
		os.Interrupt}[:testsize.Of(2, 5)] {
		b.Write("code/counter.html", fmt.Sprintf("<script>visits = %d</script>\n", i))
		cmd := exec.Command(clitest.Program(), "apply")
		var errout bytes.Buffer
		cmd.Dir, cmd.Stderr = b.Dir, &errout
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		for range 300 { // until it writes, on however busy a machine
			if work, _ := filepath.Glob(filepath.Join(b.Dir, ".yellowgate", "apply-*")); len(work) > 0 {
				break
			}
			time.Sleep(10 * time.Millisecond)
		}
		time.Sleep(time.Duration(i*60) * time.Millisecond)
		cmd.Process.Signal(signal)
		cmd.Wait()
		if code := cmd.ProcessState.ExitCode(); code != 0 {
			stopped++
			if code != 130 || !counts.Match(errout.Bytes()) {
				t.Errorf("stopped with status %d: %s", code, &errout)
			}
		}
		noWork(b)
		b.Want(0, clitest.Args("apply"))
		b.Want(0, clitest.Args("diff", "--summary"), "Nothing to apply")
	}
	if stopped == 0 {
		t.Error("no apply was stopped")
	}
}

// TestAtOnce: of two applies into one output, from one project or two, one is refused or
// waits; the folder is never a mixture.
func TestAtOnce(t *testing.T) {
	b := clitest.Small(t)
	for i := range testsize.Of(300, 1000) {
		b.Write(fmt.Sprintf("site/p/%d.html", i), clitest.Doc(fmt.Sprint(i), "<p>x</p>"))
	}
	b.Write("yellowgate.yaml", clitest.SmallGate)
	b.Write("q/yellowgate.yaml",
		strings.NewReplacer("source: site", "source: ../site", "output: public", "output: ../public",
			"  facts: facts.csv\n", "", `"@{fact.name or page.title}"`, `"@{page.title} | Q"`,
			"code-file: code/counter.html", "code: <script>q = 1</script>").Replace(
			clitest.SmallGate))
	for round := range testsize.Of(2, 4) {
		second := []string{"apply"}
		if round%2 == 1 {
			second = []string{"apply", "--gate", "q/yellowgate.yaml", "--take-over"}
		}
		b.Write("code/counter.html", fmt.Sprintf("<script>visits = %d</script>\n", round))
		cmds := []*exec.Cmd{exec.Command(clitest.Program(), "apply", "--take-over"),
			exec.Command(clitest.Program(), second...)}
		outs := make([]bytes.Buffer, 2)
		for i, cmd := range cmds {
			cmd.Dir, cmd.Stdout, cmd.Stderr = b.Dir, &outs[i], &outs[i]
			if err := cmd.Start(); err != nil {
				t.Fatal(err)
			}
			time.Sleep(30 * time.Millisecond)
		}
		for i, cmd := range cmds {
			cmd.Wait()
			if code := cmd.ProcessState.ExitCode(); code != 0 &&
				(code != 3 || !strings.Contains(outs[i].String(), "another apply is at work on this output")) {
				t.Errorf("status %d: %s", code, &outs[i])
			}
		}
		mine, theirs := 0, 0
		for name, x := range tree(b, "public") {
			if strings.HasSuffix(name, ".html") && !strings.Contains(name, "members") {
				if strings.Contains(x, fmt.Sprintf("visits = %d", round)) {
					mine++
				} else {
					theirs++
				}
			}
		}
		if mine > 0 && theirs > 0 {
			t.Errorf("round %d: a mixed folder, %d and %d", round, mine, theirs)
		}
	}
}
