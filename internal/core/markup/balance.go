package markup

import "bytes"

// Unbalanced finds the first element that a piece of HTML leaves open, or the
// first end tag of one that it did not open. at is the tag's offset, or -1 where
// all is closed. Elements whose end tag may be left out count as closed with the
// element that holds them, not with the piece.
func Unbalanced(src []byte) (at int, name string, opened bool) {
	type open struct {
		name string
		at   int
	}
	var stack []open
	foreign := 0 // svg or math elements open
	at = -1
	Pieces(src, func(p Piece) bool {
		switch p.Kind {
		case PieceStartTag:
			tag, nameEnd := readName(src, p.Start+1)
			n := string(bytes.ToLower(src[p.Start+1 : nameEnd]))
			_, selfClose := tagEnd(src, nameEnd)
			if voidElement([]byte(n)) && foreign == 0 || selfClose && (foreign > 0 || tag == TagSVG || tag == TagMath) {
				return true
			}
			for foreign == 0 && len(stack) > 0 && closedBy(stack[len(stack)-1].name, n) {
				stack = stack[:len(stack)-1]
			}
			if tag == TagSVG || tag == TagMath {
				foreign++
			}
			stack = append(stack, open{n, p.Start})
		case PieceEndTag:
			_, nameEnd := readName(src, p.Start+2)
			n := string(bytes.ToLower(src[p.Start+2 : nameEnd]))
			k := len(stack) - 1
			for k >= 0 && stack[k].name != n && optionalEnd(stack[k].name) {
				k--
			}
			switch {
			case k < 0:
				at, name, opened = p.Start, n, false
				return false
			case stack[k].name != n:
				at, name, opened = stack[k].at, stack[k].name, true
				return false
			}
			if n == "svg" || n == "math" {
				foreign--
			}
			stack = stack[:k]
		}
		return true
	})
	if at < 0 && len(stack) > 0 {
		at, name, opened = stack[0].at, stack[0].name, true
	}
	return at, name, opened
}
