package reference

import (
	"fmt"
	"io"

	"github.com/spf13/cobra"

	"yellowgate/internal/cli/app"
	"yellowgate/internal/core/check"
	"yellowgate/internal/core/checks"
	"yellowgate/internal/core/didyoumean"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/failure"
	"yellowgate/internal/report"
)

func (a command) explainCmd() *cobra.Command {
	names := func() (out []string) {
		return append(checks.Names(), problem.Names()...)
	}
	return &cobra.Command{
		Annotations: app.Forms("markdown"),
		Use:         "explain [CHECK]", GroupID: "more", Args: cobra.MaximumNArgs(1),
		Short: "What the checks of the audit mean",
		Long: `Lists the checks of the audit, or explains one: what it looks for, why it matters, how
to mend it, with a bad and a good example. Use it when a finding is not clear. What the
check command alone warns of is listed, too: accept takes both by name.`,
		Example: "  yellowgate explain\n  yellowgate explain broken-head",
		ValidArgsFunction: func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
			return names(), cobra.ShellCompDirectiveNoFileComp
		},
		RunE: func(cmd *cobra.Command, args []string) error {
			var c *check.Check
			var kind problem.Kind
			if len(args) == 1 {
				kind = problem.KindOf(args[0])
				if c = checks.Named(args[0]); c == nil && kind.Name == "" {
					return &failure.Usage{
						Message: fmt.Sprintf("no check is called %q%s", args[0], didyoumean.Suggest(args[0], names())),
						Remedy:  "yellowgate explain lists the checks",
					}
				}
			}
			return a.Write(func(w io.Writer, pr *report.Printer) error {
				switch a.Format {
				case "json":
					if kind.Name != "" {
						return report.JSON(w, kind)
					}
					return report.JSON(w, report.CheckDocs(c))
				case "markdown":
					return report.ChecksMarkdown(w)
				}
				if kind.Name != "" {
					pr.ExplainKind(kind)
					return nil
				}
				pr.Explain(c)
				return nil
			})
		},
	}
}
