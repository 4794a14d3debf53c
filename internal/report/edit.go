package report

import (
	"fmt"
	"slices"
	"strings"

	"yellowgate/internal/core/wording"
	"yellowgate/internal/result"
)

// FirstGate reports a first gate file.
func (p *Printer) FirstGate(f *result.FirstGate, s *result.Survey) {
	p.Line("%s %s: %s found on %s, each with a name; all stays as it is.", p.in.Render("✓"), f.File,
		wording.Count(f.Items, "thing"), wording.Count(s.Pages, "page"))
	for _, l := range f.LeftOut {
		p.Line("  %s left out, since nothing in it distinguishes it from others: %s (on %s)", p.warn.Render("note:"),
			Clean(l.What), wording.Count(l.Pages, "page"))
	}
	p.Line("%s", p.dim.Render("Next: yellowgate check; then change pages, and yellowgate diff."))
}

// Edited writes what a change of the gate file does.
func (p *Printer) Edited(item string, r *result.GateChange, verbose bool) {
	if r.File == "" {
		p.Line("%s the gate file says so already.", p.in.Render("✓"))
		return
	}
	for line := range strings.Lines(r.Diff) {
		line = strings.TrimRight(line, "\r\n")
		switch {
		case strings.HasPrefix(line, "+++"), strings.HasPrefix(line, "---"), strings.HasPrefix(line, "@@"):
		case strings.HasPrefix(line, "+"):
			p.Line("  %s", p.in.Render(Clean(line)))
		case strings.HasPrefix(line, "-"):
			p.Line("  %s", p.bad.Render(Clean(line)))
		default:
			p.Line("  %s", p.dim.Render(Clean(line)))
		}
	}
	p.Line("")
	limit := 12
	if verbose {
		limit = 1 << 30
	}
	p.gateDiff(&r.GateDiff, limit)
	switch {
	case r.Pages > 0 && r.Unchanged == r.Pages:
		p.Line("No page changes.")
	case r.Pages > 0:
		p.Line("%s", othersStay(r.Unchanged, r.Pages))
	}
	if r.Pages > 0 && r.In == 0 && r.There && !slices.Contains(r.Spots, item) {
		p.Line("%s", p.warn.Render(item+" is in on no page."))
	}
	for _, name := range r.Spots {
		p.Line("%s waits for a spot: write %s into the pages that shall have it.", p.name.Render(name),
			"<!-- yg-spot "+name+" -->")
	}
	if r.Box {
		p.Line("Its container goes to the end of the body. To have it elsewhere, write %s into the pages and say: %s",
			"<!-- yg-spot "+item+" -->", "yellowgate set "+item+" --place '{code: spot}'")
	}
	switch {
	case !r.Written:
		p.Line("%s", p.dim.Render("This was a dry run: nothing was written."))
	case r.Refused:
		p.Line("%s %s", p.dim.Render(r.File+" is written. Something is left to mend before apply would take it:"),
			"yellowgate check")
	case r.Pages > r.Unchanged:
		p.Line("%s %s", p.dim.Render(r.File+" is written. Not published yet:"), "yellowgate apply")
	default:
		p.Line("%s", p.dim.Render(r.File+" is written."))
	}
}

// gateDiff writes what differs between what two gate files make of the pages.
func (p *Printer) gateDiff(r *result.GateDiff, limit int) {
	for _, it := range r.Items {
		if len(it.Gained) > 0 {
			p.Line("%s %s comes to %s: %s", p.in.Render(fmt.Sprintf("+%d", len(it.Gained))), p.name.Render(it.Item),
				wording.Count(len(it.Gained), "page"), wording.List(it.Gained, limit))
		}
		if len(it.Lost) > 0 {
			p.Line("%s %s goes from %s: %s", p.bad.Render(fmt.Sprintf("-%d", len(it.Lost))), p.name.Render(it.Item),
				wording.Count(len(it.Lost), "page"), wording.List(it.Lost, limit))
		}
	}
	if len(r.Changed) > 0 {
		p.Line("%s in what %s: %s", p.warn.Render("~"+wording.Count(len(r.Changed), "page")+" changed"),
			wording.Agree(len(r.Changed), "it has", "they have"), wording.List(r.Changed, limit))
	}
	p.changes(result.Beyond(r.Changes, r.Items), limit)
	p.breaks(r.Breaks)
	for _, line := range r.Follows {
		p.Line("%s %s", p.warn.Render("note"), Clean(line))
	}
}

// othersStay says how many pages a change leaves as they are.
func othersStay(n, of int) string {
	switch n {
	case 0:
		return "Every page changes."
	case 1:
		return "The other page stays as it is."
	case of:
		return "No page changes."
	}
	return "The other " + wording.Count(n, "page") + " stay as they are."
}
