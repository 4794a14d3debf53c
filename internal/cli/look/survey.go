package look

import (
	"bufio"
	"context"
	"io"
	"path/filepath"

	"github.com/spf13/cobra"

	"yellowgate/internal/cli/app"
	"yellowgate/internal/cli/options"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/weburl"
	"yellowgate/internal/failure"
	"yellowgate/internal/firstgate"
	"yellowgate/internal/project"
	"yellowgate/internal/report"
	"yellowgate/internal/result"
	"yellowgate/internal/survey"
	"yellowgate/internal/visits"
)

func (a command) surveyCmd() *cobra.Command {
	var o surveyFlags
	cmd := &cobra.Command{
		Annotations: app.Forms("ndjson"),
		Use:         "survey [DIR | URL | -]", GroupID: "look", Args: cobra.MaximumNArgs(1),
		Short: "What do the pages of a folder load, and how heavy is it?",
		Long: `Reads every page of a folder and lists what they load, by where it comes from: on how
many pages, how heavy, how it runs. Use it first, on any folder of HTML, with a gate
file or without. Without a folder it reads the gate file's source. With --format
ndjson every page's full inventory comes out, one a line. --write makes a first gate
file in which everything found has a name and stays as it is.

With --browser it opens the pages in Chromium, too, and lists what only scripts request, what fails,
and what the pages name and the browser never requests.`,
		Example: "  yellowgate survey http://localhost:8000/\n  yellowgate survey site --write\n" +
			"  yellowgate survey tern-hill/site\n  yellowgate survey site --format ndjson | head -1",
		ValidArgsFunction: app.Folders,
		RunE:              app.Run(a.runSurvey, &o),
	}
	o.ways.FlagsForAddress(cmd)
	o.browsing.Flags(cmd)
	cmd.Flags().StringVar(&o.as, "as", "", "the `PATH` of the page that comes from standard input")
	cmd.Flags().BoolVar(&o.first, "write", false, "write a first gate file: yellowgate.yaml here, or what --gate names")
	return cmd
}

// surveyFlags are the options of survey.
type surveyFlags struct {
	as       string
	ways     options.Site
	first    bool // a first gate file is written
	browsing options.Browser
}

// refuse is the error of options that do not go together.
func (o *surveyFlags) refuse(format string, args []string) error {
	if o.browsing.On && (o.first || format == "ndjson" || len(args) == 1 && args[0] == "-") {
		return &failure.Usage{
			Message: "--browser opens the pages of a folder or a site, and sums them up: no --write, ndjson or standard input",
			Remedy:  "yellowgate audit --browser --format json has the record of each page",
		}
	}
	if o.first && len(args) == 1 && app.IsAddress(args[0]) {
		return &failure.Usage{
			Message: "a gate file needs a folder of pages that stays",
			Remedy:  "yellowgate capture " + args[0] + " --to captured, then yellowgate survey captured --write",
		}
	}
	return nil
}

// runSurvey reads the pages that the arguments name, and writes what they load.
func (a command) runSurvey(cmd *cobra.Command, args []string, o *surveyFlags) error {
	if err := o.browsing.Ready(a.App, cmd, &o.ways, args); err != nil {
		return err
	}
	if err := o.refuse(a.Format, args); err != nil {
		return err
	}
	if !o.browsing.On && (len(args) == 0 || !app.IsAddress(args[0])) {
		if err := o.ways.ForFolder(cmd); err != nil {
			return err
		}
	}
	p, err := a.OpenIfAny(false)
	if err != nil && !o.first && (len(args) == 0 || a.Gate != "") {
		return err
	}
	if err != nil || o.first { // a gate file with mistakes does not keep anybody from looking
		p = nil
	}
	if len(args) == 1 && args[0] == "-" {
		return a.surveyPipe(p, o.as)
	}
	dir, err := a.surveyed(cmd.Context(), &o.ways, p, args)
	if err != nil {
		return err
	}
	if a.Format == "ndjson" {
		return a.surveyLines(cmd.Context(), dir, p)
	}
	return a.Write(func(out io.Writer, pr *report.Printer) error {
		s, err := survey.Folder(cmd.Context(), dir, p, a.Progress("reading"), nil)
		if err == nil && o.browsing.On {
			err = a.surveyBrowser(cmd.Context(), &o.browsing, s, p, dir, args)
		}
		if err != nil {
			return err
		}
		if p != nil && dir == p.Source {
			s.Dir = p.Gate.File.Site.Source.Value
		}
		if len(args) == 1 && app.IsAddress(args[0]) {
			s.Dir = args[0]
		}
		if o.first {
			return a.firstGate(dir, s, pr)
		}
		if a.Format == "json" {
			return report.JSON(out, s)
		}
		pr.Survey(s, a.Verbose)
		return nil
	})
}

// surveyed is the folder of a survey: one that is named or captured, the gate file's source, or the one here.
func (a command) surveyed(ctx context.Context, w *options.Site, p *project.Project, args []string) (string, error) {
	if len(args) == 0 {
		if p != nil && p.Source != "" {
			return p.Source, nil
		}
		return ".", nil
	}
	dir, err := w.FolderOf(ctx, a.App, args[0])
	if err != nil {
		return "", err
	}
	if abs, err := filepath.Abs(dir); err == nil && p != nil && abs == p.Source {
		return abs, nil
	}
	return dir, nil
}

// surveyLines writes the record of each page, one a line.
func (a command) surveyLines(ctx context.Context, dir string, p *project.Project) error {
	return a.Write(func(w io.Writer, _ *report.Printer) error {
		b := bufio.NewWriter(w)
		_, err := survey.Folder(ctx, dir, p, nil, func(r *inventory.Record) error { return report.NDJSON(b, r) })
		if err != nil {
			return err
		}
		return b.Flush()
	})
}

// surveyBrowser opens the pages of a survey in a browser: those of the gate file's source, of any other
// folder, or of a site that runs.
func (a command) surveyBrowser(ctx context.Context, v *options.Browser, s *result.Survey,
	p *project.Project, dir string, args []string) (err error) {
	if p == nil || dir != p.Source {
		address := ""
		if len(args) == 1 && app.IsAddress(args[0]) {
			address = weburl.OriginOf(args[0])
		}
		if p, err = project.OfFolder(dir, address); err != nil {
			return err
		}
	} else if err := p.Walk(); err != nil {
		return err
	}
	a.Tidies()
	r, err := v.Start(ctx, p, args, true)
	if err != nil {
		return err
	}
	defer r.Close()
	return options.Looked(ctx, visits.Survey(ctx, s, r, v.Screens, a.Progress("looking")))
}

// firstGate writes a first gate file for a folder.
func (a command) firstGate(dir string, s *result.Survey, pr *report.Printer) error {
	name := a.Gate
	if name == "" {
		name = project.GateFileName
	}
	f, err := firstgate.Make(dir, name, s)
	if err != nil {
		return err
	}
	pr.FirstGate(f, s)
	return nil
}

func (a command) surveyPipe(p *project.Project, as string) error {
	if as == "" {
		as = "/"
	}
	b, err := a.Stdin()
	if err != nil {
		return err
	}
	r := survey.One(b, as, p)
	return a.Answer(r,
		func(pr *report.Printer) { pr.Show(&result.Show{Record: r, Text: b, From: "file"}, a.Verbose) },
		app.InForm[any]("ndjson", report.NDJSON, r))
}
