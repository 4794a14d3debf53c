package report

import (
	"fmt"

	"yellowgate/internal/core/wording"
	"yellowgate/internal/result"
)

// findTitles say what each kind of occurrence is.
var findTitles = map[string]string{
	"load": "loaded", "inline code": "in inline code", "metadata": "in metadata", "attribute": "in another attribute",
	"text": "merely in text", "comment": "merely in a comment", "file": "in scripts and stylesheets of the site",
}

// Find writes where a word occurs, each kind apart.
func (p *Printer) Find(r *result.Find, verbose bool) {
	p.Heading("%s in %s (%s)", Clean(r.Word), r.Dir, wording.Count(r.Files, "file"))
	if len(r.Hits) == 0 {
		p.Line("  %s", p.dim.Render("it is nowhere"))
		return
	}
	for _, kind := range result.FindKinds {
		if r.Count[kind] == 0 {
			continue
		}
		files := "page"
		if kind == "file" {
			files = "file"
		}
		p.Heading("%s: %d, in %s", findTitles[kind], r.Count[kind], wording.Count(r.Pages[kind], files))
		t := &table{wide: []int{1}}
		shown, limit := 0, 8
		for i := range r.Hits {
			h := &r.Hits[i]
			if h.Kind != kind {
				continue
			}
			if shown++; shown > limit && !verbose {
				continue
			}
			t.add(p.dim.Render(fmt.Sprintf("%s:%d:%d", Clean(h.File), h.Line, h.Column)), Clean(h.Text),
				p.name.Render(h.Item))
		}
		p.table(t)
		if shown > limit && !verbose {
			p.Line("  %s", p.dim.Render(fmt.Sprintf("… and %d more: --verbose shows them", shown-limit)))
		}
	}
	if r.Unlisted > 0 {
		p.Line("")
		p.Line("  %s",
			p.dim.Render(
				fmt.Sprintf("%d are counted and not listed: of one file the first thousand are", r.Unlisted)))
	}
}
