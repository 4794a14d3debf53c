// Package compare has the commands that hold two states of a site against each other: compare, history, back.
package compare

import (
	"github.com/spf13/cobra"

	"yellowgate/internal/cli/app"
)

// command is what the commands have of the run of the program.
type command struct{ *app.App }

// Commands are those of this package.
func Commands(a *app.App) []*cobra.Command {
	c := command{a}
	return []*cobra.Command{c.compareCmd(), c.historyCmd(), c.backCmd()}
}
