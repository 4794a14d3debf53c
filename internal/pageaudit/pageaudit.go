// Package pageaudit audits one page: it takes the page's record, compares it with what the gate makes of the page's
// source, opens it in a browser where that is wanted, and runs the checks.
package pageaudit

import (
	"bytes"

	"yellowgate/internal/browser"
	"yellowgate/internal/core/audit"
	"yellowgate/internal/core/check"
	"yellowgate/internal/core/checks/gate"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/itemmatch"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/pageload"
	"yellowgate/internal/core/weburl"
	"yellowgate/internal/project"
	"yellowgate/internal/publish"
	"yellowgate/internal/result"
	"yellowgate/internal/visits"
)

// Options say what is looked at besides the text of a page.
type Options struct {
	Browser *visits.Browsing   // opens the pages, too; nil for an audit of their text
	Saved   []*pageload.Record // what a browser made of pages, recorded before
	Names   *pageedit.Gate     // names the items of elements where there is no project; what loads nothing is noted, too
}

// An Auditor audits the pages of one site, several at a time.
type Auditor struct {
	Options
	Project  *project.Project  // nil without a gate file
	Site     *weburl.SiteURL   // how the pages are addressed
	Gate     audit.GateSummary // that pages are compared with
	Verdicts bool              // are asked for
	ledger   *publish.Ledger   // of the output, if that is what is audited
	browser  *browser.Browser
	removals visits.Removals
}

// New is an Auditor of the pages of a project, those of its output or others; or where there is none, of a site at an
// address.
func New(o Options, p *project.Project, output bool, address string) (*Auditor, error) {
	s := &Auditor{Options: o, Project: p, Site: weburl.NewSite(address)}
	if p == nil {
		return s, nil
	}
	s.Site, s.Gate = p.Gate.Site, audit.NewGate(p.Gate)
	if output {
		var err error
		if s.ledger, err = publish.OpenLedger(p); err != nil {
			return nil, err
		}
	}
	return s, nil
}

// Below says that the pages are below a path of a host that nobody names.
func (s *Auditor) Below(path string) { s.Site = weburl.NewSite(weburl.NoSite + path) }

// OfOutput reports whether the pages are those of the gate file's output.
func (s *Auditor) OfOutput() bool { return s.ledger != nil }

// Audited is what one page came to.
type Audited struct {
	*audit.PageResult
	Record   *inventory.Record
	Verdicts []result.Gated
	Rendered []*pageload.Record
	State    check.OutputState
}

// Look takes the record of a page and runs the checks on it. src is the page of the source that
// it was made of, and text its bytes; nil for none.
func (s *Auditor) Look(file []byte, known page.Page, text []byte, src *page.Page,
	weights inventory.Weights, of *check.Site) (a Audited) {
	pass := &check.Pass{Site: of}
	var source *pageedit.Result
	if s.Project != nil {
		taken := itemmatch.Take(file, known, s.Project.Gate, weights)
		pass.Record = taken.Record
		if src != nil {
			source = s.Project.Gate.Page(text, *src)
			if !source.Fragment && !taken.Fragment {
				pass.Gated = itemmatch.Compare(taken, source)
			}
			if s.ledger != nil && !bytes.Equal(file, source.File) {
				pass.State = s.State(known.File)
			}
		}
	} else {
		pass.Record = s.take(file, known, weights)
	}
	s.open(pass, known, source, weights)
	a.Record, a.State, a.Rendered = pass.Record, pass.State, pass.Rendered
	a.PageResult = s.Gate.PageOf(pass, source, pass.Gated)
	if s.Names != nil && !a.Record.Fragment {
		itemmatch.NameAll(a.Record, s.Names)
	}
	if pass.Gated != nil && s.Verdicts {
		for i := range source.Verdicts {
			a.Verdicts = append(a.Verdicts, result.GatedOf(a.Record.Path, &source.Verdicts[i], a.PageResult.Items[i].Copies))
		}
	}
	return a
}

// take takes the record of a page that is compared with no gate.
func (s *Auditor) take(file []byte, known page.Page, weights inventory.Weights) *inventory.Record {
	if s.Names == nil {
		return inventory.Take(file, known, s.Site, weights)
	}
	src := markup.ReadAs(file, known.Answer.Charset())
	return inventory.TakeScanned(src, s.Names.ScanAll(src), known, s.Site, weights)
}

// State says why an output is not what apply would write now.
func (s *Auditor) State(file string) check.OutputState {
	st, err := s.ledger.Status(file)
	if err == nil && (st.State == publish.Edited || st.State == publish.Unknown) {
		return check.Edited
	}
	return check.Stale
}

// NotApplied reports source pages that the output folder, whose pages are given, lacks.
func (s *Auditor) NotApplied(pages []page.Page) (out []check.Finding) {
	if s.ledger == nil {
		return nil
	}
	have := map[string]bool{}
	for i := range pages {
		have[pages[i].File] = true
	}
	for i := range s.Project.Pages {
		if p := &s.Project.Pages[i]; !have[p.File] {
			out = append(out, gate.NotApplied(p.Path, p.File))
		}
	}
	return out
}
