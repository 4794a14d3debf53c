//go:build unix

package cli_test

import (
	"bytes"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"syscall"
	"testing"
	"time"
)

// What is not the tool's comes out as it was, whatever records, links and names say.

// tree is all that a folder holds: files with their bytes, folders, links with where they
// lead.
func (b *bench) tree(dir string) map[string]string {
	b.Helper()
	all := map[string]string{}
	err := filepath.WalkDir(filepath.Join(b.dir, dir), func(name string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		rel, _ := filepath.Rel(b.dir, name)
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
func (b *bench) sameTree(what string, before, after map[string]string) {
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

func (b *bench) link(to, name string) {
	b.Helper()
	if err := os.Symlink(to, filepath.Join(b.dir, name)); err != nil {
		b.Skip("no symbolic links here:", err)
	}
}

// noWork fails where a file on its way is left.
func (b *bench) noWork() {
	b.Helper()
	for name := range b.tree(".") {
		if base := filepath.Base(name); strings.HasPrefix(base, "apply-") || strings.HasPrefix(base, ".yg-") || strings.HasPrefix(base, "kept-") {
			b.Errorf("%s is left", name)
		}
	}
}

// TestTwoGateFiles: each gate file and each output folder has a record of its own, and
// two gate files in turn do not take each other's pages for somebody's.
func TestTwoGateFiles(t *testing.T) {
	b := small(t)
	b.write("yellowgate.yaml", smallGate)
	b.write("other.yaml", strings.Replace(smallGate, "counter:", "clicker:", 1))
	b.write("elsewhere.yaml", strings.Replace(smallGate, "output: public", "output: staging", 1))
	b.want(0, args("apply"), "3 pages written")
	b.want(0, args("apply", "--gate", "elsewhere.yaml"), "3 pages written")
	b.want(0, args("apply"), "up to date")
	b.want(0, args("apply", "--gate", "elsewhere.yaml"), "up to date")
	for range 2 {
		out := b.want(0, args("apply", "--gate", "other.yaml"), "2 pages written")
		if strings.Contains(out, "by hand") {
			t.Errorf("the other gate file's pages were taken for edited ones:\n%s", out)
		}
		b.want(1, args("diff", "--summary"), "2 of 3 pages are behind")
		b.want(0, args("apply"), "2 pages written")
	}
	// The output that the gate file named before is left as it is, and known.
	b.write("yellowgate.yaml", strings.Replace(smallGate, "output: public", "output: www", 1))
	b.want(0, args("apply"), "3 pages written")
	b.write("yellowgate.yaml", smallGate)
	b.want(0, args("apply"), "up to date")
	if n, _ := filepath.Glob(filepath.Join(b.dir, ".yellowgate", "*", "record")); len(n) != 4 {
		t.Errorf("the records are %v", n)
	}
	b.noWork()
}

// TestMovedProject: a project that is moved as a whole keeps its record.
func TestMovedProject(t *testing.T) {
	b := small(t)
	b.write("p/yellowgate.yaml", "")
	for _, name := range []string{"site", "code", "facts.csv"} {
		os.Rename(filepath.Join(b.dir, name), filepath.Join(b.dir, "p", name))
	}
	b.write("p/yellowgate.yaml", smallGate)
	b.want(0, args("apply", "--gate", "p/yellowgate.yaml"), "3 pages written")
	if err := os.Rename(filepath.Join(b.dir, "p"), filepath.Join(b.dir, "q")); err != nil {
		t.Fatal(err)
	}
	b.want(0, args("apply", "--gate", "q/yellowgate.yaml"), "up to date")
}

// TestRefilled: an output folder that was emptied or deleted, and filled by hand, is
// somebody's.
func TestRefilled(t *testing.T) {
	for _, deleted := range []bool{false, true} {
		b := small(t)
		b.write("yellowgate.yaml", smallGate)
		b.want(0, args("apply"))
		os.RemoveAll(filepath.Join(b.dir, "public"))
		if !deleted {
			b.write("public/keep", "")
		}
		time.Sleep(10 * time.Millisecond) // or the file system makes the folder at the same time, with the same number
		b.write("public/index.html", "my own page")
		b.write("public/visit/index.html", "my own visit")
		before := b.tree("public")
		b.want(3, args("apply"), "2 files that the tool did not write stand where it has to write", "nothing was changed")
		b.sameTree("a refilled output", before, b.tree("public"))
		b.want(1, args("diff", "--summary"), "2 files in the output folder not written by the tool")
	}
}

// TestNamesOfOthers: files with names as the tool's own files once had, or may have, come
// out as they were.
func TestNamesOfOthers(t *testing.T) {
	b := small(t)
	b.write("yellowgate.yaml", smallGate)
	b.want(0, args("apply"))
	for _, name := range []string{".yg-0123.tmp", ".yg-00112233445566778899-1", "visit/.yg-x.tmp", ".yellowgate/apply-00112233445566778899/0", "index.html.new", "index.html~", ".index.html123"} {
		b.write("public/"+name, "mine: "+name)
	}
	b.write(".yellowgate/apply-00112233445566778899/0", "mine")
	b.write(b.state("public")+"/record.new", "mine")
	before := b.tree("public")
	b.write("code/counter.html", "<script>visits = 2</script>\n")
	b.want(0, args("apply"), "2 pages written")
	after := b.tree("public")
	for name, was := range before {
		if !strings.HasSuffix(name, ".html") && after[name] != was {
			t.Errorf("%s is now %q", name, after[name])
		}
	}
	if b.read(".yellowgate/apply-00112233445566778899/0") != "mine" || b.read(b.state("public")+"/record.new") != "mine" {
		t.Error("a file with a name like the tool's was taken")
	}
}

// TestLinksInTheWay: a link in any part of a page's path is refused, for the whole site
// and for some pages.
func TestLinksInTheWay(t *testing.T) {
	for _, c := range []struct{ link, to string }{
		{"public/visit/index.html", "../../elsewhere/mine.html"}, {"public/visit", "../elsewhere"}, {"public/visit", "members"}, {"public/visit/index.html", "nowhere"},
	} {
		for _, a := range [][]string{{"apply"}, {"apply", "/visit/"}, {"apply", "/visit/", "--take-over"}} {
			b := small(t)
			b.write("yellowgate.yaml", smallGate)
			b.want(0, args("apply"))
			b.write("elsewhere/mine.html", "mine")
			b.write("elsewhere/index.html", "mine, too")
			if err := os.RemoveAll(filepath.Join(b.dir, c.link)); err != nil {
				t.Fatal(err)
			}
			b.link(c.to, c.link)
			b.write("code/counter.html", "<script>visits = 2</script>\n")
			before := b.tree(".")
			b.want(3, a, "(a link, or no file)", "nothing was changed")
			after := b.tree(".")
			b.sameTree(fmt.Sprint(c, a), before, after)
		}
	}
}

// TestForgedRecord: a record that names files of others costs nobody a file, and one that
// says that hostile pages are current costs time.
func TestForgedRecord(t *testing.T) {
	b := small(t)
	b.write("yellowgate.yaml", smallGate)
	b.want(0, args("apply"))
	record := b.state("public") + "/record"
	good := b.read(record)
	var line string // of the visit page
	for l := range strings.Lines(good) {
		if strings.Contains(l, "visit/index.html") {
			line = l
		}
	}
	// The page's entry, under names of files that nobody's apply wrote.
	b.write("public/notes.txt", "mine")
	b.write("secret.txt", "mine")
	forged := good
	for _, name := range []string{"notes.txt", "../secret.txt", "../yellowgate.yaml", "/etc/hostname", "visit"} {
		forged += strings.Replace(line, `"visit/index.html"`, fmt.Sprintf("%q", name), 1)
	}
	b.write(record, forged)
	b.want(0, args("apply"), "up to date")
	if b.read("public/notes.txt") != "mine" || b.read("secret.txt") != "mine" || b.read("yellowgate.yaml") != smallGate {
		t.Error("a forged record cost a file")
	}
	// A record with the very digest of the file: it is removed, and kept.
	b.write(record, good)
	b.write("public/copy.html", b.read("public/visit/index.html"))
	b.write(record, good+strings.Replace(line, `"visit/index.html"`, `"copy.html"`, 1))
	b.want(0, args("apply"), "1 file removed")
	if b.read(b.state("public")+"/replaced/copy.html") != b.read("public/visit/index.html") {
		t.Error("what only a record called the tool's is not kept")
	}
	// A hostile page whose digest the record has: it is not what the gate makes of it.
	hostile := b.read("public/index.html")
	b.write("public/visit/index.html", hostile)
	var of string
	for l := range strings.Lines(good) {
		if strings.Contains(l, `"index.html"`) {
			of = l
		}
	}
	f, g := strings.Split(line, "\t"), strings.Split(of, "\t")
	copy(f[9:], g[9:])
	b.write(record, strings.Replace(good, line, strings.Join(f, "\t"), 1))
	b.want(0, args("apply"), "1 page written")
	if !strings.Contains(b.read("public/visit/index.html"), "<title>Visit us</title>") {
		t.Error("a forged record let a hostile page stay")
	}
	for _, damaged := range []string{"", good[:len(good)/2], strings.Replace(good, "file\t", "flie\t", 1), strings.ReplaceAll(good, "\t", " "), "\x00\xff"} {
		b.write(record, damaged)
		before := b.tree("public")
		status, out, errout := b.run("apply")
		if status != 0 && (status != 3 || !strings.Contains(errout, "delete the record")) {
			t.Errorf("a damaged record: status %d\n%s%s", status, out, errout)
		}
		b.sameTree("a damaged record", before, b.tree("public"))
	}
}

// TestForgedJournal: only what a journal names by the tool's own random names is removed,
// and only in the tool's own folder.
func TestForgedJournal(t *testing.T) {
	b := small(t)
	b.write("yellowgate.yaml", smallGate)
	b.want(0, args("apply"))
	b.write("mine/0", "mine")
	b.write("mine/apply-00112233445566778899/0", "mine")
	b.write(".yellowgate/apply-00112233445566778899/0", "left")
	b.write(".yellowgate/apply-11112233445566778899/0", "mine")
	b.write(".yellowgate/apply-11112233445566778899/notes", "mine")
	b.link("../mine", ".yellowgate/apply-99112233445566778899")
	journal := ""
	for _, name := range []string{"apply-00112233445566778899", "../mine", "../mine/apply-00112233445566778899", filepath.Join(b.dir, "mine"), "apply-99112233445566778899", "apply-11112233445566778899", "", ".", ".."} {
		journal += fmt.Sprintf("work\t%q\n", name)
	}
	b.write(b.state("public")+"/journal", journal+strings.Repeat("0", 32)+"\t\"../../mine/0\"\n")
	before := b.tree("mine")
	b.want(0, args("apply"), "up to date")
	b.sameTree("a forged journal", before, b.tree("mine"))
	if b.exists(".yellowgate/apply-00112233445566778899") || b.read(".yellowgate/apply-11112233445566778899/notes") != "mine" {
		t.Error("what an apply left is there still, or more than that is gone")
	}
	if b.exists(b.state("public") + "/journal") {
		t.Error("the journal is there still")
	}
}

// TestStateOfOthers: the tool's folder, its files or FIFOs in their place that lead
// elsewhere are errors, at once, and nothing is written through them.
func TestStateOfOthers(t *testing.T) {
	for _, name := range []string{"", "/record", "/journal", "/lock", "/replaced", "/.."} {
		for _, fifo := range []bool{false, true} {
			b := small(t)
			b.write("yellowgate.yaml", smallGate)
			b.want(0, args("apply"))
			b.write("public/index.html", "by hand")
			at := b.state("public") + name
			b.write("elsewhere/x", "mine")
			os.RemoveAll(filepath.Join(b.dir, at))
			if name == "/.." {
				at = ".yellowgate"
				os.RemoveAll(filepath.Join(b.dir, at))
			}
			if fifo {
				if err := syscall.Mkfifo(filepath.Join(b.dir, at), 0o644); err != nil {
					t.Skip("no FIFOs here:", err)
				}
			} else {
				b.link(filepath.Join(b.dir, "elsewhere", map[bool]string{true: "x", false: ""}[strings.Contains(name, "record")]), at)
			}
			before := b.tree(".")
			b.want(3, args("apply"), at, "move it away")
			b.sameTree(fmt.Sprint(name, fifo), before, b.tree("."))
		}
	}
}

// TestSwaps: a page that became a folder of the same name, and the other way round.
func TestSwaps(t *testing.T) {
	b := small(t)
	b.write("yellowgate.yaml", smallGate)
	b.write("site/about", "a file without an ending")
	b.write("site/docs/a/b.html", doc("B", ""))
	b.write("site/docs/c.txt", "c")
	b.want(0, args("apply"))
	os.Remove(filepath.Join(b.dir, "site/about"))
	os.RemoveAll(filepath.Join(b.dir, "site/docs"))
	b.write("site/about/index.html", doc("About", ""))
	b.write("site/docs", "now a file")
	b.want(0, args("apply"), "1 page written, 1 other file copied, 3 files removed")
	b.want(0, args("diff", "--summary"), "Nothing to apply")
	if b.read("public/docs") != "now a file" || !strings.Contains(b.read("public/about/index.html"), "About") {
		t.Error("the outputs are not what the source has")
	}
	b.noWork()
	// With something of somebody's in the folder it is refused.
	b.write("site/visit2/index.html", doc("V", ""))
	b.want(0, args("apply"))
	os.RemoveAll(filepath.Join(b.dir, "site/visit2"))
	b.write("site/visit2", "a file")
	b.write("public/visit2/.secret", "mine")
	before := b.tree("public")
	b.want(3, args("apply"), "visit2 (a folder, and it has to be a file)", "nothing was changed")
	b.sameTree("a folder with something of others", before, b.tree("public"))
	b.noWork()
}

// TestSameStamp: a source whose size and times stayed while its bytes changed is seen.
func TestSameStamp(t *testing.T) {
	b := small(t)
	b.write("yellowgate.yaml", smallGate)
	b.want(0, args("apply"))
	b.want(0, args("apply"), "up to date")
	for _, name := range []string{"site/visit/index.html", "site/css/site.css", "public/index.html"} {
		full := filepath.Join(b.dir, name)
		info, err := os.Stat(full)
		if err != nil {
			t.Fatal(err)
		}
		text := []byte(b.read(name))
		text[len(text)-3] ^= 1
		if err := os.WriteFile(full, text, 0o644); err != nil {
			t.Fatal(err)
		}
		if err := os.Chtimes(full, info.ModTime(), info.ModTime()); err != nil {
			t.Fatal(err)
		}
		b.want(1, args("diff", "--summary"), "behind")
		out := b.want(0, args("apply"))
		if strings.Contains(out, "up to date") {
			t.Errorf("%s was changed, and apply did not see it", name)
		}
		b.want(0, args("diff", "--summary"), "Nothing to apply")
	}
}

// TestThroughLinks: a project that is reached through a link does not publish its gate
// file and code, nor write into its own source.
func TestThroughLinks(t *testing.T) {
	b := small(t)
	b.write("yellowgate.yaml", smallGate)
	root := newBench(t)
	root.link(b.dir, "project")
	for _, gate := range []string{"source: .", "source: " + filepath.Join(root.dir, "project")} {
		b.write("yellowgate.yaml", strings.Replace(smallGate, "source: site", gate, 1))
		os.RemoveAll(filepath.Join(b.dir, "public"))
		root.want(0, args("apply", "--gate", "project/yellowgate.yaml"))
		for _, name := range []string{"public/yellowgate.yaml", "public/code/counter.html", "public/facts.csv", "public/.yellowgate", "public/public"} {
			if b.exists(name) {
				t.Errorf("%s: %s is published", gate, name)
			}
		}
		if !b.exists("public/site/index.html") {
			t.Errorf("%s: the pages are not", gate)
		}
	}
	// A link in the source to the gate file, to a code file, to a dot-file.
	os.RemoveAll(filepath.Join(b.dir, "public"))
	b.write(".env", "SECRET=1")
	b.link("yellowgate.yaml", "gate.txt")
	b.link("code/counter.html", "counter.txt")
	b.link(".env", "env.txt")
	b.link("facts.csv", "ok.csv")
	b.want(0, args("apply"))
	for _, name := range []string{"gate.txt", "counter.txt", "env.txt", "ok.csv"} {
		if b.exists("public/" + name) {
			t.Errorf("%s is published through a link", name)
		}
	}
	// An output folder that is a link to the source.
	b.link("site", "out")
	b.write("yellowgate.yaml", strings.Replace(smallGate, "output: public", "output: out", 1))
	before := b.tree("site")
	b.want(2, args("apply"), "the output folder is the source folder")
	b.write("yellowgate.yaml", strings.Replace(smallGate, "output: public", "output: out/deep/..", 1))
	b.want(2, args("apply"), "the output folder")
	b.sameTree("the source", before, b.tree("site"))
}

// TestOutside: files that lie outside the gate file's folder are not read unasked.
func TestOutside(t *testing.T) {
	top := newBench(t, "private/key.html", "<p>secret</p>", "private/f.csv", "path,name\n/visit/,secret\n", "private/gate.yaml", "sets: {a: /x/}\n")
	b := small(t)
	os.Rename(b.dir, filepath.Join(top.dir, "p"))
	b.dir = filepath.Join(top.dir, "p")
	b.link("../../private/key.html", "code/key.html")
	b.link("../private", "linked")
	for name, change := range map[string][2]string{
		"by its path":            {"code/counter.html", "../private/key.html"},
		"through a link":         {"code/counter.html", "code/key.html"},
		"through a link above":   {"code/counter.html", "linked/key.html"},
		"facts":                  {"facts: facts.csv", "facts: ../private/f.csv"},
		"an include with a link": {"yellowgate: 1\n", "yellowgate: 1\ninclude: linked/*.yaml\n"},
	} {
		b.write("yellowgate.yaml", strings.Replace(smallGate, change[0], change[1], 1))
		out := b.want(2, args("apply"), "outside the gate file's folder", "--outside", "yellowgate.yaml:")
		if strings.Contains(out, "secret") || b.exists("public") {
			t.Errorf("%s: something was read or written\n%s", name, out)
		}
		if name != "an include with a link" {
			b.want(0, args("check", "--outside"))
			b.write("yellowgate.yaml", strings.Replace(b.read("yellowgate.yaml"), "site:\n", "site:\n  outside: [../private]\n", 1))
			b.want(0, args("check"))
		}
	}
}

// TestNeverWaits: FIFOs, devices and folders in the place of files are errors, at once.
func TestNeverWaits(t *testing.T) {
	b := small(t)
	b.write("folder.html/x", "")
	if err := syscall.Mkfifo(filepath.Join(b.dir, "fifo.html"), 0o644); err != nil {
		t.Skip("no FIFOs here:", err)
	}
	b.link("fifo.html", "fifo.csv")
	b.link("/dev/zero", "zero.html")
	b.link("/dev/zero", "zero.yaml")
	b.write("empty.html", "")
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
		b.write("yellowgate.yaml", strings.Replace(smallGate, c.from, c.to, 1))
		if c.want == "" {
			b.want(0, args("check"), "is empty: the item brings nothing")
			continue
		}
		b.want(2, args("check"), c.want, "yellowgate.yaml:")
	}
	for _, gate := range []string{"fifo.html", "/dev/zero", "zero.yaml", "folder.html"} {
		b.want(3, args("check", "--gate", gate), "not a file")
	}
	// A page that names FIFOs and devices as its files.
	b.write("yellowgate.yaml", smallGate)
	if err := syscall.Mkfifo(filepath.Join(b.dir, "site/fifo.js"), 0o644); err != nil {
		t.Fatal(err)
	}
	b.link("/dev/zero", "site/zero.css")
	b.write("site/index.html", doc("Home", `<script src="/fifo.js"></script><link rel="stylesheet" href="/zero.css"><img src="/../../../../dev/zero"><script src="/%2e%2e/%2e%2e/fifo.js"></script>`))
	for _, a := range [][]string{{"survey", "site"}, {"check"}, {"apply"}, {"audit", "--fail-on", "never"}, {"suggest"}, {"show", "/"}, {"find", "x", "site"}, {"compare", "site", "public"}, {"show", "site/index.html"}} {
		done := make(chan bool)
		go func() {
			select {
			case <-done:
			case <-time.After(20 * time.Second):
				t.Errorf("%v waits", a)
			}
		}()
		if status, out, errout := b.run(a...); status != 0 {
			t.Errorf("%v: status %d\n%s%s", a, status, out, errout)
		}
		close(done)
	}
}

// TestOut: --out writes over nothing that is not a report, and into devices and pipes as
// they are.
func TestOut(t *testing.T) {
	b := small(t)
	b.write("yellowgate.yaml", smallGate)
	b.want(0, args("apply"))
	for _, name := range []string{"yellowgate.yaml", "code/counter.html", "facts.csv", "site/index.html", "site/css/site.css"} {
		for _, force := range []string{"--force", "--quiet"} {
			before := b.read(name)
			b.want(2, args("check", "--out", name, force), name+" is", "nothing was written")
			if b.read(name) != before {
				t.Errorf("%s was written over", name)
			}
		}
	}
	b.link("site/index.html", "link.html")
	b.want(2, args("check", "--out", "link.html", "--force"), "source")
	b.write("notes.txt", "mine")
	b.write("package.json", "{\n \"name\": \"x\"}")
	b.write("empty", "")
	b.want(2, args("check", "--out", "notes.txt"), "is no report of this program", "--force")
	b.want(2, args("audit", "--format", "json", "--out", "package.json"), "--force")
	b.want(0, args("check", "--out", "empty"))
	b.want(0, args("check", "--out", "notes.txt", "--force"))
	b.want(3, args("check", "--out", "site"), "folder")
	if b.read("notes.txt") != b.read("empty") || b.read("package.json") != "{\n \"name\": \"x\"}" {
		t.Error("--force wrote something else, or a file of others was written over")
	}
	// Every result may be written again over itself.
	for _, a := range [][]string{{"survey", "site"}, {"show", "/"}, {"pages"}, {"check"}, {"diff"}, {"audit"}, {"why", "counter"}, {"why", "/", "counter"}, {"where", "counter"}, {"compare", "site", "public"}, {"suggest"}, {"find", "visits"}, {"explain"}, {"explain", "title-missing"}, {"schema"}, {"apply"}} {
		for _, format := range []string{"text", "json", "ndjson", "csv", "html", "markdown", "junit", "sarif", "gitlab", "svg"} {
			c := append(append([]string{}, a...), "--format", format, "--out", "result")
			os.Remove(filepath.Join(b.dir, "result"))
			if status, _, _ := b.run(c...); status == 2 || status == 3 {
				continue // no such format here
			}
			if !b.exists("result") || b.read("result") == "" {
				continue
			}
			if status, out, errout := b.run(c...); status == 2 || status == 3 {
				t.Errorf("%v: a second time: %d\n%s%s\n%.200s", c, status, out, errout, b.read("result"))
			}
		}
	}
	fifo := filepath.Join(b.dir, "pipe")
	if err := syscall.Mkfifo(fifo, 0o644); err != nil {
		t.Skip("no FIFOs here:", err)
	}
	got := make(chan string)
	go func() {
		text, _ := os.ReadFile(fifo)
		got <- string(text)
	}()
	b.want(0, args("check", "--out", "pipe"))
	if text := <-got; text != b.read("empty") {
		t.Errorf("into a pipe came %q", text)
	}
	if info, err := os.Lstat(fifo); err != nil || info.Mode()&fs.ModeNamedPipe == 0 {
		t.Error("the pipe is no pipe any more")
	}
	b.want(0, args("check", "--out", "/dev/null"))
}

// TestFullDisk: a result that cannot be written ends with status 3.
func TestFullDisk(t *testing.T) {
	full, err := os.OpenFile("/dev/full", os.O_WRONLY, 0)
	if err != nil {
		t.Skip("no /dev/full here:", err)
	}
	defer full.Close()
	b := small(t)
	b.write("yellowgate.yaml", smallGate)
	b.want(0, args("apply"))
	r, w, _ := os.Pipe()
	r.Close()
	defer w.Close()
	for _, a := range [][]string{{"survey", "site"}, {"check"}, {"audit"}, {"audit", "--format", "json"}, {"survey", "site", "--format", "ndjson"}, {"show", "/"}, {"schema"}, {"apply"}, {"--help"}} {
		for name, to := range map[string]*os.File{"a full disk": full, "a closed pipe": w} {
			cmd := exec.Command(program, a...)
			var errout bytes.Buffer
			cmd.Dir, cmd.Stdout, cmd.Stderr = b.dir, to, &errout
			cmd.Run()
			if cmd.ProcessState.ExitCode() != 3 {
				t.Errorf("%v to %s: status %v\n%s", a, name, cmd.ProcessState, &errout)
			}
			if to == full && !strings.Contains(errout.String(), "no space left") {
				t.Errorf("%v to %s: %q", a, name, &errout)
			}
		}
	}
	b.want(3, args("check", "--out", "/dev/full"), "/dev/full: no space left")
}

// TestStopped: an apply that is stopped by a signal leaves whole files, nothing on its
// way, and says what it did; the next one completes it.
func TestStopped(t *testing.T) {
	b := small(t)
	b.write("yellowgate.yaml", smallGate)
	for i := range 3000 {
		b.write(fmt.Sprintf("site/p/%d.html", i), doc(fmt.Sprint(i), strings.Repeat("<p>text</p>", 50)))
	}
	counts := regexp.MustCompile(`stopped: (nothing was changed|\d+ of \d+ files)`)
	stopped := 0
	for i, signal := range []os.Signal{os.Interrupt, syscall.SIGTERM, os.Interrupt, syscall.SIGTERM, os.Interrupt} {
		b.write("code/counter.html", fmt.Sprintf("<script>visits = %d</script>\n", i))
		cmd := exec.Command(program, "apply")
		var errout bytes.Buffer
		cmd.Dir, cmd.Stderr = b.dir, &errout
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		for range 300 { // until it writes, on however busy a machine
			if work, _ := filepath.Glob(filepath.Join(b.dir, ".yellowgate", "apply-*")); len(work) > 0 {
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
		b.noWork()
		b.want(0, args("apply"))
		b.want(0, args("diff", "--summary"), "Nothing to apply")
	}
	if stopped == 0 {
		t.Error("no apply was stopped")
	}
}

// TestAtOnce: of two applies into one output, from one project or two, one is refused or
// waits; the folder is never a mixture.
func TestAtOnce(t *testing.T) {
	b := small(t)
	for i := range 2000 {
		b.write(fmt.Sprintf("site/p/%d.html", i), doc(fmt.Sprint(i), "<p>x</p>"))
	}
	b.write("yellowgate.yaml", smallGate)
	b.write("q/yellowgate.yaml", strings.NewReplacer("source: site", "source: ../site", "output: public", "output: ../public", "  facts: facts.csv\n", "", `"@{fact.name or page.title}"`, `"@{page.title} | Q"`, "code-file: code/counter.html", "code: <script>q = 1</script>").Replace(smallGate))
	for round := range 4 {
		second := []string{"apply"}
		if round%2 == 1 {
			second = []string{"apply", "--gate", "q/yellowgate.yaml", "--take-over"}
		}
		b.write("code/counter.html", fmt.Sprintf("<script>visits = %d</script>\n", round))
		cmds := []*exec.Cmd{exec.Command(program, "apply", "--take-over"), exec.Command(program, second...)}
		outs := make([]bytes.Buffer, 2)
		for i, cmd := range cmds {
			cmd.Dir, cmd.Stdout, cmd.Stderr = b.dir, &outs[i], &outs[i]
			if err := cmd.Start(); err != nil {
				t.Fatal(err)
			}
			time.Sleep(30 * time.Millisecond)
		}
		for i, cmd := range cmds {
			cmd.Wait()
			if code := cmd.ProcessState.ExitCode(); code != 0 && (code != 3 || !strings.Contains(outs[i].String(), "another apply is at work on this output")) {
				t.Errorf("status %d: %s", code, &outs[i])
			}
		}
		mine, theirs := 0, 0
		for name, x := range b.tree("public") {
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
