package look

import (
	"context"
	"path/filepath"

	"github.com/spf13/cobra"

	"yellowgate/internal/cli/app"
	"yellowgate/internal/cli/options"
	"yellowgate/internal/project"
	"yellowgate/internal/report"
	"yellowgate/internal/survey"
)

func (a command) findCmd() *cobra.Command {
	var inOutput bool
	var w options.Site
	cmd := &cobra.Command{
		Use: "find WORD [DIR | URL]", GroupID: "look", Args: app.Needs(1, 2,
			"find takes a word, a name or a URL to look for, and the folder if it is not the gate file's",
			"yellowgate find domkit"),
		Short: "Where does a word, a name or a URL occur, and as what?",
		Long: `Looks for a word, a name or a URL in every page, and tells apart where it is loaded,
where it stands in inline code, in metadata, in an attribute, or merely in text or in
a comment; and in which scripts and stylesheets of the site. Use it before you take
something out. Without a folder it reads the gate file's source.`,
		Example: "  yellowgate find domkit\n  yellowgate find counter.ternhill.example --in-output\n" +
			"  yellowgate find glyphs site\n  yellowgate find glyphs http://localhost:8000/",
		ValidArgsFunction: func(_ *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
			if len(args) == 1 {
				return nil, cobra.ShellCompDirectiveFilterDirs
			}
			return nil, cobra.ShellCompDirectiveNoFileComp
		},
		RunE: func(cmd *cobra.Command, args []string) error {
			if len(args) < 2 || !app.IsAddress(args[1]) {
				if err := w.ForFolder(cmd); err != nil {
					return err
				}
			}
			p, err := a.OpenIfAny(false)
			if err != nil && (len(args) == 1 || a.Gate != "") {
				return err
			}
			dir, shown, err := a.findIn(cmd.Context(), &w, args, p, inOutput)
			if err != nil {
				return err
			}
			r, err := survey.Find(cmd.Context(), dir, args[0], p, a.Progress("looking"))
			if err != nil {
				return err
			}
			r.Dir = shown
			return a.Answer(r, func(pr *report.Printer) {
				pr.Find(r, a.Verbose)
			})
		},
	}
	w.FlagsForAddress(cmd)
	cmd.Flags().BoolVar(&inOutput, "in-output", false, "look in the output folder instead of the source")
	return cmd
}

// findIn is the folder that find looks through, and what it is called.
func (a command) findIn(ctx context.Context, w *options.Site, args []string, p *project.Project,
	inOutput bool) (dir, shown string, err error) {
	switch {
	case len(args) == 2:
		if dir, err = w.FolderOf(ctx, a.App, args[1]); err != nil {
			return "", "", err
		}
		shown = filepath.Clean(args[1])
		if app.IsAddress(args[1]) {
			shown = args[1]
		}
		if abs, err := filepath.Abs(dir); err == nil && p != nil && abs == p.Source {
			dir = abs
		}
		return dir, shown, nil
	case p != nil && inOutput && p.Output != "":
		return p.Output, p.Gate.File.Site.Output.Value, nil
	case p != nil && p.Source != "":
		return p.Source, p.Gate.File.Site.Source.Value, nil
	}
	return ".", ".", nil
}
