package gateedit

import (
	"regexp"
	"slices"
	"strings"
)

// A NewValue is what a key is to have: a text, YAML as it is written, or a list or
// mapping of values.
type NewValue struct {
	Text string
	Raw  string     // YAML in flow style, put in as it is
	List []NewValue // more than one
	Keys []string
	Vals []NewValue // of a mapping, by Keys
}

// Text is a value that is a text.
func Text(s string) NewValue { return NewValue{Text: s} }

// Raw is a value given in YAML.
func Raw(s string) NewValue { return NewValue{Raw: s} }

// inline writes a value on one line; ok is false where it takes several. Within
// brackets, commas and brackets need quotes too.
func (v NewValue) inline(flow bool) (text string, ok bool) {
	if v.lines() {
		return "", false
	}
	if v.isText() {
		return scalar(v.line(), flow), true
	}
	return v.inFlow(), true
}

// isText reports whether a value is neither YAML, nor a list, nor a mapping.
func (v NewValue) isText() bool { return v.Raw == "" && len(v.List)+len(v.Keys) == 0 }

// lines reports whether a value is better written as a block of several lines.
func (v NewValue) lines() bool {
	if v.isText() {
		text := strings.TrimRight(v.Text, "\n")
		return strings.Contains(text, "\n") && !awkward.MatchString(text)
	}
	several := func(x NewValue) bool { return x.lines() }
	return strings.Contains(v.Raw, "\n") || slices.ContainsFunc(v.List, several) || slices.ContainsFunc(v.Vals, several)
}

// line is a text as it is written on one line: a line end at the end of a single
// one goes.
func (v NewValue) line() string {
	if text := strings.TrimRight(v.Text, "\n"); !strings.Contains(text, "\n") {
		return text
	}
	return v.Text
}

// inFlow writes any value within brackets, several lines in quotes.
func (v NewValue) inFlow() string {
	var parts []string
	switch {
	case v.Raw != "":
		return v.Raw
	case len(v.List) > 0:
		for _, x := range v.List {
			parts = append(parts, x.inFlow())
		}
		return "[" + strings.Join(parts, ", ") + "]"
	case len(v.Keys) > 0:
		for i, k := range v.Keys {
			parts = append(parts, keyText(k, true)+": "+v.Vals[i].inFlow())
		}
		return "{" + strings.Join(parts, ", ") + "}"
	}
	return scalar(v.line(), true)
}

// awkward is a text whose lines a block would not give back as they are.
var awkward = regexp.MustCompile(`^\s|[ \t]\n|\s$|\t`)

// block writes "key: value" as lines, indented.
func (v NewValue) block(key, indent, step string) []string {
	key = keyText(key, false)
	if text, ok := v.inline(false); ok && len(indent)+len(key)+len(text) < 100 || ok && len(v.List)+len(v.Keys) == 0 {
		return []string{indent + key + ": " + text}
	}
	out := []string{indent + key + ":"}
	switch {
	case len(v.List) > 0:
		for _, x := range v.List {
			if text, ok := x.inline(false); ok {
				out = append(out, indent+step+"- "+text)
				continue
			}
			out = append(out, indent+step+"- |")
			out = append(out, literal(x.Text, indent+step+"  ")...)
		}
	case len(v.Keys) > 0:
		for i, k := range v.Keys {
			out = append(out, v.Vals[i].block(k, indent+step, step)...)
		}
	default:
		out[0] += " |"
		if !strings.HasSuffix(v.Text, "\n") {
			out[0] += "-"
		}
		out = append(out, literal(v.Text, indent+step)...)
	}
	return out
}

// literal writes the lines of a text below a "|".
func literal(text, indent string) (out []string) {
	for _, l := range strings.Split(strings.TrimRight(text, "\n"), "\n") {
		if l != "" {
			l = indent + l
		}
		out = append(out, l)
	}
	return out
}

// plainForm is a text that YAML reads as itself without quotes.
var plainForm = regexp.MustCompile(`^[\pL\pN/.(#<_~+$^;=-][^\n\r\t\x00-\x1f]*$`)

// truthy are words that some readers take for something else.
var truthy = regexp.MustCompile(`(?i)^(true|false|yes|no|on|off|null|~)$`)

// keyText writes a key: one with a colon in quotes.
func keyText(key string, flow bool) string {
	if strings.Contains(key, ":") && !strings.ContainsAny(key, "\"\\\n\t\r") {
		return `"` + key + `"`
	}
	return scalar(key, flow)
}

// scalar writes a text as YAML, in quotes where it needs them. A truth value that
// is meant as one is given as Raw.
func scalar(s string, flow bool) string {
	plain := plainForm.MatchString(s) && !truthy.MatchString(s) &&
		!strings.HasPrefix(s, "#") && !strings.HasPrefix(s, "- ") && s != "-" &&
		!strings.HasPrefix(s, "---") && !strings.HasPrefix(s, "...") &&
		!strings.Contains(s, ": ") && !strings.HasSuffix(s, ":") && !strings.Contains(s, " #") && strings.TrimSpace(s) == s &&
		!strings.HasPrefix(s, "@{") && !(flow && strings.ContainsAny(s, ",[]{}"))
	if plain {
		return s
	}
	if strings.Contains(s, `"`) && !strings.ContainsAny(s, "'\\\n\t\r") {
		return "'" + s + "'"
	}
	return `"` + strings.NewReplacer(`\`, `\\`, `"`, `\"`, "\n", `\n`, "\t", `\t`, "\r", `\r`).Replace(s) + `"`
}
