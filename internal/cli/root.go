// Package cli is the command line: one file a command. Each reads its flags,
// calls what does the work, and hands the result to a report.
package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"maps"
	"os"
	"os/signal"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"time"

	"github.com/schollz/progressbar/v3"
	"github.com/spf13/cobra"
	"golang.org/x/term"

	"yellowgate/internal/core/didyoumean"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/wording"
	"yellowgate/internal/failure"
	"yellowgate/internal/fsys"
	"yellowgate/internal/parallel"
	"yellowgate/internal/project"
	"yellowgate/internal/publish"
	"yellowgate/internal/report"
	"yellowgate/internal/site"
	"yellowgate/internal/version"
)

// The exit statuses.
const (
	fine       = 0
	found      = 1 // the audit or check found something, or pages are behind
	wrongUse   = 2 // or a gate file that cannot be put into effect
	unreadable = 3 // a file could not be read or written

	stoppedByUser = 130 // by Ctrl-C or SIGTERM, as shells have it
)

// app is one run of the program.
type app struct {
	in       io.Reader
	out, err io.Writer
	status   int

	gate, format, outFile, color, at string
	quiet, verbose, outside, force   bool
	command                          string
	args                             []string // of the command

	folders sync.Map         // temporary ones, that are gone at the end
	tidies  atomic.Bool      // the command puts its things away when it is stopped
	project *project.Project // that was opened, if any
}

// Main runs the program and returns its exit status. No panic reaches the user.
func Main(args []string, in io.Reader, out, errw io.Writer) (status int) {
	fsys.Collect()
	a := &app{in: in, out: &sink{w: out}, err: errw}
	out = a.out
	signal.Ignore(syscall.SIGPIPE) // a closed pipe is an error of writing
	defer func() {
		if e := recover(); e != nil {
			a.messages().Failure(fmt.Sprintf("internal error in yellowgate: %v", e),
				"nothing half-written is left behind; please report the command and the file")
			status = unreadable
		}
	}()
	root := a.root()
	root.SetArgs(args)
	root.SetIn(in)
	root.SetOut(out)
	root.SetErr(errw)
	// The first Ctrl-C or SIGTERM lets a command put its things away; a second one ends it.
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	context.AfterFunc(ctx, func() {
		stop()
		if !a.tidies.Load() {
			fsys.Abandon()
			a.clear()
			os.Exit(stoppedByUser)
		}
	})
	defer a.clear()
	defer a.tidies.Store(true)
	if err := root.ExecuteContext(ctx); err != nil {
		return a.fail(err)
	}
	if err := a.out.(*sink).err; err != nil {
		return a.fail(&failure.Path{Path: "standard output", Err: err})
	}
	return a.status
}

func (a *app) root() *cobra.Command {
	root := &cobra.Command{
		Use:   "yellowgate",
		Short: "Decide what loads on which pages of a site, and know that it is so",
		Long: `Yellow Gate decides which scripts, stylesheets, tracking tags, embeds and metadata
load on which pages of a site. One file, the gate file (yellowgate.yaml), says what
belongs where: defaults, pages that switch something on, exceptions.

Look with survey and show, decide in the gate file, try with check and diff, publish
with apply, and verify with audit, why and where.`,
		Example: "  yellowgate demo                   write the demo site and run the whole example\n" +
			"  yellowgate survey site            what do the pages in this folder load?",
		Version:       version.Number,
		SilenceErrors: true, SilenceUsage: true,
		PersistentPreRun: func(cmd *cobra.Command, args []string) { a.command, a.args = cmd.Name(), args },
		RunE:             func(cmd *cobra.Command, args []string) error { return cmd.Help() },
	}
	root.SetVersionTemplate("yellowgate {{.Version}}\n")
	a.globalFlags(root)
	root.SetFlagErrorFunc(func(cmd *cobra.Command, err error) error {
		var names []string
		cmd.Flags().VisitAll(visitor(&names))
		msg := err.Error()
		if _, name, ok := strings.Cut(msg, "unknown flag: --"); ok {
			msg += didyoumean.Suggest(name, names)
		}
		return &failure.Usage{Message: msg, Remedy: "yellowgate " + cmd.Name() + " --help lists the options"}
	})
	root.AddGroup(&cobra.Group{ID: "look", Title: "Look"}, &cobra.Group{ID: "decide", Title: "Decide"},
		&cobra.Group{ID: "publish", Title: "Try and publish"}, &cobra.Group{ID: "verify", Title: "Verify"},
		&cobra.Group{ID: "more", Title: "More"})
	root.AddCommand(a.demoCmd(), a.surveyCmd(), a.captureCmd(), a.showCmd(), a.pagesCmd(), a.addCmd(), a.setCmd(),
		a.disableCmd(), a.enableCmd(), a.removeCmd(), a.checkCmd(), a.diffCmd(), a.applyCmd(), a.historyCmd(),
		a.reportCmd(), a.backCmd(), a.serveCmd(), a.gatewayCmd(), a.auditCmd(), a.whyCmd(), a.whereCmd(),
		a.compareCmd(), a.suggestCmd(), a.findCmd(), a.explainCmd(), a.schemaCmd())
	root.SetHelpCommandGroupID("more")
	root.SetCompletionCommandGroupID("more")
	root.CompletionOptions.HiddenDefaultCmd = false
	help := root.HelpFunc()
	root.SetHelpFunc(func(cmd *cobra.Command, args []string) {
		if cmd != root {
			root.PersistentFlags().Lookup("format").Usage = "`FORM` of the result: " +
				strings.Join(formatsOf(cmd.Name()), ", ")
		}
		help(cmd, args)
	})
	return root
}

// globalFlags gives all commands the options that they share.
func (a *app) globalFlags(root *cobra.Command) {
	f := root.PersistentFlags()
	f.StringVar(&a.gate, "gate", "", "the gate `FILE` (default yellowgate.yaml, here or in the nearest folder above)")
	f.StringVar(&a.format, "format", "text", "`FORM` of the result: text, json, or what else the command offers")
	f.StringVar(&a.at, "at", "", "the `DAY` for items with dates, such as 2027-06-01 (default today)")
	f.BoolVar(&a.outside, "outside", false,
		"let the gate file name code, facts and gate files that lie outside its folder")
	f.StringVar(&a.outFile, "out", "", "write the result to `FILE` instead of standard output")
	f.BoolVar(&a.force, "force", false, "let --out write over a file that is not a report of this program")
	f.BoolVarP(&a.quiet, "quiet", "q", false, "only the result and errors")
	f.BoolVarP(&a.verbose, "verbose", "v", false, "everything, notes included")
	f.StringVar(&a.color, "color", "auto", "`WHEN` to use colours: auto, always, never")
	_ = root.RegisterFlagCompletionFunc("color",
		cobra.FixedCompletions([]string{"auto", "always", "never"}, cobra.ShellCompDirectiveNoFileComp))
	_ = root.RegisterFlagCompletionFunc("format",
		func(cmd *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
			return formatsOf(cmd.Name()), cobra.ShellCompDirectiveNoFileComp
		})
	_ = root.MarkPersistentFlagFilename("gate", "yaml", "yml")
}

// clear removes the temporary folders.
func (a *app) clear() {
	a.folders.Range(func(name, _ any) bool {
		_ = os.RemoveAll(name.(string))
		return true
	})
}

// needs says how many arguments a command takes; without them it tells what is missing and
// gives an example.
func needs(least, most int, what, example string) cobra.PositionalArgs {
	return func(_ *cobra.Command, args []string) error {
		if len(args) < least || len(args) > most {
			return &failure.Usage{
				Message: fmt.Sprintf("%s; %d given", what, len(args)),
				Remedy:  "for example: " + example,
			}
		}
		return nil
	}
}

// formatsOf are the formats that a command offers.
func formatsOf(command string) []string {
	more := map[string][]string{
		"compare": {"html"}, "explain": {"markdown"}, "history": {"html"}, "report": {"html", "markdown"},
		"show": {"html"}, "survey": {"ndjson"},
		"where": {"csv", "xlsx"},
	}[command]
	if command == "audit" {
		more = slices.Sorted(maps.Keys(auditFormats))
	}
	return slices.Compact(append([]string{"text", "json"}, more...))
}

// begin checks the flags that all commands have; not are formats that the command does not offer this time.
func (a *app) begin(not ...string) error {
	formats := slices.DeleteFunc(formatsOf(a.command), func(f string) bool { return slices.Contains(not, f) })
	if !slices.Contains(formats, a.format) {
		return &failure.Usage{
			Message: fmt.Sprintf("unknown format %q%s", a.format, didyoumean.Suggest(a.format, formats)),
			Remedy:  "the formats here: " + strings.Join(formats, ", "),
		}
	}
	if !slices.Contains([]string{"auto", "always", "never"}, a.color) {
		return &failure.Usage{Message: fmt.Sprintf("--color is auto, always or never, not %q", a.color)}
	}
	return nil
}

// write hands the result's writer and its printer to do: standard output, or the
// file of --out, which is there whole or not at all.
func (a *app) write(do func(w io.Writer, p *report.Printer) error) error {
	if a.outFile == "" || a.outFile == "-" {
		return do(a.out, report.NewPrinter(a.out, a.colors(a.out), width(a.out)))
	}
	return publish.WriteFile(a.outFile, a.over(report.IsOurs), func(w io.Writer) error {
		return do(w, report.NewPrinter(w, a.color == "always", 0))
	})
}

// answer writes a result in the format that is asked for: as JSON, as one of forms, else as text.
func (a *app) answer(result any, text func(pr *report.Printer), forms ...form) error {
	return a.write(func(w io.Writer, pr *report.Printer) error {
		if a.format == "json" {
			return report.JSON(w, result)
		}
		for _, f := range forms {
			if f.format == a.format {
				return f.write(w)
			}
		}
		text(pr)
		return nil
	})
}

// form is a format besides JSON and text, and what writes a result in it.
type form struct {
	format string
	write  func(w io.Writer) error
}

func inForm[T any](format string, write func(io.Writer, T) error, result T) form {
	return form{format, func(w io.Writer) error { return write(w, result) }}
}

// over says over which files a result may be written; every command asks here. ours reports whether a file
// that begins like this is a result of its kind.
func (a *app) over(ours func(head []byte) bool) publish.FileOptions {
	return publish.FileOptions{Force: a.force, IsOurs: ours, Never: a.protects}
}

// protects says what a file is that nothing is written over: for the gate file that the command has, for
// one near the file, and for the folders that are read.
func (a *app) protects(real string) string {
	var gates []string
	if name, err := a.gateFile(); err == nil {
		gates = append(gates, name)
	}
	if name, err := project.FindGate(filepath.Dir(real)); err == nil {
		gates = append(gates, name)
	}
	for _, gate := range gates {
		if why := project.Protects(gate, real, project.Options{Day: a.at, Outside: a.outside}); why != "" {
			return why
		}
	}
	for _, folder := range a.args {
		if _, in := fsys.Within(fsys.Real(folder), real); in && !isAddress(folder) && site.IsPage(real) &&
			real != fsys.Real(folder) {
			if _, err := os.Lstat(real); err == nil {
				return "is a page of a folder that is read"
			}
		}
	}
	return ""
}

func (a *app) colors(w io.Writer) bool {
	switch a.color {
	case "always":
		return true
	case "never":
		return false
	}
	return os.Getenv("NO_COLOR") == "" && os.Getenv("TERM") != "dumb" && isTerminal(w)
}

func isTerminal(w io.Writer) bool {
	f, ok := fileOf(w)
	return ok && term.IsTerminal(int(f.Fd()))
}

func width(w io.Writer) int {
	if f, ok := fileOf(w); ok {
		if n, _, err := term.GetSize(int(f.Fd())); err == nil && n > 20 {
			return n
		}
	}
	return 0
}

// A sink is standard output; it remembers the first error of writing there.
type sink struct {
	w   io.Writer
	err error
}

func (s *sink) Write(b []byte) (int, error) {
	if s.err != nil {
		return 0, s.err
	}
	n, err := s.w.Write(b)
	s.err = err
	return n, err
}

func fileOf(w io.Writer) (*os.File, bool) {
	if s, ok := w.(*sink); ok {
		w = s.w
	}
	f, ok := w.(*os.File)
	return f, ok
}

// printer writes text to standard output.
func (a *app) printer() *report.Printer {
	return report.NewPrinter(a.out, a.colors(a.out), width(a.out))
}

// messages writes what is no result.
func (a *app) messages() *report.Printer {
	return report.NewPrinter(a.err, a.colors(a.err), width(a.err))
}

// fail tells an error and returns its exit status.
func (a *app) fail(err error) int {
	p := a.messages()
	var ge *project.GateError
	var ue *failure.Usage
	var fe *publish.ForeignError
	var pe *failure.Path
	var stop *failure.Stopped
	switch {
	case isPipe(err): // the reader had enough, and knows it
		return unreadable
	case errors.As(err, &stop):
		p.Failure(stop.Error(), "")
		return stoppedByUser
	case errors.Is(err, context.Canceled):
		return stoppedByUser
	case errors.As(err, &ge):
		problem.Sort(ge.Problems)
		p.Problems(ge.Problems, a.verbose)
		e, _, _, _ := report.Counts(ge.Problems)
		if e == 1 {
			p.Line("1 error: nothing was written.")
		} else {
			p.Line("%d errors: nothing was written.", e)
		}
		return wrongUse
	case errors.As(err, &ue):
		p.Failure(ue.Message, ue.Remedy)
		return wrongUse
	case errors.As(err, &fe):
		p.Failure(fe.Error(), fe.Remedy())
		return unreadable
	case errors.As(err, &pe):
		p.Failure(pe.Error(), "")
		return unreadable
	}
	if strings.HasPrefix(err.Error(), "unknown command") || strings.Contains(err.Error(), "arg(s)") ||
		strings.HasPrefix(err.Error(), "required flag") {
		p.Failure(strings.ReplaceAll(strings.TrimSpace(err.Error()), "\n\n", "\n"),
			"yellowgate --help lists the commands")
		return wrongUse
	}
	p.Failure(err.Error(), "")
	return unreadable
}

// gateFile is the gate file that the flags or the working folder name. It looks at
// --at, too, which says how to read that.
func (a *app) gateFile() (string, error) {
	if a.at != "" && !gatefile.IsDay(a.at) {
		return "", &failure.Usage{Message: fmt.Sprintf("--at is a day, such as 2027-06-01, not %q", a.at)}
	}
	if a.gate != "" {
		return a.gate, nil
	}
	return project.FindGate(".")
}

// open opens the gate file that the flags or the working folder name, and lists
// the site's pages if walk is true. Warnings that opening finds are returned.
func (a *app) open(walk bool) (*project.Project, []problem.Problem, error) {
	name, err := a.gateFile()
	if err != nil {
		return nil, nil, err
	}
	p, problems, err := project.Open(name, project.Options{Day: a.at, Outside: a.outside})
	if err == nil && (walk || p.Gate.File.NamesSiblings() && !p.MadeByServer()) {
		err = p.Walk()
	}
	a.project = p
	return p, problems, err
}

// openIfAny is open where a gate file is welcome and not needed.
func (a *app) openIfAny(walk bool) (*project.Project, error) {
	if a.gate == "" {
		if _, err := project.FindGate("."); err != nil {
			return nil, nil
		}
	}
	p, _, err := a.open(walk)
	return p, err
}

// turn tells the next day on which items come or go by their dates, when what apply wrote is no longer true.
func (a *app) turn() {
	if a.quiet || a.project == nil {
		return
	}
	t := a.project.Gate.File.NextTurn(a.project.Gate.Plan.Day)
	var what []string
	if len(t.In) > 0 {
		what = append(what, wording.List(t.In, 4)+wording.Agree(len(t.In), " comes in", " come in"))
	}
	if len(t.Out) > 0 {
		what = append(what, wording.List(t.Out, 4)+wording.Agree(len(t.Out), " goes out", " go out"))
	}
	if t.Day != "" {
		a.messages().Notice("apply must run again on %s (%s)", t.Day, strings.Join(what, ", "))
	}
}

// progress shows a bar for what takes longer than a second, on a terminal only.
func (a *app) progress(what string) parallel.Progress {
	if a.quiet {
		return nil
	}
	begun := time.Now()
	if !isTerminal(a.err) {
		return lines(a.err, what, begun)
	}
	var bar *progressbar.ProgressBar
	var mu sync.Mutex
	return func(done, total int) {
		mu.Lock()
		defer mu.Unlock()
		if bar == nil && time.Since(begun) < time.Second {
			return
		}
		if bar == nil {
			bar = progressbar.NewOptions(total, progressbar.OptionSetWriter(a.err),
				progressbar.OptionSetDescription(what), progressbar.OptionShowCount(),
				progressbar.OptionClearOnFinish(), progressbar.OptionThrottle(100*time.Millisecond))
		}
		if bar.GetMax() != total {
			bar.ChangeMax(total)
		}
		_ = bar.Set(done)
	}
}

// betweenLines is the time between two lines of progress where there is no terminal.
const betweenLines = 10 * time.Second

// lines tell how far something is, one every ten seconds.
func lines(w io.Writer, what string, begun time.Time) parallel.Progress {
	var mu sync.Mutex
	return func(done, total int) {
		mu.Lock()
		defer mu.Unlock()
		if time.Since(begun) >= betweenLines && done < total {
			begun = time.Now()
			fmt.Fprintf(w, "%s: %s of %s\n", what, wording.Number(done), wording.Number(total))
		}
	}
}
