package look

import (
	"cmp"
	"os"
	"path/filepath"

	"github.com/spf13/cobra"

	"yellowgate/internal/capture"
	"yellowgate/internal/cli/app"
	"yellowgate/internal/cli/options"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/failure"
	"yellowgate/internal/project"
	"yellowgate/internal/report"
)

func (a command) captureCmd() *cobra.Command {
	var w options.Site
	var to string
	var goOn bool
	cmd := &cobra.Command{
		Use: "capture [URL]", GroupID: "look", Args: app.Needs(0, 1, "capture takes the address of a running site",
			"yellowgate capture http://localhost:8000/ --to captured"),
		Short: "Keep the pages of a running site as a folder",
		Long: `Asks a running site for its pages and keeps them, with the files of its own that they
load, as a folder that every other command reads: survey, show, find, audit, or a gate
file with that folder as its source. What the server said of each page (the encoding of
its header among it) is kept too, and counts.

Without an address it asks the gate file's origin, and keeps the pages in its source.

It begins at the address, at the sitemaps that robots.txt or /sitemap.xml name, and at
those of --from, and goes on along the links of the same scheme, host and port. It asks
with GET alone, heeds robots.txt, and waits where a server asks it to. Of a query it keeps the
parameters that site.query names; where that names none, it tries a few addresses of each
parameter, and says which have another text.

A second capture into the same folder requests only what has changed, and reports which
pages came, changed and went. What is stopped with Ctrl-C keeps what it has; --go-on
continues.`,
		Example: "  yellowgate capture http://localhost:8000/ --to captured\n" +
			"  yellowgate capture https://staging.ternhill.example/ --to captured --user editor --except '/calendar/**'\n" +
			"  yellowgate capture https://ternhill.example/ --to captured --rate 5 --most 500",
		RunE: func(cmd *cobra.Command, args []string) error {
			start, folder, err := a.captured(args)
			if err != nil {
				return err
			}
			o, err := w.Asked(a.App, start)
			if err != nil {
				return err
			}
			if o.Dir = cmp.Or(to, folder); o.Dir == "" {
				return &failure.Usage{
					Message: "capture needs a folder to keep the pages in",
					Remedy:  "yellowgate capture " + start + " --to captured",
				}
			}
			o.Dir, o.GoOn = filepath.Clean(o.Dir), goOn
			a.Tidies()
			s, err := capture.Capture(cmd.Context(), o)
			if err != nil {
				return err
			}
			if s.Stopped {
				a.Status = app.StoppedByUser
			}
			return a.Answer(s, func(pr *report.Printer) {
				pr.Capture(s, o.Dir, a.Verbose)
			})
		},
	}
	f := cmd.Flags()
	f.StringVar(&to, "to", "",
		"the `FOLDER` that keeps the pages: a new one, or that of an earlier capture (default: the gate file's source)")
	w.Flags(cmd)
	f.BoolVar(&goOn, "go-on", false, "do not ask again for what the folder has")
	_ = cmd.MarkFlagDirname("to")
	return cmd
}

// captured is the address and the folder of a capture: what is named, or else what the gate file has
// as origin and source.
func (a command) captured(args []string) (start, folder string, err error) {
	name, err := a.GateFile()
	if len(args) == 1 && err != nil {
		return args[0], "", nil
	}
	var of *gatefile.Site
	if err == nil {
		of, folder, err = project.SiteOf(name)
	}
	switch {
	case len(args) == 1 && (err != nil || of.Origin.Value != args[0]):
		return args[0], "", nil // what the gate file has as its source may be of another site
	case err != nil && name == "":
		return "", "", &failure.Usage{
			Message: "capture takes the address of a running site; without one it needs a gate file that names an origin",
			Remedy:  "yellowgate capture http://localhost:8000/ --to captured",
		}
	case err != nil:
		return "", "", err
	case of.Origin.Value == "":
		return "", "", &failure.Usage{
			Message: name + " names no origin: the server that makes the pages",
			Remedy:  "add under site: origin: http://localhost:8000, or name an address: yellowgate capture URL --to captured",
		}
	}
	if here, err := os.Getwd(); err == nil && folder != "" {
		if rel, err := filepath.Rel(here, folder); err == nil && len(rel) < len(folder) {
			folder = rel
		}
	}
	return of.Origin.Value, folder, nil
}
