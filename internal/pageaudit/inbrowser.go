package pageaudit

import (
	"cmp"
	"context"
	"runtime"
	"slices"

	"yellowgate/internal/browser"
	"yellowgate/internal/core/check"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/weburl"
	"yellowgate/internal/result"
	"yellowgate/internal/visits"
)

// Browse starts the browser of an audit, for the pages of a folder by their keys, below a path of an address; text
// gives what a page is, read a file of the folder.
func (s *Auditor) Browse(ctx context.Context, address, base string, pages map[string]*page.Page,
	text func(*page.Page) ([]byte, error), read func(string) ([]byte, bool)) (err error) {
	o := s.Browser
	var of *browser.ServedSite
	if o.Running != "" {
		o.Visit = []string{weburl.OriginOf(o.Running)}
	} else {
		of = visits.Browsed(address, base, pages, text, read)
	}
	s.browser, err = browser.Start(ctx, o.Options, of)
	return err
}

// AtATime is how many pages are audited at a time.
func (s *Auditor) AtATime() int {
	if s.browser != nil {
		return s.browser.AtATime()
	}
	return runtime.GOMAXPROCS(0)
}

// Close ends the browser.
func (s *Auditor) Close() {
	if s.browser != nil {
		s.browser.Close()
	}
}

// gateOf is the gate of the project; nil for none.
func (s *Auditor) gateOf() *pageedit.Gate {
	if s.Project == nil {
		return nil
	}
	return s.Project.Gate
}

// open opens a page that is audited in the browser, on each screen. source is what the gate made of
// its source; nil for none.
func (s *Auditor) open(pass *check.Pass, known page.Page, source *pageedit.Result,
	weights inventory.Weights) {
	if pass.Fragment {
		return
	}
	for _, r := range s.Saved {
		if page.Key(r.Path) == page.Key(known.Path) {
			if len(r.Elements) == 0 {
				r.Settle(pass.Base)
				r.Adopt(nil, pass.Record, s.gateOf())
			}
			pass.Rendered = append(pass.Rendered, r)
		}
	}
	if s.browser == nil {
		return
	}
	for _, screen := range s.Browser.Screens {
		by := func(visit browser.Visiting) *result.Opened {
			o := &result.Opened{Text: pass.Record, Record: visit(s.addressOf(known), screen)}
			o.Path, o.File = known.Path, known.File
			if s.Project != nil {
				visits.Settle(o, known, s.Project.Gate, source, weights)
			} else {
				visits.SettleAlone(o, known, s.Site, weights)
			}
			o.HTML, o.Nodes = nil, nil
			return o
		}
		visit := s.browser.Visit
		if s.Browser.Pictures {
			visit = s.browser.VisitSeen
		}
		r := s.measuredAgain(pass, by(visit), by)
		s.removals.Trace(check.TakenApart(pass, r.Record), func() *result.Opened { return by(s.browser.VisitTraced) })
		pass.Rendered = append(pass.Rendered, r.Record)
	}
}

// addressOf is where the browser finds a page.
func (s *Auditor) addressOf(known page.Page) string {
	switch {
	case s.Browser.Running != "":
		return weburl.OriginOf(s.Browser.Running) + page.URLPath(known.Path)
	case s.Project != nil:
		return s.Project.Gate.Site.BasePath() + known.Path
	}
	return known.Path
}

// measuredAgain is the visit of a page that counts. What breaks a budget may do so because the machine was busy: the
// page is opened again, alone, until two visits agree, three times at most, and the middle one counts.
func (s *Auditor) measuredAgain(pass *check.Pass, r *result.Opened,
	by func(browser.Visiting) *result.Opened) *result.Opened {
	over := func(r *result.Opened) bool { return check.Excess(pass, r.Record) > 1 }
	if !over(r) {
		return r
	}
	var again []*result.Opened
	for len(again) < 2 || len(again) < 3 && over(again[0]) != over(again[1]) {
		x := by(s.browser.VisitAlone)
		if x.Unread != "" {
			return r
		}
		x.Picture = r.Picture
		again = append(again, x)
	}
	slices.SortStableFunc(again, func(a, b *result.Opened) int {
		return cmp.Compare(check.Excess(pass, a.Record), check.Excess(pass, b.Record))
	})
	return again[(len(again)-1)/2]
}
