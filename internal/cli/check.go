package cli

import (
	"github.com/spf13/cobra"

	"yellowgate/internal/core/problem"
	"yellowgate/internal/report"
	"yellowgate/internal/sitecheck"
)

func (a *app) checkCmd() *cobra.Command {
	var failOn string
	cmd := &cobra.Command{
		Use: "check", GroupID: "publish", Args: cobra.NoArgs,
		Short: "Read the gate file and the site, write nothing, tell what is wrong",
		Long: `Reads the gate file and every page of the site and writes nothing. Use it after each
change of the gate file: it reports errors, warnings, lines that change nothing, and on
how many pages each item is.`,
		Example: "  yellowgate check\n  yellowgate check --verbose --gate tern-hill/yellowgate.yaml",
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := a.begin(); err != nil {
				return err
			}
			threshold, err := failThreshold(failOn)
			if err != nil {
				return err
			}
			p, problems, err := a.open(true)
			if err != nil {
				return err
			}
			r, err := sitecheck.Check(cmd.Context(), p, problems, a.progress("checking"))
			if err != nil {
				return err
			}
			if worst, any := problem.Worst(r.Problems); any && worst >= threshold {
				a.status = found
			}
			defer a.turn()
			return a.answer(report.CheckRecord(r), func(pr *report.Printer) {
				pr.Check(r, a.verbose || threshold == 0)
			})
		},
	}
	failOnFlag(cmd, &failOn)
	return cmd
}
