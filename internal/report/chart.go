package report

import (
	"bytes"
	"fmt"
	"html"
	"html/template"
	"image/color"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"gonum.org/v1/plot"
	"gonum.org/v1/plot/font"
	"gonum.org/v1/plot/plotter"
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"
	"gonum.org/v1/plot/vg/vgsvg"

	"yellowgate/internal/core/wording"
)

// The charts of the audit as a page: what weighs, by item and by page, as SVG that
// stands in the page and takes its colours.

// A weighed is one bar: a name and its bytes, and those before where two audits are
// compared.
type weighed struct {
	name       string
	bytes, was int
}

// Colours that are written into the drawing, to be replaced by the page's own.
var (
	inkColour  = color.RGBA{1, 2, 3, 255}
	barColour  = color.RGBA{4, 5, 6, 255}
	wasColour  = color.RGBA{7, 8, 9, 255}
	lineColour = color.RGBA{10, 11, 12, 255}
)

var pageColours = strings.NewReplacer("#010203", "currentColor", "#040506", "var(--bar)", "#070809", "var(--was)", "#0A0B0C", "var(--line)", "#0a0b0c", "var(--line)")

var (
	chartFont = font.Font{Typeface: "Liberation", Variant: "Sans", Size: 9}
	fontStyle = regexp.MustCompile(`font-family:[^;"]*;font-variant:[^;"]*;font-weight:[^;"]*;font-style:[^;"]*`)
	xmlHead   = regexp.MustCompile(`(?s)^.*?<svg[^>]*>`)
)

// bars draws the heaviest of a list as horizontal bars, label says what they are.
// compared says that each has a bar for before, too.
func bars(list []weighed, label string, compared bool) template.HTML {
	const most = 14
	list = slices.Clone(list)
	slices.SortStableFunc(list, func(a, b weighed) int { return max(b.bytes, b.was) - max(a.bytes, a.was) })
	list = list[:min(len(list), most)]
	slices.Reverse(list) // the heaviest on top
	names := make([]string, len(list))
	is, was := make(plotter.Values, len(list)), make(plotter.Values, len(list))
	for i, w := range list {
		r := []rune(Clean(w.name))
		if len(r) > 38 {
			r = append([]rune("…"), r[len(r)-37:]...)
		}
		names[i], is[i], was[i] = string(r), float64(w.bytes), float64(w.was)
	}
	p := chartPlot()
	thick := vg.Points(9)
	add := func(v plotter.Values, c color.Color, offset vg.Length) error {
		b, err := plotter.NewBarChart(v, thick)
		if err != nil {
			return err
		}
		b.Horizontal, b.Color, b.LineStyle.Width, b.Offset = true, c, 0, offset
		p.Add(b)
		return nil
	}
	line := vg.Points(17)
	var err error
	if compared {
		thick, line = vg.Points(6), vg.Points(20)
		err = add(was, wasColour, vg.Points(3.5))
		if err == nil {
			err = add(is, barColour, vg.Points(-3.5))
		}
	} else {
		err = add(is, barColour, 0)
	}
	if err != nil || len(list) == 0 {
		return `<p class="soft">The pages load nothing whose weight is known.</p>`
	}
	p.NominalY(names...)
	p.Y.Tick.Length, p.Y.LineStyle.Width = 0, 0
	p.X.Min = 0
	p.X.Tick.Marker = byteTicks{}
	return svg(p, vg.Points(640), vg.Points(34)+line*vg.Length(len(list)), label)
}

// ranks draws all pages from the heaviest to the lightest as a line.
func ranks(list []weighed, label string, compared bool) template.HTML {
	p := chartPlot()
	curve := func(value func(weighed) int, c color.Color, width vg.Length) error {
		v := make([]int, len(list))
		for i, w := range list {
			v[i] = value(w)
		}
		slices.SortFunc(v, func(a, b int) int { return b - a })
		xy := make(plotter.XYs, len(v))
		for i := range v {
			xy[i].X, xy[i].Y = float64(i+1), float64(v[i])
		}
		l, err := plotter.NewLine(xy)
		if err != nil {
			return err
		}
		l.StepStyle, l.Color, l.Width = plotter.MidStep, c, width
		p.Add(l)
		return nil
	}
	if compared {
		if curve(func(w weighed) int { return w.was }, wasColour, vg.Points(1.5)) != nil {
			return ""
		}
	}
	if len(list) == 0 || curve(func(w weighed) int { return w.bytes }, barColour, vg.Points(2)) != nil {
		return ""
	}
	p.X.Label.Text, p.X.Label.TextStyle.Font, p.X.Label.TextStyle.Color = "pages, the heaviest first", chartFont, inkColour
	p.Y.Min = 0
	p.Y.Tick.Marker = byteTicks{}
	return svg(p, vg.Points(640), vg.Points(170), label)
}

func chartPlot() *plot.Plot {
	p := plot.New()
	p.BackgroundColor = color.Transparent
	for _, a := range []*plot.Axis{&p.X, &p.Y} {
		a.Color, a.Tick.Color, a.Tick.Label.Color = lineColour, lineColour, inkColour
		a.Tick.Label.Font = chartFont
		a.Padding = vg.Points(2)
	}
	grid := plotter.NewGrid()
	grid.Vertical.Color, grid.Horizontal.Color = lineColour, lineColour
	grid.Vertical.Dashes, grid.Horizontal.Dashes = nil, nil
	p.Add(grid)
	return p
}

// byteTicks marks an axis of bytes.
type byteTicks struct{}

// Ticks implements plot.Ticker.
func (byteTicks) Ticks(low, high float64) []plot.Tick {
	ticks := plot.DefaultTicks{}.Ticks(low, high)
	for i := range ticks {
		switch {
		case ticks[i].Label == "":
		case ticks[i].Value == 0:
			ticks[i].Label = "0"
		default:
			ticks[i].Label = wording.Size(int64(ticks[i].Value))
		}
	}
	return slices.DeleteFunc(ticks, func(t plot.Tick) bool { return t.Label == "" })
}

// textElement is a text of the drawing: x, y, and what it says.
var textElement = regexp.MustCompile(`<text x="([^"]*)" y="([^"]*)"([^>]*style="[^"]*)">([^<]*)</text>`)

// anchored ties texts to the side of theirs that matters, since the page's font is
// not the one that they were measured with: those beside an axis to their end, those
// in a row below one to their middle.
func anchored(s string) string {
	face := font.DefaultCache.Lookup(chartFont, chartFont.Size)
	inRow := map[string]int{}
	for _, m := range textElement.FindAllStringSubmatch(s, -1) {
		inRow[m[2]]++
	}
	return textElement.ReplaceAllStringFunc(s, func(el string) string {
		m := textElement.FindStringSubmatch(el)
		x, err := strconv.ParseFloat(m[1], 64)
		if err != nil {
			return el
		}
		width, anchor := face.Width(html.UnescapeString(m[4])).Points(), "end"
		if inRow[m[2]] > 1 {
			width, anchor = width/2, "middle"
		}
		return fmt.Sprintf(`<text x="%.1f" y="%s"%s;text-anchor:%s">%s</text>`, x+width, m[2], m[3], anchor, m[4])
	})
}

// svg draws a plot for the page it will stand in. The library escapes texts.
func svg(p *plot.Plot, width, height vg.Length, label string) template.HTML {
	const margin = 36.0 // for names in a font that is wider than the one they were measured with
	c := vgsvg.New(width, height)
	p.Draw(draw.New(c))
	var b bytes.Buffer
	if _, err := c.WriteTo(&b); err != nil {
		return ""
	}
	s := fontStyle.ReplaceAllString(pageColours.Replace(b.String()), "font-family:system-ui,sans-serif")
	s = anchored(s)
	s = xmlHead.ReplaceAllString(s, fmt.Sprintf(`<svg role="img" aria-label="%s" viewBox="%.0f 0 %.0f %.0f" width="100%%" style="max-width: 58rem; min-width: 34rem">`,
		template.HTMLEscapeString(label), -margin, width.Points()+margin+8, height.Points()))
	return template.HTML(`<div class="scroll">` + s + `</div>`)
}
