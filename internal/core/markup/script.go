package markup

import "strings"

// A ScriptKind is what a script element holds (HTML, 4.12.1, "prepare the
// script element").
type ScriptKind uint8

const (
	Classic ScriptKind = iota
	Module
	DataBlock // JSON, import maps, templates: never run
)

// ScriptType reads the type and language attributes of the script at the offset.
func ScriptType(src []byte, at int) ScriptKind {
	t, ok := AttrValue(src, at, "type")
	if !ok {
		if lang, ok := AttrValue(src, at, "language"); ok && lang != "" {
			t = "text/" + lang
		}
	}
	t = strings.ToLower(strings.Trim(t, "\t\n\f\r "))
	switch t {
	case "", "application/ecmascript", "application/javascript", "application/x-ecmascript", "application/x-javascript",
		"text/ecmascript", "text/javascript", "text/javascript1.0", "text/javascript1.1", "text/javascript1.2",
		"text/javascript1.3", "text/javascript1.4", "text/javascript1.5", "text/jscript", "text/livescript",
		"text/x-ecmascript", "text/x-javascript":
		return Classic
	case "module":
		return Module
	}
	return DataBlock
}
