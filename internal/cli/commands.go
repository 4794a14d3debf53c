package cli

import (
	"errors"
	"io"
	"os"
	"path/filepath"
	"strings"
	"syscall"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/page"
	"yellowgate/internal/failure"
	"yellowgate/internal/fsys"
	"yellowgate/internal/project"
	"yellowgate/internal/site"
)

func visitor(names *[]string) func(*pflag.Flag) {
	return func(f *pflag.Flag) { *names = append(*names, f.Name) }
}

func isPipe(err error) bool { return errors.Is(err, syscall.EPIPE) }

// stdin reads all of standard input.
func (a *app) stdin() ([]byte, error) {
	b, err := io.ReadAll(io.LimitReader(a.in, fsys.PageLimit+1))
	if err == nil && len(b) > fsys.PageLimit {
		err = &fsys.LimitError{Limit: fsys.PageLimit}
	}
	if err != nil {
		return nil, &failure.Path{Path: "standard input", Err: err}
	}
	return b, nil
}

// completePages offers the paths of the site's pages to the shell.
func (a *app) completePages(_ *cobra.Command, args []string, toComplete string) ([]string, cobra.ShellCompDirective) {
	if len(args) > 0 {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	return a.pagePaths(toComplete), cobra.ShellCompDirectiveNoFileComp
}

func (a *app) pagePaths(prefix string) (out []string) {
	p, _, err := a.open(true)
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

// completeItems offers the names of items.
func (a *app) completeItems(prefix string, also ...string) (out []string) {
	p, _, err := a.open(false)
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

// folders completes an argument that is a folder.
func folders(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
	return nil, cobra.ShellCompDirectiveFilterDirs
}

// completeQuery offers page sets and globs of the site's folders.
func (a *app) completeQuery(_ *cobra.Command, args []string, prefix string) ([]string, cobra.ShellCompDirective) {
	if len(args) > 0 {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	p, _, err := a.open(false)
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

var metadataKeys = append(append([]string{}, gatefile.MetadataKeys...), "icon", "theme-color", "social.title",
	"social.description", "social.image", "social.type", "social.site")

// findPage finds the page that an argument means without listing the whole site
// where it can.
func (a *app) findPage(p *project.Project, name string) (*page.Page, error) {
	if pg := p.FindQuick(name); pg != nil {
		return pg, nil
	}
	if err := p.Walk(); err != nil {
		return nil, err
	}
	return p.Find(name)
}

// looseFile reports whether an argument is a file of HTML that is no page of the
// project, if there is one.
func looseFile(name string) bool {
	info, err := os.Stat(name)
	return err == nil && info.Mode().IsRegular() && site.IsPage(name) &&
		!strings.HasPrefix(filepath.ToSlash(name), "/./")
}
