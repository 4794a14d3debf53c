package cli

import (
	"bytes"
	"context"
	"io"
	"time"

	"github.com/spf13/cobra"

	"yellowgate/internal/browser"
	"yellowgate/internal/core/har"
	"yellowgate/internal/core/rendered"
	"yellowgate/internal/core/wording"
	"yellowgate/internal/output"
	"yellowgate/internal/report"
	"yellowgate/internal/run"
	"yellowgate/internal/site"
)

// browsing are the options of whoever opens pages in a browser.
type browsing struct {
	on      bool
	screens []string
	hosts   []string
	o       browser.Options
}

// flags adds them to a command.
func (w *browsing) flags(cmd *cobra.Command) {
	f := cmd.Flags()
	f.BoolVar(&w.on, "browser", false, "open it in Chromium, and show what that makes of it")
	f.StringArrayVar(&w.screens, "screen", nil, "with --browser: a screen of this `SIZE` in CSS pixels (default 1280x800)")
	f.StringVar(&w.o.Path, "browser-path", "", "with --browser: the `PROGRAM` of Chromium or Chrome")
	f.BoolVar(&w.o.Network, "network", false, "with --browser: let pages call third parties; otherwise nobody is asked anything")
	f.StringArrayVar(&w.hosts, "host", nil, "with --browser: send a host to a stand-in, as `NAME=ADDRESS`; may be repeated")
	f.DurationVar(&w.o.Wait, "wait", 0, "with --browser: the `TIME` to wait once a page is quiet, for what comes late")
	f.BoolVar(&w.o.Scroll, "scroll", false, "with --browser: scroll to the end and back")
	f.StringVar(&w.o.Click, "click", "", "with --browser: click on what this `SELECTOR` matches first")
}

// browsingOptions are the names of the options that need --browser.
var browsingOptions = []string{"screen", "browser-path", "network", "host", "wait", "scroll", "click"}

// ready checks the options.
func (w *browsing) ready(a *app, cmd *cobra.Command) (screens []browser.Screen, err error) {
	if !w.on {
		for _, name := range browsingOptions {
			if f := cmd.Flags().Lookup(name); f != nil && f.Changed {
				return nil, &site.UsageError{Message: "--" + name + " is for a page in a browser", Remedy: "add --browser"}
			}
		}
		return nil, nil
	}
	for _, text := range w.screens {
		s, err := browser.ParseScreen(text)
		if err != nil {
			return nil, err
		}
		screens = append(screens, s)
	}
	if len(screens) == 0 {
		screens = []browser.Screen{{Width: 1280, Height: 800}}
	}
	for _, text := range w.hosts {
		h, err := browser.ParseHost(text)
		if err != nil {
			return nil, err
		}
		w.o.Hosts = append(w.o.Hosts, h)
	}
	if w.o.Wait < 0 || w.o.Wait > 10*time.Minute {
		return nil, &site.UsageError{Message: "--wait is a time up to ten minutes, such as 3s"}
	}
	w.o.Told = func(text string) {
		if !a.quiet {
			a.messages().Notice("%s", text)
		}
	}
	return screens, nil
}

// showBrowser opens a page in a browser.
func (a *app) showBrowser(ctx context.Context, w *ways, v *browsing, screens []browser.Screen, name string, source bool) error {
	p, err := a.openIfAny(false)
	if err != nil && (a.gate != "" || !isAddress(name)) {
		return err
	}
	if err != nil {
		p = nil
	}
	a.tidies.Store(true)
	var all []*run.Opened
	if isAddress(name) && (p == nil || !p.OfSite(name)) {
		text, err := a.showAddress(ctx, w, p, name)
		if err != nil {
			return err
		}
		b, err := browser.Start(ctx, v.o, nil)
		if err != nil {
			return err
		}
		defer b.Close()
		for _, s := range screens {
			all = append(all, run.OpenAddress(b, name, s, text, p))
		}
	} else {
		if p == nil || p.Source == "" {
			return &site.UsageError{Message: "--browser opens a page of the gate file's site, or an address", Remedy: "yellowgate show http://localhost:8000/ --browser"}
		}
		if err := p.Walk(); err != nil {
			return err
		}
		pg, err := a.findPage(p, name)
		if err != nil {
			return err
		}
		r, err := run.NewRendering(ctx, p, source, v.o)
		if err != nil {
			return err
		}
		defer r.Close()
		for _, s := range screens {
			o, err := r.Open(pg, s)
			if err != nil {
				return err
			}
			all = append(all, o)
		}
	}
	return a.write(func(out io.Writer, pr *report.Printer) error {
		for _, o := range all {
			if a.format == "json" {
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

// useHAR has an audit hold its pages against a recording.
func (a *app) useHAR(o *run.AuditOptions, name string) (err error) {
	address := o.Address
	if o.Project != nil {
		address = o.Project.Gate.File.Site.URL.Value
	}
	if o.Saved, err = run.ReadHAR(name, address); err == nil && !a.quiet {
		a.messages().Notice("%s has %s", name, wording.Count(len(o.Saved), "page"))
	}
	return err
}

// writeHAR writes what a browser asked for.
func (a *app) writeHAR(name string, records []*rendered.Record) error {
	text, err := har.Write(records, site.Version, time.Now().UTC().Truncate(time.Millisecond))
	if err != nil {
		return err
	}
	return output.WriteFile(name, output.FileOptions{Force: a.force, IsOurs: func(text []byte) bool { return bytes.Contains(text, []byte("Yellow Gate")) }}, func(w io.Writer) error {
		_, err := w.Write(append(text, '\n'))
		return err
	})
}
