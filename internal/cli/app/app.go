// Package app is one run of the program: the options that all commands share, the gate file that they
// name, and where results and messages go.
package app

import (
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
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
)

// The exit statuses.
const (
	Found      = 1 // the audit or check found something, or pages are behind
	WrongUse   = 2 // or a gate file that cannot be put into effect
	Unreadable = 3 // a file could not be read or written

	StoppedByUser = 130 // by Ctrl-C or SIGTERM, as shells have it
)

// App is one run of the program.
type App struct {
	In       io.Reader
	Out, Err io.Writer
	Status   int // that the program ends with

	Gate, Format, OutFile, Color, Day string         // as the options have them
	Quiet, Verbose, Outside, Force    bool           // and these
	Command                           *cobra.Command // that runs
	Args                              []string       // of it

	folders sync.Map         // temporary ones, that are gone at the end
	tidies  atomic.Bool      // the command puts its things away when it is stopped
	project *project.Project // that was opened, if any
}

// Tidies says that the command puts its things away when it is stopped: it ends by its context.
func (a *App) Tidies() { a.tidies.Store(true) }

// Untidy says that it has nothing to put away any longer.
func (a *App) Untidy() { a.tidies.Store(false) }

// Stop ends the program, unless the command puts its things away by itself.
func (a *App) Stop() {
	if !a.tidies.Load() {
		fsys.Abandon()
		a.Clear()
		os.Exit(StoppedByUser)
	}
}

// Temporary makes a folder that is gone when the program ends.
func (a *App) Temporary() (string, error) {
	name, err := fsys.MakeTemporary()
	if err != nil {
		return "", &failure.Path{Path: os.TempDir(), Err: err}
	}
	a.folders.Store(name, true)
	return name, nil
}

// Clear removes the temporary folders.
func (a *App) Clear() {
	a.folders.Range(func(name, _ any) bool {
		_ = os.RemoveAll(name.(string))
		return true
	})
}

// formats is the name under which a command lists the formats that it offers besides text and JSON.
const formats = "formats"

// Forms are the formats that a command offers besides text and JSON, as cobra.Command.Annotations.
func Forms(more ...string) map[string]string {
	return map[string]string{formats: strings.Join(more, " ")}
}

// FormatsOf are the formats that a command offers.
func FormatsOf(cmd *cobra.Command) []string {
	return append([]string{"text", "json"}, strings.Fields(cmd.Annotations[formats])...)
}

// Needs says how many arguments a command takes; without them it tells what is missing and
// gives an example.
func Needs(least, most int, what, example string) cobra.PositionalArgs {
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

// Begin takes the command that runs, and checks the options that all commands have.
func (a *App) Begin(cmd *cobra.Command, args []string) error {
	a.Command, a.Args = cmd, args
	if !slices.Contains([]string{"auto", "always", "never"}, a.Color) {
		return &failure.Usage{Message: fmt.Sprintf("--color is auto, always or never, not %q", a.Color)}
	}
	return a.Without()
}

// Without is the error of a format that the command does not offer, or not this time.
func (a *App) Without(not ...string) error {
	formats := slices.DeleteFunc(FormatsOf(a.Command), func(f string) bool { return slices.Contains(not, f) })
	if slices.Contains(formats, a.Format) {
		return nil
	}
	return &failure.Usage{
		Message: fmt.Sprintf("unknown format %q%s", a.Format, didyoumean.Suggest(a.Format, formats)),
		Remedy:  "the formats here: " + strings.Join(formats, ", "),
	}
}

// Run is what a command with options of its own does.
func Run[O any](run func(*cobra.Command, []string, *O) error, o *O) func(*cobra.Command, []string) error {
	return func(cmd *cobra.Command, args []string) error { return run(cmd, args, o) }
}

// Write hands the result's writer and its printer to do: standard output, or the
// file of --out, which is there whole or not at all.
func (a *App) Write(do func(w io.Writer, p *report.Printer) error) error {
	if a.OutFile == "" || a.OutFile == "-" {
		return do(a.Out, report.NewPrinter(a.Out, a.colors(a.Out), width(a.Out)))
	}
	return a.WriteFile(a.OutFile, report.IsOurs, func(w io.Writer) error {
		return do(w, report.NewPrinter(w, a.Color == "always", 0))
	})
}

// Answer writes a result in the format that is asked for: as JSON, as one of forms, else as text.
func (a *App) Answer(result any, text func(pr *report.Printer), forms ...Form) error {
	return a.Write(func(w io.Writer, pr *report.Printer) error {
		if a.Format == "json" {
			return report.JSON(w, result)
		}
		for _, f := range forms {
			if f.format == a.Format {
				return f.write(w)
			}
		}
		text(pr)
		return nil
	})
}

// A Form is a format besides JSON and text, and what writes a result in it.
type Form struct {
	format string
	write  func(w io.Writer) error
}

// InForm is a result in a form.
func InForm[T any](format string, write func(io.Writer, T) error, result T) Form {
	return Form{format, func(w io.Writer) error { return write(w, result) }}
}

// WriteFile writes a result into a file, which is there whole or not at all. It writes over a file that begins like
// ours does, a result of its kind, and over no other unless --force says so.
func (a *App) WriteFile(name string, ours func(head []byte) bool, do func(w io.Writer) error) error {
	return publish.WriteFile(name, publish.FileOptions{Force: a.Force, IsOurs: ours, Never: a.protects}, do)
}

// protects says what a file is that nothing is written over: for the gate file that the command has, for
// one near the file, and for the folders that are read.
func (a *App) protects(real string) string {
	var gates []string
	if name, err := a.GateFile(); err == nil {
		gates = append(gates, name)
	}
	if name, err := project.FindGate(filepath.Dir(real)); err == nil {
		gates = append(gates, name)
	}
	for _, gate := range gates {
		if why := project.Protects(gate, real, project.Options{Day: a.Day, Outside: a.Outside}); why != "" {
			return why
		}
	}
	for _, folder := range a.Args {
		if _, in := fsys.Within(fsys.Real(folder), real); in && !IsAddress(folder) && site.IsPage(real) &&
			real != fsys.Real(folder) {
			if _, err := os.Lstat(real); err == nil {
				return "is a page of a folder that is read"
			}
		}
	}
	return ""
}

func (a *App) colors(w io.Writer) bool {
	switch a.Color {
	case "always":
		return true
	case "never":
		return false
	}
	return os.Getenv("NO_COLOR") == "" && os.Getenv("TERM") != "dumb" && IsTerminal(w)
}

func IsTerminal(w io.Writer) bool {
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

func fileOf(w io.Writer) (*os.File, bool) {
	if s, ok := w.(interface{ Unwrap() io.Writer }); ok {
		w = s.Unwrap()
	}
	f, ok := w.(*os.File)
	return f, ok
}

// Printer writes text to standard output.
func (a *App) Printer() *report.Printer {
	return report.NewPrinter(a.Out, a.colors(a.Out), width(a.Out))
}

// Messages writes what is no result.
func (a *App) Messages() *report.Printer {
	return report.NewPrinter(a.Err, a.colors(a.Err), width(a.Err))
}

// GateFile is the gate file that the flags or the working folder name. It looks at
// --at, too, which says how to read that.
func (a *App) GateFile() (string, error) {
	if a.Day != "" && !gatefile.IsDay(a.Day) {
		return "", &failure.Usage{Message: fmt.Sprintf("--at is a day, such as 2027-06-01, not %q", a.Day)}
	}
	if a.Gate != "" {
		return a.Gate, nil
	}
	return project.FindGate(".")
}

// Open opens the gate file that the flags or the working folder name, and lists
// the site's pages if walk is true. Warnings that opening finds are returned.
func (a *App) Open(walk bool) (*project.Project, []problem.Problem, error) {
	name, err := a.GateFile()
	if err != nil {
		return nil, nil, err
	}
	p, problems, err := project.Open(name, project.Options{Day: a.Day, Outside: a.Outside})
	if err == nil && (walk || p.Gate.File.NamesSiblings() && !p.MadeByServer()) {
		err = p.Walk()
	}
	a.project = p
	return p, problems, err
}

// OpenIfAny is open where a gate file is welcome and not needed.
func (a *App) OpenIfAny(walk bool) (*project.Project, error) {
	if a.Gate == "" {
		if _, err := project.FindGate("."); err != nil {
			return nil, nil
		}
	}
	p, _, err := a.Open(walk)
	return p, err
}

// Turn tells the next day on which items come or go by their dates, when what apply wrote is no longer true.
func (a *App) Turn() {
	if a.Quiet || a.project == nil {
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
		a.Messages().Notice("apply must run again on %s (%s)", t.Day, strings.Join(what, ", "))
	}
}

// Progress shows a bar for what takes longer than a second, on a terminal only.
func (a *App) Progress(what string) parallel.Progress {
	if a.Quiet {
		return nil
	}
	begun := time.Now()
	if !IsTerminal(a.Err) {
		return lines(a.Err, what, begun)
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
			bar = progressbar.NewOptions(total, progressbar.OptionSetWriter(a.Err),
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
