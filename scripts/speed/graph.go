package main

import (
	"fmt"
	"html/template"
	"log"
	"maps"
	"math"
	"os"
	"path/filepath"
	"slices"

	"yellowgate/internal/samplegates"
)

// Graphs of what commands cost, against the number of pages and of items.

// A curve is what one command costs, in seconds of CPU, at each number.
type curve struct {
	Name string
	At   map[int]float64
}

// graphs measures both on small pages, and writes pages.svg and items.svg into a folder.
func graphs(dir string, most int) {
	works := []string{"survey", "check", "apply", "audit"}
	measure := func(curves []curve, b *bench, at int) {
		for i, work := range works {
			args := b.yg(work)
			switch work {
			case "survey":
				args = b.yg(work, "site")
			case "audit":
				args = b.yg(work, "--no-cache")
			}
			curves[i].At[at] = b.typical(args, func() {
				if work == "apply" {
					check(os.RemoveAll(b.path("public")))
					check(os.RemoveAll(b.path(".yellowgate")))
				}
			}).Seconds()
			log.Print(at, " ", work, " ", curves[i].At[at])
		}
	}
	fresh := func() (curves []curve) {
		for _, work := range works {
			curves = append(curves, curve{work, map[int]float64{}})
		}
		return curves
	}
	*small = true
	site := func(pages int) *bench {
		root, err := os.MkdirTemp("", "yellowgate-graph")
		check(err)
		build(root, pages)
		return newBench(root)
	}
	ofPages := fresh()
	for n := 1000; n <= most; n *= 10 {
		b := site(n)
		measure(ofPages, b, n)
		check(os.RemoveAll(b.root))
	}
	ofItems := fresh()
	b := site(1000)
	// The demo's own pages have spots of its items.
	check(os.Rename(b.path("site/bulk"), b.path("bulk")))
	check(os.RemoveAll(b.path("site")))
	check(os.Rename(b.path("bulk"), b.path("site")))
	for _, n := range []int{1, 5, 25, 200} {
		check(os.WriteFile(b.path("yellowgate.yaml"), []byte(samplegates.Mixed(n)), 0o644))
		measure(ofItems, b, n)
	}
	check(os.RemoveAll(b.root))
	draw(filepath.Join(dir, "speed-pages.svg"), "pages, with the demo's gate file", ofPages)
	draw(filepath.Join(dir, "speed-items.svg"), "items of every kind, each on most of 1,000 small pages", ofItems)
}

// draw writes curves on two logarithmic scales.
func draw(name, axis string, curves []curve) {
	const wide, high = 460.0, 260.0
	left, right, low, top := math.Inf(1), 0.0, math.Inf(1), 0.0
	for _, c := range curves {
		for n, s := range c.At {
			left, right = min(left, math.Log10(float64(n))), max(right, math.Log10(float64(n)))
			low, top = min(low, math.Floor(math.Log10(s))), max(top, math.Ceil(math.Log10(s)))
		}
	}
	x := func(n int) float64 { return (math.Log10(float64(n)) - left) / (right - left) * wide }
	y := func(s float64) float64 { return high - (math.Log10(s)-low)/(top-low)*high }
	type text struct {
		X, Y        float64
		Anchor, Say string
	}
	var d struct {
		Axis  string
		Grid  []string
		Lines []struct{ D, Colour string }
		Texts []text
	}
	d.Axis = axis
	for v := low; v <= top; v++ {
		at := y(math.Pow(10, v))
		d.Grid = append(d.Grid, fmt.Sprintf("M0,%.1fH%.0f", at, wide))
		d.Texts = append(d.Texts, text{-6, at + 4, "end", fmt.Sprintf("%g s", math.Pow(10, v))})
	}
	for n := range curves[0].At {
		d.Grid = append(d.Grid, fmt.Sprintf("M%.1f,0V%.0f", x(n), high))
		d.Texts = append(d.Texts, text{x(n), high + 16, "middle", fmt.Sprint(n)})
	}
	d.Texts = append(d.Texts, text{wide / 2, high + 34, "middle", axis})
	for i, c := range curves {
		path, last := "", 0
		for _, n := range slices.Sorted(maps.Keys(c.At)) {
			path += fmt.Sprintf("%c%.1f,%.1f", "ML"[min(len(path), 1)], x(n), y(c.At[n]))
			last = n
		}
		d.Lines = append(d.Lines, struct{ D, Colour string }{path, []string{"#3b5fa8", "#2c6e3f", "#b8860b", "#b3261e"}[i]})
		d.Texts = append(d.Texts, text{x(last) + 6, y(c.At[last]) + 4, "start", c.Name})
	}
	f, err := os.Create(name)
	check(err)
	check(graphPage.Execute(f, d))
	check(f.Close())
}

var graphPage = template.Must(template.New("").Parse(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="-60 -16 600 320" width="900" role="img" aria-label="Seconds of CPU against {{.Axis}}">
<rect x="-60" y="-16" width="600" height="320" fill="#fbfaf5"/>
{{range .Grid}}<path d="{{.}}" fill="none" stroke="#dcd8c8"/>
{{end}}{{range .Lines}}<path d="{{.D}}" fill="none" stroke="{{.Colour}}" stroke-width="2"/>
{{end}}<g font-family="system-ui,sans-serif" font-size="12" fill="#1c1d26">
{{range .Texts}}<text x="{{.X}}" y="{{.Y}}" text-anchor="{{.Anchor}}">{{.Say}}</text>
{{end}}</g></svg>
`),
)
