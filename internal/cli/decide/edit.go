package decide

import (
	"context"
	"os"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"yellowgate/internal/cli/app"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/failure"
	"yellowgate/internal/fsys"
	"yellowgate/internal/gatechange"
	"yellowgate/internal/pagetable"
	"yellowgate/internal/report"
	"yellowgate/internal/result"
)

// keyFlags gives a command an option for each key of an item, and returns what
// collects the values.
func (a command) keyFlags(cmd *cobra.Command) func() []gatechange.Field {
	values := map[string]*[]string{}
	for _, key := range gatefile.ItemKeys() {
		v := new([]string)
		values[key] = v
		cmd.Flags().StringArrayVar(v, key, nil, gatefile.DocOf(gatefile.ItemShape{}, key))
		f := cmd.Flags().Lookup(key)
		f.Value, f.DefValue = kindValue{f.Value, kindOfKey(key)}, ""
		if key == "each" || key == "disabled" {
			cmd.Flags().Lookup(key).NoOptDefVal = "true"
		}
		a.completeKey(cmd, key)
	}
	return func() (out []gatechange.Field) {
		for _, key := range gatefile.ItemKeys() {
			if cmd.Flags().Changed(key) {
				out = append(out, gatechange.Field{Key: key, Values: *values[key]})
			}
		}
		return out
	}
}

// kindValue is an option's value whose kind --help names.
type kindValue struct {
	pflag.Value
	kind string
}

func (v kindValue) Type() string { return v.kind }

// kindOfKey names what the option of a key takes.
func kindOfKey(key string) string {
	switch key {
	case "script", "stylesheet":
		return "URL"
	case "pages", "except":
		return "QUERY"
	case "found", "replaces":
		return "SELECTOR"
	case "needs", "before", "after", "not-with":
		return "ITEM"
	case "place":
		return "PLACE"
	case "load", "again", "integrity":
		return "WORD"
	case "attrs", "params":
		return "NAME=VALUE"
	case "classes":
		return "SELECTOR=NAMES"
	case "from", "until":
		return "DAY"
	case "structured", "questions", "open", "params-on":
		return "YAML"
	case "each", "disabled":
		return "BOOL"
	}
	if strings.HasSuffix(key, "-file") {
		return "FILE"
	}
	return "TEXT"
}

// completeKey offers the values that a key of an item may have.
func (a command) completeKey(cmd *cobra.Command, key string) {
	none := cobra.ShellCompDirectiveNoFileComp
	var f func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective)
	switch {
	case strings.HasSuffix(key, "-file"):
		return // files, as the shell knows them
	case key == "place":
		f = cobra.FixedCompletions(gatefile.PlaceNames(), none)
	case key == "load":
		f = cobra.FixedCompletions(gatefile.LoadWords(), none)
	case key == "again":
		f = cobra.FixedCompletions([]string{"visit", "always", "once", "7d"}, none)
	case key == "integrity":
		f = cobra.FixedCompletions([]string{"auto"}, none)
	case key == "each", key == "disabled":
		f = cobra.FixedCompletions([]string{"true", "false"}, none)
	case key == "pages", key == "except":
		f = func(cmd *cobra.Command, _ []string, prefix string) ([]string, cobra.ShellCompDirective) {
			return a.CompleteQuery(cmd, nil, prefix)
		}
	case slices.Contains([]string{"needs", "before", "after", "not-with"}, key):
		f = func(_ *cobra.Command, _ []string, prefix string) ([]string, cobra.ShellCompDirective) {
			return a.CompleteItems(prefix), none
		}
	default:
		f = cobra.NoFileCompletions
	}
	_ = cmd.RegisterFlagCompletionFunc(key, f)
}

// itemArg completes the name of an item.
func (a command) itemArg(_ *cobra.Command, args []string, prefix string) ([]string, cobra.ShellCompDirective) {
	if len(args) > 0 {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	return a.CompleteItems(prefix), cobra.ShellCompDirectiveNoFileComp
}

// edit makes ready a change of the gate file.
func (a command) edit(name string, dry bool) (*gatechange.Edit, error) {
	file, err := a.GateFile()
	if err != nil {
		return nil, err
	}
	return &gatechange.Edit{
		GateFile: file, Day: a.Day, Outside: a.Outside, DryRun: dry, Name: name, Progress: a.Progress("comparing"),
		Command: strings.Join(os.Args[1:], " "),
	}, nil
}

// edited tells what a change did.
func (a command) edited(e *gatechange.Edit, r *result.GateChange, err error) error {
	if err != nil {
		return err
	}
	a.Warn(r.Problems)
	return a.Answer(r, func(pr *report.Printer) {
		if !a.Quiet {
			pr.Edited(e.Name, r, a.Verbose)
		}
	})
}

// paramFields reads the values of --param.
func paramFields(params []string) (out []gatechange.Field, err error) {
	for _, p := range params {
		name, value, ok := strings.Cut(p, "=")
		if !ok || name == "" || value == "" {
			return nil, &failure.Usage{
				Message: "--param is NAME=VALUE, not \"" + p + "\"",
				Remedy:  "for example --param delay=3s",
			}
		}
		out = append(out, gatechange.Field{Key: name, Values: []string{value}})
	}
	return out, nil
}

func (a command) addCmd() *cobra.Command {
	var dry bool
	var params []string
	var split string
	cmd := &cobra.Command{
		Use: "add NAME", GroupID: "decide", Args: app.Needs(1, 1, "add takes the name of the new item",
			"yellowgate add visit-counter --code-file counter.html --pages all"),
		Short: "Add an item to the gate file",
		Long: `Writes a new item at the end of the gate file's items and reports which pages gain it.
Every key of an item is an option of the same name; repeat one for a list. A mapping
is given as in the gate file, in braces: --place '{before: main}'.

With --split a vendor's code is taken apart: its script, set-up, stylesheet and what
stands for visitors without scripting become parts of the item, each in the place that
it needs. A container goes to the end of the body unless --place '{code: spot}' says that
pages have a spot for it.

Nothing is written where the gate file would then have a mistake.`,
		Example: `  yellowgate add visit-counter --code-file code/counter.html --place head-end --pages all --except members
  yellowgate add booking --script /js/booking.js --stylesheet /css/booking.css --pages '/book/**'
  yellowgate add chat --split vendor-code.html --pages /contact/`,
		ValidArgsFunction: cobra.NoFileCompletions,
	}
	fields := a.keyFlags(cmd)
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		e, err := a.edit(args[0], dry)
		if err != nil {
			return err
		}
		e.Fields = fields()
		if e.Params, err = paramFields(params); err != nil {
			return err
		}
		if split != "" {
			if e.Split, err = a.readFile(split); err != nil {
				return err
			}
		}
		r, err := e.Add(cmd.Context())
		return a.edited(e, r, err)
	}
	cmd.Flags().StringArrayVar(&params, "param", nil, "a parameter, `NAME=VALUE`")
	cmd.Flags().StringVar(&split, "split", "", "a `FILE` with a vendor's code to take apart; - for standard input")
	app.DryFlag(cmd, &dry)
	return cmd
}

// readFile reads a file that an option names, or standard input.
func (a command) readFile(name string) (string, error) {
	if name == "-" {
		b, err := a.Stdin()
		return string(b), err
	}
	b, err := fsys.Read(name, fsys.CodeLimit)
	if err != nil {
		return "", &failure.Path{Path: name, Err: err}
	}
	return string(b), nil
}

func (a command) setCmd() *cobra.Command {
	var dry, more, less bool
	var params, unset []string
	var table, encoding string
	cmd := &cobra.Command{
		Use: "set NAME | --table FILE", GroupID: "decide", Args: app.Needs(0, 1, "set takes the name of one item",
			"yellowgate set visit-counter --pages all"),
		Short: "Change an item of the gate file: its pages, an exception, a parameter, …",
		Long: `Changes keys of an item in the gate file, and nothing else in it: comments, order and
quotes stay. Every key of an item is an option of the same name; repeat one for a list,
or add to the list that is there with --more, or take entries out of it with --less. Then it reports which pages gain or lose
what. Nothing is written where the gate file would then have a mistake.

With --table it takes back a table that where wrote and somebody edited, as CSV or xlsx. Only values that
differ from what the pages have are changed: they go to facts/table.csv, which one rule of the gate
file reads. An emptied cell takes the value out again. --dry-run shows what differs.`,
		Example: `  yellowgate set --table events.xlsx --dry-run
  yellowgate set visit-counter --more --except /privacy/
  yellowgate set visit-counter --less --except /privacy/
  yellowgate set page-veil --param delay=3.5s --dry-run
  yellowgate set night-letter --unset again --pages 'not /privacy/'`,
		ValidArgsFunction: a.itemArg,
	}
	fields := a.keyFlags(cmd)
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		name := ""
		if len(args) > 0 {
			name = args[0]
		}
		e, err := a.edit(name, dry)
		if err != nil {
			return err
		}
		e.Fields, e.More, e.Less, e.Unset = fields(), more, less, unset
		if e.Params, err = paramFields(params); err != nil {
			return err
		}
		if table != "" {
			return a.setTable(cmd.Context(), e, table, encoding)
		}
		if err := settable(e); err != nil {
			return err
		}
		r, err := e.Set(cmd.Context())
		return a.edited(e, r, err)
	}
	cmd.Flags().StringArrayVar(&params, "param", nil, "a parameter, `NAME=VALUE`")
	cmd.Flags().StringArrayVar(&unset, "unset", nil, "a `KEY` to take out")
	cmd.Flags().StringVar(&table, "table", "", "a `FILE` (CSV or xlsx) of where that somebody edited")
	cmd.Flags().StringVar(&encoding, "encoding", "",
		"the `NAME` of the table's encoding, such as windows-1252, where it is not UTF-8")
	cmd.Flags().BoolVar(&more, "more", false, "add to the lists that are there instead of replacing them")
	cmd.Flags().BoolVar(&less, "less", false, "take the given entries out of the lists that are there")
	_ = cmd.RegisterFlagCompletionFunc("unset",
		cobra.FixedCompletions(gatefile.ItemKeys(), cobra.ShellCompDirectiveNoFileComp))
	app.DryFlag(cmd, &dry)
	return cmd
}

// settable reports what is missing, or too much, in what set is to do with an item.
func settable(e *gatechange.Edit) error {
	switch {
	case e.Name == "":
		return &failure.Usage{
			Message: "set takes the name of one item, or --table FILE",
			Remedy:  "for example: yellowgate set visit-counter --pages all",
		}
	case e.More && e.Less:
		return &failure.Usage{Message: "--more adds and --less takes out: give one of them"}
	case len(e.Fields)+len(e.Params)+len(e.Unset) == 0:
		return &failure.Usage{
			Message: "set what? Every key of an item is an option",
			Remedy:  "yellowgate set " + e.Name + " --pages QUERY; yellowgate set --help lists them",
		}
	}
	return nil
}

// setTable takes an edited table back.
func (a command) setTable(ctx context.Context, e *gatechange.Edit, name, encoding string) (err error) {
	if e.Name != "" || len(e.Fields)+len(e.Params)+len(e.Unset) > 0 || e.More || e.Less {
		return &failure.Usage{
			Message: "--table is all that set does: no item and no other option",
			Remedy:  "yellowgate set --table " + name,
		}
	}
	var data []byte
	if name == "-" {
		data, err = a.Stdin()
	} else if data, err = fsys.Read(name, fsys.FactsLimit); err != nil {
		err = &failure.Path{Path: name, Err: err}
	}
	if err != nil {
		return err
	}
	r, err := pagetable.Set(ctx, e, name, data, encoding, a.Progress("comparing"))
	if err != nil {
		return err
	}
	a.Warn(r.Problems)
	return a.Answer(r, func(pr *report.Printer) {
		if !a.Quiet {
			pr.TableChange(r, a.Verbose)
		}
	})
}

// changing completes a command that makes one change of an item.
func (a command) changing(cmd *cobra.Command,
	change func(*gatechange.Edit, context.Context) (*result.GateChange, error)) *cobra.Command {
	var dry bool
	cmd.GroupID, cmd.Args, cmd.ValidArgsFunction = "decide",
		app.Needs(1, 1, cmd.Name()+" takes the name of one item", "yellowgate "+cmd.Name()+" visit-counter"), a.itemArg
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		e, err := a.edit(args[0], dry)
		if err != nil {
			return err
		}
		r, err := change(e, cmd.Context())
		return a.edited(e, r, err)
	}
	app.DryFlag(cmd, &dry)
	return cmd
}

func (a command) disableCmd() *cobra.Command {
	return a.changing(&cobra.Command{
		Use:     "disable NAME",
		Short:   "Take an item out everywhere, and keep it for later",
		Long:    `Writes disabled: true into an item: it is out on every page until it is enabled again.`,
		Example: "  yellowgate disable summer-notice",
	}, (*gatechange.Edit).Disable)
}

func (a command) enableCmd() *cobra.Command {
	return a.changing(&cobra.Command{
		Use:     "enable NAME",
		Short:   "Let a disabled item in again",
		Long:    `Takes disabled: true out of an item, so that its pages and exceptions count again.`,
		Example: "  yellowgate enable summer-notice",
	}, (*gatechange.Edit).Enable)
}

func (a command) removeCmd() *cobra.Command {
	var release bool
	cmd := a.changing(&cobra.Command{
		Use:   "remove NAME",
		Short: "Take an item out of the gate file",
		Long: `Takes an item out of the gate file, and its name out of the lines that mention it.
It refuses while another item needs it; and where the item finds or replaces elements
of the source pages, which come back without it, unless --release says that this is
meant. Files that the item names stay.`,
		Example: "  yellowgate remove summer-notice --dry-run\n  yellowgate remove glyph-shim --release",
	}, func(e *gatechange.Edit, ctx context.Context) (*result.GateChange, error) {
		return e.Remove(ctx, release)
	})
	cmd.Flags().BoolVar(&release, "release", false,
		"let what it found come back as the source has it, and its spots stand without an item")
	return cmd
}
