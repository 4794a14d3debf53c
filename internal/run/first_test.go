package run

import "testing"

// TestOwnLine: an inline text is found by a line that stands in no other.
func TestOwnLine(t *testing.T) {
	const a, b = "(function ($) {\n  var base = '/a/';\n  go(base)\n})(kit)", "(function ($) {\n  var base = '/b/';\n  go(base)\n})(kit)"
	for _, c := range []struct {
		text   string
		others []string
		want   string
	}{
		{"counter = 1;", nil, "counter = 1;"},
		{"\n  x\n  window.counter = 1;\n", nil, "window.counter = 1;"},
		{a, []string{a, b}, "var base = '/a/';"},
		{b, []string{a, b}, "var base = '/b/';"},
		{"go(base)", []string{a, "go(base)"}, ""},
		{"x", nil, "x"},
		{"", nil, ""},
		{"ééééééééééééééééééééééééééééééééééééééééééééééééééééééééééééééééééééééé", nil, "éééééééééééééééééééééééééééééééééééééééééééééééééééééééééééé"},
	} {
		if got := ownLine(c.text, c.others); got != c.want {
			t.Errorf("%q: %q, want %q", c.text, got, c.want)
		}
	}
}
