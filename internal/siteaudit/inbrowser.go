package siteaudit

import (
	"context"
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
		o := &result.Opened{Text: pass.Record}
		visit := s.browser.Visit
		if s.Browser.Pictures {
			visit = s.browser.VisitSeen
		}
		if s.Browser.Running != "" {
			o.Record = visit(weburl.OriginOf(s.Browser.Running)+page.URLPath(known.Path), screen)
		} else {
			base := ""
			if s.Project != nil {
				base = s.Project.Gate.Site.BasePath()
			}
			o.Record = visit(base+known.Path, screen)
		}
		o.Path, o.File = known.Path, known.File
		if s.Project != nil {
			visits.Settle(o, known, s.Project.Gate, source, s.weights)
		} else {
			visits.SettleAlone(o, known, s.site, s.weights)
		}
		o.HTML, o.Nodes = nil, nil
		pass.Rendered = append(pass.Rendered, o.Record)
	}
}
