package siteaudit

import (
	"cmp"
	"context"
	"slices"

	"yellowgate/internal/browser"
	"yellowgate/internal/core/check"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/weburl"
	"yellowgate/internal/result"
	"yellowgate/internal/visits"
)

// browse starts the browser of an audit.
func (s *auditing) browse(ctx context.Context) (err error) {
	o := s.Browser
	if o.Running != "" {
		o.Visit = []string{weburl.OriginOf(o.Running)}
		s.browser, err = browser.Start(ctx, o.Options, nil)
		return err
	}
	address, base := s.Address, s.result.Below
	if s.Project != nil {
		address, base = s.Project.Gate.File.Site.URL.Value, s.Project.Gate.Site.BasePath()
	}
	byKey := map[string]*page.Page{}
	for _, p := range s.pages {
		if src := s.sources[p.File]; p.Answer == nil && src != nil { // what is made of a page is sent like the page
			p.Answer = src.Answer
		}
		byKey[p.Key()] = &p
	}
	text := func(p *page.Page) ([]byte, error) { return s.from.Read(p.File) }
	s.browser, err = browser.Start(ctx, o.Options, visits.Browsed(address, base, byKey, text, s.read))
	return err
}

// gateOf is the gate of the project; nil for none.
func (s *auditing) gateOf() *pageedit.Gate {
	if s.Project == nil {
		return nil
	}
	return s.Project.Gate
}

// open opens a page that is audited in the browser, on each screen. source is what the gate made of
// its source; nil for none.
func (s *auditing) open(pass *check.Pass, known page.Page, source *pageedit.Result) {
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
				visits.Settle(o, known, s.Project.Gate, source, s.weights)
			} else {
				visits.SettleAlone(o, known, s.site, s.weights)
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
func (s *auditing) addressOf(known page.Page) string {
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
func (s *auditing) measuredAgain(pass *check.Pass, r *result.Opened,
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
