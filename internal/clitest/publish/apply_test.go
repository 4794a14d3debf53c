package publish_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"yellowgate/internal/clitest"
)

// TestRecord: apply is right after any change, and does no more than it must.
func TestRecord(t *testing.T) {
	b := clitest.Small(t)
	b.Write("yellowgate.yaml", clitest.SmallGate)
	b.Want(0, clitest.Args("apply"), "3 pages written, 1 other file copied")
	steps := []struct {
		name string
		do   func()
		args []string
		want string
	}{
		{"nothing", func() {}, clitest.Args("apply"), "up to date"},
		{"every time stamp", func() {
			filepath.Walk(filepath.Join(b.Dir, "site"), func(name string, _ os.FileInfo, _ error) error {
				return os.Chtimes(name, time.Now().Add(time.Hour), time.Now().Add(time.Hour))
			})
		}, clitest.Args("apply"), "up to date"},
		{"a page", func() { b.Write("site/visit/index.html", clitest.Doc("Visit", "<h1>Other</h1>")) },
			clitest.Args("apply"), "1 page written"},
		{"a page, same size and time", func() {
			name := filepath.Join(b.Dir, "site/visit/index.html")
			info, _ := os.Stat(name)
			b.Write("site/visit/index.html", clitest.Doc("Visit", "<h1>0ther</h1>"))
			os.Chtimes(name, time.Now(), info.ModTime().Add(time.Nanosecond))
		}, clitest.Args("apply"), "1 page written"},
		{"the gate file, nothing of effect", func() { b.Write("yellowgate.yaml", clitest.SmallGate+"# a remark\n") },
			clitest.Args("apply"), "up to date"},
		{"a named file", func() { b.Write("code/counter.html", "<script>visits = 2</script>\n") },
			clitest.Args("apply"), "2 pages written"},
		{"a fact", func() { b.Write("facts.csv", "path,name\n/visit/,Come up\n") }, clitest.Args("apply"), "1 page written"},
		{"another file", func() { b.Write("site/css/site.css", "body { color: navy }\n") }, clitest.Args("apply"),
			"1 other file copied"},
		{"an output edited by hand", func() { b.Write("public/index.html", "edited") }, clitest.Args("apply"),
			"1 page written"},
		{"an output gone", func() { os.Remove(filepath.Join(b.Dir, "public/index.html")) }, clitest.Args("apply"),
			"1 page written"},
		{"a source gone", func() { os.RemoveAll(filepath.Join(b.Dir, "site/members")) }, clitest.Args("apply"),
			"1 file removed"},
		{"the gate file, for some pages", func() { b.Write("code/counter.html", "<script>visits = 3</script>\n") },
			clitest.Args("apply", "/visit/"), "1 page written"},
		{"and then for the rest", func() {}, clitest.Args("apply"), "1 page written"},
	}
	for _, s := range steps {
		s.do()
		out := b.Want(0, s.args, s.want)
		t.Logf("%s: %s", s.name, strings.TrimSpace(out))
		if _, err := os.Stat(filepath.Join(b.Dir, "public/members")); s.name == "a source gone" && err == nil {
			t.Error("an empty folder is left of it")
		}
		if s.name == "the gate file, for some pages" {
			b.Want(1, clitest.Args("diff", "--summary"), "1 of 2 pages is behind")
		} else {
			b.Want(0, clitest.Args("diff", "--summary"), "Nothing to apply")
		}
	}
}

// TestForeignFiles: what the tool did not write is not overwritten, and never
// deleted.
func TestForeignFiles(t *testing.T) {
	b := clitest.Small(t)
	b.Write("yellowgate.yaml", clitest.SmallGate)
	b.Write("public/index.html", "somebody's")
	b.Write("public/notes.txt", "somebody's notes")
	b.Want(3, clitest.Args("apply"), "1 file that the tool did not write stands where it has to write: index.html",
		"--take-over")
	b.Want(1, clitest.Args("diff", "--summary"), "1 file in the output folder not written by the tool")
	if b.Read("public/index.html") != "somebody's" || b.Exists("public/visit") {
		t.Error("something was written")
	}
	b.Want(0, clitest.Args("apply", "--take-over"), "3 pages written",
		"1 file in public that the tool did not write: left alone (--verbose names them)")
	if b.Read(b.State("public")+"/replaced/index.html") != "somebody's" {
		t.Error("what was overwritten is not kept")
	}
	b.Want(0, clitest.Args("apply", "--verbose"), "up to date", "left alone: notes.txt")
	os.RemoveAll(filepath.Join(b.Dir, "site/visit"))
	b.Want(0, clitest.Args("apply"), "1 file removed")
	if b.Read("public/notes.txt") != "somebody's notes" || b.Exists("public/visit") {
		t.Error("the notes are gone, or the visit page is still there")
	}
	b.Write("public/late.txt", "x")
	b.Want(0, clitest.Args("apply"), "2 files in public that the tool did not write: left alone")
}

// TestHandEdited: an output that was changed by hand is written again, named, and kept.
func TestHandEdited(t *testing.T) {
	b := clitest.Small(t)
	b.Write("yellowgate.yaml", clitest.SmallGate)
	b.Want(0, clitest.Args("apply"))
	edited := b.Read("public/visit/index.html") + "<!-- by hand -->"
	b.Write("public/visit/index.html", edited)
	b.Want(0, clitest.Args("apply"), "1 page was changed by hand since the last apply", "visit/index.html")
	if b.Read(b.State("public")+"/replaced/visit/index.html") != edited ||
		strings.Contains(b.Read("public/visit/index.html"), "by hand") {
		t.Error("the edited page is not kept, or not written again")
	}
	b.Want(0, clitest.Args("apply"), "up to date")
	b.Want(2, clitest.Args("apply", "/vist/"), `/vist/ chooses no page of the site (did you mean "/visit/"?)`,
		"nothing was written")
}

// TestDotFiles: those that the gate file names are copied, others are reported once.
func TestDotFiles(t *testing.T) {
	b := clitest.Small(t)
	b.Write("yellowgate.yaml", clitest.SmallGate)
	b.Write("site/.htaccess", "Options -Indexes\n")
	b.Write("site/deep/.htaccess", "Options -Indexes\n")
	b.Write("site/.git/config", "x")
	b.Write("site/.well-known/security.txt", "x")
	b.Want(0, clitest.Args("check", "--verbose"), "dot-files of the source folder are not copied: 2 pages:")
	b.Want(0, clitest.Args("apply"), ".htaccess", "site.also")
	if out := b.Want(0, clitest.Args("apply")); strings.Contains(out, ".htaccess") || b.Exists("public/.htaccess") ||
		!b.Exists("public/.well-known/security.txt") {
		t.Error("told twice, or copied without being asked")
	}
	b.Write("yellowgate.yaml", strings.Replace(clitest.SmallGate, "  facts:", "  also: [.htaccess]\n  facts:", 1))
	b.Want(0, clitest.Args("apply"), "2 other files copied")
	if !b.Exists("public/deep/.htaccess") || b.Exists("public/.git/config") {
		t.Error("not copied, or too much")
	}
	b.Write("public/.htaccess", "somebody's")
	b.Want(0, clitest.Args("apply"), "1 page was changed by hand")
}

// TestNothingOutside: links out of the source are not followed, and output never
// lands outside the output folder.
func TestNothingOutside(t *testing.T) {
	b := clitest.Small(t)
	b.Write("yellowgate.yaml", clitest.SmallGate)
	b.Write("elsewhere/secret.html", clitest.Doc("Secret", ""))
	if err := os.Symlink("../elsewhere", filepath.Join(b.Dir, "site/out")); err != nil {
		t.Skip("no symbolic links here:", err)
	}
	os.Symlink("../elsewhere/secret.html", filepath.Join(b.Dir, "site/secret.html"))
	os.Symlink("index.html", filepath.Join(b.Dir, "site/home.html"))
	b.Want(0, clitest.Args("apply"), "4 pages written")
	if b.Exists("public/secret.html") || b.Exists("public/out") || !b.Exists("public/home.html") {
		t.Error("a link out of the source was followed, or one within it was not")
	}
	os.RemoveAll(filepath.Join(b.Dir, "public"))
	os.RemoveAll(filepath.Join(b.Dir, ".yellowgate"))
	os.Mkdir(filepath.Join(b.Dir, "public"), 0o755)
	os.Symlink("../elsewhere", filepath.Join(b.Dir, "public/visit"))
	b.Want(3, clitest.Args("apply", "--take-over"), "visit (a link, or no file)")
	if b.Exists("elsewhere/index.html") || b.Exists("public/index.html") {
		t.Error("output landed outside the output folder, or the apply was not taken back")
	}
}

// TestStops: what keeps apply from writing anything, with its exit status.
func TestStops(t *testing.T) {
	for _, c := range []struct {
		name, gate string
		status     int
		want       []string
	}{
		{"unknown key", strings.Replace(clitest.SmallGate, "except:", "excepts:", 1), 2,
			[]string{`yellowgate.yaml:15:5: error: unknown key "excepts" in item "counter" (did you mean "except"?)`,
				"      excepts: /members/**\n      ^", "1 error: nothing was written."}},
		{"several",
			strings.Replace(strings.Replace(clitest.SmallGate, "all\n    except", "evnts\n    except", 1),
				"output: public", "outptu: public", 1), 2,
			[]string{`unknown key "outptu"`, `unknown page set "evnts"`, "2 errors"}},
		{"missing file", strings.Replace(clitest.SmallGate, "counter.html", "counted.html", 1), 2,
			[]string{"code/counted.html: no such file", "yellowgate.yaml:13:16"}},
		{"missing facts", strings.Replace(clitest.SmallGate, "facts.csv", "fcts.csv", 1), 2,
			[]string{"fcts.csv: no such file"}},
		{"no page", clitest.SmallGate + "per-page: {/vist/: {out: counter}}\n", 2,
			[]string{"/vist/, which is not a page of the site", `did you mean "/visit/"`}},
		{"no value",
			strings.Replace(clitest.SmallGate, "code-file: code/counter.html", `code: "<b>@{fact.name}</b>"`, 1), 2,
			[]string{"@{fact.name} has no value (on /)", "nothing was written"}},
		{"contradiction", clitest.SmallGate + "  app: {script: /a.js, needs: counter, pages: all}\n", 2,
			[]string{`item "app" is in and needs "counter", which is out there (except`, "/members/"}},
		{"no place anywhere", clitest.SmallGate + "  app: {code: <p>x</p>, place: {before: aside}, pages: all}\n", 2,
			[]string{`item "app" has no place anywhere: "aside"`, "nothing was written"}},
		{"source is output", strings.Replace(clitest.SmallGate, "output: public", "output: ./site", 1), 2,
			[]string{"the output folder is the source folder"}},
		{"output holds source", strings.Replace(clitest.SmallGate, "output: public", "output: .", 1), 2,
			[]string{"holds the source folder"}},
		{"no source", strings.Replace(clitest.SmallGate, "source: site", "source: sit", 1), 3,
			[]string{"sit: no such file", "build the site first"}},
	} {
		b := clitest.Small(t)
		b.Write("yellowgate.yaml", c.gate)
		b.Want(c.status, clitest.Args("apply"), c.want...)
		if b.Exists("public") {
			t.Errorf("%s: something was written", c.name)
		}
	}
	late := clitest.Small(t)
	late.Write("site/index.html",
		strings.Replace(clitest.Doc("Home", "<script src=/lib.js></script>"), "</head>",
			"<script src=/app.js></script></head>", 1))
	late.Write("yellowgate.yaml",
		clitest.SmallGate+
			"  lib: {found: '[src=\"/lib.js\"]', pages: all}\n  app: {found: '[src=\"/app.js\"]', needs: lib, pages: /}\n")
	late.Want(1, clitest.Args("check"), `"app" needs "lib", which runs after it here (on /)`)
	b := clitest.Small(t)
	b.Write("yellowgate.yaml", clitest.SmallGate)
	b.Write("site/visit.html", clitest.Doc("Visit", ""))
	b.Write("yellowgate.yaml", strings.Replace(clitest.SmallGate, "  facts:", "  extensionless: true\n  facts:", 1))
	b.Want(3, clitest.Args("apply"), "are one page")
	b.Write("yellowgate.yaml", strings.Replace(clitest.SmallGate, "  facts:", "  ignore: [visit.html]\n  facts:", 1))
	b.Want(0, clitest.Args("apply"), "3 pages written")
	b.Write(b.State("public")+"/record", "yellowgate.record/9\n")
	b.Want(3, clitest.Args("apply"), "record", "--take-over")
}

func TestPipe(t *testing.T) {
	b := clitest.Small(t)
	b.Write("yellowgate.yaml", clitest.SmallGate)
	page := clitest.Doc("Fresh", "<p>from an application</p>")
	status, out, errout := b.ExecIn(page, "apply", "-", "--as", "/visit/")
	if status != 0 || !strings.Contains(out, "<title>Visit us</title>") || !strings.Contains(out, "<!--yg:counter-->") {
		t.Errorf("status %d\n%s%s", status, out, errout)
	}
	if status, out, _ = b.ExecIn(out, "audit", "-", "--as", "/visit/"); status != 0 ||
		!strings.Contains(out, "as the gate says") {
		t.Errorf("the piped page's audit: status %d\n%s", status, out)
	}
	if status, _, errout = b.ExecIn(page, "apply", "-"); status != 2 || !strings.Contains(errout, "--as") {
		t.Errorf("without --as: status %d, %s", status, errout)
	}
}
