package gateedit

import (
	"regexp"
	"strings"
)

// A Value is what a key is to have: a text, YAML as it is written, or a list or
// mapping of values.
type Value struct {
	Text string
	Raw  string  // YAML in flow style, put in as it is
	List []Value // more than one
	Keys []string
	Vals []Value // of a mapping, by Keys
}

// Text is a value that is a text.
func Text(s string) Value { return Value{Text: s} }

// Raw is a value given in YAML.
func Raw(s string) Value { return Value{Raw: s} }

// inline writes a value on one line; ok is false where it takes several. Within
// brackets, commas and brackets need quotes too.
func (v Value) inline(flow bool) (text string, ok bool) {
	switch {
	case v.Raw != "":
		return v.Raw, !strings.Contains(v.Raw, "\n")
	case len(v.List) > 0:
		var parts []string
		for _, x := range v.List {
			p, ok := x.inline(true)
			if !ok {
				return "", false
			}
			parts = append(parts, p)
		}
		return "[" + strings.Join(parts, ", ") + "]", true
	case len(v.Keys) > 0:
		var parts []string
		for i, k := range v.Keys {
			p, ok := v.Vals[i].inline(true)
			if !ok {
				return "", false
			}
			parts = append(parts, scalar(k, true)+": "+p)
		}
		return "{" + strings.Join(parts, ", ") + "}", true
	}
	text = strings.TrimRight(v.Text, "\n")
	if strings.Contains(text, "\n") {
		if !awkward.MatchString(text) {
			return "", false
		}
		text = v.Text
	}
	return scalar(text, flow), true
}

// awkward is a text whose lines a block would not give back as they are.
var awkward = regexp.MustCompile(`^\s|[ \t]\n|\s$|\t`)

// block writes "key: value" as lines, indented.
func (v Value) block(key, indent, step string) []string {
	key = scalar(key, false)
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

// scalar writes a text as YAML, in quotes where it needs them. A truth value that
// is meant as one is given as Raw.
func scalar(s string, flow bool) string {
	plain := plainForm.MatchString(s) && !truthy.MatchString(s) &&
		!strings.HasPrefix(s, "#") && !strings.HasPrefix(s, "- ") && s != "-" && !strings.HasPrefix(s, "---") && !strings.HasPrefix(s, "...") &&
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
