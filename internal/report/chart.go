package report

import (
	"html/template"
	"image/color"
	"slices"

	"gonum.org/v1/plot"
	"gonum.org/v1/plot/font"
	"gonum.org/v1/plot/plotter"
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"

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

// Colours stand for those of the page: see pageColours in canvas.go.
var (
	inkColour  = color.RGBA{1, 2, 3, 255}
	barColour  = color.RGBA{4, 5, 6, 255}
	wasColour  = color.RGBA{7, 8, 9, 255}
	lineColour = color.RGBA{10, 11, 12, 255}
)

var chartFont = font.Font{Typeface: "Liberation", Variant: "Sans", Size: 9}

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

// svg draws a plot for the page it will stand in.
func svg(p *plot.Plot, width, height vg.Length, label string) template.HTML {
	c := &pageCanvas{width: width, height: height}
	vg.Initialize(c)
	p.Draw(draw.New(c))
	return template.HTML(`<div class="scroll">` + c.element(label) + `</div>`)
}
