package reference

import (
	"io"

	"github.com/spf13/cobra"

	"yellowgate/internal/report"
)

func (a command) schemaCmd() *cobra.Command {
	return &cobra.Command{
		Use: "schema", GroupID: "more", Args: cobra.NoArgs,
		Short: "The JSON Schema of the gate file, for editors",
		Long: `Writes the JSON Schema of the gate file. An editor that reads it completes keys and
shows what each is for. Write it next to your gate file, and name it in the gate
file's first line:

  # yaml-language-server: $schema=yellowgate.schema.json`,
		Example:           "  yellowgate schema --out yellowgate.schema.json",
		ValidArgsFunction: cobra.NoFileCompletions,
		RunE: func(cmd *cobra.Command, args []string) error {
			return a.Write(func(w io.Writer, _ *report.Printer) error { return report.Schema(w) })
		},
	}
}
