package apply

import (
	"github.com/spf13/cobra"

	"yellowgate/internal/cli/app"
	"yellowgate/internal/overview"
	"yellowgate/internal/report"
	"yellowgate/internal/site"
)

func (a command) reportCmd() *cobra.Command {
	return &cobra.Command{
		Annotations: app.Forms("html", "markdown"),
		Use:         "report", GroupID: "publish", Args: cobra.NoArgs,
		Short: "What loads where, and why: a page for somebody who reads no gate files",
		Long: `Says in words what the gate file decides: what is on which kind of page, what it is and why
(the notes of the gate file), how heavy it is, which other companies it loads from, how titles and
descriptions come about, how the main pages are listed, and who decided what and when (the history).
It has no findings: what is wrong is the audit's to say.

--format html is a page that loads nothing from anywhere, to be sent or printed; markdown is for a
repository or a wiki.`,
		Example: "  yellowgate report --format html --out what-loads.html\n" +
			"  yellowgate report --format markdown --out docs/what-loads.md\n  yellowgate report",
		RunE: func(cmd *cobra.Command, _ []string) error {
			p, _, err := a.Open(true)
			if err != nil {
				return err
			}
			defer a.Turn()
			weights := site.NewWeights(p.Source, p.Files)
			o, err := overview.Make(cmd.Context(), p, weights, weights.Read, a.Progress("reading"))
			if err != nil {
				return err
			}
			return a.Answer(o, func(pr *report.Printer) { pr.Overview(o) },
				app.InForm("html", report.OverviewHTML, o), app.InForm("markdown", report.OverviewMarkdown, o))
		},
	}
}
