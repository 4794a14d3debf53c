package gatefile_test

import (
	"bytes"
	"encoding/json"
	"os"
	"strings"
	"testing"

	"github.com/goccy/go-yaml"
	"github.com/santhosh-tekuri/jsonschema/v6"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/report"
)

// TestSchema holds the JSON Schema against the reader, by a validator of somebody else's: what the reader takes, the
// schema takes; and of what the reader refuses for the form of a key or value, the schema refuses most.
func TestSchema(t *testing.T) {
	var text bytes.Buffer
	if err := report.Schema(&text); err != nil {
		t.Fatal(err)
	}
	doc, err := jsonschema.UnmarshalJSON(&text)
	if err != nil {
		t.Fatal(err)
	}
	c := jsonschema.NewCompiler()
	if err := c.AddResource("gate.json", doc); err != nil {
		t.Fatal(err)
	}
	schema, err := c.Compile("gate.json")
	if err != nil {
		t.Fatal(err)
	}
	texts := gatefile.Cases()
	demo, err := os.ReadFile("../../demo/files/yellowgate.yaml")
	if err != nil {
		t.Fatal(err)
	}
	texts = append(texts, string(demo))
	refused, missed := 0, 0
	for _, text := range texts {
		var tree any
		if yaml.Unmarshal([]byte(text), &tree) != nil {
			continue // no schema sees it
		}
		b, err := json.Marshal(tree)
		if err != nil {
			continue
		}
		instance, err := jsonschema.UnmarshalJSON(bytes.NewReader(b))
		if err != nil {
			t.Fatal(err)
		}
		bad := schema.Validate(instance)
		_, problems := gatefile.Parse("g.yaml", []byte(text), nil)
		worst, any := problem.Worst(problems)
		switch wrong := any && worst == problem.Error; {
		case !wrong && bad != nil:
			t.Errorf("the reader takes it, and the schema does not: %v\n%s", bad, text)
		case wrong && bad != nil:
			refused++
		case wrong:
			missed++
			if testing.Verbose() {
				var all []string
				for _, p := range problems {
					all = append(all, p.Message)
				}
				t.Logf("the schema takes it:\n%s%s", text, strings.Join(all, "\n"))
			}
		}
	}
	t.Logf("%d are refused by both, %d by the reader alone", refused, missed)
	if missed > refused { // what only the whole file, other files or the pages show
		t.Errorf("the schema takes %d gate files that the reader refuses, and refuses %d", missed, refused)
	}
}
