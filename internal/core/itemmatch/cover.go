package itemmatch

import "yellowgate/internal/core/markup"

// A cover is a set of bytes of a page. What it costs to mark or to ask for a span grows
// with the span, however many there are.
type cover []uint64

func newCover(size int) cover { return make(cover, size/64+1) }

// add marks a span.
func (c cover) add(s markup.Span) {
	c.each(s, func(i int, mask uint64) bool { c[i] |= mask; return true })
}

// touches reports whether a byte of a span is marked.
func (c cover) touches(s markup.Span) (hit bool) {
	c.each(s, func(i int, mask uint64) bool { hit = c[i]&mask != 0; return !hit })
	return hit
}

// each visits the words of a span with the bits of it, until visit returns false.
func (c cover) each(s markup.Span, visit func(i int, mask uint64) bool) {
	for at := max(s.Start, 0); at < s.End && at/64 < len(c); {
		end := min(s.End, (at/64+1)*64)
		mask := ^uint64(0) << (at % 64)
		if end%64 != 0 {
			mask &= 1<<(end%64) - 1
		}
		if !visit(at/64, mask) {
			return
		}
		at = end
	}
}
