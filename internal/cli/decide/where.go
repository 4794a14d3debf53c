package decide

import (
	"context"

	"github.com/spf13/cobra"

	"yellowgate/internal/cli/app"
	"yellowgate/internal/cli/options"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/decisions"
	"yellowgate/internal/failure"
	"yellowgate/internal/pagetable"
	"yellowgate/internal/project"
	"yellowgate/internal/report"
	"yellowgate/internal/visits"
)

func (a command) whereCmd() *cobra.Command {
	var o whereOptions
	cmd := &cobra.Command{
		Annotations: app.Forms("csv", "xlsx"),
		Use:         "where [ITEM | KEY]...", GroupID: "verify", Args: cobra.ArbitraryArgs,
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
			return a.CompleteItems(prefix, app.MetadataKeys...), cobra.ShellCompDirectiveNoFileComp
		},
		RunE: app.Run(a.where, &o),
	}
	o.Flags(cmd)
	cmd.Flags().StringVar(&o.query, "pages", "", "a table of the pages that a `QUERY` chooses")
	_ = cmd.RegisterFlagCompletionFunc(
		"pages",
		func(cmd *cobra.Command, _ []string, prefix string) ([]string, cobra.ShellCompDirective) {
			return a.CompleteQuery(cmd, nil, prefix)
		},
	)
	cmd.Flags().BoolVar(&o.table, "table", false, "each page with each item")
	cmd.Flags().
		BoolVar(&o.params, "params", false, "of an item, the values of its parameters, with their pages and lines")
	return cmd
}

// whereOptions are the options of where.
type whereOptions struct {
	options.Browser
	table, params bool
	query         string
}

// where answers with a table, the pages of a metadata key, all items, or one.
func (a command) where(cmd *cobra.Command, args []string, o *whereOptions) error {
	asPages := len(args) > 1 || o.query != "" || len(args) == 1 && (a.Format == "csv" || a.Format == "xlsx")
	var not []string
	if !o.table && !asPages {
		not = []string{"csv", "xlsx"}
	} else if o.table {
		not = []string{"xlsx"}
	}
	if err := a.Without(not...); err != nil {
		return err
	}
	p, _, err := a.Open(true)
	if err != nil {
		return err
	}
	defer a.Turn()
	if err := o.Ready(a.App, cmd, &options.Site{}, nil); err != nil {
		return err
	}
	ctx := cmd.Context()
	item := len(args) == 1 && p.Gate.File.Item(args[0]) != nil
	switch {
	case o.On && o.table:
		return &failure.Usage{
			Message: "--browser is for items, one or all of them: no --table",
			Remedy:  "yellowgate where --browser",
		}
	case asPages && !o.table:
		return a.wherePages(ctx, p, args, o.query, o.On || o.params)
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
		return a.whereAll(ctx, p, o)
	case item:
		return a.whereItem(ctx, p, args[0], o)
	}
	known, _ := gatefile.KnownKey(gatefile.KeyName(args[0]))
	switch {
	case known && o.On:
		return &failure.Usage{
			Message: "--browser is for items; what scripts make of metadata is reported by metadata-rewritten",
			Remedy:  "yellowgate audit --browser",
		}
	case known:
		return a.whereKey(ctx, p, args[0])
	}
	return a.whereItem(ctx, p, args[0], o) // which says that there is none
}

// whereAll writes all items with their counts.
func (a command) whereAll(ctx context.Context, p *project.Project, o *whereOptions) error {
	lines, pages, err := decisions.WhereAll(ctx, p, a.Progress("looking"))
	unread := 0
	if err == nil && o.On {
		err = a.inBrowser(ctx, &o.Browser, p, func(r *visits.Visitor) (err error) {
			unread, err = visits.Where(ctx, lines, r, o.Screens, a.Progress("looking"))
			return err
		})
	}
	if err != nil {
		return err
	}
	return a.Answer(lines, func(pr *report.Printer) {
		pr.WhereAll(lines, pages, unread)
	})
}

// whereItem writes where one item is.
func (a command) whereItem(ctx context.Context, p *project.Project, name string, o *whereOptions) error {
	r, err := decisions.Where(ctx, p, name, o.params, a.Progress("looking"))
	if err == nil && o.On {
		err = a.inBrowser(ctx, &o.Browser, p, func(b *visits.Visitor) error {
			return visits.WhereItem(ctx, r, b, o.Screens, a.Progress("looking"))
		})
	}
	if err != nil {
		return err
	}
	return a.Answer(r, func(pr *report.Printer) {
		pr.Where(r, a.Verbose)
	})
}

// inBrowser has the pages of a project, as apply would write them, looked at in a browser.
func (a command) inBrowser(ctx context.Context, v *options.Browser, p *project.Project,
	look func(r *visits.Visitor) error) error {
	a.Tidies()
	r, err := v.Start(ctx, p, nil, false)
	if err != nil {
		return err
	}
	defer r.Close()
	return options.Looked(ctx, look(r))
}

// wherePages writes a table of pages by values.
func (a command) wherePages(ctx context.Context, p *project.Project, keys []string, query string, more bool) error {
	if len(keys) == 0 || more {
		return &failure.Usage{
			Message: "a table of pages has metadata keys, items or parameters, and no other options",
			Remedy:  "yellowgate where title description --pages /events/** --format csv",
		}
	}
	t, err := pagetable.Read(ctx, p, keys, query, a.Progress("looking"))
	if err != nil {
		return err
	}
	return a.Answer(t, func(pr *report.Printer) { pr.PageTable(t) },
		app.InForm("csv", report.PageTableCSV, t), app.InForm("xlsx", pagetable.WriteXLSX, t))
}

func (a command) whereTable(ctx context.Context, p *project.Project) error {
	t, err := decisions.Table(ctx, p, a.Progress("looking"))
	if err != nil {
		return err
	}
	return a.Answer(t, func(pr *report.Printer) { pr.Table(t) }, app.InForm("csv", report.TableCSV, t))
}

func (a command) whereKey(ctx context.Context, p *project.Project, key string) error {
	r, err := decisions.WhereMetadata(ctx, p, key, a.Progress("looking"))
	if err != nil {
		return err
	}
	return a.Answer(r, func(pr *report.Printer) {
		pr.WhereKey(r, a.Verbose)
	})
}
