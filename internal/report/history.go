package report

import (
	_ "embed"
	"fmt"
	"html/template"
	"io"
	"slices"
	"strings"
	"time"

	"yellowgate/internal/core/wording"
	"yellowgate/internal/result"
)

// What was in effect, and what changed.

// History lists the entries, the newest first.
func (p *Printer) History(entries []result.HistoryEntry, verbose bool) {
	if len(entries) == 0 {
		p.Line("No history yet. It begins with the next %s.", "yellowgate apply")
		return
	}
	t := &table{right: map[int]bool{0: true, 4: true}, wide: []int{3}}
	t.add(p.dim.Render("n"), p.dim.Render("when"), p.dim.Render("who"), p.dim.Render("what"), p.dim.Render("pages"),
		p.dim.Render("last audit"))
	shown := slices.Clone(entries)
	slices.Reverse(shown)
	if !verbose && len(shown) > 30 {
		shown = shown[:30]
	}
	for i := range shown {
		e := &shown[i]
		pages := ""
		if e.Pages > 0 {
			pages = fmt.Sprint(e.Pages)
		}
		t.add(p.num.Render(fmt.Sprint(e.Number)), e.Time.Local().Format("2006-01-02 15:04"), Clean(e.Who), p.entry(e),
			pages, audited(e))
	}
	p.table(t)
	if len(shown) < len(entries) {
		p.Line("  %s", p.dim.Render(fmt.Sprintf("… and %d more: --verbose shows them", len(entries)-len(shown))))
	}
	p.Line("")
	p.Line("%s", p.dim.Render("yellowgate history N shows what an entry changed; yellowgate back N goes back to it."))
}

// entry says what an entry is.
func (p *Printer) entry(e *result.HistoryEntry) string {
	switch {
	case e.What == "edit" && e.Undone:
		return p.dim.Render("edit, taken back: " + Clean(e.Command))
	case e.What == "edit":
		return "edit: " + Clean(e.Command)
	case e.What == "kept":
		return "kept before going back"
	case e.Message != "":
		return p.name.Render("apply") + ": " + Clean(e.Message)
	}
	return p.name.Render("apply")
}

// audited says what the last audit of an entry came to.
func audited(e *result.HistoryEntry) string {
	if len(e.Audits) == 0 {
		return ""
	}
	m := e.Audits[len(e.Audits)-1]
	return fmt.Sprintf("%s, %s, %s", wording.Size(m.Bytes), wording.Count(m.Requests, "request"),
		wording.Count(m.Errors+m.Warnings+m.Notes, "finding"))
}

// HistoryChange writes what an entry changed.
func (p *Printer) HistoryChange(c *result.HistoryChange, verbose bool) {
	p.Heading("%d, %s, %s", c.Entry.Number, c.Entry.Time.Local().Format("2006-01-02 15:04"), Clean(c.Entry.Who))
	p.Line("%s", p.entry(&c.Entry))
	if c.Diff == "" {
		p.Line("No line of the gate file changed.")
		return
	}
	p.Line("")
	p.unified(c.Diff)
	p.Line("")
	switch {
	case c.Entry.What != "apply":
		return
	case c.Before == 0:
		p.Line("%s", p.dim.Render("Nothing was kept before it."))
		return
	}
	limit := 12
	if verbose {
		limit = 1 << 30
	}
	p.Line("%s", p.dim.Render(fmt.Sprintf("What that does to the pages of today, compared with entry %d:", c.Before)))
	p.gateDiff(&c.GateDiff, limit)
	p.Line("%s", othersStay(c.Unchanged, c.Pages))
}

// CompareGates writes what differs between what two gate files make of the pages.
func (p *Printer) CompareGates(before, after string, d *result.GateDiff, verbose bool) {
	p.Heading("%s → %s", Clean(before), Clean(after))
	limit := 12
	if verbose {
		limit = 1 << 30
	}
	p.gateDiff(d, limit)
	p.pagesOf("pages that are new", d.Added, limit)
	p.pagesOf("pages that are gone", d.Removed, limit)
	p.Line("%s", othersStay(d.Unchanged, d.Pages))
}

// Return writes what going back changes.
func (p *Printer) Return(r *result.Return, dry bool) {
	if len(r.Files) == 0 {
		p.Line("%s The gate file and the files that it names are as they were then.", p.in.Render("✓"))
		return
	}
	p.unified(r.Diff)
	p.Line("")
	if dry {
		p.Line("%s", p.dim.Render("This was a dry run: nothing was written."))
		return
	}
	to := "before the edit: " + r.To.Command
	if r.To.What != "edit" {
		to = fmt.Sprintf("in entry %d", r.To.Number)
	}
	p.Line("%s %s: as %s.", p.in.Render("✓"), wording.List(r.Files, 6), Clean(to))
	if r.Kept > 0 {
		p.Line("%s", p.dim.Render(fmt.Sprintf("What stood there is kept: yellowgate back %d", r.Kept)))
	}
	p.Line("%s %s", p.dim.Render("Not published yet:"), "yellowgate apply")
}

//go:embed history.html
var historyPage string

var historyTemplate = lazily("history", &historyPage)

// htmlEntry is an entry as the page shows it.
type htmlEntry struct {
	result.HistoryEntry
	When, Says, Changed, Audit string
}

// htmlPlot is a measure over time.
type htmlPlot struct {
	Title string
	Chart template.HTML
}

// HistoryHTML writes the history as a page of HTML that loads nothing.
func HistoryHTML(w io.Writer, entries []result.HistoryEntry) error {
	var list []htmlEntry
	var points []result.Measured
	plain := NewPrinter(io.Discard, false, 0)
	files := map[string]string{}
	for i := range entries {
		e := &entries[i]
		list = append(
			list,
			htmlEntry{
				*e,
				e.Time.Local().Format("2006-01-02 15:04"),
				plain.entry(e),
				changedFiles(e, files),
				audited(e),
			},
		)
		points = append(points, e.Audits...)
	}
	slices.Reverse(list)
	data := struct {
		Plots   []htmlPlot
		Entries []htmlEntry
	}{nil, list}
	if len(points) > 1 {
		for _, m := range []struct {
			title string
			of    func(*result.Measured) int
			say   func(float64) string
		}{
			{"Weight of all pages", func(m *result.Measured) int { return int(m.Bytes) }, tickName},
			{"Requests of all pages", func(m *result.Measured) int { return m.Requests }, counted},
			{"Findings", func(m *result.Measured) int { return m.Errors + m.Warnings + m.Notes }, counted},
			{"Errors", func(m *result.Measured) int { return m.Errors }, counted},
		} {
			data.Plots = append(data.Plots, htmlPlot{m.title, overTime(points, m.title, m.of, m.say)})
		}
	}
	return historyTemplate().Execute(w, data)
}

func counted(v float64) string { return fmt.Sprint(int(v)) }

// changedFiles names the files that are others than in the applies before.
func changedFiles(e *result.HistoryEntry, known map[string]string) string {
	var out []string
	for _, f := range e.Files {
		if known[f.Name] != f.Digest {
			out = append(out, f.Name)
		}
		known[f.Name] = f.Digest
	}
	return wording.List(out, 4)
}

// overTime draws a measure of audits as a line of steps, from the first to the last.
func overTime(points []result.Measured, label string, of func(*result.Measured) int,
	say func(float64) string) template.HTML {
	const bottom = 150.0
	from, to := points[0].Time, points[len(points)-1].Time
	most := 1.0
	for i := range points {
		most = max(most, float64(of(&points[i])))
	}
	c := &chart{Label: label, Left: -50, Width: 50 + int(plotWide) + 40, Height: int(bottom) + 22}
	for _, v := range ticks(most) {
		y := bottom - v/most*(bottom-8)
		c.Grid = append(c.Grid, fmt.Sprintf("M0,%.1fH%.0f", y, plotWide))
		c.text(-5, y+3, "end", say(v))
	}
	form := "2006-01-02"
	if to.Sub(from) < 48*time.Hour {
		form = "01-02 15:04"
	}
	c.text(0, bottom+14, "start", from.Local().Format(form))
	c.text(plotWide, bottom+14, "end", to.Local().Format(form))
	var d strings.Builder
	for i := range points {
		x := float64(i) / float64(len(points)-1) * plotWide // audits of one second are told apart
		if span := to.Sub(from); span > 0 {
			x = float64(points[i].Time.Sub(from)) / float64(span) * plotWide
		}
		y := bottom - float64(of(&points[i]))/most*(bottom-8)
		if i == 0 {
			fmt.Fprintf(&d, "M%.1f,%.1f", x, y)
		} else {
			fmt.Fprintf(&d, "H%.1fV%.1f", x, y)
		}
		c.Bars = append(c.Bars,
			chartShape{D: fmt.Sprintf("M%.1f,%.1fm-2.5,0a2.5,2.5 0 1,0 5,0a2.5,2.5 0 1,0 -5,0Z", x, y)})
	}
	c.Curves = append(c.Curves, chartShape{D: d.String()})
	return c.html()
}
