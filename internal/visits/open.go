// Package visits opens the pages of a site in a browser, as the gate makes them or as they are, and says
// what of items and files a browser has there.
package visits

import (
	"context"
	"strings"
	"sync"

	"yellowgate/internal/browser"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/itemmatch"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/weburl"
	"yellowgate/internal/parallel"
	"yellowgate/internal/project"
	"yellowgate/internal/result"
	"yellowgate/internal/site"
)

// A Visitor opens pages of a project in a browser, as the gate makes them now, or before it.
type Visitor struct {
	*browser.Browser
	project *project.Project
	source  bool
	weights *site.Weights
	byKey   map[string]*page.Page
	read    func(string) ([]byte, bool)
	texts   sync.Map // by key: pages that are opened as another text
	running string   // where the site runs whose pages are opened there; "" for the project's own
}

// Start starts a browser for the pages of a project. source opens them as they are before the
// gate. Close ends it.
func Start(ctx context.Context, p *project.Project, source bool, o browser.Options) (r *Visitor, err error) {
	r = &Visitor{
		project: p,
		source:  source,
		weights: site.NewWeights(p.Source, p.Files),
		byKey:   map[string]*page.Page{},
		read:    site.ReadOnce(p.From),
	}
	for i := range p.Pages {
		r.byKey[p.Pages[i].Key()] = &p.Pages[i]
	}
	r.Browser, err = browser.Start(ctx, o,
		Browsed(p.Gate.File.Site.URL.Value, p.Gate.Site.BasePath(), r.byKey, r.text, r.read))
	return r, err
}

// StartAt is Start for a site that runs at an address, of which the project has what a
// capture kept.
func StartAt(ctx context.Context, p *project.Project, address string, o browser.Options) (r *Visitor, err error) {
	r = &Visitor{
		project: p,
		source:  true,
		weights: site.NewWeights(p.Source, p.Files),
		running: weburl.OriginOf(address),
	}
	o.Visit = []string{r.running}
	r.Browser, err = browser.Start(ctx, o, nil)
	return r, err
}

// openAll opens pages of the project, several at a time, each on all screens, and hands them over in
// their order.
func (r *Visitor) openAll(ctx context.Context, pages []page.Page, screens []browser.Screen,
	progress parallel.Progress, each func(i int, opened []*result.Opened)) error {
	return parallel.InOrderBy(ctx, r.AtATime(), len(pages), func(i int) (all []*result.Opened, err error) {
		for _, s := range screens {
			o, err := r.Open(&pages[i], s)
			if err != nil {
				return nil, err
			}
			o.HTML, o.Nodes = nil, nil
			all = append(all, o)
		}
		return all, nil
	}, func(i int, all []*result.Opened) error {
		if progress != nil {
			progress(i+1, len(pages))
		}
		each(i, all)
		return nil
	})
}

// Browsed is a site as a browser finds it at an address (empty where it has none) under a path:
// pages by their keys, with what gives their texts, and files.
func Browsed(address, base string, byKey map[string]*page.Page, text func(*page.Page) ([]byte, error),
	read func(string) ([]byte, bool)) *browser.ServedSite {
	return &browser.ServedSite{Address: addressFor(address),
		Page: func(path string) ([]byte, *page.Answer) {
			pg := byKey[page.Key(strings.TrimSuffix(strings.TrimPrefix(path, base), "?"))]
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
	return weburl.OriginOf(address)
}

// text is a page as the browser gets it.
func (r *Visitor) text(pg *page.Page) ([]byte, error) {
	if text, other := r.texts.Load(pg.Key()); other {
		return text.([]byte), nil
	}
	text, err := r.project.Read(pg)
	if err == nil && !r.source {
		text = r.project.Gate.Page(text, *pg).File
	}
	return text, err
}

// Open opens a page on a screen.
func (r *Visitor) Open(pg *page.Page, screen browser.Screen) (*result.Opened, error) {
	text, err := r.text(pg)
	if err != nil {
		return nil, err
	}
	address := r.project.Gate.Site.BasePath() + pg.Path
	if r.running != "" {
		address = r.running + page.URLPath(pg.Path)
	}
	o := &result.Opened{Record: r.Visit(address, screen)}
	o.Path, o.File = pg.Path, pg.File
	taken, result, err := r.asText(pg, text)
	if err != nil {
		return nil, err
	}
	o.Text = taken.Record
	Settle(o, *pg, r.project.Gate, result, r.weights)
	return o, nil
}

// asText is what the text of a page has, with the items named, and what the gate did for it; nil for a page as it was
// before the gate.
func (r *Visitor) asText(pg *page.Page, text []byte) (itemmatch.Scanned, *pageedit.Result, error) {
	g := r.project.Gate
	taken := itemmatch.Take(text, *pg, g, r.weights)
	if !r.source {
		source, err := r.project.Read(pg)
		if err != nil {
			return taken, nil, err
		}
		if result := g.Page(source, *pg); !result.Fragment {
			itemmatch.Compare(taken, result)
			return taken, result, nil
		}
	}
	itemmatch.NameOwners(taken.Record, g)
	return taken, nil, nil
}

// Settle reads the document that the browser made, and names what is in it.
func Settle(o *result.Opened, pg page.Page, g *pageedit.Gate, result *pageedit.Result, weights inventory.Weights) {
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

// SettleAlone is Settle for a page of a site without a gate.
func SettleAlone(o *result.Opened, pg page.Page, of *weburl.SiteURL, weights inventory.Weights) {
	if o.Unread != "" {
		return
	}
	pg.Answer = inUTF8
	o.Dom = inventory.Take(o.HTML, pg, of, weights)
	o.Settle(o.Dom.Base)
	o.Adopt(o.Dom, o.Text, nil)
}

// inUTF8 is what is known of a document that a browser wrote: its encoding, whatever it came in.
var inUTF8 = &page.Answer{Fields: map[string][]string{"content-type": {"text/html; charset=utf-8"}}}

// OpenAddress opens a page of a site that runs. p may be nil.
func OpenAddress(b *browser.Browser, address string, screen browser.Screen, text *result.Show,
	p *project.Project) *result.Opened {
	o := &result.Opened{Record: b.Visit(address, screen)}
	if text != nil {
		o.Text, o.Path = text.Record, text.Record.Path
	}
	known := page.Page{Path: o.Path, File: address}
	if p != nil {
		Settle(o, known, p.Gate, nil, nil)
	} else {
		SettleAlone(o, known, weburl.NewSite(weburl.OriginOf(address)), nil)
	}
	return o
}

// Browsing says how an audit opens its pages in a browser.
type Browsing struct {
	browser.Options
	Screens  []browser.Screen
	Pictures bool   // of each page, for a report
	Running  string // the address of a site that runs, whose pages are opened there; "" for a folder
}
