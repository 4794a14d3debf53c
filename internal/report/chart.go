package report

import (
	_ "embed"
	"fmt"
	"html/template"
	"math"
	"slices"
	"strings"

	"yellowgate/internal/core/wording"
)

// The charts of the audit as a page: what weighs, by item and by page, as SVG that
// stands in the page and takes its colours and its font.

//go:embed chart.svg
var chartPage string

var chartTemplate = lazily("chart", &chartPage)

// A weighed is one bar: a name and its bytes, and those before where two audits are
// compared.
type weighed struct {
	name       string
	bytes, was int
}

// A chart is a drawing in units of which its field is plotWide wide, with the field's left
// edge at 0.
type chart struct {
	Label               string
	Left, Width, Height int
	Grid                []string // lines, as path data (SVG 2, 9.3)
	Bars, Curves        []chartShape
	Texts               []chartText
}

// A chartShape is path data; Before says that it shows what was.
type chartShape struct {
	D      string
	Before bool
}

type chartText struct {
	X, Y        float64
	Anchor, Say string
}

const (
	plotWide = 460.0
	nameWide = 200 // room for the names of bars, in whatever font the page has
)

func (c *chart) html() template.HTML {
	var b strings.Builder
	if err := chartTemplate().Execute(&b, c); err != nil {
		return ""
	}
	return template.HTML(b.String())
}

func (c *chart) text(x, y float64, anchor, say string) {
	c.Texts = append(c.Texts, chartText{x, y, anchor, say})
}

// ticks are the values at which an axis from 0 to most is marked: whole steps of 1, 2 or 5, at most
// seven of them.
func ticks(most float64) (list []float64) {
	step := math.Pow(10, math.Floor(math.Log10(max(most, 1))))
	for _, part := range []float64{.2, .5, 1} {
		if most/(step*part) <= 6 {
			step *= part
			break
		}
	}
	for v := 0.0; v <= most; v += max(step, 1) {
		list = append(list, v)
	}
	return list
}

func tickName(v float64) string {
	if v == 0 {
		return "0"
	}
	return wording.Size(int64(v))
}

// bars draws the heaviest of a list as horizontal bars, label says what they are.
// compared says that each has a bar for before, too.
func bars(list []weighed, label string, compared bool) template.HTML {
	const most = 14
	list = slices.Clone(list)
	slices.SortStableFunc(list, func(a, b weighed) int { return max(b.bytes, b.was) - max(a.bytes, a.was) })
	list = list[:min(len(list), most)]
	if len(list) == 0 {
		return `<p class="soft">The pages load nothing whose weight is known.</p>`
	}
	heaviest := float64(max(list[0].bytes, list[0].was, 1))
	line, thick := 17, 9.0
	if compared {
		line, thick = 20, 6.0
	}
	bottom := 8 + line*len(list)
	c := &chart{Label: label, Left: -nameWide, Width: nameWide + int(plotWide) + 30, Height: bottom + 20}
	for _, v := range ticks(heaviest) {
		x := v / heaviest * plotWide
		c.Grid = append(c.Grid, fmt.Sprintf("M%.1f,4V%d", x, bottom))
		c.text(x, float64(bottom+12), "middle", tickName(v))
	}
	for i, w := range list {
		middle := float64(8 + line*i + line/2)
		c.text(-6, middle+3, "end", shortName(w.name))
		bar := func(bytes int, top float64, before bool) {
			c.Bars = append(c.Bars,
				chartShape{fmt.Sprintf("M0,%.1fh%.1fv%.1fH0Z", top, float64(bytes)/heaviest*plotWide, thick), before})
		}
		if compared {
			bar(w.was, middle-thick-.5, true)
			bar(w.bytes, middle+.5, false)
		} else {
			bar(w.bytes, middle-thick/2, false)
		}
	}
	return c.html()
}

// shortName is a name that has room before its bar: the end of it, which tells files apart.
func shortName(name string) string {
	r := []rune(Clean(name))
	if len(r) > 38 {
		r = append([]rune("…"), r[len(r)-37:]...)
	}
	return string(r)
}

// ranks draws all pages from the heaviest to the lightest as a line.
func ranks(list []weighed, label string, compared bool) template.HTML {
	if len(list) == 0 {
		return ""
	}
	const bottom = 150.0
	is, was := make([]int, len(list)), make([]int, len(list))
	for i, w := range list {
		is[i], was[i] = w.bytes, w.was
	}
	falling := func(a, b int) int { return b - a }
	slices.SortFunc(is, falling)
	slices.SortFunc(was, falling)
	heaviest := float64(max(is[0], 1))
	if compared {
		heaviest = max(heaviest, float64(was[0]))
	}
	c := &chart{Label: label, Left: -50, Width: 50 + int(plotWide) + 30, Height: int(bottom) + 34}
	for _, v := range ticks(heaviest) {
		y := bottom - v/heaviest*(bottom-8)
		c.Grid = append(c.Grid, fmt.Sprintf("M0,%.1fH%.0f", y, plotWide))
		c.text(-5, y+3, "end", tickName(v))
	}
	for _, v := range ticks(float64(len(list))) {
		if v > 0 {
			c.text((v-.5)/float64(len(list))*plotWide, bottom+12, "middle", fmt.Sprint(v))
		}
	}
	c.text(plotWide/2, bottom+26, "middle", "pages, the heaviest first")
	curve := func(v []int, before bool) {
		// A step a page, or one for as many as half a unit holds: a chart of a million is no larger.
		var d strings.Builder
		each := max(1, len(v)/int(2*plotWide))
		for i := 0; i < len(v); i += each {
			to := "V"
			if i == 0 {
				to = "M0,"
			}
			fmt.Fprintf(&d, "%s%.1fH%.1f", to, bottom-float64(v[i])/heaviest*(bottom-8),
				float64(min(i+each, len(v)))/float64(len(v))*plotWide)
		}
		c.Curves = append(c.Curves, chartShape{d.String(), before})
	}
	if compared {
		curve(was, true)
	}
	curve(is, false)
	return c.html()
}
