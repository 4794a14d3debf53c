package cli_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"
)

// small is a site of three pages with a counter on two of them.
func small(t *testing.T) *bench {
	return newBench(t,
		"yellowgate.yaml", siteHead+"  facts: facts.csv\n",
		"facts.csv", "path,name\n/visit/,Visit us\n",
		"code/counter.html", "<script>visits = 1</script>\n",
		"site/index.html", doc("Home", "<h1>Home</h1>"),
		"site/visit/index.html", doc("Visit", "<h1>Visit</h1>"),
		"site/members/index.html", doc("Members", "<h1>Members</h1>"),
		"site/css/site.css", "body { color: black }\n",
	)
}

const smallGate = `yellowgate: 1
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

// TestRecord: apply is right after any change, and does no more than it must.
func TestRecord(t *testing.T) {
	b := small(t)
	b.write("yellowgate.yaml", smallGate)
	b.want(0, args("apply"), "3 pages written, 1 other file copied")
	steps := []struct {
		name string
		do   func()
		args []string
		want string
	}{
		{"nothing", func() {}, args("apply"), "up to date"},
		{"every time stamp", func() {
			filepath.Walk(filepath.Join(b.dir, "site"), func(name string, _ os.FileInfo, _ error) error {
				return os.Chtimes(name, time.Now().Add(time.Hour), time.Now().Add(time.Hour))
			})
		}, args("apply"), "up to date"},
		{"a page", func() { b.write("site/visit/index.html", doc("Visit", "<h1>Other</h1>")) }, args("apply"), "1 page written"},
		{"a page, same size and time", func() {
			name := filepath.Join(b.dir, "site/visit/index.html")
			info, _ := os.Stat(name)
			b.write("site/visit/index.html", doc("Visit", "<h1>0ther</h1>"))
			os.Chtimes(name, time.Now(), info.ModTime().Add(time.Nanosecond))
		}, args("apply"), "1 page written"},
		{"the gate file, nothing of effect", func() { b.write("yellowgate.yaml", smallGate+"# a remark\n") }, args("apply"), "up to date"},
		{"a named file", func() { b.write("code/counter.html", "<script>visits = 2</script>\n") }, args("apply"), "2 pages written"},
		{"a fact", func() { b.write("facts.csv", "path,name\n/visit/,Come up\n") }, args("apply"), "1 page written"},
		{"another file", func() { b.write("site/css/site.css", "body { color: navy }\n") }, args("apply"), "1 other file copied"},
		{"an output edited by hand", func() { b.write("public/index.html", "edited") }, args("apply"), "1 page written"},
		{"an output gone", func() { os.Remove(filepath.Join(b.dir, "public/index.html")) }, args("apply"), "1 page written"},
		{"a source gone", func() { os.RemoveAll(filepath.Join(b.dir, "site/members")) }, args("apply"), "1 file removed"},
		{"the gate file, for some pages", func() { b.write("code/counter.html", "<script>visits = 3</script>\n") }, args("apply", "/visit/"), "1 page written"},
		{"and then for the rest", func() {}, args("apply"), "1 page written"},
	}
	for _, s := range steps {
		s.do()
		out := b.want(0, s.args, s.want)
		t.Logf("%s: %s", s.name, strings.TrimSpace(out))
		if s.name == "the gate file, for some pages" {
			b.want(1, args("diff", "--summary"), "1 of 2 pages is behind")
		} else {
			b.want(0, args("diff", "--summary"), "Nothing to apply")
		}
	}
}

// TestForeignFiles: what the tool did not write is not overwritten, and never
// deleted.
func TestForeignFiles(t *testing.T) {
	b := small(t)
	b.write("yellowgate.yaml", smallGate)
	b.write("public/index.html", "somebody's")
	b.write("public/notes.txt", "somebody's notes")
	b.want(3, args("apply"), "1 file that the tool did not write stands where it has to write: index.html", "--take-over")
	b.want(1, args("diff", "--summary"), "1 file in the output folder not written by the tool")
	if b.read("public/index.html") != "somebody's" || b.exists("public/visit") {
		t.Error("something was written")
	}
	b.want(0, args("apply", "--take-over"), "3 pages written", "1 file in public that the tool did not write: left alone (--verbose names them)")
	if b.read(b.state("public")+"/replaced/index.html") != "somebody's" {
		t.Error("what was overwritten is not kept")
	}
	b.want(0, args("apply", "--verbose"), "up to date", "left alone: notes.txt")
	os.RemoveAll(filepath.Join(b.dir, "site/visit"))
	b.want(0, args("apply"), "1 file removed")
	if b.read("public/notes.txt") != "somebody's notes" || b.exists("public/visit") {
		t.Error("the notes are gone, or the visit page is still there")
	}
	b.write("public/late.txt", "x")
	b.want(0, args("apply"), "2 files in public that the tool did not write: left alone")
}

// TestHandEdited: an output that was changed by hand is written again, named, and kept.
func TestHandEdited(t *testing.T) {
	b := small(t)
	b.write("yellowgate.yaml", smallGate)
	b.want(0, args("apply"))
	edited := b.read("public/visit/index.html") + "<!-- by hand -->"
	b.write("public/visit/index.html", edited)
	b.want(0, args("apply"), "1 page was changed by hand since the last apply", "visit/index.html")
	if b.read(b.state("public")+"/replaced/visit/index.html") != edited || strings.Contains(b.read("public/visit/index.html"), "by hand") {
		t.Error("the edited page is not kept, or not written again")
	}
	b.want(0, args("apply"), "up to date")
	b.want(2, args("apply", "/vist/"), `/vist/ chooses no page of the site (did you mean "/visit/"?)`, "nothing was written")
}

// TestDotFiles: those that the gate file names are copied, others are reported once.
func TestDotFiles(t *testing.T) {
	b := small(t)
	b.write("yellowgate.yaml", smallGate)
	b.write("site/.htaccess", "Options -Indexes\n")
	b.write("site/deep/.htaccess", "Options -Indexes\n")
	b.write("site/.git/config", "x")
	b.write("site/.well-known/security.txt", "x")
	b.want(0, args("check", "--verbose"), "dot-files of the source folder are not copied: 2 pages: .htaccess, deep/.htaccess"[:55])
	b.want(0, args("apply"), ".htaccess", "site.also")
	if out := b.want(0, args("apply")); strings.Contains(out, ".htaccess") || b.exists("public/.htaccess") || !b.exists("public/.well-known/security.txt") {
		t.Error("told twice, or copied without being asked")
	}
	b.write("yellowgate.yaml", strings.Replace(smallGate, "  facts:", "  also: [.htaccess]\n  facts:", 1))
	b.want(0, args("apply"), "2 other files copied")
	if !b.exists("public/deep/.htaccess") || b.exists("public/.git/config") {
		t.Error("not copied, or too much")
	}
	b.write("public/.htaccess", "somebody's")
	b.want(0, args("apply"), "1 page was changed by hand")
}

// TestNothingOutside: links out of the source are not followed, and output never
// lands outside the output folder.
func TestNothingOutside(t *testing.T) {
	b := small(t)
	b.write("yellowgate.yaml", smallGate)
	b.write("elsewhere/secret.html", doc("Secret", ""))
	if err := os.Symlink("../elsewhere", filepath.Join(b.dir, "site/out")); err != nil {
		t.Skip("no symbolic links here:", err)
	}
	os.Symlink("../elsewhere/secret.html", filepath.Join(b.dir, "site/secret.html"))
	os.Symlink("index.html", filepath.Join(b.dir, "site/home.html"))
	b.want(0, args("apply"), "4 pages written")
	if b.exists("public/secret.html") || b.exists("public/out") || !b.exists("public/home.html") {
		t.Error("a link out of the source was followed, or one within it was not")
	}
	os.RemoveAll(filepath.Join(b.dir, "public"))
	os.RemoveAll(filepath.Join(b.dir, ".yellowgate"))
	os.Mkdir(filepath.Join(b.dir, "public"), 0o755)
	os.Symlink("../elsewhere", filepath.Join(b.dir, "public/visit"))
	b.want(3, args("apply", "--take-over"), "visit (a link, or no file)")
	if b.exists("elsewhere/index.html") || b.exists("public/index.html") {
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
		{"unknown key", strings.Replace(smallGate, "except:", "excepts:", 1), 2,
			[]string{`yellowgate.yaml:15:5: error: unknown key "excepts" in item "counter" (did you mean "except"?)`, "      excepts: /members/**\n      ^", "1 error: nothing was written."}},
		{"several", strings.Replace(strings.Replace(smallGate, "all\n    except", "evnts\n    except", 1), "output: public", "outptu: public", 1), 2,
			[]string{`unknown key "outptu"`, `unknown page set "evnts"`, "2 errors"}},
		{"missing file", strings.Replace(smallGate, "counter.html", "counted.html", 1), 2, []string{"code/counted.html: no such file", "yellowgate.yaml:13:16"}},
		{"missing facts", strings.Replace(smallGate, "facts.csv", "fcts.csv", 1), 2, []string{"fcts.csv: no such file"}},
		{"no page", smallGate + "per-page: {/vist/: {out: counter}}\n", 2, []string{"/vist/, which is no page of the site", `did you mean "/visit/"`}},
		{"no value", strings.Replace(smallGate, "code-file: code/counter.html", `code: "<b>@{fact.name}</b>"`, 1), 2, []string{"@{fact.name} has no value (on /)", "nothing was written"}},
		{"contradiction", smallGate + "  app: {script: /a.js, needs: counter, pages: all}\n", 2, []string{`item "app" is in and needs "counter", which is out there (except`, "/members/"}},
		{"no place anywhere", smallGate + "  app: {code: <p>x</p>, place: {before: aside}, pages: all}\n", 2, []string{`item "app" has no place anywhere: "aside"`, "nothing was written"}},
		{"source is output", strings.Replace(smallGate, "output: public", "output: ./site", 1), 2, []string{"the output folder is the source folder"}},
		{"output holds source", strings.Replace(smallGate, "output: public", "output: .", 1), 2, []string{"holds the source folder"}},
		{"no source", strings.Replace(smallGate, "source: site", "source: sit", 1), 3, []string{"sit: no such file", "build the site first"}},
	} {
		b := small(t)
		b.write("yellowgate.yaml", c.gate)
		b.want(c.status, args("apply"), c.want...)
		if b.exists("public") {
			t.Errorf("%s: something was written", c.name)
		}
	}
	late := small(t)
	late.write("site/index.html", strings.Replace(doc("Home", "<script src=/lib.js></script>"), "</head>", "<script src=/app.js></script></head>", 1))
	late.write("yellowgate.yaml", smallGate+"  lib: {found: '[src=\"/lib.js\"]', pages: all}\n  app: {found: '[src=\"/app.js\"]', needs: lib, pages: /}\n")
	late.want(1, args("check"), `"app" needs "lib", which runs after it here (on /)`)
	b := small(t)
	b.write("yellowgate.yaml", smallGate)
	b.write("site/visit.html", doc("Visit", ""))
	b.write("yellowgate.yaml", strings.Replace(smallGate, "  facts:", "  extensionless: true\n  facts:", 1))
	b.want(3, args("apply"), "are one page")
	b.write("yellowgate.yaml", strings.Replace(smallGate, "  facts:", "  ignore: [visit.html]\n  facts:", 1))
	b.want(0, args("apply"), "3 pages written")
	b.write(b.state("public")+"/record", "yellowgate.record/9\n")
	b.want(3, args("apply"), "record", "--take-over")
}

func TestPipe(t *testing.T) {
	b := small(t)
	b.write("yellowgate.yaml", smallGate)
	page := doc("Fresh", "<p>from an application</p>")
	status, out, errout := b.runIn(page, "apply", "-", "--as", "/visit/")
	if status != 0 || !strings.Contains(out, "<title>Visit us</title>") || !strings.Contains(out, "<!--yg:counter-->") {
		t.Errorf("status %d\n%s%s", status, out, errout)
	}
	if status, out, _ = b.runIn(out, "audit", "-", "--as", "/visit/"); status != 0 || !strings.Contains(out, "as the gate says") {
		t.Errorf("the piped page's audit: status %d\n%s", status, out)
	}
	if status, _, errout = b.runIn(page, "apply", "-"); status != 2 || !strings.Contains(errout, "--as") {
		t.Errorf("without --as: status %d, %s", status, errout)
	}
}
