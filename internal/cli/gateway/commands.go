// Package gateway has the command that stands before an application: gateway.
package gateway

import (
	"github.com/spf13/cobra"

	"yellowgate/internal/cli/app"
)

// command is what the commands have of the run of the program.
type command struct{ *app.App }

// Commands are those of this package.
func Commands(a *app.App) []*cobra.Command {
	c := command{a}
	return []*cobra.Command{c.gatewayCmd()}
}
