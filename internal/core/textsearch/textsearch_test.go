package textsearch

import (
	"bytes"
	"math/rand"
	"slices"
	"testing"
)

// TestSearch compares the search for many texts with one after the other.
func TestSearch(t *testing.T) {
	r := rand.New(rand.NewSource(1))
	for range 300 {
		page := make([]byte, r.Intn(400))
		for i := range page {
			page[i] = "abc \n"[r.Intn(5)]
		}
		var s Search
		for range r.Intn(6) {
			n := 1 + r.Intn(40)
			text := make([]byte, n)
			for i := range text {
				text[i] = "abc \n"[r.Intn(5)]
			}
			if n < len(page) && r.Intn(3) > 0 {
				copy(text, page[r.Intn(len(page)-n):])
			}
			for range r.Intn(3) {
				if at := r.Intn(len(page) + 1); at+n <= len(page) {
					copy(page[at:], text)
				}
			}
			s.Add(text)
		}
		for n, got := range s.Run(page) {
			var want []int
			for from := 0; ; {
				i := bytes.Index(page[from:], s.texts[n])
				if i < 0 {
					break
				}
				want = append(want, from+i)
				from += i + len(s.texts[n])
			}
			if !slices.Equal(got, want) {
				t.Fatalf("%q in %q: %v, want %v", s.texts[n], page, got, want)
			}
		}
	}
}
