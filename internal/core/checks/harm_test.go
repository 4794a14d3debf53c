package checks

import (
	"testing"

	"yellowgate/internal/core/problem"
)

// TestHarms: what is named there is a check or a family, and every check does some harm; an error counts more than a
// warning, and a warning more than a note.
func TestHarms(t *testing.T) {
	known := map[string]bool{}
	for _, c := range All() {
		known[c.Name], known[c.Family] = true, true
		if HarmOf(c.Name) == "" {
			t.Errorf("%s does no harm", c.Name)
		}
		if e, w, n := Weight(c.Name, problem.Error), Weight(c.Name, problem.Warning), Weight(c.Name, problem.Note); e <= w ||
			w <= n ||
			n <= 0 {
			t.Errorf("%s weighs %d, %d, %d", c.Name, e, w, n)
		}
	}
	for name := range harms {
		if !known[name] {
			t.Errorf("there is no check or family %q", name)
		}
	}
	if HarmOf("dead-file") != Breaks || HarmOf("blocking-script") != Slows || HarmOf("no-such-check") != Else {
		t.Error("harms are mixed up")
	}
}
