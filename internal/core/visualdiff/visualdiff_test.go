package visualdiff

import (
	"bytes"
	"image"
	"image/png"
	"math/rand/v2"
	"testing"
)

// blank is a white picture with a few elements.
func blank(w, h int) *Picture {
	p := &Picture{Width: w, Height: h, Pixels: make([]byte, w*h*4),
		Elements: []ElementBox{{"body", Box{0, 0, w, h}}, {"main", Box{20, 20, w - 40, h - 40}},
			{"button.go", Box{50, 60, 80, 30}}, {"span", Box{60, 65, 20, 10}}}}
	for i := range p.Pixels {
		p.Pixels[i] = 255
	}
	return p
}

func (p *Picture) fill(b Box, colour byte) *Picture {
	out := *p
	out.Pixels = append([]byte{}, p.Pixels...)
	for y := b.Y; y < b.Y+b.Height; y++ {
		for x := b.X; x < b.X+b.Width; x++ {
			out.Pixels[(y*p.Width+x)*4] = colour
		}
	}
	return &out
}

// TestCompare: what differs, where, and in which element; what moves by itself or is masked counts for
// nothing.
func TestCompare(t *testing.T) {
	white := blank(300, 200)
	dot := func(b Box) *Picture { return white.fill(b, 0) }
	for _, c := range []struct {
		name                       string
		before, after, again, late *Picture
		masks                      []Box
		pixels, regions            int
		first                      Region
	}{
		{name: "the same", before: white, after: blank(300, 200)},
		{name: "one pixel", before: white, after: dot(Box{150, 100, 1, 1}), pixels: 1, regions: 1,
			first: Region{Box: Box{150, 100, 1, 1}, Pixels: 1, Element: "main"}},
		{name: "one level of one colour", before: white, after: white.fill(Box{150, 100, 1, 1}, 254), pixels: 1,
			regions: 1, first: Region{Box: Box{150, 100, 1, 1}, Pixels: 1, Element: "main"}},
		{name: "a button", before: white, after: dot(Box{50, 60, 80, 30}), pixels: 2400, regions: 1,
			first: Region{Box: Box{50, 60, 80, 30}, Pixels: 2400, Element: "button.go"}},
		{name: "an outline", before: white, after: dot(Box{49, 59, 82, 32}), pixels: 2624, regions: 1,
			first: Region{Box: Box{49, 59, 82, 32}, Pixels: 2624, Element: "button.go"}},
		{name: "within a span", before: dot(Box{62, 66, 5, 5}), after: white, pixels: 25, regions: 1,
			first: Region{Box: Box{62, 66, 5, 5}, Pixels: 25, Element: "span"}},
		{name: "two places", before: white, after: dot(Box{0, 0, 9, 9}).fill(Box{290, 190, 3, 3}, 7), pixels: 90,
			regions: 2, first: Region{Box: Box{0, 0, 9, 9}, Pixels: 81, Element: "body"}},
		{name: "a line across", before: white, after: dot(Box{0, 120, 300, 1}), pixels: 300, regions: 1,
			first: Region{Box: Box{0, 120, 300, 1}, Pixels: 300, Element: "body"}},
		{name: "it moves by itself, before", before: dot(Box{100, 100, 9, 9}), again: dot(Box{104, 100, 9, 9}), after: white},
		{name: "it moves by itself, after", before: white, after: dot(Box{100, 100, 9, 9}), late: white},
		{name: "something else moves", before: white, again: dot(Box{200, 20, 9, 9}), after: dot(Box{100, 100, 2, 2}),
			pixels: 4, regions: 1, first: Region{Box: Box{100, 100, 2, 2}, Pixels: 4, Element: "main"}},
		{name: "masked", before: white, after: dot(Box{100, 100, 9, 9}), masks: []Box{{90, 90, 50, 50}}},
		{name: "masked in part", before: white, after: dot(Box{100, 100, 9, 9}), masks: []Box{{-5, -5, 110, 500}},
			pixels: 36, regions: 1, first: Region{Box: Box{105, 100, 4, 9}, Pixels: 36, Element: "main"}},
		{name: "longer", before: white, after: blank(300, 210), pixels: 3000, regions: 1,
			first: Region{Box: Box{0, 200, 300, 10}, Pixels: 3000, Element: "body"}},
		{name: "narrower", before: white, after: blank(290, 200), pixels: 2000, regions: 1,
			first: Region{Box: Box{290, 0, 10, 200}, Pixels: 2000, Element: "body"}},
	} {
		d := Compare(c.before, c.after, c.again, c.late, c.masks)
		if d.Pixels != c.pixels || len(d.Regions) != c.regions || d.Same() != (c.pixels == 0) {
			t.Errorf("%s: %d pixels in %d regions, want %d in %d", c.name, d.Pixels, len(d.Regions), c.pixels, c.regions)
			continue
		}
		if c.regions == 0 {
			continue
		}
		if r := d.Regions[0]; r.Box != c.first.Box || r.Pixels != c.first.Pixels || r.Element != c.first.Element ||
			r.Begins == "" && r.Element != "" {
			t.Errorf("%s: %+v, want %+v", c.name, d.Regions[0], c.first)
		}
	}
	many := white
	r := rand.New(rand.NewPCG(1, 1))
	for range 60 {
		many = many.fill(Box{r.IntN(9) * 33, r.IntN(6) * 33, 1, 1}, 3)
	}
	if d := Compare(white, many, nil, nil, nil); len(d.Regions) > mostRegions || len(d.Regions) < 5 {
		t.Errorf("%d regions", len(d.Regions))
	}
	if d := Compare(&Picture{}, &Picture{}, nil, nil, nil); !d.Same() || d.Share != 0 {
		t.Errorf("two empty pictures: %+v", d)
	}
}

// TestBegins: where all that is below moves, the place begins in what changed.
func TestBegins(t *testing.T) {
	elements := []ElementBox{{"body", Box{0, 0, 300, 400}}, {"h1", Box{10, 10, 280, 20}},
		{"p.first", Box{10, 40, 280, 40}}, {"a", Box{12, 42, 20, 12}}, {"p.last", Box{10, 90, 280, 40}}}
	white := &Picture{Width: 300, Height: 400, Pixels: bytes.Repeat([]byte{255}, 300*400*4), Elements: elements}
	moved := white.fill(Box{14, 44, 6, 4}, 0).fill(Box{10, 50, 280, 80}, 0) // from the link on
	d := Compare(white, moved, nil, nil, nil)
	if len(d.Regions) != 1 || d.Regions[0].Element != "body" || d.Regions[0].Begins != "a" {
		t.Errorf("%+v", d.Regions)
	}
	gone := *white // what was there before and is not counts, too
	gone.Elements = elements[:2]
	if d := Compare(moved, &gone, nil, nil, nil); d.Regions[0].Begins != "a" {
		t.Errorf("%+v", d.Regions)
	}
}

// TestCompareShots: shots are compared by their pixels, whatever their bytes; of what is alike to the
// byte nothing is read, what moves is left out as by Compare, and a page of several bands is compared to
// its end.
func TestCompareShots(t *testing.T) {
	encoded := func(p *Picture, level png.CompressionLevel) []byte {
		var out bytes.Buffer
		e := png.Encoder{CompressionLevel: level}
		if err := e.Encode(&out,
			&image.NRGBA{Pix: p.Pixels, Stride: p.Width * 4, Rect: image.Rect(0, 0, p.Width, p.Height)}); err != nil {
			t.Fatal(err)
		}
		return out.Bytes()
	}
	white := blank(300, 200)
	dot := white.fill(Box{52, 62, 3, 3}, 0)
	fast, small, dotted := encoded(white, png.BestSpeed), encoded(white, png.BestCompression), encoded(dot, png.BestSpeed)
	if bytes.Equal(fast, small) {
		t.Fatal("the two have the same bytes")
	}
	below := append(append([]ElementBox{}, white.Elements...), ElementBox{"footer", Box{50, Band + 60, 20, 20}})
	shot := func(bands ...[]byte) *Shot { return &Shot{Bands: bands, Elements: below} }
	a, again, b := shot(fast), shot(small), shot(dotted)
	broken := shot([]byte("<svg>"))
	for _, c := range []struct {
		name                             string
		before, after, beforeTwo, afterT *Shot
		masks                            []Box
		pixels                           int
		element                          string
		y                                int
	}{
		{"alike", a, a, a, a, nil, 0, "", 0},
		{"alike, but with a mask", a, a, a, a, []Box{{0, 0, 9, 9}}, 0, "", 0},
		{"other bytes, the same pixels", a, again, a, again, nil, 0, "", 0},
		{"another", a, b, a, b, nil, 9, "button.go", 62},
		{"it moves on both sides", a, b, b, a, nil, 0, "", 0},
		{"the first two alike, the second moves", a, a, a, b, nil, 0, "", 0},
		{"nothing to be read", broken, broken, broken, broken, nil, 0, "", 0},
		{"far below", shot(fast, fast), shot(fast, dotted), shot(small, fast), shot(fast, dotted), nil, 9, "footer",
			Band + 62},
		{"far below, masked", shot(fast, fast), shot(fast, dotted), shot(fast, fast), shot(fast, dotted),
			[]Box{{0, Band, 300, 200}}, 0, "", 0},
		{"longer by a band", a, shot(fast, fast), a, shot(fast, fast), nil, 300 * 200, "", Band},
	} {
		d, err := CompareShots(c.before, c.after, c.beforeTwo, c.afterT, c.masks)
		if err != nil || d.Pixels != c.pixels || (d.Share > 0) != (c.pixels > 0) {
			t.Errorf("%s: %+v, %v", c.name, d, err)
			continue
		}
		if c.pixels > 0 && (len(d.Regions) != 1 || d.Regions[0].Element != c.element || d.Regions[0].Y != c.y) {
			t.Errorf("%s: %+v", c.name, d.Regions)
		}
	}
	larger := encoded(white.fill(Box{52, 62, 30, 9}, 0), png.BestSpeed)
	if d, err := CompareShots(shot(fast, fast, fast), shot(fast, dotted, larger), shot(fast, fast, fast),
		shot(fast, dotted, larger), nil); err != nil || len(d.Regions) != 2 || d.Regions[0].Pixels != 270 ||
		d.Share != 279.0/(3*300*200) {
		t.Errorf("the largest place first, and all bands count: %+v, %v", d, err)
	}
	if d, err := CompareShots(a, &Shot{Bands: a.Bands, Unseen: 700}, a, a, nil); err != nil || !d.Same() ||
		d.Unseen != 700 {
		t.Errorf("what was not looked at: %+v, %v", d, err)
	}
	if _, err := CompareShots(a, broken, a, a, nil); err == nil {
		t.Error("a broken picture is no error")
	}
	if p, err := shot(fast, dotted, fast).Picture(); err != nil || p.Width != 300 || p.Height != 400 {
		t.Errorf("what is drawn: %+v, %v", p, err)
	}
	if _, err := broken.Picture(); err == nil {
		t.Error("a broken picture is drawn")
	}
}
