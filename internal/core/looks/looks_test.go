package looks

import (
	"bytes"
	"image"
	"image/png"
	"math/rand/v2"
	"testing"
)

// blank is a white picture with a few elements.
func blank(w, h int) *Picture {
	p := &Picture{Width: w, Height: h, Pixels: make([]byte, w*h*4), Elements: []Element{{"body", Box{0, 0, w, h}}, {"main", Box{20, 20, w - 40, h - 40}}, {"button.go", Box{50, 60, 80, 30}}, {"span", Box{60, 65, 20, 10}}}}
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
		{name: "one pixel", before: white, after: dot(Box{150, 100, 1, 1}), pixels: 1, regions: 1, first: Region{Box{150, 100, 1, 1}, 1, "main"}},
		{name: "one level of one colour", before: white, after: white.fill(Box{150, 100, 1, 1}, 254), pixels: 1, regions: 1, first: Region{Box{150, 100, 1, 1}, 1, "main"}},
		{name: "a button", before: white, after: dot(Box{50, 60, 80, 30}), pixels: 2400, regions: 1, first: Region{Box{50, 60, 80, 30}, 2400, "button.go"}},
		{name: "within a span", before: dot(Box{62, 66, 5, 5}), after: white, pixels: 25, regions: 1, first: Region{Box{62, 66, 5, 5}, 25, "span"}},
		{name: "two places", before: white, after: dot(Box{0, 0, 9, 9}).fill(Box{290, 190, 3, 3}, 7), pixels: 90, regions: 2, first: Region{Box{0, 0, 9, 9}, 81, "body"}},
		{name: "a line across", before: white, after: dot(Box{0, 120, 300, 1}), pixels: 300, regions: 1, first: Region{Box{0, 120, 300, 1}, 300, "body"}},
		{name: "it moves by itself, before", before: dot(Box{100, 100, 9, 9}), again: dot(Box{104, 100, 9, 9}), after: white},
		{name: "it moves by itself, after", before: white, after: dot(Box{100, 100, 9, 9}), late: white},
		{name: "something else moves", before: white, again: dot(Box{200, 20, 9, 9}), after: dot(Box{100, 100, 2, 2}), pixels: 4, regions: 1, first: Region{Box{100, 100, 2, 2}, 4, "main"}},
		{name: "masked", before: white, after: dot(Box{100, 100, 9, 9}), masks: []Box{{90, 90, 50, 50}}},
		{name: "masked in part", before: white, after: dot(Box{100, 100, 9, 9}), masks: []Box{{-5, -5, 110, 500}}, pixels: 36, regions: 1, first: Region{Box{105, 100, 4, 9}, 36, "main"}},
		{name: "longer", before: white, after: blank(300, 210), pixels: 3000, regions: 1, first: Region{Box{0, 200, 300, 10}, 3000, "body"}},
		{name: "narrower", before: white, after: blank(290, 200), pixels: 2000, regions: 1, first: Region{Box{290, 0, 10, 200}, 2000, "body"}},
	} {
		d := Compare(c.before, c.after, c.again, c.late, c.masks)
		if d.Pixels != c.pixels || len(d.Regions) != c.regions || d.Same() != (c.pixels == 0) {
			t.Errorf("%s: %d pixels in %d regions, want %d in %d", c.name, d.Pixels, len(d.Regions), c.pixels, c.regions)
			continue
		}
		if c.regions > 0 && d.Regions[0] != c.first {
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

// TestCompareShots: shots are compared by their pixels, whatever their bytes; of what is alike to the
// byte nothing is read, and what moves is left out as by Compare.
func TestCompareShots(t *testing.T) {
	shot := func(p *Picture, level png.CompressionLevel) *Shot {
		var out bytes.Buffer
		e := png.Encoder{CompressionLevel: level}
		if err := e.Encode(&out, &image.NRGBA{Pix: p.Pixels, Stride: p.Width * 4, Rect: image.Rect(0, 0, p.Width, p.Height)}); err != nil {
			t.Fatal(err)
		}
		return &Shot{out.Bytes(), p.Elements}
	}
	white := blank(300, 200)
	dot := white.fill(Box{52, 62, 3, 3}, 0)
	a, again, b := shot(white, png.BestSpeed), shot(white, png.BestCompression), shot(dot, png.BestSpeed)
	if bytes.Equal(a.PNG, again.PNG) {
		t.Fatal("the two have the same bytes")
	}
	for _, c := range []struct {
		name                             string
		before, after, beforeTwo, afterT *Shot
		masks                            []Box
		pixels                           int
		read                             bool
	}{
		{"alike", a, a, a, a, nil, 0, false},
		{"alike, but with a mask", a, a, a, a, []Box{{0, 0, 9, 9}}, 0, true},
		{"other bytes, the same pixels", a, again, a, again, nil, 0, true},
		{"another", a, b, a, b, nil, 9, true},
		{"it moves on both sides", a, b, b, a, nil, 0, true},
		{"the first two alike, the second moves", a, a, a, b, nil, 0, true},
		{"nothing to be read", &Shot{PNG: []byte("<svg>")}, &Shot{PNG: []byte("<svg>")}, &Shot{PNG: []byte("<svg>")}, &Shot{PNG: []byte("<svg>")}, nil, 0, false},
	} {
		d, was, is, err := CompareShots(c.before, c.after, c.beforeTwo, c.afterT, c.masks)
		if err != nil || d.Pixels != c.pixels || (was != nil) != c.read || (is != nil) != c.read {
			t.Errorf("%s: %+v, read %t and %t, %v", c.name, d, was != nil, is != nil, err)
		}
		if c.pixels > 0 && (len(d.Regions) != 1 || d.Regions[0].Element != "button.go") {
			t.Errorf("%s: %+v", c.name, d.Regions)
		}
	}
	if _, _, _, err := CompareShots(a, &Shot{PNG: []byte("<svg>")}, a, a, nil); err == nil {
		t.Error("a broken picture is no error")
	}
}
