package cli

import (
	"bytes"
	"cmp"
	"context"
	"image/png"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"yellowgate/internal/browser"
	"yellowgate/internal/core/har"
	"yellowgate/internal/core/pageload"
	"yellowgate/internal/core/visualdiff"
	"yellowgate/internal/core/wording"
	"yellowgate/internal/failure"
	"yellowgate/internal/project"
	"yellowgate/internal/publish"
	"yellowgate/internal/report"
	"yellowgate/internal/result"
	"yellowgate/internal/siteaudit"
	"yellowgate/internal/suggest"
	"yellowgate/internal/version"
	"yellowgate/internal/visits"
	"yellowgate/internal/visualcompare"
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
	f.StringArrayVar(&w.screens, "screen", nil,
		"with --browser: a screen of this `SIZE` in CSS pixels (default 1280x800)")
	f.StringVar(&w.o.Path, "browser-path", "", "with --browser: the `PROGRAM` of Chromium or Chrome")
	f.BoolVar(&w.o.Network, "network", false,
		"with --browser: let pages call third parties; otherwise nobody is asked anything")
	f.StringArrayVar(&w.hosts, "host", nil,
		"with --browser: send a host, or one port of it, to a stand-in, as `NAME=ADDRESS`; may be repeated")
	spanFlag(cmd, &w.o.Wait, "wait", 0, "with --browser: the `TIME` to wait once a page is quiet, for what comes late")
	f.BoolVar(&w.o.Scroll, "scroll", false, "with --browser: scroll to the end and back")
	if f.Lookup("parallel") == nil { // who asks running sites has it
		f.Int("parallel", 4, "with --browser: how many pages are open at a time")
	}
	f.StringVar(&w.o.Click, "click", "", "with --browser: click on what this `SELECTOR` matches first")
}

// browsingOptions are the names of the options that need --browser.
var browsingOptions = []string{"screen", "browser-path", "network", "host", "wait", "scroll", "click"}

// ready checks the options.
func (w *browsing) ready(a *app, cmd *cobra.Command, ways *ways, args []string) (screens []browser.Screen, err error) {
	if !w.on {
		for _, name := range browsingOptions {
			if f := cmd.Flags().Lookup(name); f != nil && f.Changed {
				return nil, &failure.Usage{
					Message: "--" + name + " is for a page in a browser",
					Remedy:  "add --browser",
				}
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
		return nil, &failure.Usage{Message: "--wait is a time up to ten minutes, such as 3s"}
	}
	if cmd.Flags().Changed("parallel") {
		if w.o.Pages, err = cmd.Flags().GetInt("parallel"); err != nil || w.o.Pages < 1 || w.o.Pages > 64 {
			return nil, &failure.Usage{Message: "--parallel is how many pages are open at a time: from 1 to 64"}
		}
	}
	if n := slices.IndexFunc(args, isAddress); n >= 0 {
		at, err := startOf(args[n])
		if err != nil {
			return nil, err
		}
		if w.o.Identity, err = a.identity(ways, at); err != nil {
			return nil, err
		}
	} else if err := ways.forFolder(cmd, "parallel"); err != nil {
		return nil, err
	}
	w.o.Told = func(text string) {
		if !a.quiet {
			a.messages().Notice("%s", text)
		}
	}
	return screens, nil
}

// rendering starts a browser for the pages of a project: of the site that runs where the first argument
// is an address, and of the folder otherwise; source for those before the gate.
func (v *browsing) rendering(ctx context.Context, p *project.Project, args []string,
	source bool) (*visits.Visitor, error) {
	if len(args) > 0 && isAddress(args[0]) {
		return visits.StartAt(ctx, p, args[0], v.o)
	}
	return visits.Start(ctx, p, source, v.o)
}

// looked is what a browser command ends with: an error, or that it was stopped.
func looked(ctx context.Context, err error) error {
	if ctx.Err() != nil {
		return &failure.Stopped{Done: "not all pages had been looked at"}
	}
	return err
}

// showBrowser opens a page in a browser.
func (a *app) showBrowser(ctx context.Context, w *ways, v *browsing, screens []browser.Screen, name string,
	source bool) error {
	p, err := a.openIfAny(false)
	if err != nil && (a.gate != "" || !isAddress(name)) {
		return err
	}
	if err != nil {
		p = nil
	}
	a.tidies.Store(true)
	var all []*result.Opened
	if isAddress(name) && (p == nil || !p.OfSite(name)) {
		all, err = a.openAddress(ctx, w, v, screens, p, name)
	} else {
		all, err = a.openPage(ctx, v, screens, p, name, source)
	}
	if err != nil {
		return err
	}
	if err := looked(ctx, nil); err != nil {
		return err
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

// openAddress opens a page of a site that runs, and is not the gate file's.
func (a *app) openAddress(ctx context.Context, w *ways, v *browsing, screens []browser.Screen, p *project.Project,
	name string) (all []*result.Opened, err error) {
	text, err := a.showAddress(ctx, w, p, name)
	if err != nil {
		return nil, err
	}
	v.o.Visit = []string{name}
	b, err := browser.Start(ctx, v.o, nil)
	if err != nil {
		return nil, err
	}
	defer b.Close()
	for _, s := range screens {
		all = append(all, visits.OpenAddress(b, name, s, text, p))
	}
	return all, nil
}

// openPage opens a page of the gate file's site.
func (a *app) openPage(ctx context.Context, v *browsing, screens []browser.Screen, p *project.Project, name string,
	source bool) (all []*result.Opened, err error) {
	if p == nil || p.Source == "" {
		return nil, &failure.Usage{Message: "--browser opens a page of the gate file's site, or an address",
			Remedy: "yellowgate show http://localhost:8000/ --browser"}
	}
	if err := p.Walk(); err != nil {
		return nil, err
	}
	pg, err := a.findPage(p, name)
	if err != nil {
		return nil, err
	}
	r, err := visits.Start(ctx, p, source, v.o)
	if err != nil {
		return nil, err
	}
	defer r.Close()
	for _, s := range screens {
		o, err := r.Open(pg, s)
		if err != nil {
			return nil, err
		}
		all = append(all, o)
	}
	return all, nil
}

// useHAR has an audit hold its pages against a recording.
func (a *app) useHAR(o *siteaudit.Options, name string) (err error) {
	address := o.Address
	if o.Project != nil {
		address = o.Project.Gate.File.Site.URL.Value
	}
	if o.Saved, err = visits.ReadHAR(name, address); err == nil && !a.quiet {
		a.messages().Notice("%s has %s", name, wording.Count(len(o.Saved), "page"))
	}
	return err
}

// writeHAR writes what a browser asked for.
func (a *app) writeHAR(name string, records []*pageload.Record) error {
	text, err := har.Write(records, version.Number, time.Now().UTC().Truncate(time.Millisecond))
	if err != nil {
		return err
	}
	return publish.WriteFile(
		name,
		a.over(func(head []byte) bool { return bytes.Contains(head, []byte("Yellow Gate")) }),
		func(w io.Writer) error {
			_, err := w.Write(append(text, '\n'))
			return err
		},
	)
}

// compareLooks compares two sides as visitors see them.
func (a *app) compareLooks(ctx context.Context, args []string, w *ways, o visualcompare.Options,
	pictures string) error {
	p, err := a.openIfAny(false)
	if err != nil && a.gate != "" {
		return err
	}
	if err != nil {
		p = nil
	}
	if o.Runs < 2 || o.Runs > 50 {
		return &failure.Usage{Message: "--runs is from 2 to 50: a second visit shows what moves by itself"}
	}
	o.Before, o.After, o.Project, o.Progress = args[0], args[1], p, a.progress("looking")
	if len(args) == 3 {
		o.Page = args[2]
	} else if isAddress(args[0]) && isAddress(args[1]) { // their links say which pages they have
		for i := range o.Listed {
			if o.Listed[i], err = a.folderOf(ctx, w, args[i]); err != nil {
				return err
			}
		}
	}
	if pictures != "" {
		if err := os.MkdirAll(pictures, 0o755); err != nil {
			return &failure.Path{Path: pictures, Err: err}
		}
	}
	o.Picture = a.pictureWriter(pictures)
	a.tidies.Store(true)
	l, err := visualcompare.Compare(ctx, o)
	if err = looked(ctx, err); err != nil {
		return err
	}
	if len(l.Another()) > 0 {
		a.status = found
	}
	return a.write(func(w io.Writer, pr *report.Printer) error {
		if a.format == "json" {
			return report.JSON(w, struct {
				Format string `json:"format"`
				*result.Looks
			}{"yellowgate.looks/1", l})
		}
		if a.format == "html" {
			return report.LooksHTML(w, args[0], args[1], l)
		}
		pr.Looks(args[0], args[1], l, a.verbose)
		return nil
	})
}

// pictureWriter writes and keeps the pictures of a page that looks different, where somebody wants them.
func (a *app) pictureWriter(folder string) func(l *result.PageLook, before, after *visualdiff.Picture) error {
	return func(l *result.PageLook, before, after *visualdiff.Picture) error {
		if folder == "" && a.format != "html" {
			return nil
		}
		drawn := visualcompare.Draw(l, before, after)
		if folder != "" {
			name := cmp.Or(strings.Trim(strings.ReplaceAll(l.Path, "/", "_"), "_"), "home")
			err := publish.WriteFile(filepath.Join(folder, name+"-"+l.Screen+".png"), a.over(isPNG),
				func(to io.Writer) error { return png.Encode(to, drawn) })
			if err != nil || a.format != "html" {
				return err
			}
		}
		return visualcompare.Keep(l, drawn)
	}
}

func isPNG(head []byte) bool { return bytes.HasPrefix(head, []byte("\x89PNG\r\n")) }

// suggestBrowser tells what the browser used of the files that pages load, and proves what they do not need. What is
// proved is written, where that was asked for.
func (a *app) suggestBrowser(ctx context.Context, args []string, w *ways, v *browsing, screens []browser.Screen,
	change func(*result.Suggestions) error) error {
	p, err := a.suggestOn(ctx, w, args, change != nil)
	if err != nil {
		return err
	}
	a.tidies.Store(true)
	v.o.Steps = len(args) == 0 || !isAddress(args[0]) // what is clicked on a site that runs may post
	r, err := v.rendering(ctx, p, args, false)
	if err != nil {
		return err
	}
	defer r.Close()
	seen, err := visits.Used(ctx, r, screens, a.progress("looking"))
	if err == nil {
		suggest.Unprovable(p, seen.Uses)
		err = seen.Prove(ctx, r, screens[0], a.progress("proving"))
	}
	if err = looked(ctx, err); err != nil {
		return err
	}
	proved := suggest.OfUses(p, seen.Uses)
	if change != nil {
		return change(proved)
	}
	var names []string
	for _, s := range screens {
		names = append(names, s.String())
	}
	return a.write(func(w io.Writer, pr *report.Printer) error {
		if a.format == "json" {
			return report.JSON(w, struct {
				Format  string       `json:"format"`
				Screens []string     `json:"screens"`
				Pages   int          `json:"pages"`
				Unread  int          `json:"unread"`
				Used    []result.Use `json:"used"`
			}{"yellowgate.used/1", names, len(p.Pages), seen.Unread, seen.Uses})
		}
		pr.Used(seen.Uses, len(p.Pages), seen.Unread, names, v.o.Steps, a.verbose)
		return nil
	})
}
