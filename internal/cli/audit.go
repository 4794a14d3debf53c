package cli

import (
	"bufio"
	"fmt"
	"io"
	"maps"
	"path/filepath"
	"slices"

	"github.com/spf13/cobra"

	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/near"
	"yellowgate/internal/report"
	"yellowgate/internal/run"
	"yellowgate/internal/site"
)

// auditFormats write an audit for other programs.
var auditFormats = map[string]func(io.Writer, *run.AuditResult) error{
	"ndjson":   report.FindingLines, // the pages before them come as they are read
	"html":     report.AuditHTML,
	"csv":      report.AuditCSV,
	"junit":    nil, // needs to know what fails
	"sarif":    report.SARIF,
	"markdown": report.Markdown,
}

func (a *app) auditCmd() *cobra.Command {
	var failOn, as string
	var noCache bool
	cmd := &cobra.Command{
		Use: "audit [DIR | -]", GroupID: "verify", Args: cobra.MaximumNArgs(1),
		Short: "Look at finished pages: what is really there, and is it what the gate says?",
		Long: `Reads the pages of the output folder, or of any other folder of HTML, as a browser
would, and tells what is wrong. Where there is a gate file, every page is held against
it: items that are missing, that leaked, that fell into the wrong half. Use it after
apply, and before you publish. Exit status 1 means that something was found.`,
		Example: "  yellowgate audit\n  yellowgate audit tern-hill/site\n  yellowgate audit --format html --out audit.html",
		ValidArgsFunction: func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
			return nil, cobra.ShellCompDirectiveFilterDirs
		},
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := a.begin(slices.Sorted(maps.Keys(auditFormats))...); err != nil {
				return err
			}
			threshold, err := failThreshold(failOn)
			if err != nil {
				return err
			}
			return a.write(func(w io.Writer, pr *report.Printer) error {
				lines := bufio.NewWriter(w)
				r, err := a.audit(args, as, noCache, threshold == 0, func(r *inventory.Record, verdicts []run.Gated) error { return report.PageLines(lines, r, verdicts) })
				if err == nil {
					err = lines.Flush()
				}
				if err != nil {
					return err
				}
				if worst := r.Worst(); worst >= threshold {
					a.status = found
				}
				if a.format == "json" {
					return report.JSON(w, r)
				}
				if a.format == "junit" {
					return report.JUnit(w, r, func(severity string) bool { return severityRank(severity) >= threshold })
				}
				if write := auditFormats[a.format]; write != nil {
					return write(w, r)
				}
				pr.Audit(r, a.verbose || threshold == 0)
				return nil
			})
		},
	}
	failOnFlag(cmd, &failOn)
	cmd.Flags().BoolVar(&noCache, "no-cache", false, "audit every page anew, and remember nothing")
	cmd.Flags().StringVar(&as, "as", "", "the `PATH` of the page that comes from standard input")
	return cmd
}

func (a *app) audit(args []string, as string, noCache, notes bool, each func(*inventory.Record, []run.Gated) error) (*run.AuditResult, error) {
	if len(args) == 1 && args[0] == "-" {
		p, err := a.openIfAny(false)
		if err != nil {
			return nil, err
		}
		if as == "" {
			return nil, &site.UsageError{Message: "a page from standard input needs its path", Remedy: "yellowgate audit - --as /visit/ < page.html"}
		}
		if p != nil && p.Source != "" {
			if err := p.Walk(); err != nil {
				return nil, err
			}
		}
		b, err := a.stdin()
		if err != nil {
			return nil, err
		}
		r, err := run.AuditOne(b, as, p)
		if err == nil && a.format == "ndjson" {
			err = each(r.Records[0], r.Verdicts)
		}
		return r, err
	}
	o := run.AuditOptions{Records: a.format == "json" || a.format == "html", NoNotes: a.format == "text" && !a.verbose && !notes, NoCache: noCache, Progress: a.progress("auditing")}
	if a.format == "ndjson" {
		o.Each = each
	}
	p, err := a.openIfAny(true)
	if len(args) == 0 {
		if err != nil {
			return nil, err
		}
		if p == nil || p.Output == "" {
			return nil, &site.UsageError{Message: "there is no gate file that names an output folder", Remedy: "name a folder: yellowgate audit DIR"}
		}
		o.Dir, o.Project, o.Name = p.Output, p, p.Gate.File.Site.Output.Value
		return run.Audit(o)
	}
	// The gate's own output is held against the gate, and so is any other folder
	// if the gate file was named; its source is not, since that is before the gate.
	o.Dir = filepath.Clean(args[0])
	abs, aerr := filepath.Abs(o.Dir)
	switch {
	case a.gate != "" && err != nil:
		return nil, err
	case p == nil || err != nil || aerr != nil:
	case abs == p.Source:
		o.Address = p.Gate.File.Site.URL.Value
	case abs == p.Output:
		o.Dir, o.Name, o.Project = abs, o.Dir, p
	case a.gate != "":
		o.Project = p
	}
	return run.Audit(o)
}

var failOns = []string{"never", "error", "warning", "note"}

// failThreshold turns --fail-on into the least severity that fails.
func failThreshold(s string) (int, error) {
	switch s {
	case "error":
		return 2, nil
	case "warning":
		return 1, nil
	case "note":
		return 0, nil
	case "never":
		return 3, nil
	}
	return 0, &site.UsageError{Message: fmt.Sprintf("--fail-on is error, warning, note or never, not %q%s", s, near.Suggest(s, failOns))}
}

// severityRank is the number that failThreshold gives a severity.
func severityRank(severity string) int {
	return map[string]int{"error": 2, "warning": 1}[severity]
}

func failOnFlag(cmd *cobra.Command, into *string) {
	cmd.Flags().StringVar(into, "fail-on", "error", "the least `SEVERITY` that makes the exit status 1: error, warning, note, never")
	_ = cmd.RegisterFlagCompletionFunc("fail-on", cobra.FixedCompletions(failOns, cobra.ShellCompDirectiveNoFileComp))
}
