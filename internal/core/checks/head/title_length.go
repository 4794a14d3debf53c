package head

import (
	"fmt"
	"sync"

	"codeberg.org/go-fonts/liberation/liberationsansregular"
	"golang.org/x/image/font"
	"golang.org/x/image/font/opentype"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

var titleLength = &check.Check{
	Name: "title-length", Family: "head", Severity: problem.Note,
	Title: "the title is longer than a search result shows",
	Doc: `Search results cut titles by their width, at about 600 pixels: that is 60 to 70 characters.
What stands behind is not read there. Nothing is wrong with the page: this is a note, from 80
characters on.`,
	Bad:  "<title>Visit the observatory on Tern Hill on any clear Friday between dusk and midnight, bring a coat</title>",
	Good: "<title>Visit | Tern Hill Observatory</title>",
	Page: func(p *check.Pass) {
		if p.LeadsAway() {
			return
		}
		for _, e := range check.Titles(p) {
			if n := len([]rune(e.Label)); n > 80 {
				p.At(
					e,
					fmt.Sprintf(
						"the title has %d characters and is about %d pixels wide; search results cut at about %d",
						n,
						widthOf(e.Label),
						resultWidth,
					),
					p.Site.Remedy(
						"put what tells the page apart first, or shorten it: | cut 65",
						"put what tells the page apart first, or shorten it",
					),
				)
			}
		}
	},
}

// resultWidth is the width at which search results cut titles, in pixels.
const resultWidth = 600

// widthOf is how wide a title is in a search result: 20 pixels high, in a sans-serif of the
// usual widths.
func widthOf(title string) int {
	face := resultFace()
	if face == nil {
		return 10 * len([]rune(title))
	}
	faceMutex.Lock()
	defer faceMutex.Unlock()
	return font.MeasureString(face, title).Round()
}

var faceMutex sync.Mutex // a face is for one goroutine at a time

var resultFace = sync.OnceValue(func() font.Face {
	f, err := opentype.Parse(liberationsansregular.TTF)
	if err != nil {
		return nil
	}
	face, err := opentype.NewFace(f, &opentype.FaceOptions{Size: 20, DPI: 72})
	if err != nil {
		return nil
	}
	return face
})
