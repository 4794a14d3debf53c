// Package listing says how a page stands in a list of search results and as a shared link: what of its title and
// description is shown there, and what is cut. Widths are those of a common sans-serif (Liberation Sans, which has the
// widths of Arial), in CSS pixels; what shows such lists changes its measures now and then, so these are approximate.
package listing

import (
	"iter"
	"strings"
	"sync"
	"unicode"
	"unicode/utf8"

	"codeberg.org/go-fonts/liberation/liberationsansregular"
	"golang.org/x/image/font"
	"golang.org/x/image/font/sfnt"
	"golang.org/x/image/math/fixed"
)

// A Frame is a place where a page is listed, with the room that it has there.
type Frame struct {
	Name        string
	Room        float64 // pixels
	Title, Text float64 // pixels: the heights of the letters
	TitleLines  int
	TextLines   int
}

// ResultWidth is how wide the title of a search result is at most, in pixels.
const ResultWidth = 600

// Frames are the places that are shown: results on a wide screen and on a phone, and the card of a shared link.
var Frames = []Frame{
	{"search result, wide screen", ResultWidth, 20, 14, 1, 2},
	{"search result, phone", 328, 18, 14, 2, 3},
	{"shared link", 500, 16, 14, 2, 1},
}

// Shown is what of a text is shown.
type Shown struct {
	Lines []string `json:"lines"`
	Whole bool     `json:"whole"` // nothing of it is cut
	Width int      `json:"width"` // of the whole text in one line, in pixels
}

const ellipsis = "…"

// Fit sets a text in lines of a width, broken between words, and cuts the last where the text is longer.
func Fit(text string, size, room float64, lines int) Shown {
	text = strings.Join(strings.Fields(text), " ")
	s := Shown{Lines: []string{}, Whole: true, Width: int(Width(text, size) + .5)}
	for text != "" && len(s.Lines) < lines {
		if Width(text, size) <= room {
			s.Lines = append(s.Lines, text)
			return s
		}
		if len(s.Lines) == lines-1 {
			n := fits(text, size, room-Width(ellipsis, size))
			s.Lines = append(s.Lines, strings.TrimRightFunc(text[:n], unicode.IsSpace)+ellipsis)
			s.Whole = false
			return s
		}
		n := strings.LastIndexByte(text[:fits(text+" ", size, room)], ' ')
		if n <= 0 { // a word that is longer than the line
			n = max(fits(text, size, room), len(first(text)))
		}
		s.Lines = append(s.Lines, strings.TrimSpace(text[:n]))
		text = strings.TrimSpace(text[n:])
	}
	return s
}

// first is the first character of a text.
func first(text string) string {
	_, n := utf8.DecodeRuneInString(text)
	return text[:n]
}

// fits is how many bytes of a text are no wider than there is room. Only a beginning of it is measured.
func fits(text string, size, room float64) int {
	for i, width := range widths(text, size) {
		if width > room && text[i] != ' ' {
			return i
		}
	}
	return len(text)
}

// Width is how wide a text is in one line of a height of letters, both in pixels.
func Width(text string, size float64) (width float64) {
	for _, width = range widths(text, size) {
	}
	return width
}

// widths yields, for each character of a text, how wide the text is with it.
func widths(text string, size float64) iter.Seq2[int, float64] {
	return func(yield func(int, float64) bool) {
		f := typeface()
		ppem := fixed.Int26_6(size * 64)
		var b sfnt.Buffer
		var last sfnt.GlyphIndex
		before, width := rune(0), 0.0
		for i, c := range text {
			glyph, err := f.GlyphIndex(&b, c)
			if err != nil {
				continue
			}
			if before != 0 && kerned(before, c) {
				if kern, err := f.Kern(&b, last, glyph, ppem, font.HintingNone); err == nil {
					width += float64(kern) / 64
				}
			}
			if advance, err := f.GlyphAdvance(&b, glyph, ppem, font.HintingNone); err == nil {
				width += float64(advance) / 64
			}
			last, before = glyph, c
			if !yield(i, width) {
				return
			}
		}
	}
}

// kerned reports whether two characters are set closer where the typeface says so: not a space and a letter of another
// script than Latin, which are set apart from each other.
func kerned(a, b rune) bool {
	return (a != ' ' || unicode.In(b, unicode.Latin, unicode.Common)) &&
		(b != ' ' || unicode.In(a, unicode.Latin, unicode.Common))
}

var typeface = sync.OnceValue(func() *sfnt.Font {
	f, err := sfnt.Parse(liberationsansregular.TTF)
	if err != nil {
		panic(err) // a constant
	}
	return f
})
