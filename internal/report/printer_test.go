package report

import (
	"strings"
	"testing"

	"github.com/charmbracelet/x/ansi"

	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/wording"
)

// TestTable: columns line up, what is too wide gives way, piped nothing is cut.
func TestTable(t *testing.T) {
	for _, c := range []struct {
		width int
		want  string
	}{
		{0, "  a     1  a rather long text that goes on\n  bbb  22  b\n"},
		{30, "  a     1  a rather long text…\n  bbb  22  b\n"},
	} {
		var b strings.Builder
		p := NewPrinter(&b, false, c.width)
		tab := &table{right: map[int]bool{1: true}, wide: []int{2}}
		tab.add("a", "1", "a rather long text that goes on")
		tab.add("bbb", "22", "b")
		p.table(tab)
		if b.String() != c.want {
			t.Errorf("width %d:\n%s\nwant\n%s", c.width, b.String(), c.want)
		}
	}
	var b strings.Builder
	p := NewPrinter(&b, true, 40)
	tab := &table{wide: []int{1}}
	tab.add(p.bad.Render("error"), p.name.Render(strings.Repeat("é", 80)))
	p.table(tab)
	if w := ansi.StringWidth(strings.TrimSuffix(b.String(), "\n")); w > 40 || !strings.Contains(b.String(), "\x1b[") {
		t.Errorf("%d columns of 40: %q", w, b.String())
	}
}

func TestProblemCaret(t *testing.T) {
	var b strings.Builder
	NewPrinter(&b, false, 0).Problems([]problem.Problem{
		{Severity: problem.Error, Pos: problem.Position{File: "g.yaml", Line: 3, Column: 5}, Message: "bad\x1b[2J",
			Remedy: "mend it", Line: "é: [x]"},
		{Severity: problem.Note, Pos: problem.Position{File: "g.yaml", Line: 4}, Message: "a note"},
	}, false)
	want := "g.yaml:3:5: error: bad\\x1b[2J\n  é: [x]\n      ^\n  mend it\n"
	if b.String() != want {
		t.Errorf("%q\nwant %q", b.String(), want)
	}
}

func TestSize(t *testing.T) {
	for n, want := range map[int64]string{0: "–", 999: "999 B", 1000: "1.0 kB", 1536: "1.5 kB", 2_500_000: "2.5 MB"} {
		if got := wording.Size(n); got != want {
			t.Errorf("%d: %s, want %s", n, got, want)
		}
	}
}
