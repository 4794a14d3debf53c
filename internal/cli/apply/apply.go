package apply

import (
	"io"
	"slices"

	"github.com/spf13/cobra"

	"yellowgate/internal/cli/app"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/failure"
	"yellowgate/internal/history"
	"yellowgate/internal/project"
	"yellowgate/internal/publish"
	"yellowgate/internal/report"
	"yellowgate/internal/site"
	"yellowgate/internal/sitecheck"
	"yellowgate/internal/survey"
)

func (a command) applyCmd() *cobra.Command {
	var o applyFlags
	cmd := &cobra.Command{
		Use: "apply [QUERY | -]", GroupID: "publish", Args: cobra.MaximumNArgs(1),
		Short: "Write the output: put the gate file into effect",
		Long: `Writes the site into the output folder, each page gated. Use it whenever the gate
file, the facts or the site's pages have changed; what is up to date already is left
alone. With a page query only those pages are written. With - and --as, one page goes
from standard input to standard output.

A site that is too large for one machine is written in parts: each writes every so-many-th
file, by a fixed rule of its path, and has a record of its own.

What was put into effect is kept beside the gate file: yellowgate history lists it, and
yellowgate back makes the gate file what it was.

If the gate file cannot be put into effect, nothing is written.`,
		Example: "  yellowgate apply\n  yellowgate apply '/events/**'\n  yellowgate apply --part 3/8\n" +
			"  curl -s localhost:8000/visit/ | yellowgate apply - --as /visit/",
		ValidArgsFunction: a.CompleteQuery,
		RunE:              app.Run(a.runApply, &o),
	}
	cmd.Flags().BoolVar(&o.takeOver, "take-over", false,
		"overwrite files in the output folder that others wrote, where pages have to be written (the old ones are "+
			"kept in .yellowgate)")
	cmd.Flags().StringVar(&o.part, "part", "", "write one part of the files, such as `3/8`")
	cmd.Flags().StringVar(&o.message, "message", "",
		"keep these `WORDS` with what is put into effect; yellowgate history shows them")
	cmd.Flags().StringVar(&o.as, "as", "", "the `PATH` of the page that comes from standard input")
	return cmd
}

// applyFlags are the options of apply.
type applyFlags struct {
	takeOver          bool
	as, part, message string
}

// partOf is the part of the files that is written; the zero Part for all.
func (o *applyFlags) partOf(args []string) (p site.Part, err error) {
	if o.as != "" {
		return p, &failure.Usage{
			Message: "--as names the page that comes from standard input",
			Remedy:  "yellowgate apply - --as /visit/ < page.html",
		}
	}
	if o.part == "" {
		return p, nil
	}
	if p, err = site.ParsePart(o.part); err == nil && len(args) > 0 {
		err = &failure.Usage{
			Message: "--part and a page query do not go together",
			Remedy:  "yellowgate apply --part " + o.part,
		}
	}
	return p, err
}

// runApply puts the gate file into effect, as the arguments and options say.
func (a command) runApply(cmd *cobra.Command, args []string, o *applyFlags) error {
	if len(args) == 1 && args[0] == "-" {
		return a.applyPipe(o.as)
	}
	whole, err := o.partOf(args)
	if err != nil {
		return err
	}
	p, problems, err := a.Open(true)
	if err != nil {
		return err
	}
	po := publish.Options{TakeOver: o.takeOver, Part: whole, Progress: a.Progress("writing")}
	if len(args) == 1 {
		q, err := project.ParseQuery(p, args[0])
		if err != nil {
			return err
		}
		po.Chosen, po.Query = q.Chooses, args[0]
	}
	also, inTheWay, unasked := sitecheck.InTheWay(p)
	if worst, any := problem.Worst(inTheWay); any && worst == problem.Error {
		return &project.GateError{Problems: append(problems, inTheWay...)}
	}
	po.Also = also
	a.Tidies()
	s, err := publish.Apply(cmd.Context(), p, po)
	if err != nil {
		return err
	}
	a.Warn(slices.Concat(problems, s.Problems, unasked()))
	if whole.Number <= 1 { // the parts of a site have one gate
		if err := history.NoteApply(p, s.Pages, s.Written, o.message); err != nil {
			a.Messages().Notice("the output is written; the history is not: %v", err)
		}
	}
	defer a.Turn()
	return a.Answer(report.ApplyRecord(s), func(pr *report.Printer) {
		if !a.Quiet {
			pr.Apply(s, p.Gate.File.Site.Output.Value, a.Verbose)
		}
	})
}

func (a command) applyPipe(as string) error {
	if as == "" {
		return &failure.Usage{
			Message: "a page from standard input needs its path",
			Remedy:  "yellowgate apply - --as /visit/ < page.html",
		}
	}
	p, problems, err := a.Open(false)
	if err != nil {
		return err
	}
	b, err := a.Stdin()
	if err != nil {
		return err
	}
	text, more, err := survey.Pipe(p, b, as)
	if err != nil {
		return err
	}
	a.Warn(append(problems, more...))
	return a.Write(func(w io.Writer, _ *report.Printer) error {
		_, err := w.Write(text)
		return err
	})
}
