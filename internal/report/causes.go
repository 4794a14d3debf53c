package report

import (
	"fmt"
	"iter"
	"slices"

	"yellowgate/internal/core/audit"
	"yellowgate/internal/core/check"
	"yellowgate/internal/core/checks"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/wording"
	"yellowgate/internal/result"
)

// Causes of findings: what to mend first, and then each check with its causes.

// Of what an audit has found, so many causes are named to be mended first, and so many of each check.
const (
	mendFirst  = 5
	mostCauses = 8
)

// causesOf are the causes of errors and warnings, and of notes where they are wanted.
func causesOf(a *result.Audit, notes bool) []*audit.Cause {
	shown := func(yield func(check.Finding) bool) {
		for f := range a.All() {
			if (notes || f.Severity != problem.Note) && !yield(f) {
				return
			}
		}
	}
	return audit.Causes(iter.Seq[check.Finding](shown), a.ByPage)
}

// where says on which pages a cause is, "" for one place.
func where(c *audit.Cause, pages int) string {
	if c.Places == 1 {
		return ""
	}
	var s string
	switch {
	case c.Pages == 0:
		return wording.Count(c.Places, "place")
	case c.Pages == 1:
		s = "on 1 page"
	case c.Pages >= pages:
		s = "on all " + wording.Count(pages, "page")
	case len(c.Spared) > 0:
		s = fmt.Sprintf("on %s of %s, all but %s", wording.Number(c.Pages), wording.Count(pages, "page"),
			Clean(wording.List(c.Spared, len(c.Spared))))
	case c.Folder != "/":
		s = fmt.Sprintf("on %s in %s", wording.Count(c.Pages, "page"), Clean(c.Folder))
	default:
		s = fmt.Sprintf("on %s of %s", wording.Number(c.Pages), wording.Count(pages, "page"))
	}
	if c.Places > c.Pages {
		return wording.Count(c.Places, "place") + " " + s
	}
	return s
}

// onWhich is where a cause is: its pages, or its one place.
func onWhich(c *audit.Cause, pages int) string {
	if c.First.Pages > 1 { // one finding, of several
		return "on " + wording.Count(c.First.Pages, "page")
	}
	if at := where(c, pages); at != "" {
		return at
	}
	return fmt.Sprintf("%s:%d", Clean(c.First.File), c.First.Line)
}

// A firstCause is one to mend first, with how many others are like it: of its check, first in the same file, on as many
// pages, for one mistake of a template makes several; or something that pages share, with the same remedy.
type firstCause struct {
	*audit.Cause
	alike int
}

// toMendFirst picks the causes that do the most harm.
func toMendFirst(causes []*audit.Cause) (first []firstCause) {
	type kind struct {
		check, of string // the file or the remedy
		pages     int
	}
	at := map[kind]int{}
	for _, c := range causes {
		k := kind{c.First.Check, c.First.File, c.Pages}
		if c.First.Pages > 1 && c.First.Page != "" {
			k = kind{c.First.Check, c.First.Remedy, 0}
		}
		if i, known := at[k]; known {
			first[i].alike++
		} else if len(first) < mendFirst {
			at[k] = len(first)
			first = append(first, firstCause{Cause: c})
		}
	}
	return first
}

// which is where it is, and how many others are like it.
func (c *firstCause) which(pages int) string {
	if c.alike == 0 {
		return onWhich(c.Cause, pages)
	}
	return fmt.Sprintf("%s, and %s more like it", onWhich(c.Cause, pages), wording.Number(c.alike))
}

// findings writes what to mend first, and the causes of each check, worst first; with verbose every finding.
func (p *Printer) findings(a *result.Audit, causes []*audit.Cause, verbose bool) {
	if len(causes) > mendFirst && !verbose {
		p.mendFirst(toMendFirst(causes), a.Pages)
	}
	by := map[string][]*audit.Cause{}
	var order []string
	for _, c := range causes {
		if by[c.First.Check] == nil {
			order = append(order, c.First.Check)
		}
		by[c.First.Check] = append(by[c.First.Check], c)
	}
	slices.SortStableFunc(order, func(x, y string) int {
		a, b := by[x][0].First, by[y][0].First
		if check.First(&a) || check.First(&b) {
			return 0
		}
		return int(b.Severity) - int(a.Severity)
	})
	every := map[string][]check.Finding{}
	if verbose {
		for f := range a.All() {
			every[f.Check] = append(every[f.Check], f)
		}
	}
	for _, name := range order {
		p.check(name, by[name][0].First.Severity)
		if verbose {
			p.everyFinding(every[name])
		} else {
			p.causes(by[name], a.Pages)
		}
	}
}

// mendFirst writes the causes that do the most harm.
func (p *Printer) mendFirst(causes []firstCause, pages int) {
	p.Heading("mend first")
	for i, c := range causes {
		p.paragraph(fmt.Sprintf("  %d  ", i+1), Clean(c.First.Message))
		p.paragraph("     ",
			p.dim.Render(fmt.Sprintf("%s, %s: %s", c.First.Check, c.which(pages), checks.HarmOf(c.First.Check))))
		if c.First.Remedy != "" {
			p.paragraph("     ", p.dim.Render("→ ")+Clean(c.First.Remedy))
		}
	}
}

// check writes the heading of a check.
func (p *Printer) check(name string, severity problem.Severity) {
	title := ""
	if c := checks.Named(name); c != nil {
		title = c.Title
	}
	p.Line("")
	p.paragraph("", fmt.Sprintf("%s %s  %s", p.severity(severity), p.name.Render(name), title))
}

// causes writes the causes of a check, each with its remedy, which is written once where several share it.
func (p *Printer) causes(causes []*audit.Cause, pages int) {
	for i, c := range causes {
		if i == mostCauses && len(causes) > mostCauses+1 {
			p.Line("  %s",
				p.dim.Render(
					fmt.Sprintf("… and %s: --verbose shows them", wording.Count(len(causes)-i, "more cause"))))
			return
		}
		at := where(c, pages)
		if at != "" {
			at = p.dim.Render(" (" + at + ")")
		}
		p.paragraph("  ", p.at(&c.First)+Clean(c.First.Message)+at)
		if i+1 == len(causes) || i+1 == mostCauses && len(causes) > mostCauses+1 ||
			causes[i+1].First.Remedy != c.First.Remedy {
			p.remedy(c.First.Remedy)
		}
	}
}

// everyFinding writes findings of a check.
func (p *Printer) everyFinding(fs []check.Finding) {
	for i := range fs {
		p.paragraph("  ", p.at(&fs[i])+Clean(fs[i].Message))
		if i+1 == len(fs) || fs[i+1].Remedy != fs[i].Remedy {
			p.remedy(fs[i].Remedy)
		}
	}
}

// at is where a finding is.
func (p *Printer) at(f *check.Finding) string {
	return p.dim.Render(fmt.Sprintf("%s:%d:%d", Clean(f.File), f.Line, f.Column)) + "  "
}
