// Package cli is the command line. The commands are in packages of what they are for, a file each: each reads its
// flags, calls what does the work, and hands the result to a report.
package cli

import (
	"context"
	"fmt"
	"io"
	"os"
	"os/signal"
	"strings"
	"syscall"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"yellowgate/internal/cli/app"
	"yellowgate/internal/cli/apply"
	"yellowgate/internal/cli/audit"
	"yellowgate/internal/cli/compare"
	"yellowgate/internal/cli/decide"
	"yellowgate/internal/cli/demo"
	"yellowgate/internal/cli/gateway"
	"yellowgate/internal/cli/look"
	"yellowgate/internal/cli/reference"
	"yellowgate/internal/cli/serve"
	"yellowgate/internal/cli/show"
	"yellowgate/internal/core/didyoumean"
	"yellowgate/internal/failure"
	"yellowgate/internal/fsys"
	"yellowgate/internal/version"
)

// Main runs the program and returns its exit status. No panic reaches the user.
func Main(args []string, in io.Reader, out, errw io.Writer) (status int) {
	fsys.Collect()
	to := &sink{w: out}
	a := &app.App{In: in, Out: to, Err: errw}
	signal.Ignore(syscall.SIGPIPE) // a closed pipe is an error of writing
	defer func() {
		if e := recover(); e != nil {
			a.Messages().Failure(fmt.Sprintf("internal error in yellowgate: %v", e),
				"nothing half-written is left behind; please report the command and the file")
			status = app.Unreadable
		}
	}()
	root := commands(a)
	root.SetArgs(args)
	root.SetIn(in)
	root.SetOut(to)
	root.SetErr(errw)
	// The first Ctrl-C or SIGTERM lets a command put its things away; a second one ends it.
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	context.AfterFunc(ctx, func() {
		stop()
		a.Stop()
	})
	defer a.Clear()
	defer a.Tidies()
	if err := root.ExecuteContext(ctx); err != nil {
		return a.Fail(err)
	}
	if err := to.err; err != nil {
		return a.Fail(&failure.Path{Path: "standard output", Err: err})
	}
	return a.Status
}

// commands are all commands of the program, for one run of it.
func commands(a *app.App) *cobra.Command {
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
		PersistentPreRunE: a.Begin,
		RunE:              func(cmd *cobra.Command, args []string) error { return cmd.Help() },
	}
	root.SetVersionTemplate("yellowgate {{.Version}}\n")
	a.Flags(root)
	root.SetFlagErrorFunc(func(cmd *cobra.Command, err error) error {
		var names []string
		cmd.Flags().VisitAll(func(f *pflag.Flag) { names = append(names, f.Name) })
		msg := err.Error()
		if _, name, ok := strings.Cut(msg, "unknown flag: --"); ok {
			msg += didyoumean.Suggest(name, names)
		}
		return &failure.Usage{Message: msg, Remedy: "yellowgate " + cmd.Name() + " --help lists the options"}
	})
	root.AddGroup(&cobra.Group{ID: "look", Title: "Look"}, &cobra.Group{ID: "decide", Title: "Decide"},
		&cobra.Group{ID: "publish", Title: "Try and publish"}, &cobra.Group{ID: "verify", Title: "Verify"},
		&cobra.Group{ID: "more", Title: "More"})
	for _, of := range [][]*cobra.Command{
		demo.Commands(a, commands), look.Commands(a), show.Commands(a), decide.Commands(a), apply.Commands(a),
		serve.Commands(a), gateway.Commands(a), audit.Commands(a), compare.Commands(a), reference.Commands(a),
	} {
		root.AddCommand(of...)
	}
	root.SetHelpCommandGroupID("more")
	root.SetCompletionCommandGroupID("more")
	root.CompletionOptions.HiddenDefaultCmd = false
	help := root.HelpFunc()
	root.SetHelpFunc(func(cmd *cobra.Command, args []string) {
		if cmd != root {
			root.PersistentFlags().Lookup("format").Usage = "`FORM` of the result: " +
				strings.Join(app.FormatsOf(cmd), ", ")
		}
		help(cmd, args)
	})
	return root
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

// Unwrap is what it writes to.
func (s *sink) Unwrap() io.Writer { return s.w }
