package report

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"yellowgate/internal/core/audit"
	"yellowgate/internal/core/wording"
	"yellowgate/internal/result"
)

// fewItems are so many that each has a line.
const fewItems = 5

// held puts what is wrong first, then what there is a remark on.
func held(it *audit.ItemSum, browser bool) int {
	switch wrong, remark := heldAgainst(*it, browser); {
	case wrong != "":
		return 0
	case remark != "":
		return 1
	}
	return 2
}

const asGated = "as the gate says"

// heldAgainst tells what is wrong with an item, "" for nothing, and then what there
// is to remark. browser says that pages were opened in one.
func heldAgainst(it audit.ItemSum, browser bool) (wrong, remark string) {
	missing, unseen := max(it.Missing, it.In-it.May-it.Present), 0
	if browser && missing == 0 {
		unseen = it.In - it.May - it.Seen
	}
	var s []string
	for _, x := range []struct {
		word string
		n    int
	}{
		{"missing on", missing - it.Gone}, {"gone from", it.Gone}, {"leaked on", it.Leaked}, {"differs on", it.Differs},
		{"not seen in the browser on", unseen},
	} {
		if x.n > 0 {
			s = append(s, fmt.Sprintf("%s %d", x.word, x.n))
		}
	}
	if it.May > 0 {
		remark = fmt.Sprintf(" (may stay on %d more, whose source has none)", it.May)
	}
	return strings.Join(s, ", "), remark
}

// fragments says how many files of HTML are no pages.
func fragments(n int) string {
	return wording.Count(n, "file") + " of HTML without html, head, body or title: no page, and not gated"
}

// weightOf is what all pages weigh, and how much of that is for nothing.
func weightOf(a *result.Audit) string {
	if a.Unneeded == 0 {
		return wording.Size(a.Bytes)
	}
	return wording.Size(a.Bytes) + ", " + wording.Size(a.Unneeded) + " of them styles that match nothing"
}

// Audit writes findings, worst first, and the table of items.
func (p *Printer) Audit(a *result.Audit, verbose bool) {
	p.Heading("audit of %s: %s, %s, %s", a.Dir, wording.Count(a.Pages, "page"), wording.Count(a.Requests, "request"),
		weightOf(a))
	if len(a.ByItem) > 0 {
		p.auditedItems(a, verbose)
	}
	if a.Fragments > 0 {
		p.Line("  %s", p.dim.Render(fragments(a.Fragments)))
	}
	if a.Below != "" {
		p.Line("  %s", p.dim.Render("its URLs say that it is published below "+a.Below))
	}
	causes := causesOf(a, verbose)
	p.findings(a, causes, verbose)
	if verbose {
		p.auditedPages(a.ByPage)
	}
	p.Line("")
	if len(causes) > 1 {
		p.causeCount(a, causes, verbose)
	}
	p.Line("%s, %s, %s%s", p.count(a.Totals.Errors, "error", p.bad.Render),
		p.count(a.Totals.Warnings, "warning", p.warn.Render), wording.Count(a.Totals.Notes, "note"),
		notesHint(a, verbose))
	if a.Totals.Accepted > 0 {
		p.Line("%s",
			p.dim.Render(wording.Count(a.Totals.Accepted, "finding")+" accepted in the gate file, and not shown."))
	}
	if a.Totals.Errors+a.Totals.Warnings > 0 {
		p.Line("%s", p.dim.Render("yellowgate explain CHECK says what a finding means."))
	}
}

// auditedItems writes the table of items. Those that are as the gate says come last and, where there are many, in
// one line.
func (p *Printer) auditedItems(a *result.Audit, verbose bool) {
	visited := len(a.Rendered) > 0
	t := &table{right: map[int]bool{1: true, 2: true, 3: visited}}
	if visited {
		t.add(p.dim.Render("item"), p.dim.Render("expected on"), p.dim.Render("in the text"),
			p.dim.Render("in the browser"), "")
	} else {
		t.add(p.dim.Render("item"), p.dim.Render("expected on"), p.dim.Render("found on"), "")
	}
	items := slices.Clone(a.ByItem)
	slices.SortStableFunc(items, func(x, y audit.ItemSum) int { return held(&x, visited) - held(&y, visited) })
	fine := 0
	for _, it := range items {
		wrong, remark := heldAgainst(it, visited)
		if wrong == "" && remark == "" && !verbose && len(items) > fewItems {
			fine++
			continue
		}
		verdict := p.bad.Render(wrong)
		if wrong == "" {
			verdict = p.in.Render(asGated)
		}
		cells := []string{p.name.Render(it.Item.Name), fmt.Sprint(it.In), fmt.Sprint(it.Present)}
		if visited {
			cells = append(cells, fmt.Sprint(it.Seen))
		}
		t.add(append(cells, verdict+p.dim.Render(remark))...)
	}
	if fine < len(items) {
		p.table(t)
	}
	const everywhere = " on every page (--verbose lists them)"
	switch fine {
	case 0:
	case len(items):
		p.Line("  %s %s", p.name.Render(wording.Count(fine, "item")+":"), p.in.Render(asGated)+p.dim.Render(everywhere))
	default:
		p.Line("  %s", p.dim.Render(wording.Count(fine, "more item")+": "+asGated+everywhere))
	}
}

// causeCount writes how many causes there are, and on how many pages.
func (p *Printer) causeCount(a *result.Audit, causes []*audit.Cause, verbose bool) {
	places, pages, on := 0, 0, 0
	for _, c := range causes {
		places, pages = places+c.Places, max(pages, c.First.Pages)
	}
	for _, x := range a.ByPage {
		if x.Errors+x.Warnings > 0 || verbose && x.Notes > 0 {
			on++
		}
	}
	p.Line("%s on %s (%s)", wording.Count(len(causes), "cause"), wording.Count(max(pages, on), "page"),
		wording.Count(places, "place"))
}

// auditedPages writes the pages with the most to mend.
func (p *Printer) auditedPages(pages []audit.PageSum) {
	pages = slices.Clone(pages)
	slices.SortStableFunc(pages, func(a, b audit.PageSum) int {
		return cmp.Or(b.Errors-a.Errors, b.Warnings-a.Warnings, b.Bytes-a.Bytes)
	})
	if len(pages) < 2 {
		return
	}
	p.Heading("pages with the most to mend")
	t := &table{right: map[int]bool{1: true, 2: true, 3: true, 4: true, 5: true, 6: true}, wide: []int{0}}
	t.add(p.dim.Render("page"), p.dim.Render("errors"), p.dim.Render("warnings"), p.dim.Render("requests"),
		p.dim.Render("blocking"), p.dim.Render("bytes"), p.dim.Render("unused"))
	for _, x := range pages {
		number := func(n int, color func(...string) string) string {
			if n == 0 {
				return p.dim.Render("0")
			}
			return color(fmt.Sprint(n))
		}
		t.add(Clean(x.Path), number(x.Errors, p.bad.Render), number(x.Warnings, p.warn.Render),
			fmt.Sprint(x.Requests), fmt.Sprint(x.Blocking), wording.Size(int64(x.Bytes)),
			wording.Size(int64(x.Unneeded)))
	}
	p.table(t)
}

func notesHint(a *result.Audit, verbose bool) string {
	if a.Totals.Notes > 0 && !verbose {
		return " (--verbose shows them)"
	}
	return ""
}

func (p *Printer) count(n int, what string, color func(...string) string) string {
	if n == 0 {
		return "no " + what + "s"
	}
	return color(wording.Count(n, what))
}

// remedy writes what to do about a finding.
func (p *Printer) remedy(text string) {
	if text != "" {
		p.paragraph("    ", p.dim.Render("→ ")+Clean(text))
	}
}

// AuditPart says what a part came to.
func (p *Printer) AuditPart(r *result.Part) {
	p.Line("part %d of %d: %s of %d audited, %s, %s, %s before the site as a whole is looked at", r.Number, r.Of,
		wording.Count(r.Pages, "page"), r.All, p.count(r.Totals.Errors, "error", p.bad.Render),
		p.count(r.Totals.Warnings, "warning", p.warn.Render), wording.Count(r.Totals.Notes, "note"))
}
