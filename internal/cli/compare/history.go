package compare

import (
	"context"
	"fmt"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"yellowgate/internal/cli/app"
	"yellowgate/internal/failure"
	"yellowgate/internal/gatecompare"
	"yellowgate/internal/history"
	"yellowgate/internal/project"
	"yellowgate/internal/report"
	"yellowgate/internal/result"
)

func (a command) historyCmd() *cobra.Command {
	return &cobra.Command{
		Annotations: app.Forms("html"),
		Use:         "history [N]", GroupID: "publish", Args: cobra.MaximumNArgs(1),
		Short: "What was in effect before, and what did each change do?",
		Long: `Lists what apply put into effect: when, by whom, with which words (apply --message), on how
many pages; and the edits that add, set, remove, disable and enable made. With a number it
shows what that entry changed: the lines of the gate file, and what they do to the pages
of today. With --format html it plots weight, requests and findings over time, as far as
the output was audited.

Kept are the gate files and the files that they name, compressed, in .yellowgate beside the
gate file, within site.history (100 MB); the oldest texts go first.`,
		Example: "  yellowgate history\n  yellowgate history 3\n" +
			"  yellowgate history --format html --out history.html\n  yellowgate back 3 --dry-run",
		RunE: func(cmd *cobra.Command, args []string) error {
			var not []string
			if len(args) == 1 {
				not = []string{"html"}
			}
			if err := a.Without(not...); err != nil {
				return err
			}
			h, _, err := a.history()
			if err != nil {
				return err
			}
			if len(args) == 1 {
				return a.historyEntry(cmd.Context(), h, args[0])
			}
			return a.Answer(slices.Concat([]result.HistoryEntry{}, h.Entries),
				func(pr *report.Printer) { pr.History(h.Entries, a.Verbose) }, app.InForm("html", report.HistoryHTML, h.Entries))
		},
	}
}

// history opens what is kept beside the gate file, which need not be one that works.
func (a command) history() (h *history.History, dir string, err error) {
	name, err := a.GateFile()
	if err != nil {
		return nil, "", err
	}
	return history.Beside(name)
}

// historyEntry shows what an entry changed.
func (a command) historyEntry(ctx context.Context, h *history.History, number string) error {
	n, err := strconv.Atoi(number)
	if err != nil {
		return &failure.Usage{
			Message: fmt.Sprintf("history takes the number of an entry, not %q", number),
			Remedy:  "yellowgate history lists them",
		}
	}
	e, err := h.Numbered(n)
	if err != nil {
		return err
	}
	c, err := h.Changed(e)
	if err != nil {
		return err
	}
	if c.Before > 0 && e.What == history.Applied {
		d, err := a.compareGates(ctx, fmt.Sprint("@", c.Before), fmt.Sprint("@", n))
		if err != nil {
			return err
		}
		c.GateDiff = d.GateDiff
	}
	return a.Answer(c, func(pr *report.Printer) {
		pr.HistoryChange(c, a.Verbose)
	})
}

// isGate reports whether a side of compare is a gate file, or @N for one of the history.
func isGate(side string) bool {
	_, err := strconv.Atoi(strings.TrimPrefix(side, "@"))
	ext := strings.ToLower(filepath.Ext(side))
	return strings.HasPrefix(side, "@") && err == nil || ext == ".yaml" || ext == ".yml"
}

// gateSide opens a gate file, or one of the history, with its pages of today.
func (a command) gateSide(side string) (*project.Project, error) {
	o := project.Options{Day: a.Day, Outside: a.Outside}
	if number, of := strings.CutPrefix(side, "@"); of {
		h, _, err := a.history()
		if err != nil {
			return nil, err
		}
		n, _ := strconv.Atoi(number)
		e, err := h.Numbered(n)
		if err != nil {
			return nil, err
		}
		if e.What != history.Applied {
			return nil, &failure.Usage{
				Message: fmt.Sprintf("entry %d of the history is not an apply: it does not have all files of the gate", n),
				Remedy:  "yellowgate history lists them",
			}
		}
		if o.Files, err = h.Texts(e.Files); err != nil {
			return nil, err
		}
		if side, err = a.GateFile(); err != nil {
			return nil, err
		}
	}
	p, _, err := project.Open(side, o)
	if err == nil {
		err = p.Walk()
	}
	return p, err
}

// compareGates compares what two gate files, or those of two times, make of the pages of today.
func (a command) compareGates(ctx context.Context, before, after string) (*gatecompare.Comparison, error) {
	was, err := a.gateSide(before)
	if err != nil {
		return nil, err
	}
	is, err := a.gateSide(after)
	if err != nil {
		return nil, err
	}
	return gatecompare.Compare(ctx, was, is, a.Progress("comparing"))
}

func (a command) backCmd() *cobra.Command {
	var dry bool
	cmd := &cobra.Command{
		Use: "back [N]", GroupID: "publish", Args: cobra.MaximumNArgs(1),
		Short: "Make the gate file what it was before",
		Long: `Without a number, takes back the last edit that add, set, remove, disable or enable made;
again, the one before it. With the number of an entry of the history, makes the gate files
and the files that they name what they were then. What stands there and is kept nowhere is
kept first, so that one can go back again. The output follows with yellowgate apply: on the
same pages it is then byte for byte what it was.

Nothing else is touched: no page, no output, no other file.`,
		Example: "  yellowgate back --dry-run\n  yellowgate back 3\n  yellowgate apply",
		RunE: func(cmd *cobra.Command, args []string) error {
			h, dir, err := a.history()
			if err != nil {
				return err
			}
			number := 0
			if len(args) == 1 {
				if number, err = strconv.Atoi(args[0]); err != nil || number < 1 {
					return &failure.Usage{
						Message: fmt.Sprintf("back takes the number of an entry, not %q", args[0]),
						Remedy:  "yellowgate history lists them",
					}
				}
			}
			r, err := h.Back(dir, number, dry)
			if err != nil {
				return err
			}
			return a.Answer(r, func(pr *report.Printer) {
				if !a.Quiet {
					pr.Return(r, dry)
				}
			})
		},
	}
	app.DryFlag(cmd, &dry)
	return cmd
}
