package listing

import (
	"slices"
	"strings"
	"testing"
)

// TestWidth: wide letters need more room than narrow ones.
func TestWidth(t *testing.T) {
	wide, narrow := Width(strings.Repeat("W", 60), 20), Width(strings.Repeat("i", 60), 20)
	if wide < 1100 || wide > 1200 || narrow < 240 || narrow > 300 {
		t.Errorf("60 W are %v pixels, 60 i are %v", wide, narrow)
	}
}

// TestFit: what is cut is cut where the room ends, and lines break between words.
func TestFit(t *testing.T) {
	for _, c := range []struct {
		text  string
		room  float64
		lines int
		want  []string
		whole bool
	}{
		{"", 100, 1, []string{}, true},
		{"owls", 100, 1, []string{"owls"}, true},
		{" owls \n  and  stars ", 400, 1, []string{"owls and stars"}, true},
		{"owls and stars", 90, 1, []string{"owls an…"}, false},
		{"owls and stars", 90, 2, []string{"owls and", "stars"}, true},
		{"owls and stars over the hill", 90, 2, []string{"owls and", "stars o…"}, false},
		{"owlsandstars and", 90, 2, []string{"owlsandst", "ars and"}, true},
		{"WWWW", 1, 3, []string{"W", "W", "…"}, false},
		{"星が見える夜", 60, 2, nil, false},
	} {
		got := Fit(c.text, 20, c.room, c.lines)
		if c.want != nil && (!slices.Equal(got.Lines, c.want) || got.Whole != c.whole) {
			t.Errorf("%q in %v: %q, whole %v", c.text, c.room, got.Lines, got.Whole)
		}
		for _, line := range got.Lines {
			if Width(line, 20) > max(c.room, 40) {
				t.Errorf("%q in %v: %q is %v wide", c.text, c.room, line, Width(line, 20))
			}
		}
	}
}
