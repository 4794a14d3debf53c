package cli

import (
	"io"

	"github.com/spf13/cobra"

	"yellowgate/internal/core/compare"
	"yellowgate/internal/report"
	"yellowgate/internal/run"
)

func (a *app) compareCmd() *cobra.Command {
	return &cobra.Command{
		Use: "compare BEFORE AFTER", GroupID: "verify", Args: cobra.ExactArgs(2),
		Short: "What came, what went, what moved between two folders or saved audits?",
		Long: `Compares two folders of pages, or audits saved with audit --format json: what came,
went and moved, on which pages, the requests, bytes and blocking resources saved or
added, findings mended and new, and whether anything else changed. Use it when you have
switched something off: did that do what you wanted, and nothing else? With --format html
it is the page of the second one's audit, with the first beside it.`,
		Example: "  yellowgate compare site public\n  yellowgate audit --format json --out before.json   … later …   yellowgate compare before.json public\n  yellowgate compare site public --format html --out compared.html",
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := a.begin("html"); err != nil {
				return err
			}
			p, err := a.openIfAny(true)
			if err != nil && a.gate != "" {
				return err
			}
			if err != nil {
				p = nil // two folders can be compared without a gate file that works
			}
			r, err := run.Compare(args[0], args[1], p, a.progress("comparing"))
			if err != nil {
				return err
			}
			return a.write(func(w io.Writer, pr *report.Printer) error {
				if a.format == "json" {
					return report.JSON(w, struct {
						Format string `json:"format"`
						*compare.Result
					}{"yellowgate.compare/1", r.Result})
				}
				if a.format == "html" {
					return report.CompareHTML(w, r)
				}
				pr.Compare(args[0], args[1], r.Result, a.verbose)
				return nil
			})
		},
	}
}
