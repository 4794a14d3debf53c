package looks

import (
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
