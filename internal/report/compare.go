package report

import (
	"fmt"
	"math"
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/compare"
	"yellowgate/internal/core/wording"
)

// Compare writes what differs between two inventories.
func (p *Printer) Compare(before, after string, r *compare.Result, verbose bool) {
	p.Heading("%s → %s", Clean(before), Clean(after))
	if r.Same() {
		p.Line("  %s", p.in.Render("Nothing changed."))
		return
	}
	t := &table{right: map[int]bool{1: true, 2: true, 3: true}}
	t.add("", p.dim.Render("before"), p.dim.Render("after"), p.dim.Render("change"))
	for _, row := range totalRows(r) {
		change := ""
		if d := row.is - row.was; d != 0 {
			color := p.warn.Render
			if d < 0 == row.lessIsMore {
				color = p.in.Render
			}
			change = color(signed(d, row.say))
		}
		t.add(row.what, row.say(row.was), row.say(row.is), change)
	}
	p.table(t)
	limit := 8
	if verbose {
		limit = 1 << 30
	}
	p.things("went", r.Went, limit)
	p.things("came", r.Came, limit)
	p.things("moved", r.Moved, limit)
	p.things("changed", r.Changed, limit)
	p.changes(r.Changes, limit)
	p.pagesOf("pages that are new", r.Added, limit)
	p.pagesOf("pages that are gone", r.Removed, limit)
	p.compared("findings mended", r.Mended, p.in.Render)
	p.compared("findings that are new", r.New, p.bad.Render)
	p.rests(r, limit)
}

// rests answers "and nothing else?".
func (p *Printer) rests(r *compare.Result, limit int) {
	p.Line("")
	lines := map[string]int{}
	for _, x := range r.Rests {
		lines[x.Page] = x.Lines
	}
	named := make([]string, len(r.Others))
	for i, path := range r.Others {
		named[i] = path
		if n := lines[path]; n > 0 {
			named[i] += fmt.Sprintf(" (%s)", wording.Count(n, "line"))
		}
	}
	if len(r.Others) > 0 {
		p.paragraph("",
			fmt.Sprintf("%s changed in something else than what is listed: %s",
				p.warn.Render(wording.Count(len(r.Others), "page")), wording.List(named, limit)))
		if shown := p.diffs(r.Rests); !shown {
			p.Line("  %s",
				p.dim.Render(
					"--verbose shows what, and so does naming a page: yellowgate compare BEFORE AFTER "+r.Others[0]))
		}
	}
	if len(r.Untold) > 0 {
		p.paragraph("", p.dim.Render(untold(r, limit)))
	}
	if len(r.Others)+len(r.Untold) == 0 {
		p.Line("%s", p.in.Render(nothingElse(r)))
	}
}

func nothingElse(r *compare.Result) string {
	return fmt.Sprintf("Nothing else changed on the %s that both sides have.",
		wording.Count(r.After.Pages-len(r.Added), "page"))
}

func untold(r *compare.Result, limit int) string {
	return fmt.Sprintf(
		"Whether anything else changed on %s is not known: a saved audit has no text. Compare two folders.",
		wording.List(r.Untold, limit))
}

// diffs writes what else differs, where that was asked for.
func (p *Printer) diffs(rests []compare.Rest) (shown bool) {
	for _, x := range rests {
		if x.Diff != "" {
			p.Line("")
			p.unified(x.Diff)
			shown = true
		}
	}
	return shown
}

// A totalRow is one total of two audits.
type totalRow struct {
	what       string
	was, is    int
	say        func(int) string
	lessIsMore bool
}

func totalRows(r *compare.Result) []totalRow {
	rows := []totalRow{
		{
			"pages", r.Before.Pages, r.After.Pages, number, false,
		}, {"requests of all pages", r.Before.Requests, r.After.Requests, number, true},
		{
			"blocking", r.Before.Blocking, r.After.Blocking, number, true,
		}, {"bytes", r.Before.Bytes, r.After.Bytes, bytesOf, true}, {"compressed", r.Before.Gzip, r.After.Gzip,
			bytesOf, true},
	}
	if f := r.Felt; f != nil {
		milliseconds := func(n int) string { return fmt.Sprint(n, " ms") }
		thousandths := func(n int) string { return fmt.Sprintf("%.3f", float64(n)/1000) }
		rows = append(rows, totalRow{"requests in the browser", f.Before.Requests, f.After.Requests, number, true},
			totalRow{"failed requests", f.Before.Failed, f.After.Failed, number, true},
			totalRow{"bytes over the wire", int(f.Before.Wire), int(f.After.Wire), bytesOf, true},
			totalRow{"largest paint, median", int(math.Round(f.Before.Paint)), int(math.Round(f.After.Paint)),
				milliseconds, true},
			totalRow{"layout shift, all pages", int(math.Round(f.Before.Shift * 1000)),
				int(math.Round(f.After.Shift * 1000)), thousandths, true},
			totalRow{"exceptions", f.Before.Exceptions, f.After.Exceptions, number, true})
	}
	return rows
}

// signed writes a change with its sign.
func signed(d int, say func(int) string) string {
	if d < 0 {
		return "−" + say(-d)
	}
	return "+" + say(d)
}

func number(n int) string { return fmt.Sprint(n) }

func bytesOf(n int) string { return wording.Size(int64(n)) }

func (p *Printer) things(word string, things []compare.Thing, limit int) {
	if len(things) == 0 {
		return
	}
	p.Heading("%s: %d", word, len(things))
	t := &table{right: map[int]bool{0: true, 3: true}, wide: []int{2}}
	t.add(p.dim.Render("pages"), p.dim.Render("what"), p.dim.Render("name"), p.dim.Render("bytes"),
		p.dim.Render("item"), p.dim.Render("where"))
	for i, x := range things {
		if i == limit {
			break
		}
		where := wording.List(x.Pages, 3)
		if x.From != "" {
			where = x.From + " → " + x.To
		}
		t.add(p.num.Render(fmt.Sprint(len(x.Pages))), x.Tag, Clean(x.What), bytesOf(x.Bytes), p.name.Render(x.Item),
			p.dim.Render(Clean(where)))
	}
	p.table(t)
	if len(things) > limit {
		p.Line("  %s", p.dim.Render(fmt.Sprintf("… and %d more: --verbose shows them", len(things)-limit)))
	}
}

func (p *Printer) pagesOf(title string, paths []string, limit int) {
	if len(paths) > 0 {
		p.Heading("%s: %d", title, len(paths))
		p.Line("  %s", wording.List(paths, limit))
	}
}

// compared writes findings by check, with their counts.
func (p *Printer) compared(title string, fs []check.Finding, color func(...string) string) {
	if len(fs) == 0 {
		return
	}
	p.Heading("%s: %d", title, len(fs))
	var order []string
	by := map[string][]check.Finding{}
	for _, f := range fs {
		if by[f.Check] == nil {
			order = append(order, f.Check)
		}
		by[f.Check] = append(by[f.Check], f)
	}
	t := &table{right: map[int]bool{0: true}, wide: []int{3}}
	for _, check := range order {
		f := by[check]
		var pages []string
		for _, x := range f {
			where := x.Page
			if where == "" { // of a file, or of the gate file
				where = Clean(x.File)
			}
			if n := len(pages); n == 0 || pages[n-1] != where {
				pages = append(pages, where)
			}
		}
		t.add(color(fmt.Sprint(len(f))), f[0].Severity.String(), p.name.Render(check),
			strings.TrimSpace(wording.List(pages, 4)))
	}
	p.table(t)
}
