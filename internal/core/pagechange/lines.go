package pagechange

import (
	"bytes"
	"slices"

	"github.com/zeebo/xxh3"

	"yellowgate/internal/core/markup"
)

// Most of two forms of a page is the same. What is found the same by its bytes is not taken into tokens.

const (
	beyond    = 4        // tokens that are listed behind what differs, so that it is seen how that goes on
	smallPage = 16 << 10 // bytes that are taken into tokens without a look at their lines
	mostGaps  = 40       // places where lines differ; a page with more is taken into tokens whole
	mostMoves = 50       // steps in which such a place grows until it begins and ends outside of anything
	around    = 3        // lines that are read around it
)

// tokeniseBoth lists the tokens of two pages, as far as they differ.
func tokeniseBoth(was, is *reading) {
	a, b := was.src.Text, is.src.Text
	same := 0 // bytes at the end
	for same < min(len(a), len(b)) && a[len(a)-1-same] == b[len(b)-1-same] {
		same++
	}
	if max(len(a), len(b))-same > smallPage && tokeniseGaps(was, is) {
		return
	}
	// Where both come to the end of a token and the rest of both is the same, it is read alike.
	rest := len(a) - was.tokenise(0, len(a)-same, beyond)
	if is.tokenise(0, len(b)-rest, 0) != len(b)-rest {
		was.tokens, is.tokens = nil, nil
		was.tokenise(0, len(a), 0)
		is.tokenise(0, len(b), 0)
	}
}

// tokeniseGaps lists the tokens where the lines of two pages differ, and takes what is between for one. It is false
// where there are too many such places, or one of them cannot be told apart from what is around it.
func tokeniseGaps(was, is *reading) bool {
	old, now := linesOf(was.src.Text), linesOf(is.src.Text)
	gaps := align(len(old)-1, len(now)-1, hashes(was.src.Text, old), hashes(is.src.Text, now))
	if len(gaps) > mostGaps {
		return false
	}
	inWas, ok := was.covers()
	inIs, also := is.covers()
	if !ok || !also {
		return false
	}
	var wide []gap
	for _, g := range gaps {
		g, ok := widened(g, was, is, inWas, inIs, old, now)
		if !ok {
			return false
		}
		for k := len(wide) - 1; k >= 0 && (g.from <= wide[k].fromEnd || g.to <= wide[k].toEnd); k-- {
			g = gap{
				min(g.from, wide[k].from),
				max(g.fromEnd, wide[k].fromEnd),
				min(g.to, wide[k].to),
				max(g.toEnd, wide[k].toEnd),
			}
			wide = wide[:k]
		}
		wide = append(wide, g)
	}
	from, to := 0, 0
	for _, g := range wide {
		was.run(from, old[g.from])
		is.run(to, now[g.to])
		from, to = old[g.fromEnd], now[g.toEnd]
		was.tokenise(old[g.from], from, 0)
		is.tokenise(now[g.to], to, 0)
	}
	was.run(from, len(was.src.Text))
	is.run(to, len(is.src.Text))
	return true
}

// widened is a gap made wider until it begins and ends where nothing that covers lines is cut on either side. It is
// false where that takes too many steps.
func widened(g gap, was, is *reading, inWas, inIs []markup.Span, old, now []int) (gap, bool) {
	g.from, g.to = g.from-around, g.to-around
	g.fromEnd, g.toEnd = g.fromEnd+around, g.toEnd+around
	for n := 0; g.from > 0 && g.to > 0; n++ {
		move := max(before(was.src.Text, inWas, old, g.from), before(is.src.Text, inIs, now, g.to))
		if move == 0 {
			break
		}
		if g.from, g.to = g.from-move, g.to-move; n > mostMoves {
			return g, false
		}
	}
	for n := 0; g.fromEnd < len(old)-1 && g.toEnd < len(now)-1; n++ {
		move := max(after(inWas, old, g.fromEnd), after(inIs, now, g.toEnd))
		if move == 0 {
			break
		}
		if g.fromEnd, g.toEnd = g.fromEnd+move, g.toEnd+move; n > mostMoves {
			return g, false
		}
	}
	if g.from <= 0 || g.to <= 0 {
		g.from, g.to = 0, 0
	}
	if g.fromEnd >= len(old)-1 || g.toEnd >= len(now)-1 {
		g.fromEnd, g.toEnd = len(old)-1, len(now)-1
	}
	return g, true
}

// run takes a range for one token.
func (r *reading) run(from, to int) {
	if from < to {
		r.tokens = append(r.tokens, token{start: from, end: to, hash: xxh3.Hash(r.src.Text[from:to]), run: true})
	}
}

// linesOf are the offsets at which lines begin, and the end.
func linesOf(text []byte) []int {
	out := make([]int, 1, len(text)/40+2)
	for at := 0; ; {
		n := bytes.IndexByte(text[at:], '\n')
		if n < 0 || at+n+1 == len(text) {
			return append(out, len(text))
		}
		at += n + 1
		out = append(out, at)
	}
}

func hashes(text []byte, lines []int) at[uint64] {
	return func(i int) (uint64, bool) { return xxh3.Hash(text[lines[i]:lines[i+1]]), false }
}

// covers are the spans within which no token begins: tags and comments over several lines, elements without markup,
// units. They are sorted, and none begins in another. ok is false for a page with elements whose ends nobody looks
// for here, as few pages have.
func (r *reading) covers() (out []markup.Span, ok bool) {
	text := r.src.Text
	var all []markup.Span
	for i := range r.scan.Elements {
		if e := &r.scan.Elements[i]; noMarkup[e.Tag.String()] {
			all = append(all, markup.Span{Start: e.Start, End: e.End})
		}
	}
	for at := 0; ; at++ {
		n := bytes.IndexByte(text[at:], '<')
		if n < 0 {
			break
		}
		at += n
		s, rest := markup.Span{Start: at, End: len(text)}, text[at+1:]
		end := ""
		switch {
		case bytes.HasPrefix(rest, []byte("!--")):
			end = "-->"
		case len(rest) > 8 && rest[0]|0x20 == 't' && bytes.EqualFold(rest[:8], []byte("textarea")):
			end = "</" + string(rest[:8])
		case len(rest) > 0 && (rest[0]|0x20 == 'x' || rest[0]|0x20 == 'n' || rest[0]|0x20 == 'p') && isRare(rest):
			return nil, false
		case len(rest) > 0 && (rest[0] == '/' || rest[0] == '!' || rest[0] == '?' ||
			rest[0]|0x20 >= 'a' && rest[0]|0x20 <= 'z'):
			if n := bytes.IndexAny(rest, ">\n\"'"); n >= 0 && rest[n] == '>' {
				at += n
				continue
			}
			if s.End = markup.TagEnd(text, at); bytes.IndexByte(text[at:s.End], '\n') < 0 {
				at = s.End - 1
				continue
			}
		default:
			continue
		}
		if n := bytes.Index(text[at:], []byte(end)); end != "" && n >= 0 {
			s.End = at + n + len(end)
		}
		all = append(all, s)
		at = max(at, s.End-1)
	}
	for _, u := range r.units {
		all = append(all, u.Span)
	}
	slices.SortFunc(all, func(a, b markup.Span) int { return a.Start - b.Start })
	out = all[:0]
	for _, s := range all {
		if n := len(out); n > 0 && s.Start < out[n-1].End {
			out[n-1].End = max(out[n-1].End, s.End)
			continue
		}
		out = append(out, s)
	}
	return out, true
}

// isRare reports whether a tag is that of an element which few pages have.
func isRare(tag []byte) bool {
	for _, name := range []string{"xmp", "noembed", "noframes", "plaintext"} {
		if len(tag) > len(name) && bytes.EqualFold(tag[:len(name)], []byte(name)) {
			return true
		}
	}
	return false
}

// cover is the one in which an offset is; ok is false for none.
func cover(covers []markup.Span, at int) (s markup.Span, ok bool) {
	n, _ := slices.BinarySearchFunc(covers, at, func(s markup.Span, at int) int { return s.Start - at })
	if n > 0 && covers[n-1].End > at {
		return covers[n-1], true
	}
	return s, false
}

// before is by how many lines one has to go back from a line to be in none of the covers, and at a tag: what
// begins amid a text would be half of it.
func before(text []byte, covers []markup.Span, lines []int, line int) int {
	if s, ok := cover(covers, lines[line]); ok {
		return line - lineOf(lines, s.Start)
	}
	if first := bytes.TrimLeft(text[lines[line]:lines[line+1]], " \t\r\n\f"); len(first) == 0 || first[0] != '<' {
		return 1
	}
	return 0
}

// after is the same for going on.
func after(covers []markup.Span, lines []int, line int) int {
	if s, ok := cover(covers, lines[line]); ok {
		return max(1, lineOf(lines, max(s.End-1, 0))+1-line)
	}
	return 0
}

// lineOf is the line in which an offset is.
func lineOf(lines []int, at int) int {
	n, _ := slices.BinarySearch(lines, at+1)
	return n - 1
}
