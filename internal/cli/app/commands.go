package app

import (
	"errors"
	"fmt"
	"io"
	"net"
	"os"
	"path/filepath"
	"strings"
	"syscall"

	"github.com/spf13/cobra"

	"yellowgate/internal/core/didyoumean"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/failure"
	"yellowgate/internal/fsys"
	"yellowgate/internal/project"
	"yellowgate/internal/site"
)

func isPipe(err error) bool { return errors.Is(err, syscall.EPIPE) }

// Stdin reads all of standard input.
func (a *App) Stdin() ([]byte, error) {
	b, err := io.ReadAll(io.LimitReader(a.In, fsys.PageLimit+1))
	if err == nil && len(b) > fsys.PageLimit {
		err = &fsys.LimitError{Limit: fsys.PageLimit}
	}
	if err != nil {
		return nil, &failure.Path{Path: "standard input", Err: err}
	}
	return b, nil
}

// CompletePages offers the paths of the site's pages to the shell.
func (a *App) CompletePages(_ *cobra.Command, args []string, toComplete string) ([]string, cobra.ShellCompDirective) {
	if len(args) > 0 {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	return a.pagePaths(toComplete), cobra.ShellCompDirectiveNoFileComp
}

func (a *App) pagePaths(prefix string) (out []string) {
	p, _, err := a.Open(true)
	if err != nil {
		return nil
	}
	for i := range p.Pages {
		if strings.HasPrefix(p.Pages[i].Path, prefix) {
			out = append(out, p.Pages[i].Path)
		}
	}
	return out
}

// CompleteItems offers the names of items.
func (a *App) CompleteItems(prefix string, also ...string) (out []string) {
	p, _, err := a.Open(false)
	if err != nil {
		return nil
	}
	for _, n := range append(p.Gate.File.ItemNames(), also...) {
		if strings.HasPrefix(n, prefix) {
			out = append(out, n)
		}
	}
	return out
}

// Folders completes an argument that is a folder.
func Folders(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
	return nil, cobra.ShellCompDirectiveFilterDirs
}

// CompleteQuery offers page sets and globs of the site's folders.
func (a *App) CompleteQuery(_ *cobra.Command, args []string, prefix string) ([]string, cobra.ShellCompDirective) {
	if len(args) > 0 {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	p, _, err := a.Open(false)
	if err != nil {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	var out []string
	for _, n := range append(p.Gate.File.SetNames(), "all", "none") {
		if strings.HasPrefix(n, prefix) {
			out = append(out, n)
		}
	}
	return append(out, a.pagePaths(prefix)...), cobra.ShellCompDirectiveNoFileComp
}

var MetadataKeys = append(append([]string{}, gatefile.MetadataKeys...), "icon", "theme-color", "social.title",
	"social.description", "social.image", "social.type", "social.site")

// FindPage finds the page that an argument means without listing the whole site
// where it can.
func (a *App) FindPage(p *project.Project, name string) (*page.Page, error) {
	if pg := p.FindQuick(name); pg != nil {
		return pg, nil
	}
	if err := p.Walk(); err != nil {
		return nil, err
	}
	return p.Find(name)
}

// LooseFile reports whether an argument is a file of HTML that is no page of the
// project, if there is one.
func LooseFile(name string) bool {
	info, err := os.Stat(name)
	return err == nil && info.Mode().IsRegular() && site.IsPage(name) &&
		!strings.HasPrefix(filepath.ToSlash(name), "/./")
}

var failOns = []string{"never", "error", "warning", "note"}

// FailThreshold turns --fail-on into the least severity that fails; one that nothing has for
// never.
func FailThreshold(s string) (problem.Severity, error) {
	if s == "never" {
		return problem.Error + 1, nil
	}
	if severity, ok := problem.ParseSeverity(s); ok {
		return severity, nil
	}
	return 0, &failure.Usage{
		Message: fmt.Sprintf("--fail-on is error, warning, note or never, not %q%s", s, didyoumean.Suggest(s, failOns)),
	}
}

// FailOnFlag gives a command --fail-on.
func FailOnFlag(cmd *cobra.Command, into *string) {
	cmd.Flags().StringVar(into, "fail-on", "error",
		"the least `SEVERITY` that makes the exit status 1: error, warning, note, never")
	_ = cmd.RegisterFlagCompletionFunc("fail-on", cobra.FixedCompletions(failOns, cobra.ShellCompDirectiveNoFileComp))
}

// DryFlag gives a command --dry-run.
func DryFlag(cmd *cobra.Command, dry *bool) {
	cmd.Flags().BoolVar(dry, "dry-run", false, "tell what would change, and write nothing")
}

// IsAddress reports whether an argument is the address of a site rather than a folder.
func IsAddress(arg string) bool {
	return strings.HasPrefix(arg, "http://") || strings.HasPrefix(arg, "https://")
}

// ListenAt opens a port.
func ListenAt(address string) (net.Listener, error) {
	host, port, err := net.SplitHostPort(address)
	if err != nil {
		return nil, &failure.Usage{
			Message: fmt.Sprintf("--listen takes a host and a port, not %q", address),
			Remedy:  "--listen 127.0.0.1:8700",
		}
	}
	l, err := net.Listen("tcp", address)
	switch {
	case errors.Is(err, syscall.EADDRINUSE):
		return nil, &failure.Usage{
			Message: "the port " + port + " of " + host + " is taken: another program answers there",
			Remedy:  "name another: --listen " + net.JoinHostPort(host, "0") + " takes any that is free",
		}
	case errors.Is(err, syscall.EACCES):
		return nil, &failure.Usage{
			Message: "the system does not let you have port " + port,
			Remedy:  "ports from 1024 are free for everybody: --listen " + net.JoinHostPort(host, "8700"),
		}
	case err != nil:
		return nil, &failure.Path{Path: address, Err: err, What: "--listen takes an address of this machine"}
	}
	return l, nil
}

// Warn tells warnings on standard error.
func (a *App) Warn(ps []problem.Problem) {
	if !a.Quiet && len(ps) > 0 {
		problem.Sort(ps)
		a.Messages().Problems(ps, false)
	}
}
