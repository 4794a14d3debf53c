// Package sitediff compares the output folder with what apply would write: pages, items, what else differs.
package sitediff

import (
	"bytes"
	"context"
	"slices"
	"strings"

	"github.com/aymanbagabas/go-udiff"

	"yellowgate/internal/core/gatecheck"
	"yellowgate/internal/core/itemmatch"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pagechange"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/failure"
	"yellowgate/internal/parallel"
	"yellowgate/internal/project"
	"yellowgate/internal/publish"
	"yellowgate/internal/result"
	"yellowgate/internal/sitecheck"
)

// Diff compares the output folder with what apply would write, for the pages
// that a query chooses. A page that is not there yet is compared with its source.
func Diff(ctx context.Context, p *project.Project, query string, progress parallel.Progress) (*result.Diff, error) {
	if p.Output == "" {
		return nil, &failure.Usage{
			Message: "the gate file names no output folder",
			Remedy:  "add under site: output: FOLDER",
		}
	}
	var q *project.Query
	if query != "" {
		var err error
		if q, err = project.ParseQuery(p, query); err != nil {
			return nil, err
		}
	}
	ledger, err := publish.OpenLedger(p)
	if err != nil {
		return nil, err
	}
	d := &result.Diff{
		Pages:   []result.PageDiff{},
		Items:   []result.ItemDiff{},
		Breaks:  []result.Break{},
		Gone:    []string{},
		Others:  []string{},
		Blocked: []string{},
		Last:    ledger.Last(),
	}
	for _, it := range p.Gate.File.Items {
		d.Items = append(d.Items, result.ItemDiff{Item: it.Name, Gained: []string{}, Lost: []string{}, Replaced: []string{}})
	}
	x := &diffing{Project: p, diff: d, ledger: ledger, query: q, rebuilt: p.Rebuilt()}
	x.judge, _ = sitecheck.NewJudge(p)
	err = project.GateAll(ctx, p, progress, func(_ int, r *pageedit.Result) error { return x.add(r) })
	if err != nil {
		return nil, err
	}
	if err := project.Refusal(project.GroupProblems(p.Gate.File, x.problems)); err != nil {
		return nil, err
	}
	if q == nil {
		d.Gone = ledger.Gone(p.Files)
		others, blocked, err := ledger.Others(p)
		if err != nil {
			return nil, err
		}
		d.Others, d.Blocked = append(d.Others, others...), append(d.Blocked, blocked...)
	}
	d.Items = slices.DeleteFunc(d.Items, func(it result.ItemDiff) bool {
		return len(it.Gained)+len(it.Lost)+len(it.Replaced) == 0
	})
	d.Changes = x.changes.List()
	return d, nil
}

// diffing is what is gathered while the pages are compared.
type diffing struct {
	*project.Project
	diff    *result.Diff
	ledger  *publish.Ledger
	query   *project.Query // nil for all pages
	judge   *gatecheck.Judge
	rebuilt func(*page.Page, []byte) []string

	problems []pageedit.Problem
	changes  pagechange.Groups
}

// add compares a page with its output.
func (x *diffing) add(r *pageedit.Result) error {
	d := x.diff
	if x.query != nil {
		if chosen, err := x.query.Chooses(r.View); err != nil || !chosen {
			return err
		}
	}
	if r.Fragment {
		d.Fragments++
	} else {
		d.Total++
	}
	x.problems = append(x.problems, r.Problems...)
	st, err := x.ledger.Status(r.Page.File)
	if err != nil || bytes.Equal(st.Text, r.File) && st.State != publish.Missing {
		return err
	}
	if st.State == publish.Unknown {
		d.Blocked = append(d.Blocked, r.Page.File)
	}
	if st.State == publish.Missing { // visitors have the source page, as far as anybody knows
		st.Text = r.Original
	}
	x.changes.Add(r.Page.Path, diffPage(d, x.Project, r, st))
	addBreaks(d, x.judge, r, st.Text)
	for _, p := range gatecheck.Rebuilt(r, x.rebuilt(&r.Page, r.Original)) {
		d.Breaks = append(d.Breaks, result.Break{Page: p.Page, Item: p.Item, What: p.Message, In: true})
	}
	return nil
}

// diffPage compares one page that apply would write, and lists what changes on it.
func diffPage(d *result.Diff, p *project.Project, r *pageedit.Result, st publish.Status) (changes []pagechange.Change) {
	x := result.PageDiff{
		Page:   r.Page.Path,
		File:   r.Page.File,
		New:    st.State == publish.Missing,
		Base:   "applied",
		Edited: st.State == publish.Edited,
		Gained: []string{},
		Lost:   []string{},
	}
	if !st.Applied.IsZero() && (d.Applied.IsZero() || st.Applied.Before(d.Applied)) {
		d.Applied = st.Applied
	}
	if x.New {
		x.Base = "source"
	}
	was, before, replaced := itemsOf(p, r, st.Text)
	is, after, _ := itemsOf(p, r, r.File)
	if !r.Fragment {
		changes = pagechange.Between(was.Side(), is.Side())
	}
	for i, it := range p.Gate.File.Items {
		if replaced[it.Name] {
			d.Items[i].Replaced = append(d.Items[i].Replaced, x.Page)
		}
		switch {
		case after[it.Name] && !before[it.Name]:
			x.Gained = append(x.Gained, it.Name)
			d.Items[i].Gained = append(d.Items[i].Gained, x.Page)
		case before[it.Name] && !after[it.Name]:
			x.Lost = append(x.Lost, it.Name)
			d.Items[i].Lost = append(d.Items[i].Lost, x.Page)
		}
	}
	x.Unified = udiff.Unified(x.Base+"/"+x.File, "next/"+x.File, forDiff(st.Text), forDiff(r.File))
	for line := range strings.Lines(x.Unified) {
		switch {
		case strings.HasPrefix(line, "+++"), strings.HasPrefix(line, "---"):
		case line[0] == '+':
			x.Added++
		case line[0] == '-':
			x.Removed++
		}
	}
	d.Pages = append(d.Pages, x)
	return changes
}

// breaks looks whether the page that was compared last seems to need what it loses.
func addBreaks(d *result.Diff, j *gatecheck.Judge, r *pageedit.Result, text []byte) {
	x := &d.Pages[len(d.Pages)-1]
	if len(x.Lost) == 0 || r.Fragment {
		return
	}
	before := j.Owned(text, r.Page)
	for _, b := range j.Lost(before, r, func(item string) bool { return slices.Contains(x.Lost, item) }) {
		d.Breaks = append(d.Breaks, result.Break{Page: x.Page, Item: b.Item, What: b.What})
	}
}

// forDiff is the text of a page as UTF-8, for reading.
func forDiff(b []byte) string { return strings.ToValidUTF8(string(b), "\uFFFD") }

// itemsOf looks at a page for the items that are on it: by mark, URL, text or
// matcher; and for elements that items replace.
func itemsOf(p *project.Project, r *pageedit.Result,
	text []byte) (g *itemmatch.Comparison, out, replaced map[string]bool) {
	out, replaced = map[string]bool{}, map[string]bool{}
	g = itemmatch.Read(text, r, p.Gate, nil)
	if g.Items == nil {
		return g, out, replaced
	}
	for _, name := range g.Record.Scan.RegionNames() {
		out[name] = true
	}
	for i, it := range p.Gate.File.Items {
		if g.Items[i].Copies() > 0 {
			out[it.Name] = true
		}
		replaced[it.Name] = len(g.Items[i].Replaced) > 0
	}
	return g, out, replaced
}
