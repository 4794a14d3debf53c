// Package decide has the commands that say what belongs where: add, set, remove, disable, enable; where, as a table
// and back; suggest.
package decide

import (
	"github.com/spf13/cobra"

	"yellowgate/internal/cli/app"
)

// command is what the commands have of the run of the program.
type command struct{ *app.App }

// Commands are those of this package.
func Commands(a *app.App) []*cobra.Command {
	c := command{a}
	return []*cobra.Command{
		c.addCmd(), c.setCmd(), c.disableCmd(), c.enableCmd(), c.removeCmd(), c.whereCmd(), c.suggestCmd(),
	}
}
