package markup

import (
	"fmt"
	"strings"
	"unicode/utf16"
)

// Fit gives a piece of HTML the line ends of a page and, where the page's
// encoding cannot hold every character, writes it in ASCII: with character
// references in text and attributes, with escapes in scripts and styles. What
// stands in a comment becomes a question mark.
func Fit(text, lineEnd string, ascii bool) string {
	if strings.IndexByte(text, '\r') >= 0 || lineEnd != "\n" && strings.IndexByte(text, '\n') >= 0 {
		text = strings.ReplaceAll(strings.ReplaceAll(text, "\r\n", "\n"), "\r", "\n")
		if lineEnd != "\n" {
			text = strings.ReplaceAll(text, "\n", lineEnd)
		}
	}
	if !ascii || isASCII(text) {
		return text
	}
	var b strings.Builder
	src := []byte(text)
	Pieces(src, func(p Piece) bool {
		for _, r := range string(src[p.Start:p.End]) {
			switch {
			case r < 0x80:
				b.WriteRune(r)
			case p.Kind == PieceScript:
				for _, u := range utf16.Encode([]rune{r}) {
					fmt.Fprintf(&b, `\u%04X`, u)
				}
			case p.Kind == PieceStyle:
				fmt.Fprintf(&b, `\%06X`, r)
			case p.Kind == PieceComment || p.Kind == PieceRaw:
				b.WriteByte('?')
			default:
				fmt.Fprintf(&b, "&#x%X;", r)
			}
		}
		return true
	})
	return b.String()
}

func isASCII(s string) bool {
	for i := 0; i < len(s); i++ {
		if s[i] >= 0x80 {
			return false
		}
	}
	return true
}
