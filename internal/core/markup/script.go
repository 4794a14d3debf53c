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

// A Phase is when a script runs: blocking ones where they stand, deferred ones and modules when
// parsing ends, asynchronous ones whenever they arrive (HTML, 4.12.1). A greater one is later,
// but for Async, which has no order.
type Phase uint8

const (
	Blocking Phase = iota
	Deferred
	Async
)

// ScriptPhase tells when the script element at the offset runs; ok is false for a data block,
// which never does.
func ScriptPhase(src []byte, at int) (phase Phase, ok bool) {
	kind := ScriptType(src, at)
	if kind == DataBlock {
		return 0, false
	}
	_, external := AttrValue(src, at, "src")
	_, async := AttrValue(src, at, "async")
	_, deferred := AttrValue(src, at, "defer")
	switch {
	case async && (external || kind == Module):
		return Async, true
	case kind == Module, deferred && external:
		return Deferred, true
	}
	return Blocking, true
}
