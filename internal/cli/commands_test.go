package cli_test

import (
	"encoding/csv"
	"encoding/json"
	"encoding/xml"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"yellowgate/internal/clitest"
)

// TestDemo runs the whole example and then the commands on what it wrote.
func TestDemo(t *testing.T) {
	b := clitest.New(t)
	b.Want(0, clitest.Args("demo"), "8 yellowgate audit", "no errors", "9 yellowgate compare", "Try next, in tern-hill")
	b.Want(2, clitest.Args("demo", "tern-hill"), "not empty")
	b.Want(0, clitest.Args("demo"), "in tern-hill-2")
	b.Dir = filepath.Join(b.Dir, "tern-hill")

	for _, page := range []string{"index.html", "press/index.html", "journal/nuit-des-meteores/index.html",
		"book/pay/index.html"} {
		clitest.Golden(t, "demo-"+strings.ReplaceAll(page, "/", "-"), b.Read("public/"+page))
	}
	for name, a := range map[string][]string{
		"check": {"check", "--verbose"}, "survey": {"survey"}, "show": {"show", "/book/pay/"}, "show-source": {"show",
			"/press/", "--source"},
		"why": {"why", "/sky-tonight/", "domkit"}, "why-title": {"why", "/events/perseids/", "title"}, "where": {
			"where"}, "where-item": {"where", "contact-kit"},
		"pages": {"pages", "booking or has(form.contact)"}, "pages-why": {"pages", "booking or has(form.contact)",
			"--why"}, "fields": {"pages", "--fields"},
		"audit": {"audit"}, "suggest": {"suggest", "site"}, "explain": {"explain"}, "explain-one": {"explain", "broken-head"},
	} {
		_, out, errout := b.Exec(a...)
		clitest.Golden(t, name+".txt", out+errout)
	}
	status, out, _ := b.Exec("audit", "site", "--fail-on", "warning")
	if status != 1 {
		t.Errorf("audit of the source: status %d, want 1", status)
	}
	clitest.Golden(t, "audit-source.txt", out)

	gate := b.Read("yellowgate.yaml")
	b.Write("yellowgate.yaml",
		strings.Replace(gate, "    place: {code: spot}\n", "    place: {code: spot}\n    except: /visit/\n", 1))
	b.Want(1, clitest.Args("diff"), "star-map  -1  /visit/", `-    <!--yg:star-map-->`, "1 of 28 pages is behind")
	b.Want(1, clitest.Args("audit", "--fail-on", "error"), "leaked-item", "stale-output")
	b.Want(0, clitest.Args("show", "/visit/"), "behind the gate file: this is what apply would write")
	b.Want(0, clitest.Args("apply"), "1 page written")
	b.Want(0, clitest.Args("diff", "--summary"), "Nothing to apply")
}

// TestPageRecord: the form of a page record, field by field.
func TestPageRecord(t *testing.T) {
	b := clitest.New(t, "s/visit/index.html",
		"<!DOCTYPE html>\n<html>\n<head>\n<meta charset=utf-8>\n<title>Visit</title>\n  <script src=\"/js/site.js\" defer></script>\n</head>\n<body><noscript><iframe src=\"https://x.example/\"></iframe></noscript></body></html>\n",
		"s/js/site.js", strings.Repeat("x();\n", 100), "s/part.htm", "<p>a fragment<link rel=stylesheet href=a.css>")
	_, out, errout := b.Exec("survey", "s", "--format", "ndjson")
	lines := strings.Split(strings.TrimSpace(out), "\n")
	if len(lines) != 2 || errout != "" {
		t.Fatalf("%d lines\n%s%s", len(lines), out, errout)
	}
	clitest.Golden(t, "records.ndjson", out)
	var r struct {
		Format, Path, File, Encoding, Title, Digest string
		Bytes                                       int
		Fragment                                    bool
		Elements                                    []struct {
			Tag, Area, Inside, URL, Target, Party, Runs, Item, Digest string
			Offset, Length, Line, Column, Bytes, Gzip                 int
		}
	}
	d := json.NewDecoder(strings.NewReader(lines[1]))
	d.DisallowUnknownFields()
	if err := d.Decode(&r); err != nil {
		t.Fatal(err)
	}
	s := r.Elements[2]
	text := b.Read("s/visit/index.html")
	if r.Format != "yellowgate.page/1" || r.Path != "/visit/" || s.Tag != "script" || s.Line != 6 || s.Column != 3 || s.Runs != "defer" || s.Bytes != 500 || s.Gzip == 0 ||
		text[s.Offset:s.Offset+s.Length] != `<script src="/js/site.js" defer></script>` {
		t.Errorf("the script is %+v", s)
	}
}

func TestAuditJSON(t *testing.T) {
	b := clitest.Small(t)
	b.Write("yellowgate.yaml", clitest.SmallGate)
	b.Exec("apply")
	b.Write("public/members/index.html",
		strings.Replace(b.Read("public/members/index.html"), "</body>", "<script>visits = 1</script></body>", 1))
	status, out, _ := b.Exec("audit", "--format", "json")
	var a struct {
		Format, Gate string
		Pages        int
		Records      []map[string]any
		Verdicts     []struct {
			Page, Item, Verdict, Reason string
			Rule                        struct {
				File string
				Line int
			}
			Present int
		}
		Findings []struct {
			Check, Severity, Page, File, Item, Message, Remedy string
			Line, Column                                       int
		}
		Totals struct{ Errors, Warnings, Notes, Accepted int }
	}
	if err := json.Unmarshal([]byte(out), &a); err != nil {
		t.Fatal(err)
	}
	if status != 1 || a.Format != "yellowgate.audit/1" || !strings.HasPrefix(a.Gate, "sha256:") || a.Pages != 3 ||
		len(a.Records) != 3 || len(a.Verdicts) != 3 || a.Totals.Errors != 1 {
		t.Errorf("status %d, audit %+v", status, a)
	}
	v := a.Verdicts[1]
	if v.Page != "/members/" || v.Item != "counter" || v.Verdict != "out" || v.Reason != "except" ||
		v.Rule.File != "yellowgate.yaml" || v.Rule.Line != 15 || v.Present != 1 {
		t.Errorf("the verdict is %+v", v)
	}
	for _, f := range a.Findings {
		if f.Severity == "error" &&
			(f.Check != "leaked-item" || f.Page != "/members/" || f.Item != "counter" || f.Line != 9) {
			t.Errorf("the finding is %+v", f)
		}
	}
}

// TestWrongUse: what the user gets for the usual mistakes, and the exit status.
func TestWrongUse(t *testing.T) {
	b := clitest.Small(t)
	b.Write("yellowgate.yaml", clitest.SmallGate)
	for _, c := range []struct {
		args   string
		status int
		want   string
	}{
		{"aply", 2, `unknown command "aply"`},
		{"apply --takeover", 2, `did you mean "take-over"`},
		{"check --format jsn", 2, `unknown format "jsn" (did you mean "json"?)`},
		{"check --fail-on eror", 2, `did you mean "error"`},
		{"show /vist/", 2, `no page "/vist/" (did you mean "/visit/"?)`},
		{"show http://127.0.0.1:1/", 3, "is the server running"},
		{"why /visit/ countr", 2, `did you mean "counter"`},
		{"why /visit/#", 2, "why needs a page and an item"},
		{"where countr", 2, `did you mean "counter"`},
		{"pages /a**and", 0, "0 pages"},
		{"pages memberss", 2, `unknown page set "memberss"`},
		{"pages (/a", 2, "column 1"},
		{"explain broken-heat", 2, `did you mean "broken-head"`},
		{"audit nowhere", 3, "nowhere: no such file"},
		{"survey nowhere", 3, "nowhere: no such file"},
		{"audit", 2, "nothing was applied yet"},
		{"check --gate other.yaml", 3, "other.yaml: no such file"},
		{"show https://ternhill.example/visit/?x=1#y", 0, "/visit/"},
		{"show site/visit/index.html", 0, "not applied yet"},
		{"show site/visit/index.html --source --next", 2, "one of them"},
		{"survey --out survey.txt", 0, ""},
	} {
		b.Want(c.status, strings.Fields(c.args), c.want)
	}
	if !strings.Contains(b.Read("survey.txt"), "3 pages") {
		t.Error("--out wrote", b.Read("survey.txt"))
	}
	empty := clitest.New(t)
	empty.Want(2, clitest.Args("check"), "no yellowgate.yaml")
	empty.Want(0, clitest.Args("survey"), "0 pages")
	empty.Want(0, clitest.Args("--version"), "yellowgate ")
}

// TestControlCodes: what a page contains never drives the terminal.
func TestControlCodes(t *testing.T) {
	b := clitest.New(t, "s/index.html",
		clitest.Doc("\x1b[31mred\x1b]0;title\x07 \u202ereversed", "<script src='/\x1b[2J.js'></script>"))
	for _, a := range [][]string{{"survey", "s"}, {"audit", "s", "--fail-on", "never"}, {"show", "s/index.html"},
		{"show", "s/index.html", "--color", "always"}} {
		out := b.Want(0, a)
		for _, bad := range []string{"\x1b[31mred", "\x1b]0", "\x07", "\u202e", "\x1b[2J"} {
			if strings.Contains(out, bad) {
				t.Errorf("%v: %q came through", a, bad)
			}
		}
	}
}

func TestCompletion(t *testing.T) {
	b := clitest.Small(t)
	b.Write("yellowgate.yaml", clitest.SmallGate)
	for line, want := range map[string]string{
		"show /v": "/visit/", "why /visit/ c": "counter\ncanonical", "why /visit/ t": "title", "where c": "counter", "explain br": "broken-head", "check --fail-on w": "warning", "appl": "apply",
	} {
		out := b.Want(0, append([]string{"__complete"}, strings.Split(line, " ")...))
		for _, w := range strings.Split(want, "\n") {
			if !strings.Contains(out, w) {
				t.Errorf("%s: %q is not offered:\n%s", line, w, out)
			}
		}
	}
	b.Want(0, clitest.Args("completion", "bash"), "yellowgate")
}

// reference holds a page of docs against what the program says (-update writes it anew).
func reference(t *testing.T, page, says string) {
	t.Helper()
	name := "../../docs/" + page
	if *clitest.Update {
		if err := os.WriteFile(name, []byte(says), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	if have, err := os.ReadFile(name); err != nil || string(have) != says {
		t.Errorf("docs/%s is not what the program says: go test ./internal/cli -update writes it anew (%v)", page, err)
	}
}

// TestChecksReference: docs/checks.md is what the checks say of themselves.
func TestChecksReference(t *testing.T) {
	_, out, _ := clitest.New(t).Exec("explain", "--format", "markdown")
	reference(t, "checks.md", out)
}

// TestCommandsReference: docs/commands.md is the help of every command.
func TestCommandsReference(t *testing.T) {
	b := clitest.New(t)
	_, names, _ := b.Exec("__complete", "")
	var page, options strings.Builder
	for line := range strings.Lines(names) {
		name, _, described := strings.Cut(line, "\t")
		if !described || name == "help" || name == "completion" {
			continue
		}
		help, all, _ := strings.Cut(b.Want(0, clitest.Args(name, "--help")), "\nGlobal Flags:\n")
		fmt.Fprintf(&page, "\n## %s\n\n```\n%s```\n", name, help)
		if name == "apply" { // the formats of others are theirs
			options.WriteString(all)
		}
	}
	reference(t, "commands.md",
		"# Commands and their options\n\nWhat `yellowgate COMMAND --help` says, of every command. `yellowgate completion` writes\n"+
			"completions for your shell: [install.md](install.md).\n\nFor all commands:\n\n```\n"+options.String()+
			"```\n"+page.String())
}

// TestAuditFormats: what other programs read of an audit of a page that would like
// to be markup, a formula or a control code.
func TestAuditFormats(t *testing.T) {
	evil := "=cmd|x <script>alert(1)</script> ]]> \x1b[31m `a` | b & \u202e"
	b := clitest.New(t, "s/index.html",
		"<!doctype html><html lang=en><head><title>"+strings.ReplaceAll(evil, "<", "&lt;")+"</title><title>"+
			strings.ReplaceAll(evil, "<", "&lt;")+
			"</title></head><body><script src='/=a<b>.js'></script></body></html>")
	total := 0
	var findings struct {
		Findings []struct{ Check, Severity string }
	}
	_, out, _ := b.Exec("audit", "s", "--format", "json")
	if err := json.Unmarshal([]byte(out), &findings); err != nil {
		t.Fatal(err)
	}
	total = len(findings.Findings)
	failing := 0 // what --fail-on counts, and so JUnit
	for _, f := range findings.Findings {
		if f.Severity == "error" {
			failing++
		}
	}

	_, out, _ = b.Exec("audit", "s", "--format", "csv")
	rows, err := csv.NewReader(strings.NewReader(out)).ReadAll()
	if err != nil || len(rows) != total+1 || len(rows[0]) != 10 {
		t.Errorf("CSV: %v, %d rows", err, len(rows))
	}
	for _, row := range rows {
		for _, c := range row {
			if c != "" && strings.ContainsAny(c[:1], "=+-@") || strings.ContainsAny(c, "\x1b\u202e") {
				t.Errorf("CSV: a cell is %q", c)
			}
		}
	}

	_, out, _ = b.Exec("audit", "s", "--format", "junit")
	var suites struct {
		Failures int `xml:"failures,attr"`
		Suites   []struct {
			Name  string `xml:"name,attr"`
			Tests int    `xml:"tests,attr"`
			Cases []struct {
				Failure *struct {
					Type string `xml:"type,attr"`
				} `xml:"failure"`
			} `xml:"testcase"`
		} `xml:"testsuite"`
	}
	if err := xml.Unmarshal([]byte(out), &suites); err != nil || suites.Failures != failing || failing == 0 ||
		failing == total || strings.Count(out, "<system-out>") != total-failing || len(suites.Suites) < 40 ||
		strings.Contains(out, "\x1b") {
		t.Errorf("JUnit: %v, %d failures, want %d, %d suites", err, suites.Failures, failing, len(suites.Suites))
	}
	for _, s := range suites.Suites {
		if s.Tests != len(s.Cases) || s.Tests == 0 {
			t.Errorf("JUnit: %s says %d tests and has %d", s.Name, s.Tests, len(s.Cases))
		}
	}

	_, out, _ = b.Exec("audit", "s", "--format", "sarif")
	var sarif struct {
		Schema  string `json:"$schema"`
		Version string
		Runs    []struct {
			ColumnKind string
			Tool       struct {
				Driver struct {
					Name  string
					Rules []struct {
						ID                   string
						ShortDescription     struct{ Text string }
						FullDescription      struct{ Text string }
						Help                 struct{ Text, Markdown string }
						DefaultConfiguration struct{ Level string }
					}
				}
			}
			Results []struct {
				RuleID    string
				RuleIndex int
				Level     string
				Message   struct{ Text string }
				Locations []struct {
					PhysicalLocation struct {
						ArtifactLocation struct{ URI, URIBaseID string }
						Region           struct{ StartLine, StartColumn int }
					}
				}
			}
		}
	}
	if err := json.Unmarshal([]byte(out), &sarif); err != nil || sarif.Version != "2.1.0" || len(sarif.Runs) != 1 ||
		len(sarif.Runs[0].Results) != total || strings.Contains(out, "\x1b") {
		t.Fatalf("SARIF: %v", err)
	}
	run := sarif.Runs[0]
	for _, rule := range run.Tool.Driver.Rules {
		if rule.ID == "" || rule.ShortDescription.Text == "" || rule.FullDescription.Text == "" ||
			rule.Help.Markdown == "" ||
			!slices.Contains([]string{"error", "warning", "note"}, rule.DefaultConfiguration.Level) {
			t.Errorf("SARIF: rule %+v", rule)
		}
	}
	for _, r := range run.Results {
		l := r.Locations[0].PhysicalLocation
		if run.Tool.Driver.Rules[r.RuleIndex].ID != r.RuleID || r.Message.Text == "" ||
			l.ArtifactLocation.URI != "s/index.html" || l.Region.StartLine < 1 || l.Region.StartColumn < 1 {
			t.Errorf("SARIF: result %+v", r)
		}
	}

	_, out, _ = b.Exec("audit", "s", "--format", "markdown")
	if strings.Contains(out, "<script>") || strings.ContainsAny(out, "\x1b\u202e") ||
		!strings.Contains(out, "title-repeated") {
		t.Errorf("Markdown:\n%s", out)
	}
	_, page, _ := b.Exec("audit", "s", "--format", "html")
	if strings.Contains(page, "<script>alert") || strings.Contains(page, "a<b>.js") ||
		!strings.Contains(page, "title-repeated") || strings.Count(page, "</script>") != 2 {
		t.Errorf("HTML:\n%s", page)
	}
	for _, line := range strings.Split(out, "\n") {
		if strings.HasPrefix(line, "| error") && strings.Count(strings.ReplaceAll(line, "\\|", ""), "|") != 5 {
			t.Errorf("Markdown: %q has other columns than the table", line)
		}
	}
}

// TestCompare: what was switched off went, and nothing else changed.
func TestCompare(t *testing.T) {
	b := clitest.New(t)
	b.Want(0, clitest.Args("demo", "d"))
	b.Dir = filepath.Join(b.Dir, "d")
	b.Want(0, clitest.Args("compare", "site", "site"), "Nothing changed.")
	b.Want(0, clitest.Args("audit", "--format", "json", "--out", "before.json", "--fail-on", "never"))
	b.Want(0, clitest.Args("compare", "before.json", "public"), "Nothing changed.")
	b.Want(0, clitest.Args("set", "visit-counter", "--more", "--except", "/privacy/", "-q"))
	b.Want(0, clitest.Args("apply", "-q"))
	b.Want(0, clitest.Args("compare", "before.json", "public"), "went: 1", "inline, of visit-counter", "/privacy/",
		"Whether anything else changed on /privacy/ is not known: a saved audit has no text.")
	if err := os.CopyFS(filepath.Join(b.Dir, "was"), os.DirFS(filepath.Join(b.Dir, "public"))); err != nil {
		t.Fatal(err)
	}
	b.Write("public/shop/index.html", strings.Replace(b.Read("public/shop/index.html"), "</main>", "<p>new</p></main>", 1))
	b.Want(0, clitest.Args("compare", "before.json", "public"),
		"1 page changed in something else than what is listed: /shop/")
	b.Want(0, clitest.Args("compare", "was", "public"),
		"1 page changed in something else than what is listed: /shop/ (1 line)", "--verbose shows what")
	b.Want(0, clitest.Args("compare", "was", "public", "/shop/"), "+<p>new</p>", "@@ line 34 @@")
	b.Want(2, clitest.Args("compare", "was", "public", "/shp/"), `no page "/shp/" on either side (did you mean "/shop/"?)`)
	b.Want(2, clitest.Args("compare", "was"), "compare takes two folders of pages", "1 given",
		"yellowgate compare site public")

	// A baseline: what is new fails, what is known does not.
	b.Want(0, clitest.Args("audit", "--format", "json", "--out", "baseline.json", "--fail-on", "never"))
	b.Want(0, clitest.Args("compare", "baseline.json", "public", "--fail-on", "warning"))
	b.Write("public/shop/index.html",
		strings.Replace(b.Read("public/shop/index.html"), "</head>", "<script src=/js/no-such.js></script></head>",
			1))
	b.Want(1, clitest.Args("compare", "baseline.json", "public", "--fail-on", "warning"), "dead-file")
	b.Want(0, clitest.Args("compare", "baseline.json", "public"), "dead-file")
	_, out, _ := b.Exec("compare", "site", "public", "--format", "json")
	var r struct {
		Format        string
		Before, After struct{ Requests int }
		Mended        []struct{ Check string }
	}
	if err := json.Unmarshal([]byte(out), &r); err != nil || r.Format != "yellowgate.compare/1" ||
		r.Before.Requests <= r.After.Requests || len(r.Mended) < 50 {
		t.Errorf("%v %+v", err, r)
	}
	b.Want(2, clitest.Args("compare", "yellowgate.yaml", "public"),
		"a gate file is compared with another, and public is none")
	b.Want(2, clitest.Args("compare", "facts/events.csv", "public"), "is not a saved audit")
	b.Want(3, clitest.Args("compare", "none", "public"), "none: no such file")
}

// TestSettled: what the owner decided about findings.
func TestSettled(t *testing.T) {
	page := clitest.Doc("t", `<p>x</p><script src="https://x.example/a.js"></script><p>y</p>`)
	b := clitest.New(t, "site/index.html", page, "site/a/index.html", page, "yellowgate.yaml", `yellowgate: 1
site: {source: site, output: public, trust: [x.example]}
accept: [{check: blocking-script, pages: /a/, note: soon}]
checks: {description-missing: none, title-shared: error}
strict: true
budgets: [{pages: /a/, third-parties: 0}]
`)
	b.Want(0, clitest.Args("apply", "-q"))
	b.Want(1, clitest.Args("audit"), "error title-shared", "error over-budget",
		"third-parties: 1, and the budget is 0 (yellowgate.yaml:6:39)", "warning unclaimed-element",
		"1 finding accepted in the gate file")
	_, out, _ := b.Exec("audit")
	if strings.Contains(out, "description-missing") ||
		strings.Contains(out, "a/index.html:10") && strings.Contains(out, "blocking-script\n  a/") {
		t.Error(out)
	}
	b.Write("yellowgate.yaml", strings.Replace(b.Read("yellowgate.yaml"), "title-shared: error", "title-shard: error", 1))
	b.Want(2, clitest.Args("audit"), `unknown check "title-shard" (did you mean "title-shared"?)`)
}
