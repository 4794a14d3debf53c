package cli

import (
	"io"

	"github.com/spf13/cobra"

	"yellowgate/internal/report"
	"yellowgate/internal/run"
)

func (a *app) whereCmd() *cobra.Command {
	return &cobra.Command{
		Use: "where [ITEM]", GroupID: "verify", Args: cobra.MaximumNArgs(1),
		Short: "On which pages is an item, and why not on the others?",
		Long: `Lists the pages on which an item is, and why it is not on the others. Without an item
it lists all items with their counts. Use it before you change or remove something.`,
		Example: "  yellowgate where\n  yellowgate where visit-counter",
		ValidArgsFunction: func(cmd *cobra.Command, args []string, prefix string) ([]string, cobra.ShellCompDirective) {
			if len(args) > 0 {
				return nil, cobra.ShellCompDirectiveNoFileComp
			}
			return a.completeItems(prefix), cobra.ShellCompDirectiveNoFileComp
		},
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := a.begin(); err != nil {
				return err
			}
			p, _, err := a.open(true)
			if err != nil {
				return err
			}
			if len(args) == 0 {
				lines, pages, err := run.WhereAll(p, a.progress("looking"))
				if err != nil {
					return err
				}
				return a.write(func(w io.Writer, pr *report.Printer) error {
					if a.format == "json" {
						return report.JSON(w, lines)
					}
					pr.WhereAll(lines, pages)
					return nil
				})
			}
			r, err := run.Where(p, args[0], a.progress("looking"))
			if err != nil {
				return err
			}
			return a.write(func(w io.Writer, pr *report.Printer) error {
				if a.format == "json" {
					return report.JSON(w, r)
				}
				pr.Where(r, a.verbose)
				return nil
			})
		},
	}
}
