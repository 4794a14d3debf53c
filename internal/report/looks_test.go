package report

import (
	"bytes"
	"image"
	"strings"
	"testing"

	"yellowgate/internal/core/visualdiff"
	"yellowgate/internal/result"
	"yellowgate/internal/visualcompare"
)

// TestLooksHTML: the page says what looks different and where, with its picture in it; what a site wrote is
// text there, and nothing is loaded from anywhere.
func TestLooksHTML(t *testing.T) {
	const hostile = `</script><img src=x onerror="alert(1)">`
	drawn := result.PageLook{Path: "/visit/", Screen: "390x844",
		Difference: &visualdiff.Difference{Pixels: 120, Share: 0.012,
			Regions: []visualdiff.Region{
				{Box: visualdiff.Box{X: 1, Y: 2, Width: 30, Height: 40}, Pixels: 120, Element: hostile},
				{Box: visualdiff.Box{X: 9}}}},
		Measures: []result.Measure{{Name: "requests", Before: 4, After: 6},
			{Name: "layout shift", Before: 0.2, After: 0.1, Noise: 0.01},
			{Name: "first paint, ms", Before: 40, After: 45, Noise: 20}}}
	if err := visualcompare.Keep(&drawn, image.NewNRGBA(image.Rect(0, 0, 8, 8))); err != nil {
		t.Fatal(err)
	}
	l := &result.Looks{
		Pages: []result.PageLook{{Path: "/", Screen: "390x844", Difference: &visualdiff.Difference{}}, drawn,
			{Path: "/x/", Unread: "it crashed " + hostile}}, Came: map[string][]string{hostile: {"/visit/"}},
		Went: map[string][]string{}, NewMistakes: map[string][]string{"Error: " + hostile: {"/", "/visit/"}}}
	var out bytes.Buffer
	if err := LooksHTML(&out, "before", hostile, l); err != nil {
		t.Fatal(err)
	}
	text := out.String()
	for _, want := range []string{`<b class="good">1</b> look the same`, `<b class="warning">2</b> look different`,
		"120 pixels differ, 1.2 %, in 2 places.", "30 x 40 at 1, 2", "in <code>the page</code>",
		`src="data:image/jpeg;base64,/9j/`, "Not read: it crashed", "Requested on the later side only",
		"Exceptions that are new", `<td class="warning">different on 1 page</td>`,
		`<td class="good">different on 1 page</td>`, "no difference larger than its noise"} {
		if !strings.Contains(text, want) {
			t.Errorf("%q is not in\n%s", want, text)
		}
	}
	if strings.Contains(text, "<img src=x") || strings.Contains(text, "No longer requested") ||
		strings.Count(text, "<img") != 1 || strings.Contains(text, "http") {
		t.Errorf("it has what it should not:\n%s", text)
	}
}
