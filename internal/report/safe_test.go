package report

import (
	"bytes"
	"encoding/json"
	"errors"
	"strings"
	"testing"
)

// TestClean: what could drive a terminal or a reader is shown as an escape.
func TestClean(t *testing.T) {
	for in, want := range map[string]string{
		"plain é 漢 😀": "plain é 漢 😀", "a\tb": "a b", "a\nb\r\nc": `a\nb\r\nc`, "\x1b[31mred\x1b]0;t\a": `\x1b[31mred\x1b]0;t\x07`,
		"\x7f\u0085\u009b31m": `\x7f\u0085\u009b31m`, "\u202eevil\u2066x\u200f": `\u202eevil\u2066x\u200f`, "a\u2028b\u2029": `a\u2028b\u2029`, "\xff\xc0x": `\xff\xc0x`, "\x00": `\x00`,
	} {
		if got := Clean(in); got != want {
			t.Errorf("%q: %q, want %q", in, got, want)
		}
		if Clean(want) != want {
			t.Errorf("%q is not clean", want)
		}
	}
}

// TestPrinter: the printer's own colours come through, and no others, however texts are put
// together; what stands in an argument stays on its line.
func TestPrinter(t *testing.T) {
	var b bytes.Buffer
	p := NewPrinter(&b, true, 80)
	hostile := "a\x1b[8mb\n\x1b[1000000001;31mc"
	p.Line("%s and %s, %v", p.bad.Render(hostile), hostile, errors.New(hostile))
	p.Heading("%s", hostile)
	p.Line("%s", p.dim.Render("outer "+p.name.Render("inner")+" outer"))
	tab := &table{wide: []int{0}}
	tab.add(hostile, p.in.Render(hostile))
	tab.remark(hostile)
	tab.section(hostile)
	p.table(tab)
	p.paragraph("  ", strings.Repeat(hostile+" ", 10))
	p.Failure(hostile+"\nmore", hostile)
	out := b.String()
	if strings.Contains(out, "\x1b[8m") ||
		strings.Contains(out, "1000000001;31m") && strings.Contains(out, "\x1b[1000000001") ||
		strings.Contains(out, owned) {
		t.Errorf("%q", out)
	}
	if n := strings.Count(out, "\x1b["); n < 8 || strings.Count(out, `\x1b[8m`) < 8 {
		t.Errorf("%d colour codes, %d escapes in %q", n, strings.Count(out, `\x1b[8m`), out)
	}
	for i, line := range strings.Split(out, "\n") {
		rest := line
		for strings.Contains(rest, "\x1b[") {
			_, rest, _ = strings.Cut(rest, "\x1b[")
			code, after, ok := strings.Cut(rest, "m")
			if !ok || strings.Trim(code, "0123456789;") != "" {
				t.Errorf("line %d: %q", i, line)
			}
			rest = after
		}
	}
	b.Reset()
	NewPrinter(&b, false, 0).Line("%s", p.bad.Render("x")) // of another printer
	if b.String() == "" {
		t.Error("nothing was written")
	}
}

// TestSafeJSON: what encoding/json leaves as it is comes as an escape, and the value is the
// same.
func TestSafeJSON(t *testing.T) {
	for _, in := range []string{"a\x7fb", "\u0085\u009b", "\u202e\u2066", "é 漢 😀", "\x1b\x00\n", `\u202e`, "<b>&"} {
		var b bytes.Buffer
		if err := JSON(&b, map[string]string{in: in}); err != nil {
			t.Fatal(err)
		}
		if i := strings.IndexFunc(b.String(), func(c rune) bool { return c != '\n' && unsafeRune(c) }); i >= 0 {
			t.Errorf("%q: %q", in, b.String())
		}
		var back map[string]string
		if err := json.Unmarshal(b.Bytes(), &back); err != nil || back[in] != in {
			t.Errorf("%q: %v, %v", in, back, err)
		}
	}
}

// TestCells: what a spreadsheet would compute is a text.
func TestCells(t *testing.T) {
	for in, want := range map[string]string{
		"=1+1": "'=1+1", "+1": "'+1", "-1": "'-1", "@x": "'@x", " =1": "' =1", "\t=1": "' =1", "＝1": "'＝1", "|x": "'|x", "%0A": "'%0A",
		"a=1": "a=1", "": "", "/visit/": "/visit/", "a\nb": `a\nb`, "\r=1": `\r=1`,
	} {
		if got := csvCell(in); got != want {
			t.Errorf("%q: %q, want %q", in, got, want)
		}
	}
}

// TestPlainMessage: the text of a SARIF message makes no link.
func TestPlainMessage(t *testing.T) {
	if got, want := plainMessage("see [here](https://evil.example) \\ \x1b[8m"),
		`see \[here\](https://evil.example) \\ \\x1b\[8m`; got != want {
		t.Errorf("%s, want %s", got, want)
	}
}
