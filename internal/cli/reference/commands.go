// Package reference has the commands that say what the program knows: explain, schema.
package reference

import (
	"github.com/spf13/cobra"

	"yellowgate/internal/cli/app"
)

// command is what the commands have of the run of the program.
type command struct{ *app.App }

// Commands are those of this package.
func Commands(a *app.App) []*cobra.Command {
	c := command{a}
	return []*cobra.Command{c.explainCmd(), c.schemaCmd()}
}
