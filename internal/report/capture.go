package report

import (
	"fmt"
	"maps"
	"slices"

	"yellowgate/internal/capture"
	"yellowgate/internal/core/wording"
)

// Capture writes what a capture came to.
func (p *Printer) Capture(s *capture.Summary, folder string, verbose bool) {
	mark, stopped := p.in.Render("✓"), ""
	if s.Stopped {
		mark, stopped = p.warn.Render("stopped"), "; --go-on continues"
	}
	p.Line("%s %s: %s and %s, %s%s.", mark, folder, wording.Count(s.Pages, "page"),
		wording.Count(s.Files, "other file"), wording.Size(s.Bytes), stopped)
	if s.Again {
		p.Line("  %d came, %d changed, %d gone since the last capture", s.Came, s.Changed, s.Gone)
	}
	if s.Redirects > 0 {
		p.Line("  %s", p.dim.Render(wording.Count(s.Redirects, "redirect")+" followed"))
	}
	if s.Queries > 0 {
		p.Line("  %s",
			p.dim.Render(
				fmt.Sprintf("%s led to an address with a query: the query was dropped (--with-query keeps it)",
					wording.Count(s.Queries, "link"))))
	}
	for _, x := range s.Parameters {
		if x.Other > 0 {
			p.Line(
				"  %s: %d of %d addresses have another text, such as %s: name it in site.query, and each is a page",
				p.name.Render(Clean(x.Name)), x.Other, x.Asked, Clean(x.Example))
		}
	}
	if len(s.Dead) > 0 {
		p.Heading("Answered with an error, or not at all")
		t := &table{wide: []int{0}}
		for i, d := range s.Dead {
			if i == 10 && !verbose {
				break
			}
			from := ""
			if len(d.From) > 0 {
				from = "linked from " + Clean(d.From[0])
			}
			t.add(Clean(d.URL), p.out.Render(d.Why), p.dim.Render(from))
		}
		p.table(t)
		if n := len(s.Dead) - 10; n > 0 && !verbose {
			p.Line("  %s", p.dim.Render(fmt.Sprintf("… and %d more: --verbose shows them", n)))
		}
	}
	if len(s.LeftOut) > 0 {
		p.Heading("Left out")
		t := &table{wide: []int{1}, right: map[int]bool{0: true}}
		for _, why := range slices.Sorted(maps.Keys(s.LeftOut)) {
			t.add(fmt.Sprint(s.LeftOut[why]), Clean(why), p.dim.Render("such as "+Clean(s.Example[why])))
		}
		p.table(t)
	}
}
