package report

import (
	"fmt"
	"html"
	"image"
	"image/color"
	"math"
	"strings"

	"gonum.org/v1/plot/font"
	"gonum.org/v1/plot/vg"
)

// A pageCanvas is a canvas of the plot library that draws SVG for a page: in the page's colours,
// by the names of its custom properties, and in its font.
type pageCanvas struct {
	width, height vg.Length
	now           pen
	stack         []pen
	shapes        []string
	texts         []chartText
}

// pen is how something is drawn, and from where.
type pen struct {
	colour color.Color
	width  vg.Length
	dashes []vg.Length
	from   vg.Point
}

// A chartText is a text of the drawing, as it was measured.
type chartText struct {
	x, y, width float64
	colour, say string
}

// pageColours are the page's own for those that are drawn with.
var pageColours = map[color.Color]string{inkColour: "currentColor", barColour: "var(--bar)", wasColour: "var(--was)", lineColour: "var(--line)", color.Transparent: "none"}

func (c *pageCanvas) Size() (w, h vg.Length)                 { return c.width, c.height }
func (c *pageCanvas) SetLineWidth(w vg.Length)               { c.now.width = w }
func (c *pageCanvas) SetLineDash(d []vg.Length, _ vg.Length) { c.now.dashes = d }
func (c *pageCanvas) SetColor(x color.Color)                 { c.now.colour = x }
func (c *pageCanvas) Push()                                  { c.stack = append(c.stack, c.now) }
func (c *pageCanvas) Translate(p vg.Point)                   { c.now.from = c.now.from.Add(p) }

func (c *pageCanvas) Pop() {
	c.now = c.stack[len(c.stack)-1]
	c.stack = c.stack[:len(c.stack)-1]
}

// The charts neither turn nor stretch anything, and have no pictures.
func (c *pageCanvas) Rotate(float64)                      {}
func (c *pageCanvas) Scale(_, _ float64)                  {}
func (c *pageCanvas) DrawImage(vg.Rectangle, image.Image) {}

// colourOf is a colour by its name on the page.
func (c *pageCanvas) colourOf() string {
	if name, ok := pageColours[c.now.colour]; ok {
		return name
	}
	return "currentColor"
}

// at is a point in the drawing, whose y goes down.
func (c *pageCanvas) at(p vg.Point) (x, y float64) {
	p = c.now.from.Add(p)
	return p.X.Points(), (c.height - p.Y).Points()
}

// Stroke implements vg.Canvas.
func (c *pageCanvas) Stroke(path vg.Path) {
	if c.now.width <= 0 {
		return
	}
	dashes := ""
	for i, d := range c.now.dashes {
		if i == 0 {
			dashes = ";stroke-dasharray:"
		} else {
			dashes += ","
		}
		dashes += fmt.Sprintf("%.4g", d.Points())
	}
	c.shapes = append(c.shapes, fmt.Sprintf(`<path d="%s" style="fill:none;stroke:%s;stroke-width:%.4g%s"/>`, c.data(path), c.colourOf(), c.now.width.Points(), dashes))
}

// Fill implements vg.Canvas.
func (c *pageCanvas) Fill(path vg.Path) {
	if colour := c.colourOf(); colour != "none" {
		c.shapes = append(c.shapes, fmt.Sprintf(`<path d="%s" style="fill:%s"/>`, c.data(path), colour))
	}
}

// data is a path as SVG 2, 9.3 writes it. Arcs become lines: the charts have none that shows.
func (c *pageCanvas) data(path vg.Path) string {
	var b strings.Builder
	for _, part := range path {
		x, y := c.at(part.Pos)
		switch part.Type {
		case vg.MoveComp:
			fmt.Fprintf(&b, "M%.5g,%.5g", x, y)
		case vg.LineComp:
			fmt.Fprintf(&b, "L%.5g,%.5g", x, y)
		case vg.ArcComp:
			end := part.Start + part.Angle
			x, y = c.at(vg.Point{X: part.Pos.X + part.Radius*vg.Length(math.Cos(end)), Y: part.Pos.Y + part.Radius*vg.Length(math.Sin(end))})
			fmt.Fprintf(&b, "L%.5g,%.5g", x, y)
		case vg.CloseComp:
			b.WriteString("Z")
		}
	}
	return b.String()
}

// FillString implements vg.Canvas.
func (c *pageCanvas) FillString(f font.Face, p vg.Point, text string) {
	x, y := c.at(p)
	c.texts = append(c.texts, chartText{x, y, f.Width(text).Points(), c.colourOf(), text})
}

// element is the drawing as an element of a page; label says what it shows. Texts are tied to the
// side of theirs that matters, since the page's font is not the one that they were measured with:
// those beside an axis to their end, those in a row below one to their middle.
func (c *pageCanvas) element(label string) string {
	const margin = 36.0 // for names in a font that is wider than the one they were measured with
	inRow := map[float64]int{}
	for _, t := range c.texts {
		inRow[t.y]++
	}
	var b strings.Builder
	fmt.Fprintf(&b, `<svg role="img" aria-label="%s" viewBox="%.0f 0 %.0f %.0f" width="100%%" style="max-width: 58rem; min-width: 34rem">`+"\n",
		html.EscapeString(label), -margin, c.width.Points()+margin+8, c.height.Points())
	for _, s := range c.shapes {
		b.WriteString(s + "\n")
	}
	for _, t := range c.texts {
		x, anchor := t.x+t.width, "end"
		if inRow[t.y] > 1 {
			x, anchor = t.x+t.width/2, "middle"
		}
		fmt.Fprintf(&b, `<text x="%.1f" y="%.1f" style="font-family:system-ui,sans-serif;font-size:%.4gpx;fill:%s;text-anchor:%s">%s</text>`+"\n", x, t.y, chartFont.Size.Points(), t.colour, anchor, html.EscapeString(t.say))
	}
	b.WriteString("</svg>")
	return b.String()
}
