package run

import (
	"context"
	"strings"

	"yellowgate/internal/browser"
	"yellowgate/internal/core/checks"
	"yellowgate/internal/core/har"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/itemmatch"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/pageload"
	"yellowgate/internal/core/weburl"
	"yellowgate/internal/fsys"
	"yellowgate/internal/project"
	"yellowgate/internal/site"
)

// Opened is a page with what a browser made of it.
type Opened struct {
	*pageload.Record
	Text  *inventory.Record // of the page's text, as the browser got it
	Dom   *inventory.Record // of the document once it was quiet; nil where that was not read
	Gated *itemmatch.Page   // the document compared with the gate; nil without one
}

// A Rendering opens pages of a project in a browser, as the gate makes them now, or before it.
type Rendering struct {
	*browser.Browser
	project *project.Project
	source  bool
	weights *site.Weights
	byKey   map[string]*page.Page
	read    func(string) ([]byte, bool)
	running string // where the site runs whose pages are opened there; "" for the project's own
}

// NewRendering starts a browser for the pages of a project. source opens them as they are before the
// gate. Close ends it.
func NewRendering(ctx context.Context, p *project.Project, source bool, o browser.Options) (r *Rendering, err error) {
	r = &Rendering{project: p, source: source, weights: site.NewWeights(p.Source, p.Files), byKey: map[string]*page.Page{}, read: reader(p.From)}
	for i := range p.Pages {
		r.byKey[p.Pages[i].Key()] = &p.Pages[i]
	}
	r.Browser, err = browser.Start(ctx, o, browsed(p.Gate.File.Site.URL.Value, p.Gate.Site.BasePath(), r.byKey, r.text, r.read))
	return r, err
}

// NewRenderingAt is NewRendering for a site that runs at an address, of which the project has what a
// capture kept.
func NewRenderingAt(ctx context.Context, p *project.Project, address string, o browser.Options) (r *Rendering, err error) {
	r = &Rendering{project: p, source: true, weights: site.NewWeights(p.Source, p.Files), running: OriginOf(address)}
	o.Visit = []string{r.running}
	r.Browser, err = browser.Start(ctx, o, nil)
	return r, err
}

// OpenAll opens pages of the project, several at a time, each on all screens, and hands them over in
// their order.
func (r *Rendering) OpenAll(pages []page.Page, screens []browser.Screen, progress Progress, each func(i int, opened []*Opened)) error {
	return site.InOrderBy(r.AtATime(), len(pages), func(i int) (all []*Opened, err error) {
		for _, s := range screens {
			o, err := r.Open(&pages[i], s)
			if err != nil {
				return nil, err
			}
			o.HTML, o.Nodes = nil, nil
			all = append(all, o)
		}
		return all, nil
	}, func(i int, all []*Opened) error {
		if progress != nil {
			progress(i+1, len(pages))
		}
		each(i, all)
		return nil
	})
}

// browsed is a site as a browser finds it at an address (empty where it has none) under a path:
// pages by their keys, with what gives their texts, and files.
func browsed(address, base string, byKey map[string]*page.Page, text func(*page.Page) ([]byte, error), read func(string) ([]byte, bool)) *browser.Site {
	return &browser.Site{Address: addressFor(address),
		Page: func(path string) ([]byte, *page.Answer) {
			pg := byKey[page.Key(strings.TrimPrefix(path, base))]
			if pg == nil {
				return nil, nil
			}
			b, err := text(pg)
			if err != nil {
				return nil, nil
			}
			return b, pg.Answer
		},
		File: func(path string) []byte {
			b, _ := read(strings.TrimPrefix(path, base))
			return b
		}}
}

// addressFor is where the browser finds a site: its own address without a path, or that by which
// URLs are resolved where it has none.
func addressFor(address string) string {
	if address == "" {
		return weburl.NoSite
	}
	return OriginOf(address)
}

// text is a page as the browser gets it.
func (r *Rendering) text(pg *page.Page) ([]byte, error) {
	text, err := r.project.Read(pg)
	if err == nil && !r.source {
		text = r.project.Gate.Page(text, *pg).File
	}
	return text, err
}

// Open opens a page on a screen.
func (r *Rendering) Open(pg *page.Page, screen browser.Screen) (*Opened, error) {
	text, err := r.text(pg)
	if err != nil {
		return nil, err
	}
	address := r.project.Gate.Site.BasePath() + pg.Path
	if r.running != "" {
		address = r.running + page.URLPath(pg.Path)
	}
	o := &Opened{Record: r.Visit(address, screen)}
	o.Path, o.File = pg.Path, pg.File
	g := r.project.Gate
	var result *pageedit.Result
	if !r.source {
		source, err := r.project.Read(pg)
		if err != nil {
			return nil, err
		}
		result = g.Page(source, *pg)
	}
	taken := itemmatch.Take(text, *pg, g, r.weights)
	o.Text = taken.Record
	if result != nil && !result.Fragment {
		itemmatch.Compare(taken, result)
	} else {
		itemmatch.NameOwners(o.Text, g)
	}
	o.settle(*pg, g, result, r.weights)
	return o, nil
}

// settle reads the document that the browser made, and names what is in it.
func (o *Opened) settle(pg page.Page, g *pageedit.Gate, result *pageedit.Result, weights inventory.Weights) {
	if o.Unread != "" {
		return
	}
	pg.Answer = inUTF8
	taken := itemmatch.Take(o.HTML, pg, g, weights)
	o.Dom = taken.Record
	if result != nil && !result.Fragment {
		o.Gated = itemmatch.Compare(taken, result)
	} else {
		itemmatch.NameOwners(o.Dom, g)
	}
	o.Settle(o.Dom.Base)
	o.Adopt(o.Dom, o.Text, g)
	if o.Gated != nil {
		for i := range o.Gated.Items {
			if o.Gated.Items[i].Copies() > 0 {
				o.Items = append(o.Items, g.File.Items[i].Name)
			}
		}
	}
}

// inUTF8 is what is known of a document that a browser wrote: its encoding, whatever it came in.
var inUTF8 = &page.Answer{Fields: map[string][]string{"content-type": {"text/html; charset=utf-8"}}}

// OpenAddress opens a page of a site that runs. p may be nil.
func OpenAddress(b *browser.Browser, address string, screen browser.Screen, text *ShowResult, p *project.Project) *Opened {
	o := &Opened{Record: b.Visit(address, screen)}
	if text != nil {
		o.Text, o.Path = text.Record, text.Record.Path
	}
	if o.Unread != "" {
		return o
	}
	if p != nil {
		o.settle(page.Page{Path: o.Path, File: address}, p.Gate, nil, nil)
		return o
	}
	o.Dom = inventory.Take(o.HTML, page.Page{Path: o.Path, File: address, Answer: inUTF8}, weburl.NewSite(OriginOf(address)), nil)
	o.Settle(o.Dom.Base)
	o.Adopt(o.Dom, o.Text, nil)
	return o
}

// Browsing says how an audit opens its pages in a browser.
type Browsing struct {
	context.Context
	browser.Options
	Screens  []browser.Screen
	Pictures bool   // of each page, for a report
	Running  string // the address of a site that runs, whose pages are opened there; "" for a folder
}

// browse starts the browser of an audit.
func (s *auditing) browse() (err error) {
	o := s.Browser
	if o.Running != "" {
		o.Visit = []string{OriginOf(o.Running)}
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
	s.browser, err = browser.Start(o.Context, o.Options, &browser.Site{Address: addressFor(address),
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

// ReadHAR reads a recording for an audit of a site at an address, "" for any: the pages of it.
func ReadHAR(name, address string) ([]*pageload.Record, error) {
	b, err := fsys.Read(name, fsys.StateLimit)
	if err != nil {
		return nil, &site.PathError{Path: name, Err: err}
	}
	list, err := har.Read(b)
	if err != nil {
		return nil, &site.PathError{Path: name, Err: err, What: "--har takes a recording of a browser: in its network panel, save all as HAR"}
	}
	base := weburl.NewSite(address).BasePath()
	for _, r := range list {
		if rest, below := strings.CutPrefix(r.Path, base); below {
			r.Path = page.Clean(rest)
		}
		r.Screen = "recorded"
	}
	return list, nil
}

// open opens a page that is audited in the browser, on each screen. source is what the gate made of
// its source; nil for none.
func (s *auditing) open(pass *checks.Pass, known page.Page, source *pageedit.Result) {
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
		o := &Opened{Text: pass.Record}
		visit := s.browser.Visit
		if s.Browser.Pictures {
			visit = s.browser.VisitSeen
		}
		if s.Browser.Running != "" {
			o.Record = visit(OriginOf(s.Browser.Running)+page.URLPath(known.Path), screen)
		} else {
			base := ""
			if s.Project != nil {
				base = s.Project.Gate.Site.BasePath()
			}
			o.Record = visit(base+known.Path, screen)
		}
		o.Path, o.File = known.Path, known.File
		if s.Project != nil {
			o.settle(known, s.Project.Gate, source, s.weights)
		} else if o.Unread == "" {
			o.Dom = inventory.Take(o.HTML, page.Page{Path: known.Path, File: known.File, Answer: inUTF8}, s.site, s.weights)
			o.Settle(o.Dom.Base)
			o.Adopt(o.Dom, o.Text, nil)
		}
		o.HTML, o.Nodes = nil, nil
		pass.Rendered = append(pass.Rendered, o.Record)
	}
}
