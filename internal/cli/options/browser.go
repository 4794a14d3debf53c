package options

import (
	"context"
	"slices"
	"time"

	"github.com/spf13/cobra"

	"yellowgate/internal/browser"
	"yellowgate/internal/cli/app"
	"yellowgate/internal/failure"
	"yellowgate/internal/project"
	"yellowgate/internal/visits"
)

// Browser are the options of whoever opens pages in a browser.
type Browser struct {
	On      bool
	Screens []browser.Screen // that Ready read
	sizes   []string
	hosts   []string
	Options browser.Options
}

// Flags adds them to a command.
func (w *Browser) Flags(cmd *cobra.Command) {
	f := cmd.Flags()
	f.BoolVar(&w.On, "browser", false, "open it in Chromium, and show what that makes of it")
	f.StringArrayVar(&w.sizes, "screen", nil,
		"with --browser: a screen of this `SIZE` in CSS pixels (default 1280x800)")
	f.StringVar(&w.Options.Path, "browser-path", "", "with --browser: the `PROGRAM` of Chromium or Chrome")
	f.BoolVar(&w.Options.Network, "network", false,
		"with --browser: let pages call third parties; otherwise nobody is asked anything")
	f.StringArrayVar(&w.hosts, "host", nil,
		"with --browser: send a host, or one port of it, to a stand-in, as `NAME=ADDRESS`; may be repeated")
	app.SpanFlag(cmd, &w.Options.Wait, "wait", 0, "with --browser: the `TIME` to wait once a page is quiet, for what comes late")
	f.BoolVar(&w.Options.Scroll, "scroll", false, "with --browser: scroll to the end and back")
	if f.Lookup("parallel") == nil { // who asks running sites has it
		f.Int("parallel", 4, "with --browser: how many pages are open at a time")
	}
	f.StringVar(&w.Options.Click, "click", "", "with --browser: click on what this `SELECTOR` matches first")
}

// browsingOptions are the names of the options that need --browser.
var browsingOptions = []string{"screen", "browser-path", "network", "host", "wait", "scroll", "click"}

// Ready checks the options.
func (w *Browser) Ready(a *app.App, cmd *cobra.Command, of *Site, args []string) (err error) {
	if !w.On {
		for _, name := range browsingOptions {
			if f := cmd.Flags().Lookup(name); f != nil && f.Changed {
				return &failure.Usage{
					Message: "--" + name + " is for a page in a browser",
					Remedy:  "add --browser",
				}
			}
		}
		return nil
	}
	for _, text := range w.sizes {
		s, err := browser.ParseScreen(text)
		if err != nil {
			return err
		}
		w.Screens = append(w.Screens, s)
	}
	if len(w.Screens) == 0 {
		w.Screens = []browser.Screen{{Width: 1280, Height: 800}}
	}
	for _, text := range w.hosts {
		h, err := browser.ParseHost(text)
		if err != nil {
			return err
		}
		w.Options.Hosts = append(w.Options.Hosts, h)
	}
	if w.Options.Wait < 0 || w.Options.Wait > 10*time.Minute {
		return &failure.Usage{Message: "--wait is a time up to ten minutes, such as 3s"}
	}
	if cmd.Flags().Changed("parallel") {
		if w.Options.Pages, err = cmd.Flags().GetInt("parallel"); err != nil || w.Options.Pages < 1 || w.Options.Pages > 64 {
			return &failure.Usage{Message: "--parallel is how many pages are open at a time: from 1 to 64"}
		}
	}
	if n := slices.IndexFunc(args, app.IsAddress); n >= 0 {
		at, err := startOf(args[n])
		if err != nil {
			return err
		}
		if w.Options.Identity, err = of.identity(a, at); err != nil {
			return err
		}
	} else if err := of.ForFolder(cmd, "parallel"); err != nil {
		return err
	}
	w.Options.Told = func(text string) {
		if !a.Quiet {
			a.Messages().Notice("%s", text)
		}
	}
	return nil
}

// Start starts a browser for the pages of a project: of the site that runs where the first argument
// is an address, and of the folder otherwise; source for those before the gate.
func (v *Browser) Start(ctx context.Context, p *project.Project, args []string,
	source bool) (*visits.Visitor, error) {
	if len(args) > 0 && app.IsAddress(args[0]) {
		return visits.StartAt(ctx, p, args[0], v.Options)
	}
	return visits.Start(ctx, p, source, v.Options)
}

// Looked is what a browser command ends with: an error, or that it was stopped.
func Looked(ctx context.Context, err error) error {
	if ctx.Err() != nil {
		return &failure.Stopped{Done: "not all pages had been looked at"}
	}
	return err
}
