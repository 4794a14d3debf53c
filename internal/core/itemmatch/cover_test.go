package itemmatch

import (
	"math/rand"
	"testing"

	"yellowgate/internal/core/markup"
)

// TestCover compares the set of bytes with one that is kept byte by byte.
func TestCover(t *testing.T) {
	r := rand.New(rand.NewSource(1))
	for range 200 {
		size := 1 + r.Intn(300)
		c, plain := newCover(size), make([]bool, size)
		span := func() markup.Span {
			a, b := r.Intn(size+1), r.Intn(size+1)
			return markup.Span{Start: min(a, b), End: max(a, b)}
		}
		for range 10 {
			s := span()
			c.add(s)
			for i := s.Start; i < s.End; i++ {
				plain[i] = true
			}
			q := span()
			want := false
			for i := q.Start; i < q.End; i++ {
				want = want || plain[i]
			}
			if got := c.touches(q); got != want {
				t.Fatalf("%v of %d: %v, want %v", q, size, got, want)
			}
		}
	}
}
