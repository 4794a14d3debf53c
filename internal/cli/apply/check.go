package apply

import (
	"github.com/spf13/cobra"

	"yellowgate/internal/cli/app"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/report"
	"yellowgate/internal/sitecheck"
)

func (a command) checkCmd() *cobra.Command {
	var failOn string
	cmd := &cobra.Command{
		Use: "check", GroupID: "publish", Args: cobra.NoArgs,
		Short: "Read the gate file and the site, write nothing, tell what is wrong",
		Long: `Reads the gate file and every page of the site and writes nothing. Use it after each
change of the gate file: it reports errors, warnings, lines that change nothing, and on
how many pages each item is.`,
		Example: "  yellowgate check\n  yellowgate check --verbose --gate tern-hill/yellowgate.yaml",
		RunE: func(cmd *cobra.Command, args []string) error {
			threshold, err := app.FailThreshold(failOn)
			if err != nil {
				return err
			}
			p, problems, err := a.Open(true)
			if err != nil {
				return err
			}
			r, err := sitecheck.Check(cmd.Context(), p, problems, a.Progress("checking"))
			if err != nil {
				return err
			}
			if worst, any := problem.Worst(r.Problems); any && worst >= threshold {
				a.Status = app.Found
			}
			defer a.Turn()
			return a.Answer(report.CheckRecord(r), func(pr *report.Printer) {
				pr.Check(r, a.Verbose || threshold == 0)
			})
		},
	}
	app.FailOnFlag(cmd, &failOn)
	return cmd
}
