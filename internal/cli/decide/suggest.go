package decide

import (
	"context"
	"fmt"

	"github.com/spf13/cobra"

	"yellowgate/internal/cli/app"
	"yellowgate/internal/cli/options"
	"yellowgate/internal/core/weburl"
	"yellowgate/internal/failure"
	"yellowgate/internal/project"
	"yellowgate/internal/report"
	"yellowgate/internal/result"
	"yellowgate/internal/suggest"
)

func (a command) suggestCmd() *cobra.Command {
	var o suggestFlags
	cmd := &cobra.Command{
		Use: "suggest [DIR | URL]", GroupID: "verify", Args: cobra.MaximumNArgs(1),
		Short: "What loads where nothing needs it, and which lines would change that?",
		Long: `Looks at every page as apply would write it for stylesheets none of whose selectors
match anything, scripts that look for elements the page does not have, and libraries
that no script names. Each suggestion shows its evidence, how sure it is, what it would
save, and the lines of gate file that would do it.

certain: selectors match nothing, in no state of the page, and nothing can change the page.
possible: something can, such as a script: what that does, no text proves. What cannot be
told at all is listed.

Nothing is run. With a folder, its pages are looked at as they are, without a gate file.
--browser opens the pages in Chromium, does what a visitor may do (scrolls, hovers, types,
clicks; on a phone, in the dark, in print), and looks at what ran and what matched. What
seems idle is then taken out of the page, and that held against the page as it was, after
the same steps. proved: nothing differs on a page of each structure. likely: there are too
many structures to try each.

--write puts what is certain into the gate file, and with --browser what is proved; then
look at yellowgate diff.`,
		Example: "  yellowgate suggest\n  yellowgate suggest --browser --only contact-kit --write\n" +
			"  yellowgate suggest tern-hill/site",
		ValidArgsFunction: app.Folders,
		RunE:              app.Run(a.runSuggest, &o),
	}
	o.ways.FlagsForAddress(cmd)
	o.browsing.Flags(cmd)
	cmd.Flags().StringArrayVar(&o.only, "only", nil, "only the suggestion for the item `NAME`; may be repeated")
	cmd.Flags().BoolVar(&o.write, "write", false, "put the lines into the gate file")
	app.DryFlag(cmd, &o.dry)
	_ = cmd.RegisterFlagCompletionFunc(
		"only",
		func(_ *cobra.Command, _ []string, prefix string) ([]string, cobra.ShellCompDirective) {
			return a.CompleteItems(prefix), cobra.ShellCompDirectiveNoFileComp
		},
	)
	return cmd
}

// suggestFlags are the options of suggest.
type suggestFlags struct {
	only       []string
	ways       options.Site
	browsing   options.Browser
	write, dry bool
}

// runSuggest looks for what loads where nothing needs it, and writes what it finds.
func (a command) runSuggest(cmd *cobra.Command, args []string, o *suggestFlags) error {
	if err := o.browsing.Ready(a.App, cmd, &o.ways, args); err != nil {
		return err
	}
	var change func(r *result.Suggestions) error
	if o.write || o.dry {
		change = func(r *result.Suggestions) error { return a.writeSuggested(cmd.Context(), r, o.only, o.dry) }
	}
	if o.browsing.On {
		if len(o.only) > 0 && change == nil {
			return &failure.Usage{Message: "--browser looks at all files", Remedy: "--only says what --write writes"}
		}
		return a.suggestBrowser(cmd.Context(), args, &o.ways, &o.browsing, change)
	}
	if len(args) == 0 || !app.IsAddress(args[0]) {
		if err := o.ways.ForFolder(cmd); err != nil {
			return err
		}
	}
	p, err := a.suggestOn(cmd.Context(), &o.ways, args, o.write || o.dry)
	if err != nil {
		return err
	}
	r, err := suggest.Suggest(cmd.Context(), p, a.Progress("looking"))
	if err != nil {
		return err
	}
	if change != nil {
		return change(r)
	}
	if err := suggest.Only(r, o.only); err != nil {
		return err
	}
	if len(args) == 1 {
		r.Folder = args[0]
	}
	return a.Answer(r, func(pr *report.Printer) {
		pr.Suggest(r, a.Verbose)
	})
}

// writeSuggested puts what is certain or proved into the gate file.
func (a command) writeSuggested(ctx context.Context, r *result.Suggestions, only []string, dry bool) error {
	if err := suggest.Only(r, only); err != nil {
		return err
	}
	e, err := a.edit("", dry)
	if err != nil {
		return err
	}
	done, skipped, err := suggest.Write(ctx, e, r)
	if err == nil && skipped > 0 && !a.Quiet {
		fmt.Fprintf(a.Err, "left out: %d that are not proved, or have no short query; --browser proves what it can\n",
			skipped)
	}
	return a.edited(e, done, err)
}

// suggestOn opens what is to be looked at: the gate file's site, or a folder.
func (a command) suggestOn(ctx context.Context, w *options.Site, args []string, write bool) (*project.Project, error) {
	if len(args) == 0 {
		p, _, err := a.Open(true)
		return p, err
	}
	if write {
		return nil, &failure.Usage{
			Message: "lines go into a gate file, and a folder has none",
			Remedy:  "yellowgate survey " + args[0] + " --write makes a first one; then yellowgate suggest --write",
		}
	}
	if !app.IsAddress(args[0]) {
		return project.OfFolder(args[0], "")
	}
	dir, err := w.FolderOf(ctx, a.App, args[0])
	if err != nil {
		return nil, err
	}
	return project.OfFolder(dir, weburl.OriginOf(args[0]))
}
