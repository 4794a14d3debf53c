package run

import (
	"bytes"
	"slices"
	"strings"
	"time"

	"github.com/aymanbagabas/go-udiff"

	"yellowgate/internal/core/gating"
	"yellowgate/internal/core/presence"
	"yellowgate/internal/output"
	"yellowgate/internal/site"
)

// DiffResult is what apply would change.
type DiffResult struct {
	Pages   []PageDiff `json:"pages"`   // that apply would write
	Items   []ItemDiff `json:"items"`   // that come or go somewhere
	Breaks  []Break    `json:"breaks"`  // items that go from pages which seem to need them
	Gone    []string   `json:"gone"`    // pages of the output whose source is gone
	Total   int        `json:"total"`   // pages looked at
	Applied time.Time  `json:"applied"` // when the oldest of the pages behind was applied; zero if never
	Last    time.Time  `json:"last"`    // when anything was applied last
}

// Behind reports whether any page is behind.
func (d *DiffResult) Behind() bool { return len(d.Pages) > 0 }

// A PageDiff is one page that apply would write.
type PageDiff struct {
	Page    string   `json:"page"`
	File    string   `json:"file"`
	New     bool     `json:"new"`    // it is not in the output folder
	Edited  bool     `json:"edited"` // it was changed since it was applied
	Gained  []string `json:"gained"` // items
	Lost    []string `json:"lost"`
	Unified string   `json:"diff"`
	Added   int      `json:"added"` // lines
	Removed int      `json:"removed"`
}

// A Break is an item that goes from a page which seems to need it.
type Break struct {
	Page string `json:"page"`
	Item string `json:"item"`
	What string `json:"what"` // would break
}

// An ItemDiff is one item with the pages that gain and lose it.
type ItemDiff struct {
	Item   string   `json:"item"`
	Gained []string `json:"gained"`
	Lost   []string `json:"lost"`
}

// Diff compares the output folder with what apply would write, for the pages
// that a query chooses.
func Diff(p *site.Project, query string, progress Progress) (*DiffResult, error) {
	if p.Output == "" {
		return nil, &site.UsageError{Message: "the gate file names no output folder", Remedy: "add under site: output: FOLDER"}
	}
	var q *Query
	if query != "" {
		var err error
		if q, err = ParseQuery(p, query); err != nil {
			return nil, err
		}
	}
	ledger, err := output.OpenLedger(p)
	if err != nil {
		return nil, err
	}
	d := &DiffResult{Pages: []PageDiff{}, Items: []ItemDiff{}, Breaks: []Break{}, Gone: []string{}, Last: ledger.Last()}
	for _, it := range p.Gate.File.Items {
		d.Items = append(d.Items, ItemDiff{Item: it.Name, Gained: []string{}, Lost: []string{}})
	}
	var problems []gating.Problem
	losses := newLosses(p)
	err = all(p, progress, func(_ int, r *gating.Result) error {
		if q != nil && !q.Chooses(r.View) {
			return nil
		}
		d.Total++
		problems = append(problems, r.Problems...)
		st, err := ledger.Status(r.Page.File)
		if err != nil || bytes.Equal(st.Text, r.File) && st.State != output.Missing {
			return err
		}
		d.page(p, r, st)
		d.breaks(losses, r, st.Text)
		return nil
	})
	if err != nil {
		return nil, err
	}
	if err := gatefileErrors(site.GroupProblems(p.Gate.File, problems)); err != nil {
		return nil, err
	}
	if q == nil {
		d.Gone = ledger.Gone(p.Files)
	}
	kept := d.Items[:0]
	for _, it := range d.Items {
		if len(it.Gained)+len(it.Lost) > 0 {
			kept = append(kept, it)
		}
	}
	d.Items = kept
	return d, nil
}

// page compares one page that apply would write.
func (d *DiffResult) page(p *site.Project, r *gating.Result, st output.Status) {
	x := PageDiff{Page: r.Page.Path, File: r.Page.File, New: st.State == output.Missing, Edited: st.State == output.Edited, Gained: []string{}, Lost: []string{}}
	if !st.Applied.IsZero() && (d.Applied.IsZero() || st.Applied.Before(d.Applied)) {
		d.Applied = st.Applied
	}
	before, after := map[string]bool{}, itemsOf(p, r, r.File)
	if !x.New {
		before = itemsOf(p, r, st.Text)
	}
	for i, it := range p.Gate.File.Items {
		switch {
		case after[it.Name] && !before[it.Name]:
			x.Gained = append(x.Gained, it.Name)
			d.Items[i].Gained = append(d.Items[i].Gained, x.Page)
		case before[it.Name] && !after[it.Name]:
			x.Lost = append(x.Lost, it.Name)
			d.Items[i].Lost = append(d.Items[i].Lost, x.Page)
		}
	}
	if !x.New {
		x.Unified = udiff.Unified("applied/"+x.File, "next/"+x.File, forDiff(st.Text), forDiff(r.File))
		for line := range strings.Lines(x.Unified) {
			switch {
			case strings.HasPrefix(line, "+++"), strings.HasPrefix(line, "---"):
			case line[0] == '+':
				x.Added++
			case line[0] == '-':
				x.Removed++
			}
		}
	}
	d.Pages = append(d.Pages, x)
}

// breaks looks whether the page that was compared last seems to need what it loses.
func (d *DiffResult) breaks(l *losses, r *gating.Result, text []byte) {
	x := &d.Pages[len(d.Pages)-1]
	if len(x.Lost) == 0 || r.Fragment {
		return
	}
	before := takeOwned(text, r.Page, l.project, l.judge.weights)
	for _, b := range l.lost(before, r, func(item string) bool { return slices.Contains(x.Lost, item) }) {
		d.Breaks = append(d.Breaks, Break{x.Page, b.Item, b.What})
	}
}

// forDiff is the text of a page as UTF-8, for reading.
func forDiff(b []byte) string { return strings.ToValidUTF8(string(b), "\uFFFD") }

// itemsOf looks at a page for the items that are on it: by mark, URL, text or
// matcher.
func itemsOf(p *site.Project, r *gating.Result, text []byte) map[string]bool {
	out := map[string]bool{}
	record := takeGated(text, r.Page, p, nil)
	if record.Fragment || r.Fragment {
		return out
	}
	for _, name := range Marks(record.Scan) {
		out[name] = true
	}
	g := presence.Hold(record, p.Gate, r)
	for i, it := range p.Gate.File.Items {
		if g.Items[i].Copies() > 0 {
			out[it.Name] = true
		}
	}
	return out
}
