package cli

import (
	"io"

	"github.com/spf13/cobra"

	"yellowgate/internal/report"
	"yellowgate/internal/run"
)

func (a *app) whyCmd() *cobra.Command {
	return &cobra.Command{
		Use: "why PAGE ITEM", GroupID: "verify", Args: cobra.ExactArgs(2),
		Short: "Why is an item in or out on a page? Where does a metadata value come from?",
		Long: `Tells the verdict for an item on a page, the line of the gate file that decided, and
what would change it. With a metadata key (title, description, canonical, robots)
instead of an item it shows all values and the one that wins. Use it when a page has
what you do not expect.`,
		Example: "  yellowgate why /visit/ visit-counter\n  yellowgate why /events/perseids/ title",
		ValidArgsFunction: func(cmd *cobra.Command, args []string, prefix string) ([]string, cobra.ShellCompDirective) {
			if len(args) == 1 {
				return a.completeItems(prefix, metadataKeys...), cobra.ShellCompDirectiveNoFileComp
			}
			return a.completePages(cmd, args, prefix)
		},
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := a.begin(); err != nil {
				return err
			}
			p, _, err := a.open(false)
			if err != nil {
				return err
			}
			pg, err := a.findPage(p, args[0])
			if err != nil {
				return err
			}
			item, key, err := run.Why(p, pg, args[1])
			if err != nil {
				return err
			}
			return a.write(func(w io.Writer, pr *report.Printer) error {
				switch {
				case a.format == "json" && item != nil:
					return report.JSON(w, item)
				case a.format == "json":
					return report.JSON(w, key)
				case item != nil:
					pr.WhyItem(item)
				default:
					pr.WhyKey(key)
				}
				return nil
			})
		},
	}
}
