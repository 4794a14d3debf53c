// Package looks holds pictures of a page against each other, pixel by pixel: does it look the same, and
// if not, where does it not, and in which element does that lie? What moves by itself is learned from
// two pictures of the same side, and left out.
package looks

import (
	"bytes"
	"cmp"
	"errors"
	"image"
	"image/draw"
	"image/png"
	"slices"
)

// A Picture is one of a page: red, green, blue and alpha of each pixel, row after row, and where its
// elements are.
type Picture struct {
	Width, Height int
	Pixels        []byte // 4 for each
	Elements      []Element
}

// A Shot is a picture as it was taken: PNG, which is a tenth of the pixels and less.
type Shot struct {
	PNG      []byte
	Elements []Element
}

// Picture reads the pixels.
func (s *Shot) Picture() (*Picture, error) {
	img, err := png.Decode(bytes.NewReader(s.PNG))
	if err != nil {
		return nil, errors.New("the browser's picture cannot be read: " + err.Error())
	}
	size := img.Bounds().Size()
	p := &Picture{Width: size.X, Height: size.Y, Elements: s.Elements}
	if all, ok := img.(*image.RGBA); ok && all.Stride == 4*size.X {
		p.Pixels = all.Pix // nothing shines through a page
		return p, nil
	}
	out := image.NewNRGBA(image.Rectangle{Max: size})
	draw.Draw(out, out.Bounds(), img, img.Bounds().Min, draw.Src)
	p.Pixels = out.Pix
	return p, nil
}

// CompareShots holds the shots of two sides against each other, each with a second one of the same side;
// see Compare. Of shots that are alike to the byte no pixel is read: the pictures are then nil.
func CompareShots(before, after, beforeAgain, afterAgain *Shot, masks []Box) (d *Difference, was, is *Picture, err error) {
	alike := func(a, b *Shot) bool { return bytes.Equal(a.PNG, b.PNG) }
	if alike(before, after) && alike(before, beforeAgain) && alike(after, afterAgain) && len(masks) == 0 {
		return &Difference{Regions: []Region{}}, nil, nil, nil
	}
	var all [4]*Picture
	for i, s := range []*Shot{before, after, beforeAgain, afterAgain} {
		if i >= 2 && alike(s, []*Shot{before, after}[i-2]) {
			continue // nothing moves
		}
		if all[i], err = s.Picture(); err != nil {
			return nil, nil, nil, err
		}
	}
	return Compare(all[0], all[1], all[2], all[3], masks), all[0], all[1], nil
}

// An Element is where one is, in pixels of the picture; those that hold others come first.
type Element struct {
	Name string `json:"name"` // as a selector would have it: nav.menu, form#book
	Box
}

// A Box is a part of a picture.
type Box struct {
	X      int `json:"x"`
	Y      int `json:"y"`
	Width  int `json:"width"`
	Height int `json:"height"`
}

// A Difference is what two pictures differ in.
type Difference struct {
	Pixels  int      `json:"pixels"` // that differ
	Share   float64  `json:"share"`  // of those that were compared
	Moving  int      `json:"moving"` // pixels that move by themselves, or are masked: not compared
	Regions []Region `json:"regions"`
}

// A Region is one part that differs.
type Region struct {
	Box
	Pixels  int    `json:"pixels"`
	Element string `json:"element"` // the smallest in which it lies
}

// Same reports whether the pictures look the same.
func (d *Difference) Same() bool { return d.Pixels == 0 }

// cell is the side of a square of pixels by which regions are told apart, and margin how far around
// what moves nothing is compared.
const cell, margin = 16, 2

// mostRegions is how many regions are told of.
const mostRegions = 20

// Compare holds two sides of a page against each other, each with a second picture of the same side to
// know what moves; those may be nil. Where one is larger, what the other lacks differs. masks are left
// out.
func Compare(before, after, beforeAgain, afterAgain *Picture, masks []Box) *Difference {
	w, h := max(before.Width, after.Width), max(before.Height, after.Height)
	still := make([]bool, w*h)
	for i := range still {
		still[i] = true
	}
	for _, pair := range [][2]*Picture{{before, beforeAgain}, {after, afterAgain}} {
		if pair[1] != nil {
			leaveOut(still, w, h, pair[0], pair[1])
		}
	}
	for _, m := range masks {
		for y := max(m.Y, 0); y < min(m.Y+m.Height, h); y++ {
			for x := max(m.X, 0); x < min(m.X+m.Width, w); x++ {
				still[y*w+x] = false
			}
		}
	}
	d := &Difference{Regions: []Region{}}
	columns, rows := (w+cell-1)/cell, (h+cell-1)/cell
	cells := make([]tally, columns*rows)
	compared := 0
	for y := range h {
		for x := range w {
			if !still[y*w+x] {
				d.Moving++
				continue
			}
			compared++
			if !samePixel(before, after, x, y) {
				d.Pixels++
				cells[y/cell*columns+x/cell].add(x, y)
			}
		}
	}
	if compared > 0 {
		d.Share = float64(d.Pixels) / float64(compared)
	}
	all := regions(cells, columns, rows)
	d.Regions = all[:min(len(all), mostRegions)]
	for i := range d.Regions {
		r := &d.Regions[i]
		if r.Element = elementAt(after.Elements, r.Box); r.Element == "" {
			r.Element = elementAt(before.Elements, r.Box)
		}
	}
	return d
}

// samePixel compares a pixel; one that a picture lacks is another than any.
func samePixel(a, b *Picture, x, y int) bool {
	inA, inB := x < a.Width && y < a.Height, x < b.Width && y < b.Height
	if !inA || !inB {
		return inA == inB
	}
	i, k := (y*a.Width+x)*4, (y*b.Width+x)*4
	return a.Pixels[i] == b.Pixels[k] && a.Pixels[i+1] == b.Pixels[k+1] && a.Pixels[i+2] == b.Pixels[k+2]
}

// leaveOut notes where two pictures of one side differ: all of each region, and a little around it.
func leaveOut(still []bool, w, h int, a, b *Picture) {
	columns, rows := (w+cell-1)/cell, (h+cell-1)/cell
	cells := make([]tally, columns*rows)
	for y := range h {
		for x := range w {
			if !samePixel(a, b, x, y) {
				cells[y/cell*columns+x/cell].add(x, y)
			}
		}
	}
	for _, r := range regions(cells, columns, rows) {
		for y := max(r.Y-margin, 0); y < min(r.Y+r.Height+margin, h); y++ {
			for x := max(r.X-margin, 0); x < min(r.X+r.Width+margin, w); x++ {
				still[y*w+x] = false
			}
		}
	}
}

// tally is what differs in one cell.
type tally struct{ n, x0, y0, x1, y1 int }

func (t *tally) add(x, y int) {
	if t.n == 0 {
		t.x0, t.y0, t.x1, t.y1 = x, y, x, y
	}
	t.n++
	t.x0, t.y0, t.x1, t.y1 = min(t.x0, x), min(t.y0, y), max(t.x1, x), max(t.y1, y)
}

// regions joins cells that touch, the largest region first.
func regions(cells []tally, columns, rows int) []Region {
	out := []Region{}
	seen := make([]bool, len(cells))
	for start := range cells {
		if cells[start].n == 0 || seen[start] {
			continue
		}
		all := tally{x0: 1 << 30, y0: 1 << 30, x1: -1, y1: -1}
		queue := []int{start}
		seen[start] = true
		for len(queue) > 0 {
			i := queue[len(queue)-1]
			queue = queue[:len(queue)-1]
			c := cells[i]
			all.n += c.n
			all.x0, all.y0, all.x1, all.y1 = min(all.x0, c.x0), min(all.y0, c.y0), max(all.x1, c.x1), max(all.y1, c.y1)
			for dy := -1; dy <= 1; dy++ {
				for dx := -1; dx <= 1; dx++ {
					x, y := i%columns+dx, i/columns+dy
					if k := y*columns + x; x >= 0 && x < columns && y >= 0 && y < rows && cells[k].n > 0 && !seen[k] {
						seen[k] = true
						queue = append(queue, k)
					}
				}
			}
		}
		out = append(out, Region{Box: Box{all.x0, all.y0, all.x1 - all.x0 + 1, all.y1 - all.y0 + 1}, Pixels: all.n})
	}
	slices.SortStableFunc(out, func(a, b Region) int { return cmp.Compare(b.Pixels, a.Pixels) })
	return out
}

// elementAt is the smallest element that holds a box; "" for none.
func elementAt(elements []Element, b Box) (name string) {
	least := 0
	for _, e := range elements {
		if e.X <= b.X && e.Y <= b.Y && e.X+e.Width >= b.X+b.Width && e.Y+e.Height >= b.Y+b.Height {
			if size := e.Width * e.Height; name == "" || size <= least {
				name, least = e.Name, size
			}
		}
	}
	return name
}
