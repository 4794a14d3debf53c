// Package show has the commands that show pages and say why: show, pages, why.
package show

import (
	"github.com/spf13/cobra"

	"yellowgate/internal/cli/app"
)

// command is what the commands have of the run of the program.
type command struct{ *app.App }

// Commands are those of this package.
func Commands(a *app.App) []*cobra.Command {
	c := command{a}
	return []*cobra.Command{c.showCmd(), c.pagesCmd(), c.whyCmd()}
}
