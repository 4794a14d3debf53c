// Package apply has the commands that try a gate file and put it into effect: check, diff, apply, report.
package apply

import (
	"github.com/spf13/cobra"

	"yellowgate/internal/cli/app"
)

// command is what the commands have of the run of the program.
type command struct{ *app.App }

// Commands are those of this package.
func Commands(a *app.App) []*cobra.Command {
	c := command{a}
	return []*cobra.Command{c.checkCmd(), c.diffCmd(), c.applyCmd(), c.reportCmd()}
}
