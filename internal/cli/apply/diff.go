package apply

import (
	"github.com/spf13/cobra"

	"yellowgate/internal/cli/app"
	"yellowgate/internal/report"
	"yellowgate/internal/sitediff"
)

func (a command) diffCmd() *cobra.Command {
	var summary bool
	cmd := &cobra.Command{
		Use: "diff [QUERY]", GroupID: "publish", Args: cobra.MaximumNArgs(1),
		Short: "What would apply change?",
		Long: `Shows what apply would change: by item, the pages gained and lost, and each page as a
unified diff. Use it before apply, or with --summary to know whether anything is set
but not applied. Exit status 1 means that pages are behind.`,
		Example:           "  yellowgate diff --summary\n  yellowgate diff '/events/**'",
		ValidArgsFunction: a.CompleteQuery,
		RunE: func(cmd *cobra.Command, args []string) error {
			p, _, err := a.Open(true)
			if err != nil {
				return err
			}
			query := ""
			if len(args) == 1 {
				query = args[0]
			}
			d, err := sitediff.Diff(cmd.Context(), p, query, a.Progress("comparing"))
			if err != nil {
				return err
			}
			if d.Behind() {
				a.Status = app.Found
			}
			return a.Answer(d, func(pr *report.Printer) {
				pr.Diff(d, summary)
			})
		},
	}
	cmd.Flags().BoolVar(&summary, "summary", false, "items and counts, no unified diffs")
	return cmd
}
