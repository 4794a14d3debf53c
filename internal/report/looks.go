package report

import (
	"fmt"
	"slices"

	"yellowgate/internal/core/wording"
	"yellowgate/internal/run"
)

// Looks writes what two sides differ in as visitors see them.
func (p *Printer) Looks(before, after string, l *run.Looks, verbose bool) {
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
		p.Line("  %s %s  %s", p.name.Render(x.Path), p.dim.Render(x.Screen), p.warn.Render(fmt.Sprintf("%s (%s) in %s", pixels(d.Pixels), percent(d.Share), wording.Count(len(d.Regions), "place"))))
		for i, r := range d.Regions {
			if i == 3 && !verbose {
				p.Line("      %s", p.dim.Render(fmt.Sprintf("and %d more: --verbose shows them, --pictures draws them", len(d.Regions)-3)))
				break
			}
			where := r.Element
			if where == "" {
				where = "the page"
			}
			p.Line("      in %s  %s", where, p.dim.Render(fmt.Sprintf("%d x %d at %d, %d", r.Width, r.Height, r.X, r.Y)))
		}
	}
	p.sides("asked for on the later side alone", l.Came)
	p.sides("no longer asked for", l.Went)
	p.sides("exceptions that are new", l.NewMistakes)
	p.measures(l, verbose)
}

// sides lists what one side alone has, with its pages.
func (p *Printer) sides(title string, of map[string][]string) {
	if len(of) == 0 {
		return
	}
	p.Heading("%s", title)
	for _, what := range run.Sorted(of) {
		p.Line("  %s  %s", what, p.dim.Render("on "+wording.List(of[what], 4)))
	}
}

// measures writes the measures whose difference is one: the sums over all pages.
func (p *Printer) measures(l *run.Looks, verbose bool) {
	type sum struct {
		name          string
		before, after float64
		changed       int
	}
	var sums []*sum
	pages := 0
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
	if pages == 0 {
		return
	}
	p.Heading("measured, on average")
	t := &table{right: map[int]bool{1: true, 2: true}}
	t.add("", p.dim.Render("before"), p.dim.Render("after"), "")
	for _, s := range sums {
		says := p.dim.Render("no difference larger than its noise")
		if s.changed > 0 {
			ink := p.in
			if s.after > s.before {
				ink = p.warn
			}
			says = ink.Render("another on " + wording.Count(s.changed, "page"))
		} else if !verbose && s.before == s.after {
			says = p.dim.Render("the same")
		}
		t.add(s.name, decimal(s.before/float64(pages)), decimal(s.after/float64(pages)), says)
	}
	p.table(t)
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
