// Package visualdiff holds pictures of a page against each other, pixel by pixel: does it look the same, and
// if not, where does it not, and in which element does that lie? What moves by itself is learned from
// two pictures of the same side, and left out.
package visualdiff

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
	Elements      []ElementBox
}

// Band is how many pixels of a page's height one picture of it has; of a taller page there are several.
const Band = 4000

// mostDrawn is how many bands of a page are drawn for people.
const mostDrawn = 2

// A Shot is a page as it was taken: its bands from the top, each as PNG, which is a tenth of the pixels
// and less.
type Shot struct {
	Bands    [][]byte
	Elements []ElementBox
	Unseen   int // pixels of height below the last band
	Scrolled []ScrolledPart
}

// A ScrolledPart is what an element that scrolls within the page shows once it is scrolled.
type ScrolledPart struct {
	Of     ElementBox
	X, Y   int    // how far it is scrolled, in pixels
	Shot   []byte // as PNG
	Hidden []Box  // what is masked, in the picture
}

// Picture reads the first bands, for drawing.
func (s *Shot) Picture() (*Picture, error) {
	all := &Picture{Elements: s.Elements}
	for k := range min(len(s.Bands), mostDrawn) {
		p, err := piece{s.Bands[k], s.Elements}.pixels(k * Band)
		if err != nil {
			return nil, err
		}
		if all.Width == 0 || all.Width == p.Width {
			all.Width, all.Height, all.Pixels = p.Width, all.Height+p.Height, append(all.Pixels, p.Pixels...)
		}
	}
	return all, nil
}

// pixels reads a piece, with the elements where they are in one that begins at a height of the page. One that there is
// not has none.
func (p piece) pixels(from int) (*Picture, error) {
	if p.png == nil {
		return &Picture{}, nil
	}
	img, err := png.Decode(bytes.NewReader(p.png))
	if err != nil {
		return nil, errors.New("the browser's picture cannot be read: " + err.Error())
	}
	size := img.Bounds().Size()
	out := &Picture{Width: size.X, Height: size.Y, Elements: slices.Clone(p.elements)}
	for i := range out.Elements {
		out.Elements[i].Y -= from
	}
	if all, ok := img.(*image.RGBA); ok && all.Stride == 4*size.X {
		out.Pixels = all.Pix // nothing shines through a page
		return out, nil
	}
	flat := image.NewNRGBA(image.Rectangle{Max: size})
	draw.Draw(flat, flat.Bounds(), img, img.Bounds().Min, draw.Src)
	out.Pixels = flat.Pix
	return out, nil
}

// CompareShots holds the shots of two sides against each other, each with a second one of the same side;
// see Compare. Of bands that are alike to the byte no pixel is read. Scrolled parts are held against those of the same
// element, as often as both sides have one of its name, scrolled as far.
func CompareShots(before, after, beforeAgain, afterAgain *Shot, masks []Box) (*Difference, error) {
	shots := []*Shot{before, after, beforeAgain, afterAgain}
	bands := 0
	for _, s := range shots {
		bands = max(bands, len(s.Bands))
	}
	all := &Difference{Regions: []Region{}, Unseen: max(before.Unseen, after.Unseen)}
	for k := range bands {
		var pieces [4]piece
		for i, s := range shots {
			pieces[i].elements = s.Elements
			if k < len(s.Bands) {
				pieces[i].png = s.Bands[k]
			}
		}
		var hidden []Box
		for _, m := range masks {
			if m.Y -= k * Band; m.Y < Band && m.Y+m.Height > 0 {
				hidden = append(hidden, m)
			}
		}
		if err := all.add(pieces, hidden, Box{Y: k * Band}, ""); err != nil {
			return nil, err
		}
	}
	for _, parts := range together(shots) {
		var pieces [4]piece
		var hidden []Box
		for i, p := range parts {
			pieces[i].png, hidden = p.Shot, append(hidden, p.Hidden...)
		}
		if err := all.add(pieces, hidden, parts[0].Of.Box, parts[0].Of.Name); err != nil {
			return nil, err
		}
	}
	if all.Pixels > 0 {
		all.Share = float64(all.Pixels) / float64(all.compared)
	}
	slices.SortStableFunc(all.Regions, func(a, b Region) int { return cmp.Compare(b.Pixels, a.Pixels) })
	all.Regions = all.Regions[:min(len(all.Regions), mostRegions)]
	return all, nil
}

// together are the scrolled parts that all shots have.
func together(shots []*Shot) (out [][]*ScrolledPart) {
	type which struct {
		name        string
		x, y, again int
	}
	index := func(s *Shot) map[which]*ScrolledPart {
		parts := map[which]*ScrolledPart{}
		for i := range s.Scrolled {
			p := &s.Scrolled[i]
			w := which{p.Of.Name, p.X, p.Y, 0}
			for parts[w] != nil {
				w.again++
			}
			parts[w] = p
		}
		return parts
	}
	var by []map[which]*ScrolledPart
	for _, s := range shots {
		by = append(by, index(s))
	}
	seen := map[which]int{}
	for i := range shots[0].Scrolled {
		p := &shots[0].Scrolled[i]
		w := which{p.Of.Name, p.X, p.Y, 0}
		w.again, seen[w] = seen[w], seen[w]+1
		var parts []*ScrolledPart
		for k := range shots {
			if q := by[k][w]; q != nil {
				parts = append(parts, q)
			}
		}
		if len(parts) == len(shots) {
			out = append(out, parts)
		}
	}
	return out
}

// A piece is a part of a page's picture.
type piece struct {
	png      []byte // nil for none
	elements []ElementBox
}

// add holds the same piece of two sides, each with its second picture, against each other. at is where the piece is on
// the page, and scrolled the element that it shows; "" for the page itself.
func (d *Difference) add(pieces [4]piece, hidden []Box, at Box, scrolled string) error {
	alike := func(a, b int) bool { return bytes.Equal(pieces[a].png, pieces[b].png) }
	if alike(0, 1) && alike(0, 2) && alike(1, 3) && len(hidden) == 0 {
		if size, err := png.DecodeConfig(bytes.NewReader(pieces[0].png)); err == nil {
			d.compared += size.Width * size.Height
		}
		return nil
	}
	var read [4]*Picture
	for i := range pieces {
		if i >= 2 && alike(i, i-2) {
			continue // nothing moves
		}
		var err error
		if read[i], err = pieces[i].pixels(at.Y); err != nil {
			return err
		}
	}
	of := Compare(read[0], read[1], read[2], read[3], hidden)
	d.Pixels, d.Moving, d.compared = d.Pixels+of.Pixels, d.Moving+of.Moving, d.compared+of.compared
	for _, r := range of.Regions {
		r.X, r.Y = r.X+at.X, r.Y+at.Y
		if scrolled != "" {
			r.Element = scrolled + ", scrolled"
			r.Begins = r.Element
		}
		d.Regions = append(d.Regions, r)
	}
	return nil
}

// An ElementBox is where one is, in pixels of the picture; those that hold others come first.
type ElementBox struct {
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
	Pixels  int      `json:"pixels"`           // that differ
	Share   float64  `json:"share"`            // of those that were compared
	Moving  int      `json:"moving"`           // pixels that move by themselves, or are masked: not compared
	Unseen  int      `json:"unseen,omitempty"` // pixels of height, at the end, that were not looked at
	Regions []Region `json:"regions"`

	compared int // pixels
}

// A Region is one part that differs.
type Region struct {
	Box
	Pixels  int    `json:"pixels"`
	Element string `json:"element"` // the smallest in which it lies
	// Begins is the smallest element in which its uppermost part lies: where something above moves all
	// that is below, that is what changed.
	Begins string `json:"begins"`

	top Box // its uppermost part
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
	for y := range h {
		for x := range w {
			if !still[y*w+x] {
				d.Moving++
				continue
			}
			d.compared++
			if !samePixel(before, after, x, y) {
				d.Pixels++
				cells[y/cell*columns+x/cell].add(x, y)
			}
		}
	}
	if d.compared > 0 {
		d.Share = float64(d.Pixels) / float64(d.compared)
	}
	all := regions(cells, columns, rows)
	d.Regions = all[:min(len(all), mostRegions)]
	for i := range d.Regions {
		r := &d.Regions[i]
		r.Element, _ = elementAt(after.Elements, r.Box)
		if r.Element == "" {
			r.Element, _ = elementAt(before.Elements, r.Box)
		}
		was, wasSize := elementAt(before.Elements, r.top)
		is, isSize := elementAt(after.Elements, r.top)
		if r.Begins = is; is == "" || was != "" && wasSize < isSize {
			r.Begins = was
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

// grow takes in another.
func (t *tally) grow(o tally) {
	t.n += o.n
	t.x0, t.y0, t.x1, t.y1 = min(t.x0, o.x0), min(t.y0, o.y0), max(t.x1, o.x1), max(t.y1, o.y1)
}

func (t *tally) box() Box { return Box{t.x0, t.y0, t.x1 - t.x0 + 1, t.y1 - t.y0 + 1} }

// regions joins cells that touch, the largest region first.
func regions(cells []tally, columns, rows int) []Region {
	out := []Region{}
	seen := make([]bool, len(cells))
	for start := range cells {
		if cells[start].n == 0 || seen[start] {
			continue
		}
		all := tally{x0: 1 << 30, y0: 1 << 30, x1: -1, y1: -1}
		first := start / columns // the row of its uppermost cells: no cell above is of it
		top := all
		queue := []int{start}
		seen[start] = true
		for len(queue) > 0 {
			i := queue[len(queue)-1]
			queue = queue[:len(queue)-1]
			c := cells[i]
			all.grow(c)
			if i/columns == first {
				top.grow(c)
			}
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
		out = append(out, Region{Box: all.box(), Pixels: all.n, top: top.box()})
	}
	slices.SortStableFunc(out, func(a, b Region) int { return cmp.Compare(b.Pixels, a.Pixels) })
	return out
}

// elementAt is the smallest element that holds a box, and its size; "" for none. A box may reach over it
// by a pixel, as the outline of an element does.
func elementAt(elements []ElementBox, b Box) (name string, least int) {
	if b.Width > 4 && b.Height > 4 {
		b = Box{b.X + 1, b.Y + 1, b.Width - 2, b.Height - 2}
	}
	for _, e := range elements {
		if e.X <= b.X && e.Y <= b.Y && e.X+e.Width >= b.X+b.Width && e.Y+e.Height >= b.Y+b.Height {
			if size := e.Width * e.Height; name == "" || size <= least {
				name, least = e.Name, size
			}
		}
	}
	return name, least
}
