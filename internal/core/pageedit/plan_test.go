package pageedit

import (
	"fmt"
	"reflect"
	"slices"
	"strings"
	"testing"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/problem"
)

func gateFor(t *testing.T, text string) *Gate {
	t.Helper()
	f, problems := gatefile.Parse("g.yaml", []byte("yellowgate: 1\n"+text), nil)
	g, more := New(f, "2026-11-29")
	for _, p := range append(problems, more...) {
		if p.Severity == problem.Error {
			t.Fatal(p)
		}
	}
	return g
}

// TestPlan: each step is a value of its own: what is decided changes nothing, and every change that is
// planned says for which item it is and why.
func TestPlan(t *testing.T) {
	g := gateFor(t, `metadata: [{pages: all, title: New, author: Tern Hill, lang: en}]
items:
  out: {found: '#out', pages: none}
  moved: {found: '[src="/moved.js"]', place: body-end, pages: all}
  tagged: {found: '[src="/tagged.js"]', load: defer, pages: all}
  put: {code: <p>put</p>, place: body-start, pages: all}
  instead: {replaces: style, style-text: 'p { color: red }', pages: all}
  letter: {popup: <p>Dear visitor</p>, label: Letter, open: {after: 9s}, pages: all}
  quiet: {classes: {body: quiet}, pages: all}
`)
	const source = "<!doctype html>\n<html>\n<head>\n<title>Old</title>\n<style>p{}</style>\n<script src=\"/moved.js\"></script>\n<script src=\"/tagged.js\"></script>\n</head>\n<body>\n<div id=out>x</div>\n<p>y</p>\n</body>\n</html>\n"
	v := g.Look([]byte(source), page.Page{Path: "/", File: "index.html"})
	d := g.decide(v)
	before := fmt.Sprint(d.Verdicts, d.Present, d.owner, d.problems)
	p := d.planOf()
	if after := fmt.Sprint(d.Verdicts, d.Present, d.owner, d.problems); after != before {
		t.Errorf("planning changed what was decided:\n%s\n%s", before, after)
	}
	var got []string
	for _, layer := range p.plan.layers {
		for _, x := range layer {
			of := "page"
			if x.Item != noItem {
				of = g.File.Items[x.Item].Name
			}
			got = append(got, fmt.Sprintf("%s: %s", of, x.Why))
		}
	}
	slices.Sort(got)
	want := []string{"instead: is put there", "letter: is put there", "moved: goes out", "moved: moves",
		"out: goes out", "page: has its tag changed", "page: has its tag changed", "page: metadata", "page: metadata",
		"page: the popups' code", "put: is put there", "tagged: has its tag changed"}
	if !slices.Equal(got, want) {
		t.Errorf("planned:\n%s\nwant:\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
	// Planned twice it is the same, and written it is what the road writes.
	if again := d.planOf(); !reflect.DeepEqual(again.plan.Written, p.plan.Written) {
		t.Error("planned again, another plan comes out")
	}
	file, _, err := p.plan.write(v.Source)
	if r := g.Page([]byte(source), page.Page{Path: "/", File: "index.html"}); err != nil ||
		string(file) != string(r.File) || string(r.Undo()) != source {
		t.Errorf("written: %v\n%s\nby the road:\n%s", err, file, r.File)
	}
}

// TestMeeting: two changes that meet are told with the items that they are for, and nothing is
// written.
func TestMeeting(t *testing.T) {
	g := gateFor(t, `items:
  one: {code: <b>1</b>, place: {instead-of: '#box'}, pages: all}
  two: {code: <b>2</b>, place: {last-in: '#box'}, pages: all}
`)
	const source = "<!doctype html><html><head><title>x</title></head><body><div id=box><p>x</p></div></body></html>"
	r := g.Page([]byte(source), page.Page{Path: "/", File: "index.html"})
	if len(r.Problems) != 1 || string(r.File) != source {
		t.Fatalf("%v\n%s", r.Problems, r.File)
	}
	for _, text := range []string{"two changes meet", `item "one" is put there`, `item "two" is put there`} {
		if !strings.Contains(r.Problems[0].Message, text) {
			t.Errorf("%q does not say %q", r.Problems[0].Message, text)
		}
	}
}

// TestStepBack: where what broke the head goes, the page is read again without it, once: what
// belongs into the head comes into the head, and the source can be had back.
func TestStepBack(t *testing.T) {
	g := gateFor(t, `metadata: [{pages: all, description: About the dome}]
items:
  breaker: {found: '#breaker', pages: none}
  sheet: {stylesheet: /a.css, pages: all}
`)
	const source = "<!doctype html>\n<html>\n<head>\n<title>x</title>\n<div id=breaker>x</div>\n<link rel=icon href=/i.svg>\n</head>\n<body>\n<p>y</p>\n</body>\n</html>\n"
	r := g.Page([]byte(source), page.Page{Path: "/", File: "index.html"})
	if len(r.Problems) > 0 || len(r.inverses) != 2 {
		t.Fatalf("%v, %d times edited", r.Problems, len(r.inverses))
	}
	head := string(r.File[:strings.Index(string(r.File), "</head>")])
	for _, text := range []string{"About the dome", "/a.css", "/i.svg"} {
		if !strings.Contains(head, text) {
			t.Errorf("%s is not in the head:\n%s", text, r.File)
		}
	}
	if strings.Contains(string(r.File), "breaker") || string(r.Undo()) != source {
		t.Errorf("written:\n%s\nundone:\n%s", r.File, r.Undo())
	}
}
