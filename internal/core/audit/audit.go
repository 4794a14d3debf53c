// Package audit puts together what the checks say of the pages of a site: the findings with the
// severity that they have there, how each item stands on all pages, what each page costs, and
// the totals. It knows no check by name.
//
// What the audit of one page came to is a Page: a value that can be written down, and read back
// by the next audit, or by another machine. A Sum takes pages in, in the order of their paths,
// wherever they come from.
package audit

import (
	"iter"
	"slices"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/checks"
	"yellowgate/internal/core/checks/gate"
	"yellowgate/internal/core/checks/loading"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/itemmatch"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/pageload"
	"yellowgate/internal/core/problem"
)

// A PageResult is what the audit of one page came to.
type PageResult struct {
	Path     string `json:"path"`
	File     string `json:"file"`
	Fragment bool   `json:"fragment,omitempty"` // no page of its own: not gated, and not among the pages
	Aside    bool   `json:"aside,omitempty"`    // nobody looks for it
	Requests int    `json:"requests"`
	Blocking int    `json:"blocking"`           // requests that the first paint waits for
	Bytes    int    `json:"bytes"`              // with what it loads
	Unneeded int    `json:"unneeded,omitempty"` // of these: stylesheets none of whose selectors matches

	Findings []check.Finding `json:"findings,omitempty"` // as the checks report them
	Facts    checks.Facts    `json:"facts"`
	Items    []ItemResult    `json:"items,omitempty"` // by number; none where the page was not compared with a gate
	Lines    *gate.Lines     `json:"lines,omitempty"` // what the lines of the gate file do on it
	// Lives are the entries of accept whose pages choose it.
	Lives []int `json:"lives,omitempty"`
}

// An ItemResult is how one item stands on a page.
type ItemResult struct {
	In     bool `json:"in,omitempty"`
	Copies int  `json:"copies,omitempty"` // whole ones that the page has
	Gone   bool `json:"gone,omitempty"`   // found parts that its source has and the page lacks
	Seen   bool `json:"seen,omitempty"`   // a browser asked for it, or has it in its document
}

// A GateSummary is what an audit needs of a gate file; the zero value is for an audit without one.
type GateSummary struct {
	tally      *gate.Tally
	settlement *check.Settlement
	items      []*gatefile.Item
}

// NewGate prepares a gate for an audit.
func NewGate(g *pageedit.Gate) GateSummary {
	return GateSummary{gate.NewTally(g), check.Settle(g.File), g.File.Items}
}

// PageOf writes down what came of a page: its record, what the gate made of its source and what
// the page has of that (both nil where there is no source page), and the pass in which the
// checks are run.
func (g GateSummary) PageOf(pass *check.Pass, source *pageedit.Result, gated *itemmatch.Comparison) *PageResult {
	r := pass.Record
	cost := r.Cost()
	a := &PageResult{
		Path: r.Path, File: r.File, Fragment: r.Fragment, Requests: cost.Requests, Blocking: cost.Blocking,
		Bytes: r.Bytes + cost.Loaded,
	}
	a.Findings, a.Facts = checks.RunPage(pass)
	a.Unneeded, a.Aside = loading.UnneededBytes(pass), pass.PageAt().Aside
	if source != nil && g.tally != nil {
		a.Lines = g.tally.Look(source)
		a.Lives = g.settlement.Lives(&source.Page)
	}
	if gated != nil {
		a.Items = make([]ItemResult, len(gated.Items))
		for i := range gated.Items {
			a.Items[i] = ItemResult{
				source.Verdicts[i].In,
				gated.Items[i].Copies(),
				len(gated.Items[i].Gone) > 0,
				seen(pass, source.Verdicts[i].Item.Name),
			}
		}
	}
	return a
}

// seen reports whether a browser asked for an item, or had it in its document.
func seen(pass *check.Pass, item string) bool {
	return slices.ContainsFunc(pass.Rendered, func(r *pageload.Record) bool { return r.Has(item) })
}

// Totals counts findings by severity.
type Totals struct {
	Errors   int `json:"errors"`
	Warnings int `json:"warnings"`
	Notes    int `json:"notes"`
	Accepted int `json:"accepted"`
}

// Add counts a finding.
func (t *Totals) Add(s problem.Severity) {
	switch s {
	case problem.Error:
		t.Errors++
	case problem.Warning:
		t.Warnings++
	default:
		t.Notes++
	}
}

// Worst is the severity of the worst finding; any is false where there is none.
func (t Totals) Worst() (worst problem.Severity, any bool) {
	switch {
	case t.Errors > 0:
		return problem.Error, true
	case t.Warnings > 0:
		return problem.Warning, true
	}
	return problem.Note, t.Notes > 0
}

// ItemSum is one item over all pages: what the gate says and what is there.
type ItemSum struct {
	Item    *gatefile.Item
	In      int // pages on which the gate lets it in
	Present int // pages that have it
	Missing int // pages on which it is in and not whole
	Leaked  int // pages on which it is out and there
	Differs int // pages on which it is in and not as the gate writes it
	May     int // pages on which it may stay and that never had it: found parts alone
	Seen    int // pages on which a browser asked for it or has it
	Gone    int // pages whose source has it, and that lack it or some of it: found parts
}

// PageSum is one page: what it costs a visitor and what was found on it.
type PageSum struct {
	Path                    string
	Requests, Blocking      int
	Bytes                   int // with what it loads
	Unneeded                int // of these: stylesheets none of whose selectors matches
	Errors, Warnings, Notes int
}

// A SiteResult is what the pages come to.
type SiteResult struct {
	GateSummary
	// NoNotes: notes are counted and left out.
	NoNotes bool

	Gathered  *check.Gathered
	Fragments int
	Requests  int   // of all pages
	Bytes     int64 // that all pages load, their own HTML included
	Unneeded  int64 // of them: stylesheets that match nothing
	Items     []ItemSum
	Pages     []PageSum // that are no fragments
	Totals    Totals

	lives map[string][]int // by the key of a page: see Page.Lives
}

// NewSiteResult begins without a page.
func NewSiteResult(g GateSummary) *SiteResult {
	s := &SiteResult{GateSummary: g, Gathered: checks.NewGathered()}
	for _, it := range g.items {
		s.Items = append(s.Items, ItemSum{Item: it})
	}
	return s
}

// Add takes a page in and returns its findings as they are here: with the severity that they
// have, without those that the owner lives with or does not ask for, which are counted.
func (s *SiteResult) Add(a *PageResult) []check.Finding {
	if s.tally != nil {
		s.tally.Add(a.Path, a.Lines)
	}
	if len(a.Lives) > 0 {
		if s.lives == nil {
			s.lives = map[string][]int{}
		}
		s.lives[page.Key(a.Path)] = a.Lives
	}
	s.Requests += a.Requests
	s.Bytes += int64(a.Bytes)
	if a.Fragment {
		s.Fragments++
	} else {
		s.Unneeded += int64(a.Unneeded)
		s.Pages = append(s.Pages,
			PageSum{Path: a.Path, Requests: a.Requests, Blocking: a.Blocking, Bytes: a.Bytes, Unneeded: a.Unneeded})
		s.Gathered.Add(check.PageAt{Path: a.Path, File: a.File, Aside: a.Aside}, a.Facts)
	}
	s.count(a)
	return s.settle(slices.Clone(a.Findings), a.Lives)
}

// Again returns what Add did for the findings of a page, and counts nothing.
func (s *SiteResult) Again(findings []check.Finding, lives []int) []check.Finding {
	totals := s.Totals
	defer func() { s.Totals = totals }()
	return s.settle(findings, lives)
}

// count counts how the items stand on a page.
func (s *SiteResult) count(a *PageResult) {
	if a.Items == nil {
		return
	}
	for i, x := range a.Items {
		it := &s.Items[i]
		if x.Copies > 0 {
			it.Present++
		}
		if x.Seen {
			it.Seen++
		}
		if x.In {
			it.In++
			if x.Gone {
				it.Gone++
			} else if it.Item.FoundOnly() && x.Copies == 0 {
				it.May++
			}
		}
	}
	type saying struct {
		item string
		says check.Said
	}
	said := map[saying]bool{} // an item counts a page once
	for i := range a.Findings {
		f := &a.Findings[i]
		c := checks.Named(f.Check)
		if f.Item == "" || c == nil || c.Says == check.Nothing || said[saying{f.Item, c.Says}] {
			continue
		}
		said[saying{f.Item, c.Says}] = true
		n := slices.IndexFunc(s.Items, func(it ItemSum) bool { return it.Item.Name == f.Item })
		if n < 0 {
			continue
		}
		switch c.Says {
		case check.Missing:
			s.Items[n].Missing++
		case check.Leaked:
			s.Items[n].Leaked++
		case check.Differs:
			s.Items[n].Differs++
		}
	}
}

// settle gives findings the severity that they have here, and counts those that are left out.
func (s *SiteResult) settle(fs []check.Finding, lives []int) []check.Finding {
	kept := fs[:0]
	for _, f := range fs {
		keep, accepted := s.settlement.Apply(&f, lives)
		switch {
		case accepted:
			s.Totals.Accepted++
		case !keep:
		case f.Severity == problem.Note && s.NoNotes && !checks.IsWhole(f.Check):
			s.Totals.Notes++
		default:
			kept = append(kept, f)
		}
	}
	return kept
}

// OfSite returns the findings that only all pages together show: those of the checks of the
// site, of the lines of the gate file, and others that the caller has.
func (s *SiteResult) OfSite(pass *check.SitePass, others []check.Finding) (out []check.Finding) {
	pass.Gathered = s.Gathered
	all := append(checks.RunSite(pass), others...)
	if s.tally != nil {
		all = append(all, s.tally.Findings()...)
	}
	for _, f := range all {
		out = append(out, s.settle([]check.Finding{f}, s.lives[page.Key(f.Page)])...)
	}
	return out
}

// IsNote reports whether a finding is a note.
func IsNote(f check.Finding) bool { return f.Severity == problem.Note }

// DropsNote reports whether a finding is a note that nobody asks for, which is counted then.
func (s *SiteResult) DropsNote(f check.Finding) bool {
	if IsNote(f) {
		s.Totals.Notes++
	}
	return IsNote(f)
}

// Count counts findings by severity, in all and by page, beside what is counted already.
func (s *SiteResult) Count(findings iter.Seq[check.Finding]) {
	t := Count(s.Pages, findings)
	s.Totals.Errors += t.Errors
	s.Totals.Warnings += t.Warnings
	s.Totals.Notes += t.Notes
}

// Count counts findings by severity, and sets the counts of the pages.
func Count(pages []PageSum, findings iter.Seq[check.Finding]) (t Totals) {
	at := make(map[string]*PageSum, len(pages))
	for i := range pages {
		p := &pages[i]
		p.Errors, p.Warnings, p.Notes = 0, 0, 0
		at[p.Path] = p
	}
	for f := range findings {
		p := at[f.Page]
		if p == nil {
			p = &PageSum{} // of no page
		}
		t.Add(f.Severity)
		switch f.Severity {
		case problem.Error:
			p.Errors++
		case problem.Warning:
			p.Warnings++
		default:
			p.Notes++
		}
	}
	return t
}
