package browser_test

import (
	"encoding/base64"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"codeberg.org/go-fonts/liberation/liberationsansregular"

	"yellowgate/internal/clitest"
	"yellowgate/internal/core/listing"
)

// TestListedCuts: titles are cut where a browser cuts them, within two pixels.
func TestListedCuts(t *testing.T) {
	b := clitest.New(t)
	font := base64.StdEncoding.EncodeToString(liberationsansregular.TTF)
	b.Write(
		"public/index.html",
		`<!doctype html><meta charset=utf-8><style>@font-face { font-family: Sans; src: url(data:font/ttf;base64,`+font+`) }
body { font: 20px Sans; text-rendering: geometricPrecision; white-space: nowrap }</style><span id=s>x</span>`,
	)
	tab := clitest.Browser(b)
	tab.Open("/", false)
	words := strings.Fields(
		"Visit the observatory on Tern Hill, any clear Friday between dusk & midnight — AVATAR Tool WAY “Yes” über naïve Ħ fi ffl 1,000 ½ Ты звезда Αστέρι ’tis")
	var titles []string
	r := rand.New(rand.NewPCG(29, 4))
	for range 200 {
		var title []string
		for range 8 + r.IntN(14) {
			title = append(title, words[r.IntN(len(words))])
		}
		titles = append(titles, strings.Join(title, " "))
	}
	type cut struct{ Title, Shown, More string } // More is what is shown with one character more
	var cuts []cut
	for _, title := range titles {
		got := listing.Fit(title, 20, listing.ResultWidth, 1)
		c := cut{title, got.Lines[0], ""}
		if shown := strings.TrimSuffix(c.Shown, "…"); !got.Whole {
			rest := []rune(strings.TrimPrefix(title, shown) + " ")
			c.More = title[:len(shown)] + string(rest[:1+strings.Count(string(rest[:1]), " ")]) + "…"
		}
		cuts = append(cuts, c)
	}
	list, err := json.Marshal(cuts)
	if err != nil {
		t.Fatal(err)
	}
	// Of each the whole, what is shown, and that with one character more.
	wide := clitest.Value[[][]float64](tab, fmt.Sprintf(`(async cuts => {
		await document.fonts.load("20px Sans")
		return cuts.map(c => [c.Title, c.Shown, c.More].map(text => { s.textContent = text; return s.getBoundingClientRect().width }))
	})(%s)`, list))
	n := 0
	for i, c := range cuts {
		if d := listing.Width(c.Title, 20) - wide[i][0]; d > 2 || d < -2 {
			t.Errorf("%q is %.1f pixels wide, in the browser %.1f", c.Title, listing.Width(c.Title, 20), wide[i][0])
		}
		if c.More == "" && wide[i][0] > listing.ResultWidth+2 ||
			c.More != "" && (wide[i][1] > listing.ResultWidth+2 || wide[i][2] < listing.ResultWidth-2) {
			t.Errorf("%q is cut to %q, which is %.1f pixels wide, and with a character more %.1f", c.Title, c.Shown,
				wide[i][1], wide[i][2])
		}
		if c.More != "" {
			n++
		}
	}
	if n < 100 {
		t.Errorf("only %d titles are cut", n)
	}
}
