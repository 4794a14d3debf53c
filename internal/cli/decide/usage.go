package decide

import (
	"context"
	"io"

	"yellowgate/internal/cli/app"
	"yellowgate/internal/cli/options"
	"yellowgate/internal/report"
	"yellowgate/internal/result"
	"yellowgate/internal/suggest"
	"yellowgate/internal/visits"
)

// suggestBrowser tells what the browser used of the files that pages load, and proves what they do not need. What is
// proved is written, where that was asked for.
func (a command) suggestBrowser(ctx context.Context, args []string, w *options.Site, v *options.Browser,
	change func(*result.Suggestions) error) error {
	p, err := a.suggestOn(ctx, w, args, change != nil)
	if err != nil {
		return err
	}
	a.Tidies()
	v.Options.Steps = len(args) == 0 || !app.IsAddress(args[0]) // what is clicked on a site that runs may post
	r, err := v.Start(ctx, p, args, false)
	if err != nil {
		return err
	}
	defer r.Close()
	seen, err := visits.Used(ctx, r, v.Screens, a.Progress("looking"))
	if err == nil {
		suggest.Unprovable(p, seen.Uses)
		err = seen.Prove(ctx, r, v.Screens[0], a.Progress("proving"))
	}
	if err = options.Looked(ctx, err); err != nil {
		return err
	}
	proved := suggest.OfUses(p, seen.Uses)
	if change != nil {
		return change(proved)
	}
	var names []string
	for _, s := range v.Screens {
		names = append(names, s.String())
	}
	return a.Write(func(w io.Writer, pr *report.Printer) error {
		if a.Format == "json" {
			return report.JSON(w, struct {
				Format  string       `json:"format"`
				Screens []string     `json:"screens"`
				Pages   int          `json:"pages"`
				Unread  int          `json:"unread"`
				Used    []result.Use `json:"used"`
			}{"yellowgate.used/1", names, len(p.Pages), seen.Unread, seen.Uses})
		}
		pr.Used(seen.Uses, len(p.Pages), seen.Unread, names, v.Options.Steps, a.Verbose)
		return nil
	})
}
