package report

import (
	"fmt"
	"strings"

	"yellowgate/internal/output"
)

// Apply writes what an apply did.
func (p *Printer) Apply(s *output.Summary, folder string) {
	changed := s.Written + s.Copied + s.Removed
	if changed == 0 {
		p.Line("%s %s is up to date: %s.", p.in.Render("✓"), folder, plural(s.Pages, "page"))
		return
	}
	parts := []string{plural(s.Written, "page") + " written"}
	if s.Copied > 0 {
		parts = append(parts, plural(s.Copied, "other file")+" copied")
	}
	if s.Removed > 0 {
		parts = append(parts, plural(s.Removed, "file")+" removed")
	}
	if s.Unchanged > 0 {
		parts = append(parts, fmt.Sprintf("%d left as they were", s.Unchanged))
	}
	p.Line("%s %s: %s.", p.in.Render("✓"), folder, strings.Join(parts, ", "))
	if s.Fragments > 0 {
		p.Line("  %s", p.dim.Render(plural(s.Fragments, "fragment")+" copied as they are: files of HTML that are no pages"))
	}
}
