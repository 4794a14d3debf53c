// Package demo has the command that runs the whole example: demo.
package demo

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"net/http"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"yellowgate/internal/cli/app"
	"yellowgate/internal/cli/serve"
	"yellowgate/internal/demo"
	"yellowgate/internal/failure"
	"yellowgate/internal/project"
	"yellowgate/internal/publish"
	"yellowgate/internal/report"
)

// The steps of the demo: a command, and what it is for. %s is the folder.
var demoSteps = []struct {
	purpose string
	args    []string
}{
	{"Look: what do the pages load today, and how much of it on every page?",
		[]string{"survey", "%s/site"}},
	{"Look closer: audit the pages as they are. Which heads are broken, what is missing?",
		[]string{"audit", "%s/site", "--fail-on", "never"}},
	{"Decide: the gate file says what belongs where. Does it fit the site?",
		[]string{"check"}},
	{"Publish: write the gated site into the output folder. The source is never touched.",
		[]string{"apply"}},
	{"Verify on a page where things must be. (Compare with --source: the kit, the shim and the library were there.)",
		[]string{"show", "/book/pay/"}},
	{"Ask why: the visit counter must not be on the members' pages.",
		[]string{"why", "/members/login/", "visit-counter"}},
	{"Ask where a title comes from: all values, and the one that wins.",
		[]string{"why", "/events/perseids/", "title"}},
	{"Verify everywhere: audit the output, every page and every item compared with the gate.",
		[]string{"audit", "--fail-on", "never"}},
	{"Compare: what went, what came, what is saved, and which findings are mended?",
		[]string{"compare", "%s/site", "%s/public"}},
}

// command is what the command has of the run of the program, and what makes all commands of another run.
type command struct {
	*app.App
	all func(*app.App) *cobra.Command
}

// Commands are those of this package. all are all commands of the program, for a run of it.
func Commands(a *app.App, all func(*app.App) *cobra.Command) []*cobra.Command {
	return []*cobra.Command{command{a, all}.demoCmd()}
}

func (a command) demoCmd() *cobra.Command {
	var serves bool
	var listen string
	cmd := &cobra.Command{
		Use: "demo [DIR]", GroupID: "look", Args: cobra.MaximumNArgs(1),
		Short: "Write the demo site and run the whole example on it",
		Long: `Writes the demo site, a made-up observatory with the usual mistakes of real sites, into
a new folder, and runs the whole example on it, step by step: look, decide, publish,
verify. Use it to see in a minute what this program does. Nothing else is touched.

--serve shows the gated site in a browser instead, as serve does, with stand-ins for the
hosts of the demo's vendors, and says how a browser finds those: nothing is
asked of any network. Edit the gate file or a page, and watch. A folder that has the demo
already is served as it is.`,
		Example: "  yellowgate demo\n  yellowgate demo my-demo\n  yellowgate demo --serve",
		RunE: func(cmd *cobra.Command, args []string) error {
			dir := newName(demo.Name)
			if len(args) == 1 {
				dir = filepath.Clean(args[0])
			}
			if serves {
				return a.demoServe(cmd.Context(), dir, len(args) == 1, listen)
			}
			n, err := demo.Write(dir)
			if err != nil {
				return err
			}
			err = publish.WriteFile(filepath.Join(dir, "yellowgate.schema.json"), publish.FileOptions{}, report.Schema)
			if err != nil {
				return err
			}
			return a.demo(dir, n)
		},
	}
	cmd.Flags().BoolVar(&serves, "serve", false, "show the gated site in a browser, with stand-ins for the vendors' hosts")
	cmd.Flags().StringVar(&listen, "listen", "127.0.0.1:8700", "with --serve: the `ADDRESS` to answer at")
	return cmd
}

// demoServe serves the demo's site, with its stand-ins.
func (a command) demoServe(ctx context.Context, dir string, named bool, listen string) error {
	if !named {
		dir = demo.Name // the one that is there, if it is
	}
	gate := filepath.Join(dir, project.GateFileName)
	if _, err := os.Stat(gate); err != nil {
		if _, err := demo.Write(dir); err != nil {
			return err
		}
		if err := publish.WriteFile(filepath.Join(dir, "yellowgate.schema.json"), publish.FileOptions{},
			report.Schema); err != nil {
			return err
		}
	}
	p := a.Printer()
	var asked func(string, *http.Request)
	if a.Verbose {
		asked = func(host string, r *http.Request) { p.Line("%s received a request for %s", host, r.URL.RequestURI()) }
	}
	all, err := demo.Serve(asked)
	if err != nil {
		return &failure.Path{Path: "127.0.0.1", Err: err}
	}
	defer all.Close()
	return serve.Serve(ctx, a.App, gate, listen, func(at string) {
		var hosts []string
		audit := fmt.Sprintf("yellowgate audit %s --gate %s --browser", filepath.Join(dir, "site"), gate)
		for _, x := range all.All {
			hosts = append(hosts, fmt.Sprintf("%s is at %s", x.Host, x.Address))
			audit += fmt.Sprintf(" --host %s=%s", x.Host, x.Address)
		}
		p.StandIns(dir, hosts,
			fmt.Sprintf(
				"chromium --user-data-dir=$(mktemp -d) --host-resolver-rules=%q --ignore-certificate-errors-spki-list=%s %s",
				all.Rules(), all.Key, at), audit)
	})
}

// newName is a name for a folder that does not exist yet.
func newName(base string) string {
	name := base
	for i := 2; ; i++ {
		if _, err := os.Lstat(name); errors.Is(err, fs.ErrNotExist) {
			return name
		}
		name = fmt.Sprintf("%s-%d", base, i)
	}
}

func (a command) demo(dir string, files int) error {
	p := a.Printer()
	p.Line("The Tern Hill Observatory is in %s: %d files, a site of 27 pages and its gate file.", dir, files+1)
	gate := filepath.Join(dir, "yellowgate.yaml")
	for i, s := range demoSteps {
		args := make([]string, len(s.args))
		shown := ""
		for k, arg := range s.args {
			args[k] = arg
			if name, ok := strings.CutPrefix(arg, "%s/"); ok {
				args[k], arg = filepath.Join(dir, name), name
			}
			shown += " " + arg
		}
		p.Step(i+1, shown[1:], s.purpose)
		root := a.all(&app.App{In: a.In, Out: a.Out, Err: a.Err})
		root.SetArgs(append(args, "--gate", gate, "--color", a.Color))
		if err := root.Execute(); err != nil {
			return err
		}
	}
	p.DemoEnd(dir)
	return nil
}
