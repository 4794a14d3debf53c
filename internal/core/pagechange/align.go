package pagechange

import (
	"unicode/utf8"

	"github.com/aymanbagabas/go-udiff"
)

// A gap is where two sequences differ: from and fromEnd in the first, to and toEnd in the second.
type gap struct{ from, fromEnd, to, toEnd int }

// At is what stands at a place of a sequence: the same for what is the same, and whether it is the end of an element.
type at[K comparable] func(i int) (key K, closes bool)

// align lists the gaps between which two sequences have the same keys.
func align[K comparable](n, m int, was, is at[K]) []gap {
	numbers := map[K]rune{}
	before, beforeEnds := spell(n, was, numbers)
	after, afterEnds := spell(m, is, numbers)
	if len(beforeEnds) != n || len(afterEnds) != m {
		return []gap{{0, n, 0, m}} // more than can be told apart
	}
	end := 0
	number := func(offset int) int { // how many end at or before an offset
		for end < n && beforeEnds[end] <= offset {
			end++
		}
		return end
	}
	var out []gap
	shift := 0 // of the second against the first, where both are the same
	for _, e := range udiff.Strings(before, after) {
		g := gap{from: number(e.Start)}
		g.fromEnd = number(e.End)
		g.to = g.from + shift
		g.toEnd = g.to + utf8.RuneCountInString(e.New)
		shift = g.toEnd - g.fromEnd
		if k := len(out); k > 0 && out[k-1].fromEnd == g.from && out[k-1].toEnd == g.to {
			out[k-1].fromEnd, out[k-1].toEnd = g.fromEnd, g.toEnd
			continue
		}
		out = append(out, g)
	}
	for i := range out {
		g, nextFrom, nextTo := &out[i], n, m
		if i+1 < len(out) {
			nextFrom, nextTo = out[i+1].from, out[i+1].to
		}
		slide(g, nextFrom, nextTo, was, is)
	}
	return out
}

// spell writes a sequence as a text, a letter for each key, and says where each ends. It ends early where there are not
// enough letters.
func spell[K comparable](n int, keyAt at[K], numbers map[K]rune) (text string, ends []int) {
	b := make([]byte, 0, 3*n)
	for i := range n {
		k, _ := keyAt(i)
		c, ok := numbers[k]
		if !ok {
			if c = rune(len(numbers) + 1); c >= 0xD800 { // no letter is a surrogate
				c += 0x800
			}
			numbers[k] = c
		}
		if c > utf8.MaxRune {
			break
		}
		b = utf8.AppendRune(b, c)
		ends = append(ends, len(b))
	}
	return string(b), ends
}

// slide has what is on one side only begin with a start tag rather than with the end of the element before it, where
// both are true.
func slide[K comparable](g *gap, nextFrom, nextTo int, was, is at[K]) {
	again := func(side at[K], first, next int) bool {
		a, closes := side(first)
		b, _ := side(next)
		return closes && a == b
	}
	for g.fromEnd < nextFrom && g.toEnd < nextTo &&
		(g.from == g.fromEnd && g.to < g.toEnd && again(is, g.to, g.toEnd) ||
			g.to == g.toEnd && g.from < g.fromEnd && again(was, g.from, g.fromEnd)) {
		g.from, g.fromEnd, g.to, g.toEnd = g.from+1, g.fromEnd+1, g.to+1, g.toEnd+1
	}
}

func (r *reading) tokenAt(i int) (uint64, bool) { return r.tokens[i].hash, r.tokens[i].closes }

// alignPieces aligns by a key of pieces.
func alignPieces(was, is []piece, key func(*piece) string) []gap {
	side := func(list []piece) at[string] {
		return func(i int) (string, bool) { return key(&list[i]), list[i].kind == inEnd }
	}
	return align(len(was), len(is), side(was), side(is))
}
