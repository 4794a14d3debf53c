package compare

import (
	"context"
	"fmt"
	"io"

	"github.com/spf13/cobra"

	"yellowgate/internal/cli/app"
	"yellowgate/internal/cli/options"
	"yellowgate/internal/core/compare"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/failure"
	"yellowgate/internal/report"
	"yellowgate/internal/result"
	"yellowgate/internal/sitecompare"
	"yellowgate/internal/visualcompare"
)

func (a command) compareCmd() *cobra.Command {
	var o compareFlags
	cmd := &cobra.Command{
		Annotations: app.Forms("html"),
		Use:         "compare BEFORE AFTER [PAGE]", GroupID: "verify", Args: app.Needs(2, 3,
			"compare takes two folders of pages, addresses of sites, or audits saved with audit --format json",
			"yellowgate compare site public"),
		Short: "What came, what went, what moved between two folders or saved audits?",
		Long: `Compares two folders of pages, or audits saved with audit --format json: what came,
went and moved, on which pages, the requests, bytes and blocking resources saved or
added, findings mended and new, and on which pages anything else changed. Use it when you
have switched something off: did that do what you wanted, and nothing else? With a page,
or with --verbose, it shows what else changed. With --fail-on, new findings fail: a
baseline for CI. Two gate files, or entries of the history as @N, are compared by what they make
of the pages of today; nothing is written. With --format html it is the page of the second one's audit, with the
first beside it.

With --browser it opens the pages of both in Chromium, in turn, and reports whether they look
the same, pixel by pixel, and where not; what the browser requests on one side only, and
what it measures. What moves by itself is learned from a second visit, and left out. Exit
status 1 means that a page looks different. Pages are scrolled to their end first, so that what appears
only then is there.`,
		Example: "  yellowgate compare site public\n" +
			"  yellowgate audit --format json --out before.json   … later …   yellowgate compare before.json " +
			"public --fail-on warning\n  yellowgate compare site public /visit/\n" +
			"  yellowgate compare public https://ternhill.example/\n  yellowgate compare @3 yellowgate.yaml\n" +
			"  yellowgate compare site public --format html --out compared.html\n" +
			"  yellowgate compare site public --browser --screen 1280x800 --screen 390x844",
		RunE: app.Run(a.compare, &o),
	}
	o.ways.FlagsForAddress(cmd)
	o.browsing.Flags(cmd)
	f := cmd.Flags()
	f.StringArrayVar(&o.masks, "mask", nil,
		"with --browser: do not look at what this `SELECTOR` matches; may be repeated")
	f.IntVar(&o.runs, "runs", 2, "with --browser: how often each side is visited, in turn")
	f.StringVar(&o.pictures, "pictures", "",
		"with --browser: write the pictures of pages that look different into a `FOLDER`")
	_ = cmd.MarkFlagDirname("pictures")
	f.BoolVar(&o.browsing.Options.Dark, "dark", false, "with --browser: as visitors see it who prefer dark colours")
	f.BoolVar(&o.browsing.Options.Hover, "hover", false, "with --browser: with the mouse over every link and button")
	f.Lookup("scroll").Usage += "; --scroll=false does not"
	app.FailOnFlag(cmd, &o.failOn)
	f.Lookup("fail-on").DefValue = "never"
	_ = f.Set("fail-on", "never")
	f.Lookup("fail-on").Usage = "the least `SEVERITY` of a new finding that makes the exit status 1: " +
		"error, warning, note, never"
	return cmd
}

// compareFlags are the options of compare.
type compareFlags struct {
	failOn   string
	ways     options.Site
	browsing options.Browser
	masks    []string
	runs     int
	pictures string
}

// compare compares two sides, as what they are.
func (a command) compare(cmd *cobra.Command, args []string, o *compareFlags) error {
	if len(args) == 2 && (isGate(args[0]) || isGate(args[1])) {
		return a.compareTwoGates(cmd.Context(), args[0], args[1])
	}
	v, w := &o.browsing, &o.ways
	if err := v.Ready(a.App, cmd, w, args); err != nil {
		return err
	}
	if v.On {
		if !cmd.Flags().Changed("scroll") {
			v.Options.Scroll = true
		}
		return a.compareLooks(cmd.Context(), args, w,
			visualcompare.Options{Options: v.Options, Screens: v.Screens, Masks: o.masks, Runs: o.runs}, o.pictures)
	}
	for _, name := range []string{"mask", "runs", "pictures", "dark", "hover"} {
		if cmd.Flags().Changed(name) {
			return &failure.Usage{Message: "--" + name + " is for pages in a browser", Remedy: "add --browser"}
		}
	}
	threshold, err := app.FailThreshold(o.failOn)
	if err != nil {
		return err
	}
	if !app.IsAddress(args[0]) && !app.IsAddress(args[1]) {
		if err := w.ForFolder(cmd); err != nil {
			return err
		}
	}
	return a.compareSides(cmd.Context(), args, w, threshold)
}

// compareTwoGates compares what two gate files make of the pages, and writes neither.
func (a command) compareTwoGates(ctx context.Context, before, after string) error {
	for _, side := range []string{before, after} {
		if !isGate(side) {
			return &failure.Usage{
				Message: fmt.Sprintf("a gate file is compared with another, and %s is none", side),
				Remedy:  "yellowgate compare other.yaml yellowgate.yaml, or @3 for an entry of yellowgate history",
			}
		}
	}
	c, err := a.compareGates(ctx, before, after)
	if err != nil {
		return err
	}
	return a.Write(func(out io.Writer, pr *report.Printer) error {
		if a.Format == "json" {
			return report.JSON(out, struct {
				Format string `json:"format"`
				result.GateDiff
			}{"yellowgate.compare-gates/1", c.GateDiff})
		}
		pr.CompareGates(before, after, &c.GateDiff, a.Verbose)
		return nil
	})
}

// compareSides compares two folders, sites or saved audits.
func (a command) compareSides(ctx context.Context, args []string, w *options.Site, threshold problem.Severity) error {
	p, err := a.OpenIfAny(true)
	if err != nil && a.Gate != "" {
		return err
	}
	if err != nil {
		p = nil // two folders can be compared without a gate file that works
	}
	o := sitecompare.Options{
		Before:   args[0],
		After:    args[1],
		Project:  p,
		Diffs:    a.Verbose,
		Roughly:  a.Format == "text",
		Progress: a.Progress("comparing"),
	}
	for _, side := range []*string{&o.Before, &o.After} {
		if app.IsAddress(*side) {
			if *side, err = w.FolderOf(ctx, a.App, *side); err != nil {
				return err
			}
		}
	}
	if len(args) == 3 {
		o.Page = args[2]
	}
	r, err := sitecompare.Compare(ctx, o)
	if err != nil {
		return err
	}
	if worst, any := r.WorstNew(); any && worst >= threshold {
		a.Status = app.Found
	}
	return a.Write(func(out io.Writer, pr *report.Printer) error {
		switch a.Format {
		case "json":
			return report.JSON(out, struct {
				Format string `json:"format"`
				*compare.Result
			}{"yellowgate.compare/1", r.Result})
		case "html":
			return report.CompareHTML(out, r)
		}
		pr.Compare(args[0], args[1], r.Result, a.Verbose)
		return nil
	})
}
