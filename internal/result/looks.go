package result

import (
	"cmp"
	"maps"
	"math"
	"slices"
	"strings"

	"yellowgate/internal/core/visualdiff"
)

// Looks is what two sides differ in as visitors see them.
type Looks struct {
	Pages []PageLook `json:"pages"`
	// Came and Went are requests that one side alone makes, with the pages that make them.
	Came map[string][]string `json:"requestsCame"`
	Went map[string][]string `json:"requestsWent"`
	// NewMistakes are exceptions that only the later side has, with the pages.
	NewMistakes map[string][]string `json:"newMistakes"`
}

// Another are the pages that look different.
func (l *Looks) Another() (out []*PageLook) {
	for i := range l.Pages {
		if p := &l.Pages[i]; p.Unread != "" || !p.Difference.Same() {
			out = append(out, p)
		}
	}
	return out
}

// A PageLook is one page on one screen.
type PageLook struct {
	Path       string                 `json:"path"`
	Screen     string                 `json:"screen"`
	Unread     string                 `json:"unread,omitempty"`
	Difference *visualdiff.Difference `json:"difference,omitempty"`
	Measures   []Measure              `json:"measures,omitempty"`
	// Drawn are the pictures of both sides as visualcompare.Draw draws them, as JPEG, where a report wants them.
	Drawn []byte `json:"-"`
}

// A Measure is a number of both sides: the middle one of the runs. Noise is how far apart those of one
// side are; a difference no larger than that is none.
type Measure struct {
	Name   string  `json:"name"`
	Before float64 `json:"before"`
	After  float64 `json:"after"`
	Noise  float64 `json:"noise"`
}

// Changed reports whether the difference is one.
func (m *Measure) Changed() bool { return math.Abs(m.After-m.Before) > m.Noise && m.After != m.Before }

// Sorted are the keys of what came or went, those of most pages first.
func Sorted(of map[string][]string) []string {
	return slices.SortedFunc(maps.Keys(of), func(a, b string) int {
		return cmp.Or(len(of[b])-len(of[a]), strings.Compare(a, b))
	})
}
