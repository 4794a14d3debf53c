package audit

import (
	"bufio"
	"context"
	"io"
	"path/filepath"
	"time"

	"github.com/spf13/cobra"

	"yellowgate/internal/cli/app"
	"yellowgate/internal/cli/options"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/pageload"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/failure"
	"yellowgate/internal/history"
	"yellowgate/internal/project"
	"yellowgate/internal/report"
	"yellowgate/internal/result"
	"yellowgate/internal/site"
	"yellowgate/internal/siteaudit"
	"yellowgate/internal/visits"
)

// auditFormats write an audit for other programs.
var auditFormats = map[string]func(io.Writer, *result.Audit) error{
	"ndjson":   report.FindingLines, // the pages before them come as they are read
	"html":     report.AuditHTML,
	"csv":      report.AuditCSV,
	"junit":    nil, // needs to know what fails
	"sarif":    report.SARIF,
	"markdown": report.Markdown,
}

func (a command) auditCmd() *cobra.Command {
	var o auditFlags
	cmd := &cobra.Command{
		Annotations: app.Forms("csv", "html", "junit", "markdown", "ndjson", "sarif"),
		Use:         "audit [DIR | URL | -]", GroupID: "verify", Args: func(cmd *cobra.Command, args []string) error {
			if o.join {
				return nil // they are parts
			}
			return cobra.MaximumNArgs(1)(cmd, args)
		},
		Short: "Look at finished pages: what is really there, and is it what the gate says?",
		Long: `Reads the pages of the output folder, or of any other folder of HTML, as a browser
would, and reports what is wrong. Where there is a gate file, every page is compared with
it: items that are missing, that leaked, that fell into the wrong half. Use it after
apply, and before you publish. Exit status 1 means that something was found.

What was found of each page is kept beside the gate file, by digests of everything that
it depends on; the next audit computes only what changed. A site that is too large for
one machine is audited in parts, which --join adds up to one audit.`,
		Example: "  yellowgate audit\n  yellowgate audit tern-hill/site\n" +
			"  yellowgate audit https://ternhill.example/ --gate yellowgate.yaml\n" +
			"  yellowgate audit --format html --out audit.html\n  yellowgate audit --part 3/8 --out part-3.ndjson\n" +
			"  yellowgate audit --join part-*.ndjson",
		ValidArgsFunction: app.Folders,
		RunE:              app.Run(a.runAudit, &o),
	}
	o.ways.FlagsForAddress(cmd)
	o.browsing.Flags(cmd)
	cmd.Flags().BoolVar(&o.pictures, "with-pictures", false,
		"with --browser and --format html: a picture of each page in the report")
	cmd.Flags().StringVar(&o.har, "har", "", "hold the pages against a recording of a browser, too: a `FILE` of HAR 1.2")
	cmd.Flags().StringVar(&o.harOut, "har-out", "", "with --browser: write the requests to a `FILE` of HAR 1.2")
	app.FailOnFlag(cmd, &o.failOn)
	cmd.Flags().BoolVar(&o.noCache, "no-cache", false, "audit every page anew, and remember nothing")
	cmd.Flags().StringVar(&o.part, "part", "",
		"audit one part of the pages, such as `3/8`, and write down what --join needs")
	cmd.Flags().BoolVar(&o.join, "join", false, "add up the parts whose files are named, as one audit")
	cmd.Flags().BoolVar(&o.records, "records", false,
		"with --part: put the pages' inventories in, for --join into json, ndjson or html")
	cmd.Flags().StringVar(&o.as, "as", "", "the `PATH` of the page that comes from standard input")
	return cmd
}

// runAudit audits what the arguments and options say, and writes what it comes to.
func (a command) runAudit(cmd *cobra.Command, args []string, o *auditFlags) error {
	if !o.browsing.On && (len(args) == 0 || !app.IsAddress(args[0])) {
		if err := o.ways.ForFolder(cmd); err != nil {
			return err
		}
	}
	if err := o.browsing.Ready(a.App, cmd, &o.ways, args); err != nil {
		return err
	}
	if err := o.refuse(a.Format, args); err != nil {
		return err
	}
	threshold, err := app.FailThreshold(o.failOn)
	if err != nil {
		return err
	}
	if o.part != "" {
		return a.auditPart(cmd.Context(), args, *o)
	}
	defer a.Turn()
	return a.Write(func(w io.Writer, pr *report.Printer) (err error) {
		lines := bufio.NewWriter(w)
		r, done, err := a.audit(cmd.Context(), args, *o, threshold == 0,
			func(r *inventory.Record, verdicts []result.Gated) error {
				return report.PageLines(lines, r, verdicts)
			})
		if err == nil {
			err = lines.Flush()
		}
		if err != nil {
			return err
		}
		defer func() {
			if derr := done(); err == nil {
				err = derr
			}
		}()
		if worst, any := r.Worst(); any && worst >= threshold {
			a.Status = app.Found
		}
		if a.Format == "json" {
			return report.JSON(w, r)
		}
		if a.Format == "junit" {
			return report.JUnit(w, r, func(s problem.Severity) bool { return s >= threshold })
		}
		if write := auditFormats[a.Format]; write != nil {
			return write(w, r)
		}
		pr.Audit(r, a.Verbose || threshold == 0)
		return nil
	})
}

// refuse is the error of options that do not go together.
func (o *auditFlags) refuse(format string, args []string) error {
	if o.browsing.On && (o.join || o.part != "" || len(args) == 1 && args[0] == "-") {
		return &failure.Usage{
			Message: "--browser opens the pages of a folder or a site, not parts of an audit and no standard input",
		}
	}
	if o.pictures && (!o.browsing.On || format != "html") {
		return &failure.Usage{
			Message: "--with-pictures puts a picture of each page into the report",
			Remedy:  "yellowgate audit --browser --with-pictures --format html --out audit.html",
		}
	}
	if o.har != "" && (o.browsing.On || o.join || o.part != "" || len(args) == 1 && args[0] == "-") {
		return &failure.Usage{
			Message: "--har holds the pages of a folder or a site against a recording: not with --browser, " +
				"parts or standard input",
		}
	}
	if o.harOut != "" && !o.browsing.On {
		return &failure.Usage{Message: "--har-out writes what the browser requested", Remedy: "add --browser"}
	}
	return nil
}

// auditFlags are the options of audit.
type auditFlags struct {
	failOn                 string
	ways                   options.Site
	browsing               options.Browser
	har, harOut            string
	pictures               bool
	as, part               string
	noCache, join, records bool
}

func nothingOpen() error { return nil }

// audit audits a folder, a page from standard input, or what parts came to. done is to be called
// once the findings were read.
func (a command) audit(ctx context.Context, args []string, f auditFlags, notes bool,
	each func(*inventory.Record, []result.Gated) error) (r *result.Audit, done func() error, err error) {
	if f.records {
		return nil, nil, &failure.Usage{
			Message: "--records is for --part",
			Remedy:  "yellowgate audit --part 3/8 --records --out part-3.ndjson",
		}
	}
	if len(args) == 1 && args[0] == "-" && !f.join {
		r, err := a.auditPage(f.as)
		if err == nil && a.Format == "ndjson" {
			err = each(r.Records[0], r.Verdicts)
		}
		return r, nothingOpen, err
	}
	dirs := args
	if f.join {
		if dirs, err = siteaudit.PartFolder(args); err != nil {
			return nil, nil, err
		}
	}
	o, err := a.auditOptions(ctx, &f.ways, dirs)
	if err != nil {
		return nil, nil, err
	}
	o.Records, o.NoNotes, o.NoCache = a.Format == "json" || a.Format == "html",
		a.Format == "text" && !a.Verbose && !notes, f.noCache || len(dirs) == 1 && app.IsAddress(dirs[0])
	if a.Format == "ndjson" {
		o.Each = each
	}
	if f.har != "" {
		if err := a.useHAR(&o, f.har); err != nil {
			return nil, nil, err
		}
	}
	if f.browsing.On {
		a.Tidies()
		o.Browser = &visits.Browsing{Options: f.browsing.Options, Screens: f.browsing.Screens, Pictures: f.pictures}
		o.Browser.Popups = true
		if len(dirs) == 1 && app.IsAddress(dirs[0]) {
			o.Browser.Running = dirs[0]
		}
	}
	if !f.join {
		r, err := a.auditSite(ctx, o, f, len(dirs) == 0)
		return r, nothingOpen, err
	}
	o.Progress = a.Progress("joining")
	if r, done, err = siteaudit.Join(ctx, o, args); err == nil && (a.Format == "junit" || a.Format == "sarif") {
		r.Gather() // they are written all at once
	}
	return r, done, err
}

// auditSite audits what the options say. output: it is the gate file's own output.
func (a command) auditSite(ctx context.Context, o siteaudit.Options, f auditFlags, output bool) (*result.Audit, error) {
	r, err := siteaudit.Audit(ctx, o)
	if f.browsing.On {
		err = options.Looked(ctx, err)
	}
	if err == nil && f.browsing.On && o.Project != nil && len(o.Saved) == 0 && o.Browser.Running == "" {
		err = o.Project.KeepRebuilt(pageload.Rebuilt(r.Rendered))
	}
	if err == nil && output {
		a.noteAudit(o.Project, r)
	}
	if err == nil && f.harOut != "" {
		err = a.writeHAR(f.harOut, r.Rendered)
	}
	return r, err
}

// noteAudit keeps what the audit of the output came to with what is in effect.
func (a command) noteAudit(p *project.Project, r *result.Audit) {
	if p == nil {
		return
	}
	err := history.NoteAudit(p, result.Measured{
		Time: time.Now().UTC().Truncate(time.Second), Pages: r.Pages, Requests: r.Requests, Bytes: r.Bytes,
		Errors: r.Totals.Errors, Warnings: r.Totals.Warnings, Notes: r.Totals.Notes,
	})
	if err != nil {
		a.Messages().Notice("the history is not written: %v", err)
	}
}

// auditPart audits one part and writes it down.
func (a command) auditPart(ctx context.Context, args []string, f auditFlags) error {
	part, err := site.ParsePart(f.part)
	if err == nil && a.Format != "text" && a.Format != "ndjson" {
		err = &failure.Usage{
			Message: "a part has one form, and --format does not change it",
			Remedy:  "leave it out, and give it with --join",
		}
	}
	if err == nil && (f.join || len(args) == 1 && (args[0] == "-" || app.IsAddress(args[0]))) {
		err = &failure.Usage{
			Message: "--part is for the pages of a folder",
			Remedy:  "yellowgate audit --part 3/8 --out part-3.ndjson",
		}
	}
	if err != nil {
		return err
	}
	o, err := a.auditOptions(ctx, nil, args)
	if err != nil {
		return err
	}
	o.Records = f.records
	return a.Write(func(w io.Writer, _ *report.Printer) error {
		r, err := siteaudit.Part(ctx, o, part, w)
		if err == nil && !a.Quiet {
			a.Messages().AuditPart(r)
		}
		return err
	})
}

// auditPage audits the page from standard input.
func (a command) auditPage(as string) (*result.Audit, error) {
	p, err := a.OpenIfAny(false)
	if err != nil {
		return nil, err
	}
	if as == "" {
		return nil, &failure.Usage{
			Message: "a page from standard input needs its path",
			Remedy:  "yellowgate audit - --as /visit/ < page.html",
		}
	}
	if p != nil && p.Source != "" {
		if err := p.Walk(); err != nil {
			return nil, err
		}
	}
	b, err := a.Stdin()
	if err != nil {
		return nil, err
	}
	return siteaudit.Page(b, as, p)
}

// auditOptions say which folder is audited, and what it is compared with.
func (a command) auditOptions(ctx context.Context, w *options.Site, args []string) (o siteaudit.Options, err error) {
	o.Progress = a.Progress("auditing")
	p, err := a.OpenIfAny(false)
	if err == nil && p != nil && !(len(args) == 1 && app.IsAddress(args[0]) && p.MadeByServer()) {
		err = p.Walk()
	}
	o.GateFile = p != nil && err == nil
	if len(args) == 0 {
		if err != nil {
			return o, err
		}
		if p == nil || p.Output == "" {
			return o, &failure.Usage{
				Message: "there is no gate file that names an output folder",
				Remedy:  "name a folder: yellowgate audit DIR",
			}
		}
		o.Dir, o.Project, o.Name = p.Output, p, p.Gate.File.Site.Output.Value
		return o, nil
	}
	// The gate's own output is compared with the gate, and so is any other folder
	// if the gate file was named; its source is not, since that is before the gate.
	var ferr error
	if o.Dir, ferr = w.FolderOf(ctx, a.App, args[0]); ferr != nil {
		return o, ferr
	}
	o.Named = filepath.Clean(args[0])
	if app.IsAddress(args[0]) {
		o.Name, o.Named, o.Address = args[0], args[0], args[0]
	}
	abs, aerr := filepath.Abs(o.Dir)
	switch {
	case a.Gate != "" && err != nil:
		return o, err
	case p == nil || err != nil || aerr != nil:
	case abs == p.Source:
		o.Address = p.Gate.File.Site.URL.Value
	case abs == p.Output:
		o.Dir, o.Name, o.Project = abs, o.Dir, p
	case a.Gate != "":
		o.Project = p
	}
	return o, nil
}
