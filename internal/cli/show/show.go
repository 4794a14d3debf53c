package show

import (
	"context"
	"io"

	"github.com/spf13/cobra"

	"yellowgate/internal/cli/app"
	"yellowgate/internal/cli/options"
	"yellowgate/internal/core/wording"
	"yellowgate/internal/failure"
	"yellowgate/internal/fsys"
	"yellowgate/internal/onepage"
	"yellowgate/internal/project"
	"yellowgate/internal/report"
	"yellowgate/internal/result"
	"yellowgate/internal/site"
	"yellowgate/internal/survey"
)

func (a command) showCmd() *cobra.Command {
	var o showFlags
	cmd := &cobra.Command{
		Annotations: app.Forms("html"),
		Use:         "show PAGE", GroupID: "look", Args: app.Needs(1, 1, "show takes one page: its path, its file or its address",
			"yellowgate show /visit/"),
		Short: "One page's head and body in order: what, where from, how it runs, how heavy",
		Long: `Lists what one page outputs, head and body in order, as a browser would have it. PAGE
is a path (/visit/), a file (site/visit/index.html), a full address of the site, or -
for standard input. Use it instead of searching the page source. An address outside
the gate file's site is requested, with the files of its own that the page loads, and
what the server said of it is shown, too.

It reads the page in the output folder; where that is missing or behind the gate file
it says so, and shows what apply would write. With --why it shows the page as apply would
write it with the line of the gate file behind each element and each value, what was taken
out of the source, and which items are not there; with --preview, how it stands in a list of
search results and as a shared link, cut where they cut. With --format html both are one page.`,
		Example: "  yellowgate show /visit/\n  yellowgate show /visit/ --why\n" +
			"  yellowgate show /visit/ --why --format html --out visit.html\n  yellowgate show /press/ --source\n" +
			"  yellowgate show /visit/ --next --raw\n  yellowgate show http://localhost:8000/visit/",
		ValidArgsFunction: a.CompletePages,
		RunE:              app.Run(a.runShow, &o),
	}
	o.ways.Single(cmd)
	for _, name := range []string{"rate", "parallel"} {
		_ = cmd.Flags().MarkHidden(name)
	}
	o.browsing.Flags(cmd)
	cmd.Flags().BoolVar(&o.source, "source", false, "the page before the gate")
	cmd.Flags().BoolVar(&o.next, "next", false, "the page as apply would write it now")
	cmd.Flags().BoolVar(&o.raw, "raw", false, "the page itself instead of its inventory")
	cmd.Flags().BoolVar(&o.why, "why", false,
		"each element with the line of the gate file that decided, what was taken out, and why")
	cmd.Flags().BoolVar(&o.listed, "preview", false,
		"how the page is listed in search results and as a shared link, before the gate and after it")
	cmd.Flags().StringVar(&o.root, "site", "",
		"the `DIR` that is the root of the site, for a page of no gate file (default: the folders above it that "+
			"have an index page)")
	cmd.Flags().StringVar(&o.as, "as", "/", "the `PATH` of the page that comes from standard input")
	return cmd
}

// showFlags are the options of show.
type showFlags struct {
	source, next, raw, why, listed bool
	ways                           options.Site
	browsing                       options.Browser
	as, root                       string
}

// runShow shows the page that is named.
func (a command) runShow(cmd *cobra.Command, args []string, o *showFlags) error {
	var not []string
	if !o.why && !o.listed {
		not = []string{"html"}
	}
	if err := a.Without(not...); err != nil {
		return err
	}
	if o.why || o.listed {
		if o.source || o.next || o.raw || o.browsing.On || o.why && o.listed {
			return &failure.Usage{
				Message: "--why and --preview show the page as apply would write it: one of them, " +
					"and no --source, --next, --raw and no --browser",
				Remedy: "yellowgate show " + args[0] + " --why",
			}
		}
		return a.showWhole(args[0], o.listed)
	}
	if o.source && o.next {
		return &failure.Usage{
			Message: "--source is the page before the gate, --next the page after it: one of them",
		}
	}
	if err := o.browsing.Ready(a.App, cmd, &o.ways, args); err != nil {
		return err
	}
	if o.browsing.On {
		if o.raw || o.next {
			return &failure.Usage{
				Message: "--browser shows the page as apply would write it, or with --source before the " +
					"gate: no --raw and no --next",
			}
		}
		return a.showBrowser(cmd.Context(), &o.ways, &o.browsing, args[0], o.source)
	}
	r, err := a.show(cmd.Context(), &o.ways, args[0], o.as, o.root, o.source, o.next)
	if err != nil {
		return err
	}
	return a.Write(func(w io.Writer, pr *report.Printer) error {
		switch {
		case o.raw:
			if r.Notice != "" && !a.Quiet {
				a.Messages().Notice("%s", r.Notice)
			}
			_, err := w.Write(r.Text)
			return err
		case a.Format == "json":
			return report.JSON(w, r.Record)
		}
		pr.Show(r, a.Verbose)
		return nil
	})
}

// showWhole shows a page with what decided, or how it is listed elsewhere; as HTML it shows both.
func (a command) showWhole(name string, listed bool) error {
	html := a.Format == "html"
	p, _, err := a.Open(listed || html)
	if err != nil {
		return err
	}
	pg, err := a.FindPage(p, name)
	if err != nil {
		return err
	}
	if !listed && !html {
		return a.whyPage(p, pg, false)
	}
	read := site.NewWeights(p.Source, p.Files).Read
	r, err := onepage.Preview(p, pg, read)
	if err != nil {
		return err
	}
	return a.Write(func(w io.Writer, pr *report.Printer) error {
		switch a.Format {
		case "json":
			return report.JSON(w, r)
		case "html":
			why, err := onepage.Why(p, pg, nil)
			if err != nil {
				return err
			}
			picture, _ := read(r.After.Shared.File)
			return report.OnePage(w, "", picture, why, r)
		}
		pr.Preview(r)
		return nil
	})
}

func (a command) show(ctx context.Context, w *options.Site, name, as, root string,
	source, next bool) (*result.Show, error) {
	if name == "-" {
		b, err := a.Stdin()
		if err != nil {
			return nil, err
		}
		return survey.ShowFile(b, as, "-", "."), nil
	}
	p, err := a.OpenIfAny(false)
	if app.IsAddress(name) && (err != nil || p == nil || !p.OfSite(name)) {
		if source || next {
			return nil, &failure.Usage{
				Message: "a running site has its pages as they are: no --source and no --next",
				Remedy:  "yellowgate show " + name,
			}
		}
		if err != nil && a.Gate != "" {
			return nil, err
		}
		if err != nil {
			p = nil
		}
		return a.showAddress(ctx, w, p, name)
	}
	if err == nil && p != nil && p.Source != "" {
		pg, ferr := a.FindPage(p, name)
		if ferr == nil {
			which := survey.Written
			switch {
			case source:
				which = survey.Source
			case next:
				which = survey.Next
			}
			return survey.Show(p, pg, which)
		}
		err = ferr
	}
	if app.LooseFile(name) && !next {
		b, rerr := fsys.Read(name, fsys.PageLimit)
		if rerr != nil {
			return nil, &failure.Path{Path: name, Err: rerr}
		}
		if root == "" {
			root = site.RootOf(name)
		}
		return survey.ShowFile(b, site.PathBelow(root, name), name, root), nil
	}
	if err == nil {
		_, _, err = a.Open(false)
	}
	return nil, err
}

// showAddress asks for one page of a running site.
func (a command) showAddress(ctx context.Context, w *options.Site, p *project.Project,
	address string) (*result.Show, error) {
	w.Options.Alone = true
	dir, s, err := w.Fetched(ctx, a.App, address)
	if err != nil {
		return nil, err
	}
	r, err := survey.ShowCaptured(dir, p)
	if err == nil && len(s.Dead) > 0 && !a.Quiet {
		a.Messages().Notice("%s of what it loads answered with an error", wording.Count(len(s.Dead), "file"))
	}
	return r, err
}
