package yamltree

import (
	"fmt"
	"strings"
	"testing"
	"unicode/utf8"
)

// TestRead: what YAML and JSON come to, with where each value stands; and what is wrong.
func TestRead(t *testing.T) {
	for _, c := range []struct{ text, want string }{
		{"a: 1\nb: [1.10, x, {c: true}]\n", "1:1{a 1:4#1 b 2:4[2:5#1.10 2:11'x 2:14{c 2:18?true}]}"},
		{"- 0x1F\n- ~\n- 'it''s'\n- |\n  two\n  lines\n", "1:1[1:3#31 2:3- 3:3'it's 4:3'two|lines|]"},
		{"a: &x {n: 1}\nb: *x\nc: {<<: *x, m: 2}\nd: {<<: *x, n: 3}",
			"1:1{a 1:7{n 1:11#1} b 1:7{n 1:11#1} c 3:4{n 1:11#1 m 3:16#2} d 4:4{n 4:16#3}}"},
		{"", "1:1-"},
		{"a: *x", "1:4 unknown alias \"*x\""},
		{"a: &a [1, *a]", "1:11 the alias *a stands within"},
		{"a: [", "1:"},
		{"a: b: c", "1:"},
		{strings.Repeat("- ", 300) + "x", "1:1 this is nested deeper than 200 levels"},
		{strings.Repeat("[", 300), "1:200 this is nested deeper than 200 levels"},
		{"a:\n" + steps(300), "201:201 this is nested deeper"},
		{"x: &x0 [1,1,1,1,1,1,1,1,1,1]\n" + bomb(8), "more than 10000 aliases"},
		{"a: \xff", "1:4 this is not UTF-8"},
		{"a: 'x [[[[[[ y'\nb: \"[\\\"[[\"\n# [[[\nc: it's\n", "1:1{a 1:4'x [[[[[[ y b 2:4'[\"[[ c 4:4'it's}"},
	} {
		check(t, "YAML", c.text, c.want, YAML)
	}
	for _, c := range []struct{ text, want string }{
		{"{\"a\": 1.10,\n \"b\": [null, true, \"x\"]}", "1:1{a 1:7#1.10 b 2:7[2:8- 2:14?true 2:20'x]}"},
		{"\uFEFF[]", "1:1["},
		{`{"a":}`, "1:6 this is not JSON"},
		{`{"a":1,"a":2}`, `1:8 "a" stands here twice`},
		{`{"a":1} x`, "1:9 after the end"},
		{`{"a":1`, "1:7 the JSON ends too early"},
		{`[1,]`, "1:4 this is not JSON"},
		{strings.Repeat("[", 300), "1:201 this is nested deeper"},
		{"", "1:1 the JSON ends too early"},
		{"\"\xff\"", "1:2 this is not UTF-8"},
	} {
		check(t, "JSON", c.text, c.want, JSON)
	}
}

func check(t *testing.T, what, text, want string, read func([]byte) (*Value, error)) {
	t.Helper()
	v, err := read([]byte(text))
	got := ""
	if e, ok := err.(*Error); ok {
		got = fmt.Sprintf("%d:%d %s", e.Line, e.Column, e.Message)
	} else if err != nil {
		t.Errorf("%s %.60q: %T %v", what, text, err, err)
	} else {
		got = told(v)
	}
	if !strings.HasPrefix(got, want) && !(strings.HasPrefix(want, "more") && strings.Contains(got, want)) {
		t.Errorf("%s %.60q: %s, want %s", what, text, got, want)
	}
}

// steps are mappings within one another, by indentation.
func steps(n int) string {
	var b strings.Builder
	for i := range n {
		fmt.Fprintf(&b, "%s a:\n", strings.Repeat(" ", i))
	}
	return b.String()
}

// bomb is lists of aliases of lists of aliases.
func bomb(n int) string {
	var b strings.Builder
	for i := range n {
		fmt.Fprintf(&b, "x%d: &x%d [%s]\n", i+1, i+1, strings.TrimSuffix(strings.Repeat(fmt.Sprintf("*x%d,", i), 10), ","))
	}
	return b.String()
}

// told writes a value with its position: "-" null, "'" text, "#" number, "?" truth value.
func told(v *Value) string {
	at := fmt.Sprintf("%d:%d", v.Line, v.Column)
	switch v.Kind {
	case List:
		var kids []string
		for _, k := range v.Kids {
			kids = append(kids, told(k))
		}
		return at + "[" + strings.Join(kids, " ") + "]"
	case Map:
		var kids []string
		for i, k := range v.Kids {
			kids = append(kids, v.Keys[i]+" "+told(k))
		}
		return at + "{" + strings.Join(kids, " ") + "}"
	}
	return at + map[Kind]string{Null: "-", Text: "'", Number: "#", Truth: "?"}[v.Kind] +
		strings.ReplaceAll(v.Text, "\n", "|")
}

// FuzzRead: whatever a file of facts holds, reading it ends, in a value whose positions are
// in it or in an error that has one.
func FuzzRead(f *testing.F) {
	for _, s := range []string{"a: 1\n", "- &a [1, *a]\n", `{"a":}`, "[[[[", "a: {b: [c, 'd]'}]", "? a\n: b",
		"a: |\n  x\n", "<<: {a: 1}", "%YAML 1.2\n---\na", "a: !!binary x", "\t- a", "a: &x\nb: *x", "- - - a",
		"{\"a\":[1,2,{\"b\":null}]}"} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, text []byte) {
		if len(text) > 10_000 {
			return
		}
		lines := strings.Count(string(text), "\n") + strings.Count(string(text), "\r") + 1
		for what, read := range map[string]func([]byte) (*Value, error){"YAML": YAML, "JSON": JSON} {
			v, err := read(text)
			if err != nil {
				e, ok := err.(*Error)
				if !ok || e.Line < 1 || e.Line > lines+1 || e.Column < 1 || e.Message == "" {
					t.Fatalf("%s %q: %T %+v", what, text, err, err)
				}
				continue
			}
			var look func(v *Value, depth int)
			look = func(v *Value, depth int) {
				if depth > 2*MaxDepth || v.Line < 1 || v.Line > lines+1 || v.Column < 1 ||
					len(v.Keys) > 0 && len(v.Keys) != len(v.Kids) {
					t.Fatalf("%s %q: %+v at depth %d", what, text, v, depth)
				}
				if v.Kind == Text && utf8.Valid(text) && !utf8.ValidString(v.Text) && what == "JSON" {
					t.Fatalf("%s %q: %q", what, text, v.Text)
				}
				for _, k := range v.Kids {
					look(k, depth+1)
				}
			}
			look(v, 0)
			v.Plain()
		}
	})
}
