package gatefile

import "testing"

func TestContents(t *testing.T) {
	for _, c := range []struct {
		code                 string
		headOnly, fits, runs bool
		notForBody, cut      int
	}{
		{"<meta name=a content=b>", true, true, false, 0, -1},
		{"<!-- c --><link rel=stylesheet href=a><style>a{}</style>", true, true, false, -1, -1},
		{"<link rel=canonical href=/>", true, true, false, 0, -1},
		{"<script>a()</script>", false, true, true, -1, -1},
		{"<script src=a></script>", false, true, false, -1, -1},
		{"<script type=application/json>{}</script>", false, true, false, -1, -1},
		{"<p>x</p><meta itemprop=a content=b>", false, false, false, -1, -1},
		{"text", false, false, false, -1, -1},
		{"<style>a{}</style><noscript><img></noscript>", false, false, false, -1, -1},
		{"<p>x</p><title>t</title>", false, false, false, 8, -1},
		{"<p>x<!-- y", false, false, false, -1, 4},
		{"<script>a()", false, true, true, -1, 0},
		{"<div class='x", false, true, false, -1, 0},
	} {
		got := ContentsOf(c.code)
		if got.HeadOnly != c.headOnly || got.FitsHead != c.fits || got.InlineScript != c.runs ||
			got.NotForBody != c.notForBody || got.Cut != c.cut {
			t.Errorf("%s: %+v, want %+v", c.code, got, c)
		}
	}
}

// TestDefaultPlaces: where parts go and how scripts load unless said otherwise.
func TestDefaultPlaces(t *testing.T) {
	for _, c := range []struct{ item, place, load string }{
		{"stylesheet: /a.css", HeadEnd, ""},
		{"script: /a.js", HeadEnd, "defer"},
		{"script: /a.js, place: body-end", BodyEnd, "now"},
		{"script: /a.js, place: body-end, load: defer", BodyEnd, "defer"},
		{"code: <p>x</p>", BodyEnd, ""},
		{"code: <script>a()</script>", BodyEnd, ""},
		{"code: '<meta name=a content=b>'", HeadEnd, ""},
		{"script: /a.js, code: <script>a()</script>", BodyEnd, "now"},
		{"script: /a.js, code: <p>x</p>", HeadEnd, "defer"},
	} {
		g, problems := Parse("g.yaml", []byte(head+"items: {a: {"+c.item+"}}\n"), nil)
		if len(problems) > 0 {
			t.Fatal(problems)
		}
		it := g.Items[0]
		part := it.Parts[0]
		if got := it.PlaceOf(part).Name; got != c.place {
			t.Errorf("%s: %s, want %s", c.item, got, c.place)
		}
		if got := it.LoadOf(part); part.Kind == Script && got != c.load {
			t.Errorf("%s: load %s, want %s", c.item, got, c.load)
		}
	}
}
