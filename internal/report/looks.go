package report

import (
	"cmp"
	_ "embed"
	"encoding/base64"
	"fmt"
	"html/template"
	"io"
	"slices"

	"yellowgate/internal/core/visualdiff"
	"yellowgate/internal/core/wording"
	"yellowgate/internal/result"
)

// Looks writes what two sides differ in as visitors see them.
func (p *Printer) Looks(before, after string, l *result.Looks, verbose bool) {
	another := l.Another()
	p.Heading("%s and %s in a browser: %s", before, after, wording.Count(len(l.Pages), "look"))
	if len(another) == 0 {
		p.Line("  %s", p.in.Render("all look the same"))
	} else {
		p.Line("  %s look the same", fmt.Sprintf("%d of %d", len(l.Pages)-len(another), len(l.Pages)))
	}
	for _, x := range another {
		if x.Unread != "" {
			p.Line("  %s %s  %s", p.name.Render(x.Path), p.dim.Render(x.Screen), p.bad.Render("not read: "+x.Unread))
			continue
		}
		d := x.Difference
		p.Line("  %s %s  %s", p.name.Render(x.Path), p.dim.Render(x.Screen),
			p.warn.Render(
				fmt.Sprintf("%s (%s) in %s", pixels(d.Pixels), percent(d.Share),
					wording.Count(len(d.Regions), "place"))))
		for i, r := range d.Regions {
			if i == 3 && !verbose {
				p.Line("      %s",
					p.dim.Render(
						fmt.Sprintf("and %d more: --verbose shows them, --pictures draws them", len(d.Regions)-3)))
				break
			}
			p.Line("      in %s  %s", placeOf(&r),
				p.dim.Render(fmt.Sprintf("%d x %d at %d, %d", r.Width, r.Height, r.X, r.Y)))
		}
	}
	for i := range l.Pages {
		if d := l.Pages[i].Difference; d != nil && d.Unseen > 0 {
			p.Line("  %s %s  %s", p.name.Render(l.Pages[i].Path), p.dim.Render(l.Pages[i].Screen),
				p.warn.Render(fmt.Sprintf("its last %d pixels of height were not looked at", d.Unseen)))
		}
	}
	p.sides("requested on the later side only", l.Came)
	p.sides("no longer requested", l.Went)
	p.sides("exceptions that are new", l.NewMistakes)
	p.measures(l)
}

// placeOf names where a page looks different: the element, and where in it that begins.
func placeOf(r *visualdiff.Region) string {
	where := cmp.Or(r.Element, "the page")
	if r.Begins != "" && r.Begins != r.Element {
		where += ", from " + r.Begins + " on"
	}
	return where
}

// sides lists what one side alone has, with its pages.
func (p *Printer) sides(title string, of map[string][]string) {
	if len(of) == 0 {
		return
	}
	p.Heading("%s", title)
	for _, what := range result.Sorted(of) {
		p.Line("  %s  %s", what, p.dim.Render("on "+wording.List(of[what], 4)))
	}
}

// measures writes the measures whose difference is one.
func (p *Printer) measures(l *result.Looks) {
	sums := measured(l)
	if len(sums) == 0 {
		return
	}
	p.Heading("measured, on average")
	t := &table{right: map[int]bool{1: true, 2: true}}
	t.add("", p.dim.Render("before"), p.dim.Render("after"), "")
	for _, s := range sums {
		says := p.dim.Render(s.Says)
		switch s.Class {
		case "good":
			says = p.in.Render(s.Says)
		case "warning":
			says = p.warn.Render(s.Says)
		}
		t.add(s.Name, s.Was, s.Is, says)
	}
	p.table(t)
}

// A measure is one over all pages, on average.
type measure struct{ Name, Was, Is, Says, Class string }

// measured are the measures of all pages.
func measured(l *result.Looks) (out []measure) {
	type sum struct {
		name          string
		before, after float64
		changed       int
	}
	var sums []*sum
	pages := 0.0
	for i := range l.Pages {
		if len(l.Pages[i].Measures) > 0 {
			pages++
		}
		for _, m := range l.Pages[i].Measures {
			k := slices.IndexFunc(sums, func(s *sum) bool { return s.name == m.Name })
			if k < 0 {
				k = len(sums)
				sums = append(sums, &sum{name: m.Name})
			}
			sums[k].before, sums[k].after = sums[k].before+m.Before, sums[k].after+m.After
			if m.Changed() {
				sums[k].changed++
			}
		}
	}
	for _, s := range sums {
		m := measure{
			Name:  s.name,
			Was:   decimal(s.before / pages),
			Is:    decimal(s.after / pages),
			Says:  "no difference larger than its noise",
			Class: "soft",
		}
		switch {
		case s.changed > 0 && s.after > s.before:
			m.Class = "warning"
			fallthrough
		case s.changed > 0:
			m.Says = "different on " + wording.Count(s.changed, "page")
			if m.Class == "soft" {
				m.Class = "good"
			}
		case s.before == s.after:
			m.Says = "the same"
		}
		out = append(out, m)
	}
	return out
}

//go:embed looks.html
var looksPage string

var looksTemplate = lazily("looks", &looksPage)

// htmlLook is a page that looks different, as the report shows it.
type htmlLook struct {
	*result.PageLook
	Differs string
	Places  []htmlPlace
	More    int
	Picture template.URL
}

// htmlPlace is where it does.
type htmlPlace struct{ Element, Box string }

// htmlSide is what one side alone has.
type htmlSide struct {
	Title string
	Rows  []struct{ What, On string }
}

// LooksHTML writes what two sides differ in as visitors see them, as a page of HTML that loads nothing:
// the pictures of pages that look different are in it.
func LooksHTML(w io.Writer, before, after string, l *result.Looks) error {
	d := struct {
		Before, After              string
		Same, Came, Went, Mistakes int
		Another                    []htmlLook
		Lists                      []htmlSide
		Measures                   []measure
	}{Before: Clean(before), After: Clean(after), Came: len(l.Came), Went: len(l.Went), Mistakes: len(
		l.NewMistakes), Measures: measured(l)}
	for _, x := range l.Another() {
		h := htmlLook{PageLook: x}
		if x.Unread == "" {
			h.Differs = fmt.Sprintf("%s differ, %s, in %s.", pixels(x.Difference.Pixels), percent(x.Difference.Share),
				wording.Count(len(x.Difference.Regions), "place"))
			for i, r := range x.Difference.Regions {
				if i == 8 {
					h.More = len(x.Difference.Regions) - i
					break
				}
				h.Places = append(h.Places, htmlPlace{placeOf(&r), fmt.Sprintf("%d x %d at %d, %d", r.Width, r.Height, r.X, r.Y)})
			}
			if len(x.Drawn) > 0 {
				h.Picture = template.URL("data:image/jpeg;base64," + base64.StdEncoding.EncodeToString(x.Drawn))
			}
		}
		d.Another = append(d.Another, h)
	}
	d.Same = len(l.Pages) - len(d.Another)
	for _, side := range []struct {
		title string
		of    map[string][]string
	}{{"Requested on the later side only", l.Came}, {"No longer requested", l.Went}, {"Exceptions that are new",
		l.NewMistakes}} {
		h := htmlSide{Title: side.title}
		for _, what := range result.Sorted(side.of) {
			h.Rows = append(h.Rows, struct{ What, On string }{what, wording.List(side.of[what], 6)})
		}
		if len(h.Rows) > 0 {
			d.Lists = append(d.Lists, h)
		}
	}
	return looksTemplate().Execute(safeHTML{w}, d)
}

func decimal(x float64) string {
	switch {
	case x == 0:
		return "0"
	case x < 10:
		return fmt.Sprintf("%.2f", x)
	}
	return fmt.Sprintf("%.0f", x)
}

func pixels(n int) string { return wording.Count(n, "pixel") }

func percent(share float64) string {
	if share < 0.001 {
		return "under 0.1 %"
	}
	return fmt.Sprintf("%.1f %%", share*100)
}
