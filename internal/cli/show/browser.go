package show

import (
	"context"
	"io"

	"yellowgate/internal/browser"
	"yellowgate/internal/cli/app"
	"yellowgate/internal/cli/options"
	"yellowgate/internal/failure"
	"yellowgate/internal/project"
	"yellowgate/internal/report"
	"yellowgate/internal/result"
	"yellowgate/internal/visits"
)

// showBrowser opens a page in a browser.
func (a command) showBrowser(ctx context.Context, w *options.Site, v *options.Browser, name string,
	source bool) error {
	p, err := a.OpenIfAny(false)
	if err != nil && (a.Gate != "" || !app.IsAddress(name)) {
		return err
	}
	if err != nil {
		p = nil
	}
	a.Tidies()
	var all []*result.Opened
	if app.IsAddress(name) && (p == nil || !p.OfSite(name)) {
		all, err = a.openAddress(ctx, w, v, p, name)
	} else {
		all, err = a.openPage(ctx, v, p, name, source)
	}
	if err != nil {
		return err
	}
	if err := options.Looked(ctx, nil); err != nil {
		return err
	}
	return a.Write(func(out io.Writer, pr *report.Printer) error {
		for _, o := range all {
			if a.Format == "json" {
				if err := report.JSON(out, o.Record); err != nil {
					return err
				}
				continue
			}
			pr.Rendered(o)
		}
		return nil
	})
}

// openAddress opens a page of a site that runs, and is not the gate file's.
func (a command) openAddress(ctx context.Context, w *options.Site, v *options.Browser, p *project.Project,
	name string) (all []*result.Opened, err error) {
	text, err := a.showAddress(ctx, w, p, name)
	if err != nil {
		return nil, err
	}
	v.Options.Visit = []string{name}
	b, err := browser.Start(ctx, v.Options, nil)
	if err != nil {
		return nil, err
	}
	defer b.Close()
	for _, s := range v.Screens {
		all = append(all, visits.OpenAddress(b, name, s, text, p))
	}
	return all, nil
}

// openPage opens a page of the gate file's site.
func (a command) openPage(ctx context.Context, v *options.Browser, p *project.Project, name string,
	source bool) (all []*result.Opened, err error) {
	if p == nil || p.Source == "" {
		return nil, &failure.Usage{Message: "--browser opens a page of the gate file's site, or an address",
			Remedy: "yellowgate show http://localhost:8000/ --browser"}
	}
	if err := p.Walk(); err != nil {
		return nil, err
	}
	pg, err := a.FindPage(p, name)
	if err != nil {
		return nil, err
	}
	r, err := visits.Start(ctx, p, source, v.Options)
	if err != nil {
		return nil, err
	}
	defer r.Close()
	for _, s := range v.Screens {
		o, err := r.Open(pg, s)
		if err != nil {
			return nil, err
		}
		all = append(all, o)
	}
	return all, nil
}
