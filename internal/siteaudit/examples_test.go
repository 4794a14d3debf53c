package siteaudit_test

import (
	"encoding/json"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"yellowgate/internal/core/checks"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/pageload"
	"yellowgate/internal/failure"
	"yellowgate/internal/project"
	"yellowgate/internal/publish"
	"yellowgate/internal/siteaudit"
)

// TestExamples runs the examples that explain shows of each check: the bad one has a finding
// of it, the good one has none.
func TestExamples(t *testing.T) {
	for _, c := range checks.All() {
		t.Run(c.Name, func(t *testing.T) {
			if found := example(t, c.Name, c.Bad); !found {
				t.Errorf("the bad example has no finding:\n%s", c.Bad)
			}
			if found := example(t, c.Name, c.Good); found {
				t.Errorf("the good example has a finding:\n%s", c.Good)
			}
		})
	}
}

// header begins a file of an example: "-- site/visit/index.html --". Without one, the whole
// is that page. What is ", later" is written after apply.
var header = regexp.MustCompile(`(?m)^-- (\S+?)(, later)? --\n`)

// example makes a site of an example, applies its gate file if it has one, and reports
// whether the audit has a finding of a check.
func example(t *testing.T, check, text string) bool {
	t.Helper()
	dir := t.TempDir()
	if !header.MatchString(text) {
		text = "-- site/visit/index.html --\n" + text
	}
	gate := filepath.Join(dir, project.GateFileName)
	marks := header.FindAllStringSubmatchIndex(text, -1)
	gated := false
	for _, late := range []bool{false, true} {
		for i, m := range marks {
			end := len(text)
			if i+1 < len(marks) {
				end = marks[i+1][0]
			}
			if name := text[m[2]:m[3]]; (m[4] >= 0) == late {
				gated = gated || name == project.GateFileName
				write(t, filepath.Join(dir, filepath.FromSlash(name)), contents(name, strings.TrimSuffix(text[m[1]:end], "\n")))
			}
		}
		if gated && !late {
			if _, err := publish.Apply(t.Context(), open(t, gate), publish.Options{}); err != nil {
				t.Fatalf("%v\n%s", err, text)
			}
		}
	}
	var saved []*pageload.Record
	if b, err := os.ReadFile(filepath.Join(dir, "rendered.json")); err == nil {
		r := &pageload.Record{}
		if err := json.Unmarshal(b, r); err != nil {
			t.Fatalf("%v\n%s", err, b)
		}
		saved = append(saved, r)
	}
	o := siteaudit.Options{Dir: filepath.Join(dir, "site"), Address: "https://ternhill.example"}
	if gated {
		p := open(t, gate)
		o = siteaudit.Options{Dir: p.Output, Project: p}
	}
	o.Saved = saved
	r, err := siteaudit.Audit(t.Context(), o)
	if err != nil {
		t.Fatal(err)
	}
	for _, f := range r.Findings {
		if f.Check == check {
			if f.Message == "" || f.Line == 0 {
				t.Errorf("a finding without message, severity or line: %+v", f)
			}
			return true
		}
	}
	return false
}

func open(t *testing.T, gate string) *project.Project {
	t.Helper()
	p, _, err := project.Open(gate, project.Options{})
	if ge, ok := err.(*project.GateError); ok {
		t.Fatal(ge.Problems)
	}
	if err == nil {
		err = p.Walk()
	}
	if err != nil {
		t.Fatal(err)
	}
	return p
}

// contents is a file of an example in full: pages are given in part, gate files without
// what all of them have, and long texts by their length.
func contents(name, text string) string {
	text = strings.ReplaceAll(text, "of 1,200 bytes", strings.Repeat("x ", 600))
	text = strings.ReplaceAll(text, "(two thousand notes)", strings.Repeat("<p>a note</p>\n", 2000))
	text = strings.ReplaceAll(text, "(300 characters)", strings.Repeat("long ", 60))
	const folders = `url: "https://ternhill.example", source: site, output: public`
	switch {
	case name == project.GateFileName && strings.Contains(text, "site: {"):
		return "yellowgate: 1\n" + strings.Replace(text, "site: {", "site: {"+folders+", ", 1)
	case name == project.GateFileName:
		return "yellowgate: 1\nsite: {" + folders + "}\n" + text
	case !strings.HasSuffix(name, ".html") || strings.HasPrefix(text, "<!doctype") || strings.HasPrefix(text, "---"):
		return text
	case strings.HasPrefix(text, "<head") || strings.HasPrefix(text, "<html") || strings.HasPrefix(text, "<body"):
		return "<!doctype html>\n" + text
	}
	head, body := "", text
	for markup.BelongsToHead([]byte(body)) && body != "" { // what the head may hold goes there
		line, rest, _ := strings.Cut(body, "\n")
		head, body = head+line+"\n", rest
	}
	if !strings.Contains(head, "viewport") {
		head = "<meta name=\"viewport\" content=\"width=device-width\">\n" + head
	}
	return "<!doctype html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n" + head + "</head>\n<body>\n" +
		body + "\n</body>\n</html>\n"
}

// TestNoPages: an audit of a folder without a page is wrong use, since nothing was looked at.
func TestNoPages(t *testing.T) {
	dir := t.TempDir()
	if err := os.WriteFile(filepath.Join(dir, "notes.txt"), []byte("x"), 0o644); err != nil {
		t.Fatal(err)
	}
	_, err := siteaudit.Audit(t.Context(), siteaudit.Options{Dir: dir})
	if _, use := err.(*failure.Usage); !use || !strings.Contains(err.Error(), "nothing was audited") {
		t.Errorf("%v", err)
	}
}
