package report

import (
	"bytes"
	"strings"
	"testing"
	"unicode/utf8"

	"yellowgate/internal/core/audit"
	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/result"
)

// TestFindingsWrap: at 80 columns nothing of a finding is cut: it wraps, and the remedy
// stands below, once for findings of one cause.
func TestFindingsWrap(t *testing.T) {
	message := "item \"visit-counter\" is in here (yellowgate.yaml:154:12), and the page does not have its code (code/the-visit-counter-of-the-observatory.html)"
	remedy := "make the change in the gate file, then run yellowgate apply; yellowgate why shows which line decides and what would change it"
	finding := func(page string, line int, message string) check.Finding {
		return check.Finding{Check: "missing-item", Severity: problem.Error, Page: page,
			File: strings.TrimPrefix(page, "/") + "index.html", Line: line, Column: 3, Item: "visit-counter",
			Message: message, Remedy: remedy}
	}
	a := &result.Audit{Dir: "public", Pages: 2,
		Findings: []check.Finding{finding("/events/the-longest-night-of-the-year/", 12, message),
			finding("/visit/", 7, "another thing")}, Totals: audit.Totals{Errors: 2}}
	for _, width := range []int{0, 60, 80, 120} {
		var b bytes.Buffer
		NewPrinter(&b, false, width).Audit(a, false)
		out := b.String()
		for line := range strings.Lines(out) {
			if line = strings.TrimSuffix(line, "\n"); width > 0 && utf8.RuneCountInString(line) > width ||
				strings.Contains(line, "…") {
				t.Errorf("at %d columns a line is too long, or cut: %q", width, line)
			}
		}
		folded := strings.Join(strings.Fields(out), " ")
		for _, whole := range []string{message, remedy, "events/the-longest-night-of-the-year/index.html:12:3"} {
			if !strings.Contains(folded, whole) {
				t.Errorf("at %d columns %q is not whole in\n%s", width, whole, out)
			}
		}
		if n := strings.Count(folded, "→ make the change"); n != 1 {
			t.Errorf("at %d columns the remedy stands there %d times", width, n)
		}
	}
}
