package cli

import (
	"context"

	"github.com/spf13/cobra"

	"yellowgate/internal/browser"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/decisions"
	"yellowgate/internal/failure"
	"yellowgate/internal/pagetable"
	"yellowgate/internal/project"
	"yellowgate/internal/report"
	"yellowgate/internal/visits"
)

func (a *app) whereCmd() *cobra.Command {
	var o whereOptions
	cmd := &cobra.Command{
		Use: "where [ITEM | KEY]...", GroupID: "verify", Args: cobra.ArbitraryArgs,
		Short: "On which pages is an item, and why not on the others?",
		Long: `Lists the pages on which an item is, and why it is not on the others. Without an item
it lists all items with their counts; with --table, each page with each item. With a
metadata key it lists the pages by the value that they have. Use it before you change
or remove something.

With several keys, items and parameters (ITEM.PARAMETER), or with --pages, it is a table of pages by
values. As CSV or xlsx it can be edited in a spreadsheet; set --table takes it back.

With --browser it opens the pages in Chromium, as apply would write them, and reports where a browser
has the item, in its document or among its requests: also where the gate says out, and by whom.`,
		Example: "  yellowgate where\n  yellowgate where visit-counter\n  yellowgate where robots\n" +
			"  yellowgate where page-veil --params\n  yellowgate where --table --format csv\n" +
			"  yellowgate where visit-counter --browser\n" +
			"  yellowgate where title description robots --pages /events/** --format xlsx --out events.xlsx",
		ValidArgsFunction: func(cmd *cobra.Command, args []string, prefix string) ([]string, cobra.ShellCompDirective) {
			return a.completeItems(prefix, metadataKeys...), cobra.ShellCompDirectiveNoFileComp
		},
		RunE: func(cmd *cobra.Command, args []string) error { return a.where(cmd, args, &o) },
	}
	o.flags(cmd)
	cmd.Flags().StringVar(&o.query, "pages", "", "a table of the pages that a `QUERY` chooses")
	_ = cmd.RegisterFlagCompletionFunc(
		"pages",
		func(cmd *cobra.Command, _ []string, prefix string) ([]string, cobra.ShellCompDirective) {
			return a.completeQuery(cmd, nil, prefix)
		},
	)
	cmd.Flags().BoolVar(&o.table, "table", false, "each page with each item")
	cmd.Flags().
		BoolVar(&o.params, "params", false, "of an item, the values of its parameters, with their pages and lines")
	return cmd
}

// whereOptions are the options of where.
type whereOptions struct {
	browsing
	table, params bool
	query         string
}

// where answers with a table, the pages of a metadata key, all items, or one.
func (a *app) where(cmd *cobra.Command, args []string, o *whereOptions) error {
	asPages := len(args) > 1 || o.query != "" || len(args) == 1 && (a.format == "csv" || a.format == "xlsx")
	var not []string
	if !o.table && !asPages {
		not = []string{"csv", "xlsx"}
	} else if o.table {
		not = []string{"xlsx"}
	}
	if err := a.begin(not...); err != nil {
		return err
	}
	p, _, err := a.open(true)
	if err != nil {
		return err
	}
	defer a.turn()
	screens, err := o.ready(a, cmd, &ways{}, nil)
	if err != nil {
		return err
	}
	ctx := cmd.Context()
	item := len(args) == 1 && p.Gate.File.Item(args[0]) != nil
	switch {
	case o.on && o.table:
		return &failure.Usage{
			Message: "--browser is for items, one or all of them: no --table",
			Remedy:  "yellowgate where --browser",
		}
	case asPages && !o.table:
		return a.wherePages(ctx, p, args, o.query, o.on || o.params)
	case o.params && !item:
		return &failure.Usage{
			Message: "--params is for the parameters of an item", Remedy: "yellowgate where page-veil --params",
		}
	case o.table && (len(args) > 0 || o.query != ""):
		return &failure.Usage{
			Message: "--table is of all items on all pages",
			Remedy:  "yellowgate where --table; for some: yellowgate where night-letter chat --pages /contact/",
		}
	case o.table:
		return a.whereTable(ctx, p)
	case len(args) == 0:
		return a.whereAll(ctx, p, o, screens)
	case item:
		return a.whereItem(ctx, p, args[0], o, screens)
	}
	known, _ := gatefile.KnownKey(gatefile.KeyName(args[0]))
	switch {
	case known && o.on:
		return &failure.Usage{
			Message: "--browser is for items; what scripts make of metadata is reported by metadata-rewritten",
			Remedy:  "yellowgate audit --browser",
		}
	case known:
		return a.whereKey(ctx, p, args[0])
	}
	return a.whereItem(ctx, p, args[0], o, screens) // which says that there is none
}

// whereAll writes all items with their counts.
func (a *app) whereAll(ctx context.Context, p *project.Project, o *whereOptions, screens []browser.Screen) error {
	lines, pages, err := decisions.WhereAll(ctx, p, a.progress("looking"))
	unread := 0
	if err == nil && o.on {
		err = a.inBrowser(ctx, &o.browsing, p, func(r *visits.Visitor) (err error) {
			unread, err = visits.Where(ctx, lines, r, screens, a.progress("looking"))
			return err
		})
	}
	if err != nil {
		return err
	}
	return a.answer(lines, func(pr *report.Printer) {
		pr.WhereAll(lines, pages, unread)
	})
}

// whereItem writes where one item is.
func (a *app) whereItem(ctx context.Context, p *project.Project, name string, o *whereOptions,
	screens []browser.Screen) error {
	r, err := decisions.Where(ctx, p, name, o.params, a.progress("looking"))
	if err == nil && o.on {
		err = a.inBrowser(ctx, &o.browsing, p, func(b *visits.Visitor) error {
			return visits.WhereItem(ctx, r, b, screens, a.progress("looking"))
		})
	}
	if err != nil {
		return err
	}
	return a.answer(r, func(pr *report.Printer) {
		pr.Where(r, a.verbose)
	})
}

// inBrowser has the pages of a project, as apply would write them, looked at in a browser.
func (a *app) inBrowser(ctx context.Context, v *browsing, p *project.Project,
	look func(r *visits.Visitor) error) error {
	a.tidies.Store(true)
	r, err := v.rendering(ctx, p, nil, false)
	if err != nil {
		return err
	}
	defer r.Close()
	return looked(ctx, look(r))
}

// wherePages writes a table of pages by values.
func (a *app) wherePages(ctx context.Context, p *project.Project, keys []string, query string, more bool) error {
	if len(keys) == 0 || more {
		return &failure.Usage{
			Message: "a table of pages has metadata keys, items or parameters, and no other options",
			Remedy:  "yellowgate where title description --pages /events/** --format csv",
		}
	}
	t, err := pagetable.Read(ctx, p, keys, query, a.progress("looking"))
	if err != nil {
		return err
	}
	return a.answer(t, func(pr *report.Printer) { pr.PageTable(t) },
		inForm("csv", report.PageTableCSV, t), inForm("xlsx", pagetable.WriteXLSX, t))
}

func (a *app) whereTable(ctx context.Context, p *project.Project) error {
	t, err := decisions.Table(ctx, p, a.progress("looking"))
	if err != nil {
		return err
	}
	return a.answer(t, func(pr *report.Printer) { pr.Table(t) }, inForm("csv", report.TableCSV, t))
}

func (a *app) whereKey(ctx context.Context, p *project.Project, key string) error {
	r, err := decisions.WhereMetadata(ctx, p, key, a.progress("looking"))
	if err != nil {
		return err
	}
	return a.answer(r, func(pr *report.Printer) {
		pr.WhereKey(r, a.verbose)
	})
}
