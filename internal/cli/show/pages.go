package show

import (
	"strings"

	"github.com/spf13/cobra"

	"yellowgate/internal/decisions"
	"yellowgate/internal/report"
)

func (a command) pagesCmd() *cobra.Command {
	var why, fields bool
	cmd := &cobra.Command{
		Use: "pages [QUERY]", GroupID: "look", Args: cobra.MaximumNArgs(1),
		Short: "Which pages does a query choose?",
		Long: `Lists the pages that a page query chooses, with title, page sets and items; without a
query, all pages. Use it to try a query before it goes into the gate file. --fields
lists the words that queries of this site can use, with examples.`,
		Example: "  yellowgate pages '/events/* and not /events/archive/'\n" +
			"  yellowgate pages 'has(form.contact)' --why\n  yellowgate pages --fields",
		ValidArgsFunction: a.CompleteQuery,
		RunE: func(cmd *cobra.Command, args []string) error {
			p, _, err := a.Open(true)
			if err != nil {
				return err
			}
			if fields {
				lines, err := decisions.Fields(cmd.Context(), p, a.Progress("looking"))
				if err != nil {
					return err
				}
				return a.Answer(lines, func(pr *report.Printer) {
					pr.Fields(lines)
				})
			}
			query := ""
			if len(args) == 1 {
				query = args[0]
			}
			lines, err := decisions.Pages(cmd.Context(), p, query, why, a.Progress("looking"))
			if err != nil {
				return err
			}
			return a.Answer(lines, func(pr *report.Printer) {
				pr.Pages(lines, query, why)
				if hint := decisions.MeantPage(p, query); len(lines) == 0 && hint != "" {
					pr.Line("  no page: %s", strings.Trim(hint, "()"))
				}
			})
		},
	}
	cmd.Flags().BoolVar(&why, "why", false, "show what in the query chose each page")
	cmd.Flags().BoolVar(&fields, "fields", false, "list the fields, metas, facts and page sets that a query can use")
	return cmd
}
