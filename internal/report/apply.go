package report

import (
	"fmt"
	"strings"

	"yellowgate/internal/core/wording"
	"yellowgate/internal/publish"
)

// Apply writes what an apply did.
func (p *Printer) Apply(s *publish.Summary, folder string, verbose bool) {
	defer p.leftAlone(s, folder, verbose)
	changed := s.Written + s.Copied + s.Removed
	if changed == 0 {
		p.Line("%s %s is up to date: %s.", p.in.Render("✓"), folder, wording.Count(s.Pages, "page"))
		return
	}
	parts := []string{wording.Count(s.Written, "page") + " written"}
	if s.Copied > 0 {
		parts = append(parts, wording.Count(s.Copied, "other file")+" copied")
	}
	if s.Removed > 0 {
		parts = append(parts, wording.Count(s.Removed, "file")+" removed")
	}
	if s.Unchanged > 0 {
		parts = append(parts, fmt.Sprintf("%d left as they were", s.Unchanged))
	}
	p.Line("%s %s: %s.", p.in.Render("✓"), folder, strings.Join(parts, ", "))
	if s.Fragments > 0 {
		p.Line("  %s", p.dim.Render(fragments(s.Fragments)))
	}
}

// leftAlone writes what an apply found in the output folder and in the source that it did
// not touch.
func (p *Printer) leftAlone(s *publish.Summary, folder string, verbose bool) {
	shown := func(names []string) string {
		if verbose {
			return wording.List(names, len(names))
		}
		return wording.List(names, 3)
	}
	if n := len(s.Edited); n > 0 {
		p.Line("  %s %s changed by hand since the last apply, and written again; what stood there is kept in %s: %s",
			p.warn.Render("note"), were(n, "page"), s.Kept, shown(s.Edited))
	}
	if n := len(s.Alone); n > 0 {
		names := " (--verbose names them)"
		if verbose {
			names = ": " + wording.List(s.Alone, n)
		}
		p.Line("  %s",
			p.dim.Render(
				fmt.Sprintf("%s in %s that the tool did not write: left alone%s", wording.Count(n, "file"), folder,
					names)))
	}
	if len(s.LeftOut) > 0 {
		p.Line("  %s",
			p.dim.Render(
				fmt.Sprintf(
					"dot-files of the source are not copied: %s; name those that your server needs under site.also",
					shown(s.LeftOut))))
	}
}

// were counts things that were done something to.
func were(n int, what string) string {
	if n == 1 {
		return "1 " + what + " was"
	}
	return wording.Count(n, what) + " were"
}
