package app

import "github.com/spf13/cobra"

// Flags gives all commands the options that they share.
func (a *App) Flags(root *cobra.Command) {
	f := root.PersistentFlags()
	f.StringVar(&a.Gate, "gate", "", "the gate `FILE` (default yellowgate.yaml, here or in the nearest folder above)")
	f.StringVar(&a.Format, "format", "text", "`FORM` of the result: text, json, or what else the command offers")
	f.StringVar(&a.Day, "at", "", "the `DAY` for items with dates, such as 2027-06-01 (default today)")
	f.BoolVar(&a.Outside, "outside", false,
		"let the gate file name code, facts and gate files that lie outside its folder")
	f.StringVar(&a.OutFile, "out", "", "write the result to `FILE` instead of standard output")
	f.BoolVar(&a.Force, "force", false, "let --out write over a file that is not a report of this program")
	f.BoolVarP(&a.Quiet, "quiet", "q", false, "only the result and errors")
	f.BoolVarP(&a.Verbose, "verbose", "v", false, "everything, notes included")
	f.StringVar(&a.Color, "color", "auto", "`WHEN` to use colours: auto, always, never")
	_ = root.RegisterFlagCompletionFunc("color",
		cobra.FixedCompletions([]string{"auto", "always", "never"}, cobra.ShellCompDirectiveNoFileComp))
	_ = root.RegisterFlagCompletionFunc("format",
		func(cmd *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
			return FormatsOf(cmd), cobra.ShellCompDirectiveNoFileComp
		})
	_ = root.MarkPersistentFlagFilename("gate", "yaml", "yml")
}
