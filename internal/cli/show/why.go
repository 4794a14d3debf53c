package show

import (
	"io"
	"strings"

	"github.com/spf13/cobra"

	"yellowgate/internal/cli/app"
	"yellowgate/internal/core/page"
	"yellowgate/internal/decisions"
	"yellowgate/internal/failure"
	"yellowgate/internal/onepage"
	"yellowgate/internal/project"
	"yellowgate/internal/report"
)

func (a command) whyCmd() *cobra.Command {
	return &cobra.Command{
		Use: "why PAGE [ITEM | KEY]", GroupID: "verify", Args: app.Needs(1, 2,
			"why takes a page and an item, or a page and a metadata key", "yellowgate why /visit/ night-letter"),
		Short: "Why is an item in or out on a page? Where does a metadata value come from?",
		Long: `Tells the verdict for an item on a page, the line of the gate file that decided, and
what would change it. With a page alone it names all items and metadata of the page, with
what decided; show PAGE --why has each element, too. With a metadata key (title, robots, social.image, …) instead of
an item it shows all values and the one that wins. With an address that has a fragment
it says whether a popup opens there. Use it when a page has what you do not expect.`,
		Example: "  yellowgate why /visit/\n  yellowgate why /visit/ visit-counter\n" +
			"  yellowgate why /events/perseids/ title\n  yellowgate why '/visit/#night-letter'",
		ValidArgsFunction: func(cmd *cobra.Command, args []string, prefix string) ([]string, cobra.ShellCompDirective) {
			if len(args) == 1 {
				return a.CompleteItems(prefix, app.MetadataKeys...), cobra.ShellCompDirectiveNoFileComp
			}
			return a.CompletePages(cmd, args, prefix)
		},
		RunE: func(cmd *cobra.Command, args []string) error {
			p, _, err := a.Open(false)
			if err != nil {
				return err
			}
			pg, err := a.FindPage(p, args[0])
			if err != nil {
				return err
			}
			switch {
			case len(args) == 1 && strings.Contains(args[0], "#"):
				return a.whyFragment(p, pg, args[0])
			case len(args) == 1:
				return a.whyPage(p, pg, true)
			}
			item, key, err := decisions.Why(p, pg, args[1])
			if err != nil {
				return err
			}
			return a.Write(func(w io.Writer, pr *report.Printer) error {
				switch {
				case a.Format == "json" && item != nil:
					return report.JSON(w, item)
				case a.Format == "json":
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

// whyPage explains all of a page, in short or whole.
func (a command) whyPage(p *project.Project, pg *page.Page, short bool) error {
	w, err := onepage.Why(p, pg, nil)
	if err != nil {
		return err
	}
	return a.Answer(w, func(pr *report.Printer) {
		pr.WhyPage(w, short)
	})
}

func (a command) whyFragment(p *project.Project, pg *page.Page, address string) error {
	_, fragment, ok := strings.Cut(address, "#")
	if !ok || fragment == "" {
		return &failure.Usage{
			Message: "why needs a page and an item, a metadata key, or an address with a fragment",
			Remedy:  "yellowgate why " + pg.Path + " title",
		}
	}
	r, err := decisions.Fragment(p, pg, fragment)
	if err != nil {
		return err
	}
	return a.Answer(r, func(pr *report.Printer) {
		pr.WhyFragment(r)
	})
}
