package snippet

import (
	_ "embed"
	"encoding/json"
	"html"
	"regexp"
	"strings"

	"yellowgate/internal/core/gatefile"
)

// RuntimeName is the name under which the popups' runtime is marked.
const RuntimeName = "popup-runtime"

// runtime opens and closes popups. It is the same on every page; what differs
// stands in the dialogs' attributes.
//
//go:embed popup-runtime.js
var runtime string

// Runtime is the script that every page with a popup has once.
func Runtime() string { return script }

// script is the runtime without the spaces that only its readers need.
var script = "<script>\n" + tightened(runtime) + "\n</script>"

// tightened takes indentation and the spaces beside punctuation out of a script whose
// texts are in double quotes. Line ends stay: they may end a statement.
func tightened(code string) string {
	var b strings.Builder
	quoted := false
	between := func(i int) bool { // a space that separates two words
		return i > 0 && i+1 < len(code) && isWord(code[i-1]) && isWord(code[i+1])
	}
	code = regexp.MustCompile(`(?m)^ +`).ReplaceAllString(strings.TrimSpace(code), "")
	for i := 0; i < len(code); i++ {
		if code[i] == '"' {
			quoted = !quoted
		}
		if code[i] != ' ' || quoted || between(i) {
			b.WriteByte(code[i])
		}
	}
	return b.String()
}

func isWord(c byte) bool {
	return c == '_' || c == '$' || c >= '0' && c <= '9' || c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z'
}

// dialog writes a popup: a dialog element (HTML, 4.11.4) with what opens it on
// this page.
func (it *Prepared) dialog(inside string, v *Values) (string, *ValueError) {
	var b strings.Builder
	b.WriteString(`<dialog id="` + it.Name + `"`)
	if it.Label.Value != nil {
		label, failed := it.Label.Value.Fill(v.lookup(it.Item))
		if failed != nil {
			return "", failedValue(failed, it.Label.Pos)
		}
		b.WriteString(` aria-label="` + html.EscapeString(label) + `"`)
	}
	opens := [][]any{}
	for _, o := range Opens(it.Item, v) {
		one := []any{o.How}
		switch o.How {
		case "after", "scroll":
			one = append(one, json.Number(o.Value))
		case "click", "fragment":
			one = append(one, o.Value)
		}
		opens = append(opens, one)
	}
	j, err := json.Marshal(opens)
	if err != nil {
		return "", &ValueError{Pos: it.Pos, Message: err.Error()}
	}
	again := it.Again.Value
	if again == "" {
		again = "visit"
	}
	b.WriteString(` data-yg-open="` + html.EscapeString(string(j)) + `" data-yg-again="` + again + `">`)
	sep := ""
	if strings.Contains(inside, "\n") {
		sep = "\n"
	}
	b.WriteString(sep + inside + sep + "</dialog>")
	return b.String(), nil
}

// Opens lists what opens the popup of an item on the page.
func Opens(it *gatefile.Item, v *Values) (out []*gatefile.Open) {
	for _, o := range it.Opens {
		in := len(o.Pages) == 0
		for i := range o.Pages {
			in = in || v.Page != nil && o.Pages[i].Eval(v.Page)
		}
		if in {
			out = append(out, o)
		}
	}
	return out
}
