package report

import (
	"os"
	"reflect"
	"strings"
	"testing"

	"yellowgate/internal/publish"
	"yellowgate/internal/result"
)

// TestFormats: docs/formats.md has each member of the machine-readable results, in the section of its command.
func TestFormats(t *testing.T) {
	b, err := os.ReadFile("../../docs/formats.md")
	if err != nil {
		t.Fatal(err)
	}
	general := section(t, string(b), "## Results by command", "###")
	for heading, results := range map[string][]any{
		"### `survey`": {result.Survey{}},
		"### `find`":   {result.Find{}},
		"### `pages`":  {result.PageLine{}, result.FieldLine{}},
		"### `check`":  {CheckRecord(&result.Check{})},
		"### `diff`":   {result.Diff{}},
		"### `apply`":  {ApplyRecord(&publish.Summary{})},
		"### `where`":  {result.WhereLine{}, result.WhereItem{}, result.WhereKey{}, result.WhereTable{}, result.PageTable{}},
		"### `report`": {result.Overview{}},
		"### `why`":    {result.WhyItem{}, result.WhyKey{}, result.WhyFragment{}},
		"### `add`, `set`, `remove`, `disable`, `enable`": {result.GateChange{}},
		"### `explain`":                {checkDoc{}},
		"### `history`, `back`":        {result.HistoryEntry{}, result.HistoryChange{}, result.Return{}},
		"### `show --why`, `why PAGE`": {result.WhyPage{}},
		"### `show --preview`":         {result.Preview{}},
	} {
		text := general + section(t, string(b), heading, "\n##")
		// Its items and changes are those of diff.
		if strings.Contains(heading, "`add`") || strings.Contains(heading, "`history`") {
			text += section(t, string(b), "### `diff`", "\n##")
		}
		if strings.Contains(heading, "`report`") { // its pages and entries are those of others
			text += section(t, string(b), "### `show --preview`", "\n##") + section(t, string(b),
				"### `history`, `back`", "\n##") +
				section(t, string(b), "### `where`", "\n##")
		}
		for _, r := range results {
			for name := range members(reflect.TypeOf(r)) {
				if !strings.Contains(text, "`"+name+"`") {
					t.Errorf("%s has nothing of %q, a member of %T", heading, name, r)
				}
			}
		}
	}
}

// section is what stands below a heading, up to another.
func section(t *testing.T, text, heading, next string) string {
	_, below, ok := strings.Cut(text, "\n"+heading+"\n")
	if !ok {
		t.Fatalf("there is no heading %q", heading)
	}
	part, _, _ := strings.Cut(below, next)
	return part
}

// members are the names of what a value of a type is written with, at every depth; what a browser saw has
// sections of its own.
func members(typ reflect.Type) map[string]bool {
	names := map[string]bool{}
	switch typ.Kind() {
	case reflect.Pointer, reflect.Slice, reflect.Array:
		return members(typ.Elem())
	case reflect.Struct:
	default:
		return names
	}
	for i := range typ.NumField() {
		f := typ.Field(i)
		name, _, _ := strings.Cut(f.Tag.Get("json"), ",")
		if name == "-" {
			continue
		}
		if name != "" {
			names[name] = true
		}
		if name == "browser" || f.Type.Implements(reflect.TypeFor[interface{ MarshalText() ([]byte, error) }]()) {
			continue
		}
		for n := range members(f.Type) {
			names[n] = true
		}
	}
	return names
}
