// Package visualcompare compares how the pages of two folders look in a browser, and what they request there.
package visualcompare

import (
	"bytes"
	"context"
	"image"
	"image/color"
	"image/draw"
	"image/jpeg"
	"slices"
	"strings"
	"sync"

	"yellowgate/internal/browser"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pageload"
	"yellowgate/internal/core/visualdiff"
	"yellowgate/internal/core/weburl"
	"yellowgate/internal/failure"
	"yellowgate/internal/parallel"
	"yellowgate/internal/project"
	"yellowgate/internal/result"
	"yellowgate/internal/site"
	"yellowgate/internal/visits"
)

// Options say how two sides are compared as visitors see them.
type Options struct {
	browser.Options
	Screens       []browser.Screen
	Before, After string // folders, or addresses of sites that run
	// Listed are folders with the pages of the two, where both are addresses of sites that run.
	Listed   [2]string
	Project  *project.Project
	Page     string   // one page alone; "" for all that both have
	Masks    []string // selectors of what is not looked at
	Runs     int      // visits of each side, taken in turn; at least 2
	Progress parallel.Progress
	// Picture, if set, gets the two pictures of each page that looks different, and the difference.
	Picture func(l *result.PageLook, before, after *visualdiff.Picture) error
}

// aSide is one of the two.
type aSide struct {
	*browser.Browser
	running string
	pages   []page.Page
}

// openSide starts a browser for a side.
func openSide(ctx context.Context, o *Options, name, listed string) (s *aSide, err error) {
	s = &aSide{}
	if strings.HasPrefix(name, "http://") || strings.HasPrefix(name, "https://") {
		if listed != "" {
			if s.pages, _, err = pagesIn(listed); err != nil {
				return nil, err
			}
		}
		s.running = weburl.OriginOf(name)
		o.Visit = []string{s.running}
		s.Browser, err = browser.Start(ctx, o.Options, nil)
		return s, err
	}
	var from *site.Folder
	if s.pages, from, err = pagesIn(name); err != nil {
		return nil, err
	}
	byKey := map[string]*page.Page{}
	for i := range s.pages {
		byKey[s.pages[i].Key()] = &s.pages[i]
	}
	address, base := "", ""
	if o.Project != nil {
		address, base = o.Project.Gate.File.Site.URL.Value, o.Project.Gate.Site.BasePath()
	}
	text := func(pg *page.Page) ([]byte, error) { return from.Read(pg.File) }
	s.Browser, err = browser.Start(ctx, o.Options, visits.Browsed(address, base, byKey, text, site.ReadOnce(from)))
	return s, err
}

// pagesIn lists the pages of a folder.
func pagesIn(dir string) ([]page.Page, *site.Folder, error) {
	from, err := site.OpenFolder(dir, true)
	if err != nil {
		return nil, nil, err
	}
	files, _, err := from.List(func(rel string, _ bool) bool { return site.Hidden(rel) })
	if err != nil {
		return nil, nil, err
	}
	return site.Told(site.PagesAnyway(files), from), from, nil
}

// at is how a side opens a page.
func (s *aSide) at(o *Options, path string) string {
	if s.running != "" {
		return s.running + page.URLPath(path)
	}
	if o.Project != nil {
		return o.Project.Gate.Site.BasePath() + path
	}
	return path
}

// Looks opens the pages of both sides in turn, and holds them against each other.
func Compare(ctx context.Context, o Options) (*result.Looks, error) {
	before, err := openSide(ctx, &o, o.Before, o.Listed[0])
	if err != nil {
		return nil, err
	}
	defer before.Close()
	o.Told = nil // once is enough
	after, err := openSide(ctx, &o, o.After, o.Listed[1])
	if err != nil {
		return nil, err
	}
	defer after.Close()
	paths := pathsOf(before, after)
	if o.Page != "" {
		paths = []string{page.Clean(o.Page)}
	}
	if len(paths) == 0 {
		return nil, &failure.Usage{
			Message: "the two have no page in common to be looked at",
			Remedy:  "name one: yellowgate compare BEFORE AFTER /visit/ --browser",
		}
	}
	l := &result.Looks{
		Pages:       []result.PageLook{},
		Came:        map[string][]string{},
		Went:        map[string][]string{},
		NewMistakes: map[string][]string{},
	}
	type looked struct {
		*result.PageLook
		before, after *pageload.Record // the first of each side; nil where a page was not read
	}
	screens := len(o.Screens)
	err = parallel.InOrderBy(ctx, o.AtATime(), len(paths)*screens, func(i int) (p looked, err error) {
		p.PageLook, p.before, p.after, err = lookAt(&o, before, after, paths[i/screens], o.Screens[i%screens])
		return p, err
	}, func(i int, p looked) error {
		l.Pages = append(l.Pages, *p.PageLook)
		if p.before != nil {
			compareRequests(l, p.Path, p.before, p.after)
		}
		if o.Progress != nil && (i+1)%screens == 0 {
			o.Progress((i+1)/screens, len(paths))
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	return l, nil
}

// pathsOf are the pages that both sides have; those of one where the other runs.
func pathsOf(a, b *aSide) (paths []string) {
	if len(a.pages) == 0 {
		a, b = b, a
	}
	has := map[string]bool{}
	for i := range b.pages {
		has[b.pages[i].Key()] = true
	}
	for i := range a.pages {
		if len(b.pages) == 0 && b.running != "" || has[a.pages[i].Key()] {
			paths = append(paths, a.pages[i].Path)
		}
	}
	return paths
}

// comparing is held by whoever has the pixels of pictures: of a band they are 20 MB each.
var comparing sync.Mutex

// lookAt visits a page of both sides in turn.
func lookAt(o *Options, before, after *aSide, path string,
	screen browser.Screen) (p *result.PageLook, was, is *pageload.Record, err error) {
	p = &result.PageLook{Path: path, Screen: screen.String()}
	sides := []*aSide{before, after}
	var records [2][]*pageload.Record
	var shots [2][2]*visualdiff.Shot // the first two of each side
	var masks []visualdiff.Box
	for run := range max(o.Runs, 2) {
		for i, s := range sides {
			var r *pageload.Record
			if run < 2 {
				var hidden []visualdiff.Box
				r, shots[i][run], hidden = s.Look(s.at(o, path), screen, o.Masks)
				masks = append(masks, hidden...)
			} else {
				r = s.Visit(s.at(o, path), screen)
			}
			if r.Unread != "" {
				p.Unread = []string{"before: ", "after: "}[i] + r.Unread
				return p, nil, nil, nil
			}
			r.HTML, r.Nodes = nil, nil
			r.Requests = slices.DeleteFunc(r.Requests, func(x pageload.Request) bool { return x.Unasked() })
			records[i] = append(records[i], r)
		}
	}
	p.Measures = measuresOf(records[0], records[1])
	comparing.Lock()
	defer comparing.Unlock()
	p.Difference, err = visualdiff.CompareShots(shots[0][0], shots[1][0], shots[0][1], shots[1][1], masks)
	if err == nil && !p.Difference.Same() && o.Picture != nil {
		err = o.draw(p, shots[0][0], shots[1][0])
	}
	return p, records[0][0], records[1][0], err
}

// draw hands over the pictures of a page that looks different.
func (o *Options) draw(p *result.PageLook, before, after *visualdiff.Shot) error {
	was, err := before.Picture()
	if err != nil {
		return err
	}
	is, err := after.Picture()
	if err != nil {
		return err
	}
	return o.Picture(p, was, is)
}

// requests notes what one side alone asks for, and which exceptions are new.
func compareRequests(l *result.Looks, path string, before, after *pageload.Record) {
	set := func(r *pageload.Record) map[string]bool {
		out := map[string]bool{}
		for i := 1; i < len(r.Requests); i++ {
			out[withoutOrigin(r.Requests[i].URL, r.URL)] = true
		}
		return out
	}
	note := func(into map[string][]string, what string) {
		if !slices.Contains(into[what], path) {
			into[what] = append(into[what], path)
		}
	}
	was, is := set(before), set(after)
	for what := range is {
		if !was[what] {
			note(l.Came, what)
		}
	}
	for what := range was {
		if !is[what] {
			note(l.Went, what)
		}
	}
	known := map[string]bool{}
	for _, m := range before.Mistakes {
		known[m.Message] = true
	}
	for _, m := range after.Mistakes {
		if m.Kind == "exception" && !known[m.Message] {
			note(l.NewMistakes, m.Message)
		}
	}
}

// withoutOrigin is the path of what is the page's own, so that two sides at two addresses compare.
func withoutOrigin(raw, page string) string {
	if rest, own := strings.CutPrefix(raw, weburl.OriginOf(page)); own {
		return rest
	}
	return raw
}

// measuresOf are the measures of both sides.
func measuresOf(before, after []*pageload.Record) (out []result.Measure) {
	for _, m := range []struct {
		name string
		of   func(*pageload.Record) float64
		step float64 // a difference no larger than that is none, whatever the runs say
	}{
		{"requests", func(r *pageload.Record) float64 { return float64(len(r.Requests)) }, 0},
		{"bytes over the wire", func(r *pageload.Record) float64 { return float64(r.Wire()) }, 64},
		{"first paint, ms", func(r *pageload.Record) float64 { return r.Measured.FirstPaint }, 20},
		{"largest paint, ms", func(r *pageload.Record) float64 { return r.Measured.LargestPaint }, 20},
		{"layout shift", func(r *pageload.Record) float64 { return r.Measured.Shift }, 0.01},
		{"blocked by scripts, ms", func(r *pageload.Record) float64 { return r.Measured.Blocking }, 20},
	} {
		middle := func(list []*pageload.Record) (middle, apart float64) {
			var values []float64
			for _, r := range list {
				values = append(values, m.of(r))
			}
			slices.Sort(values)
			return values[len(values)/2], values[len(values)-1] - values[0]
		}
		was, noiseA := middle(before)
		is, noiseB := middle(after)
		out = append(out, result.Measure{Name: m.name, Before: was, After: is, Noise: max(noiseA, noiseB, m.step)})
	}
	return out
}

// Draw draws two pictures side by side, with what differs framed.
func Draw(l *result.PageLook, before, after *visualdiff.Picture) image.Image {
	const gap = 16
	width, height := before.Width+gap+after.Width, max(before.Height, after.Height)
	out := image.NewNRGBA(image.Rect(0, 0, width, height))
	draw.Draw(out, out.Bounds(), image.NewUniform(color.NRGBA{40, 42, 54, 255}), image.Point{}, draw.Src)
	for i, p := range []*visualdiff.Picture{before, after} {
		at := image.Rect(0, 0, p.Width, p.Height).Add(image.Pt(i*(before.Width+gap), 0))
		draw.Draw(out, at,
			&image.NRGBA{Pix: p.Pixels, Stride: p.Width * 4, Rect: image.Rect(0, 0, p.Width, p.Height)},
			image.Point{}, draw.Src)
		for _, r := range l.Difference.Regions {
			frame(out, image.Rect(r.X-4, r.Y-4, r.X+r.Width+4, r.Y+r.Height+4).Add(at.Min))
		}
	}
	return out
}

// Keep puts the two pictures into the look, for a report.
func Keep(l *result.PageLook, drawn image.Image) error {
	var out bytes.Buffer
	err := jpeg.Encode(&out, drawn, &jpeg.Options{Quality: 70})
	l.Drawn = out.Bytes()
	return err
}

// frame draws a frame of three pixels.
func frame(out *image.NRGBA, r image.Rectangle) {
	ink := image.NewUniform(color.NRGBA{179, 38, 30, 255})
	for _, edge := range []image.Rectangle{{r.Min, image.Pt(r.Max.X, r.Min.Y+3)},
		{image.Pt(r.Min.X, r.Max.Y-3), r.Max}, {r.Min, image.Pt(r.Min.X+3, r.Max.Y)},
		{image.Pt(r.Max.X-3, r.Min.Y), r.Max}} {
		draw.Draw(out, edge.Intersect(out.Bounds()), ink, image.Point{}, draw.Src)
	}
}
