package syntax

import (
	"strings"
	"testing"
)

// TestMistakes: where a text stops to parse, and what is said of it; "" for a text
// in order.
func TestMistakes(t *testing.T) {
	for _, c := range []struct {
		parse     func([]byte) *Mistake
		text, say string
		at        string // what stands at the mistake
	}{
		{JavaScript, "let a = b?.c ?? `x${1}`; async () => await import('/m.js')", "", ""},
		{JavaScript, "export default class { #x = 1 }", "", ""},
		{JavaScript,
			"import d from './d.json' with {type: 'json'}; export { d } from \"./d.json\" with { type: 'json' }", "",
			""},
		{JavaScript, "var mode = 010; if (mode) function f() {} for (var i = 0 in {});", "", ""},
		{JavaScript, "", "", ""},
		{JavaScript, "a();\nif (a { b() }", "expected )", "{ b"},
		{JavaScript, "f('never closed", "", "f"},
		{CSS, "@import url(a.css); @media print { a::after { content: '}' } } /* { */", "", ""},
		{CSS, "a { colour: mauve; --x: {a: b}; width: calc((1px + 2px) * 3) }", "", ""},
		{CSS, "@charset 'utf-8'", "", ""},
		{CSS, "a { color: red", `"{" is never closed`, "{ color"},
		{CSS, "a, b:is(c", `"is(" is never closed`, "is(c"},
		{CSS, "a { } }", `"}" closes nothing`, "}"},
		{CSS, "a { content: 'x\n }", "never closed", "'x"},
		{CSS, "a { } b", "a rule has no block", "b"},
		{JSON, `{"a": [1, 2.5e3, null, "\u00e9"]}`, "", ""},
		{JSON, "{\"a\": 1,\n}", "invalid character '}'", "}"},
		{JSON, "{'a': 1}", `invalid character '\''`, "'a"},
		{JSON, `{"a": 1} x`, "after top-level value", "x"},
		{JSON, "", "unexpected end", ""},
	} {
		m := c.parse([]byte(c.text))
		switch {
		case m == nil && (c.say != "" || c.at != ""):
			t.Errorf("%q is in order, want a mistake at %q", c.text, c.at)
		case m == nil:
		case c.say == "" && c.at == "":
			t.Errorf("%q: %v at %d", c.text, m, m.Offset)
		case !strings.Contains(m.Message, c.say):
			t.Errorf("%q: %q, want %q", c.text, m.Message, c.say)
		case m.Offset < 0 || m.Offset > len(c.text) || c.say != "" && !strings.HasPrefix(c.text[m.Offset:], c.at):
			t.Errorf("%q: at %d, want it before %q", c.text, m.Offset, c.at)
		}
	}
}

func TestLooksLike(t *testing.T) {
	for text, want := range map[string]string{
		"body { color: red }":                      "CSS",
		"window.visits = 1;":                       "JavaScript",
		"(function () { go(); })();":               "JavaScript",
		"Open: Friday (and the day before a moon)": "",
		"Let us know what you saw":                 "",
		"":                                         "",
	} {
		if got := LooksLike(text); got != want {
			t.Errorf("%q looks like %q, want %q", text, got, want)
		}
	}
}
