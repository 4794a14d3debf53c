package siteaudit

import (
	"strings"

	"yellowgate/internal/browser"
	"yellowgate/internal/core/check"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/weburl"
	"yellowgate/internal/result"
	"yellowgate/internal/visits"
)

// browse starts the browser of an audit.
func (s *auditing) browse() (err error) {
	o := s.Browser
	if o.Running != "" {
		o.Visit = []string{weburl.OriginOf(o.Running)}
		s.browser, err = browser.Start(o.Context, o.Options, nil)
		return err
	}
	address, base := s.Address, ""
	if s.Project != nil {
		address, base = s.Project.Gate.File.Site.URL.Value, s.Project.Gate.Site.BasePath()
	}
	byKey := map[string]*page.Page{}
	for i := range s.pages {
		byKey[s.pages[i].Key()] = &s.pages[i]
	}
	s.browser, err = browser.Start(o.Context, o.Options, &browser.Site{Address: visits.AddressFor(address),
		Page: func(path string) ([]byte, *page.Answer) {
			pg := byKey[page.Key(strings.TrimPrefix(path, base))]
			if pg == nil {
				return nil, nil
			}
			text, err := s.from.Read(pg.File)
			if err != nil {
				return nil, nil
			}
			answer := pg.Answer
			if src := s.sources[pg.File]; answer == nil && src != nil {
				answer = src.Answer
			}
			return text, answer
		},
		File: func(path string) []byte {
			b, _ := s.read(strings.TrimPrefix(path, base))
			return b
		}})
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
		} else if o.Unread == "" {
			o.Dom = inventory.Take(o.HTML, page.Page{Path: known.Path, File: known.File, Answer: visits.InUTF8}, s.site, s.weights)
			o.Settle(o.Dom.Base)
			o.Adopt(o.Dom, o.Text, nil)
		}
		o.HTML, o.Nodes = nil, nil
		pass.Rendered = append(pass.Rendered, o.Record)
	}
}
