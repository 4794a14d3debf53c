package gateedit

import (
	"strings"
	"testing"

	"yellowgate/internal/core/gatefile"
)

const file = `yellowgate: 1

sets: {events: /events/*}   # page sets

items:
  # what is everywhere
  counter:
    code: <meta name="a" content="b">
    pages: all              # agreed
    except: members
    note: 'each "spring"'

  # one line
  kit: {found: {url: /kit/**}, pages: has(.slides)} # old

  map:
    script: /js/map.js
    params:
      height: 480   # pixels
      shape: {value: ring, one-of: [ring, dot]}
    needs:
      - kit
      - counter     # too
    # a last word

per-page:
  /visit/:
    in: [map]
  /x/: {out: [map, kit]}
`

// TestEdits: what each change makes of the file, told by what is replaced in it:
// each "old → new" in turn.
func TestEdits(t *testing.T) {
	for _, c := range []struct {
		name string
		do   func(d *Doc) error
		want []string
	}{
		{"a value, its comment stays",
			func(d *Doc) error { return d.Set(Text("/visit/"), "items", "counter", "pages") },
			[]string{"pages: all  ", "pages: /visit/  "}},
		{"single quotes stay", func(d *Doc) error { return d.Set(Text(`it's: "x"`), "items", "counter", "note") },
			[]string{`'each "spring"'`, `'it''s: "x"'`}},
		{"a list", func(d *Doc) error {
			return d.Set(NewValue{List: []NewValue{Text("members"), Text("has([a=b])")}}, "items", "counter", "except")
		}, []string{"except: members", `except: [members, "has([a=b])"]`}},
		{"a new key", func(d *Doc) error { return d.Set(Raw("true"), "items", "counter", "disabled") },
			[]string{"note: 'each \"spring\"'\n", "note: 'each \"spring\"'\n    disabled: true\n"}},
		{"a new key before a last comment", func(d *Doc) error { return d.Set(Text("now"), "items", "map", "load") },
			[]string{"      - counter     # too\n", "      - counter     # too\n    load: now\n"}},
		{"a block list by a value", func(d *Doc) error { return d.Set(Text("kit"), "items", "map", "needs") },
			[]string{"needs:\n      - kit\n      - counter     # too\n", "needs: kit\n"}},
		{"text of several lines",
			func(d *Doc) error { return d.Set(Text("a\n\n b: #c"), "items", "counter", "code") },
			[]string{`code: <meta name="a" content="b">`, "code: |-\n      a\n\n       b: #c"}},
		{"texts of several lines in braces", func(d *Doc) error {
			return d.Set(NewValue{List: []NewValue{Text("a\nb"), Text("c")}}, "items", "kit", "script-text")
		}, []string{"has(.slides)}", `has(.slides), script-text: ["a\nb", c]}`}},
		{"in braces", func(d *Doc) error { return d.Set(Text("a, b: c"), "items", "kit", "note") },
			[]string{"has(.slides)}", `has(.slides), note: "a, b: c"}`}},
		{"a value in braces", func(d *Doc) error { return d.Set(Text("none"), "items", "kit", "pages") },
			[]string{"pages: has(.slides)", "pages: none"}},
		{"below", func(d *Doc) error { return d.Set(Text("500"), "items", "map", "params", "height") },
			[]string{"480", "500"}},
		{"below, in braces",
			func(d *Doc) error { return d.Set(Text("dot"), "items", "map", "params", "shape", "value") },
			[]string{"value: ring", "value: dot"}},
		{"what is missing is made", func(d *Doc) error { return d.Set(Text("1"), "items", "counter", "params", "n") },
			[]string{"note: 'each \"spring\"'\n", "note: 'each \"spring\"'\n    params: {n: 1}\n"}},
		{"an item is added", func(d *Doc) error {
			return d.Add(
				NewValue{Keys: []string{"stylesheet", "pages"}, Vals: []NewValue{Text("/a.css"), Text("@{x}")}},
				"items", "new")
		}, []string{"    # a last word\n", "    # a last word\n\n  new:\n    stylesheet: /a.css\n    pages: \"@{x}\"\n"}},
		{"a mapping is made", func(d *Doc) error { return d.Set(Text("T"), "site", "name") },
			[]string{"  /x/: {out: [map, kit]}\n", "  /x/: {out: [map, kit]}\n\nsite:\n  name: T\n"}},
		{"added to a value", func(d *Doc) error { return d.Append(Text("/x/"), "items", "counter", "except") },
			[]string{"except: members", "except: [members, /x/]"}},
		{"added to a block list", func(d *Doc) error { return d.Append(Text("z"), "items", "map", "needs") },
			[]string{"# too\n", "# too\n      - z\n"}},
		{"added to a list", func(d *Doc) error { return d.Append(Text("kit"), "per-page", "/visit/", "in") },
			[]string{"in: [map]", "in: [map, kit]"}},
		{"added in braces", func(d *Doc) error { return d.Append(Text("/x/"), "items", "kit", "pages") },
			[]string{"pages: has(.slides)}", "pages: [has(.slides), /x/]}"}},
		{"a rule, where there are none", func(d *Doc) error { return d.AppendRule(rule, "metadata") },
			[]string{"  /x/: {out: [map, kit]}\n",
				"  /x/: {out: [map, kit]}\n\nmetadata:\n  - pages: all\n    icon: \"/i.svg?a: b\"\n"}},
		{"a key goes", func(d *Doc) error { return d.Delete(2, "items", "counter", "pages") },
			[]string{"    pages: all              # agreed\n", ""}},
		{"a key in braces goes", func(d *Doc) error { return d.Delete(2, "items", "kit", "found") },
			[]string{"{found: {url: /kit/**}, pages", "{pages"}},
		{"the last in braces goes", func(d *Doc) error { return d.Delete(2, "items", "kit", "pages") },
			[]string{", pages: has(.slides)}", "}"}},
		{"an item goes, comments stay", func(d *Doc) error { return d.Delete(1, "items", "kit") },
			[]string{"  kit: {found: {url: /kit/**}, pages: has(.slides)} # old\n\n", "\n"}},
		{"a name goes from a list",
			func(d *Doc) error { return d.DeleteFromList("map", 1, "per-page", "/x/", "out") },
			[]string{"[map, kit]", "[kit]"}},
		{"the last name takes its page along",
			func(d *Doc) error { return d.DeleteFromList("map", 1, "per-page", "/visit/", "in") },
			[]string{"  /visit/:\n    in: [map]\n", ""}},
		{"a name goes from a block list",
			func(d *Doc) error { return d.DeleteFromList("counter", 1, "items", "map", "needs") },
			[]string{"      - counter     # too\n", ""}},
	} {
		for _, eol := range []string{"\n", "\r\n"} {
			want := file
			for i := 0; i < len(c.want); i += 2 {
				if !strings.Contains(want, c.want[i]) {
					t.Fatalf("%s: %q is not in the file", c.name, c.want[i])
				}
				want = strings.Replace(want, c.want[i], c.want[i+1], 1)
			}
			want = strings.ReplaceAll(want, "\n", eol)
			d := Read([]byte(strings.ReplaceAll(file, "\n", eol)))
			if err := c.do(d); err != nil {
				t.Errorf("%s: %v", c.name, err)
			}
			if got := string(d.Bytes()); got != want {
				t.Errorf("%s:\n%s\nwant\n%s", c.name, got, want)
			}
		}
	}
}

var rule = NewValue{Keys: []string{"pages", "icon"}, Vals: []NewValue{Text("all"), Text("/i.svg?a: b")}}

// TestRules: a rule goes to the end of the list that is there, written as the others.
func TestRules(t *testing.T) {
	for text, want := range map[string]string{
		"metadata:\n  - pages: /x/\n    title: T # why\n\nitems: {}\n": "metadata:\n  - pages: /x/\n    title: T # why\n  - pages: all\n    icon: \"/i.svg?a: b\"\n\nitems: {}\n",
		"metadata:\n- {pages: /x/, title: T}\n":                        "metadata:\n- {pages: /x/, title: T}\n- pages: all\n  icon: \"/i.svg?a: b\"\n",
		"metadata: [{pages: /x/, title: T}]\n":                         "metadata: [{pages: /x/, title: T}, {pages: all, icon: \"/i.svg?a: b\"}]\n",
		"metadata: []\n":                                               "metadata: [{pages: all, icon: \"/i.svg?a: b\"}]\n",
		"":                                                             "metadata:\n  - pages: all\n    icon: \"/i.svg?a: b\"\n",
	} {
		d := Read([]byte(text))
		if err := d.AppendRule(rule, "metadata"); err != nil {
			t.Errorf("%q: %v", text, err)
		}
		if got := string(d.Bytes()); got != want {
			t.Errorf("%q becomes\n%s\nwant\n%s", text, got, want)
		}
	}
	if err := Read([]byte("metadata: {a: b}\n")).AppendRule(rule, "metadata"); err == nil {
		t.Error("a mapping took an entry of a list")
	}
}

// TestFirstItem: files that have no items yet, or none any more.
func TestFirstItem(t *testing.T) {
	item := NewValue{Keys: []string{"script"}, Vals: []NewValue{Text("/a.js")}}
	for text, want := range map[string]string{
		"yellowgate: 1":                           "yellowgate: 1\n\nitems:\n  a:\n    script: /a.js\n",
		"yellowgate: 1\nitems:\nper-page: {}\n":   "yellowgate: 1\nitems:\n  a:\n    script: /a.js\nper-page: {}\n",
		"yellowgate: 1\nitems: {}\n":              "yellowgate: 1\nitems:\n  a:\n    script: /a.js\n",
		"items: {} # none yet\nyellowgate: 1\n":   "items: {a: {script: /a.js}} # none yet\nyellowgate: 1\n",
		"yellowgate: 1\nitems: {b: {code: x}}\n":  "yellowgate: 1\nitems: {b: {code: x}, a: {script: /a.js}}\n",
		"yellowgate: 1\nitems:\n  b: {code: x}\n": "yellowgate: 1\nitems:\n  b: {code: x}\n  a:\n    script: /a.js\n",
	} {
		d := Read([]byte(text))
		if err := d.Add(item, "items", "a"); err != nil || string(d.Bytes()) != want {
			t.Errorf("%q: %v\n%s\nwant\n%s", text, err, d.Bytes(), want)
		}
	}
	d := Read([]byte("yellowgate: 1\nitems:\n  b: {code: x}\n"))
	if err := d.Delete(2, "items", "b"); err != nil || string(d.Bytes()) != "yellowgate: 1\nitems: {}\n" {
		t.Errorf("%v\n%s", err, d.Bytes())
	}
}

// FuzzText: whatever text is set comes back as it is, and nothing else changes.
func FuzzText(f *testing.F) {
	for _, s := range []string{"x", "true", "@{page.title} | x", "a: b", "a #b", "[a]", "it's \"it\"", "*", "#id",
		"- x", "1.10", "\\", "a\nb", "ä", "%", "a, b", " x "} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		if strings.TrimSpace(s) == "" || strings.ContainsAny(s, "\r\x00\uFEFF\u0085\u2028\u2029") ||
			strings.ToValidUTF8(s, "") != s || strings.TrimRight(s, "\n") != s || strings.HasPrefix(s, "\n") {
			return
		}
		for _, r := range s {
			if r < ' ' && r != '\n' || r == 0x7F || r >= 0x80 && r < 0xA0 || r == 0xFFFE || r == 0xFFFF {
				return // YAML has no such character
			}
		}
		for _, item := range []string{"counter", "kit"} {
			d := Read([]byte(file))
			if err := d.Set(Text(s), "items", item, "note"); err != nil {
				t.Fatal(err)
			}
			g, problems := gatefile.Parse("g.yaml", d.Bytes(), nil)
			for _, p := range problems {
				if strings.Contains(p.Message, "not YAML") {
					t.Fatalf("%q: %v\n%s", s, p, d.Bytes())
				}
			}
			if it := g.Item(item); it == nil || it.Note != s || len(g.Items) != 3 {
				t.Fatalf("%s: %q became %q\n%s", item, s, it.Note, d.Bytes())
			}
		}
	})
}

// TestNoted: page queries with notes are told and taken out by their query; keys with colons are quoted.
func TestNoted(t *testing.T) {
	text := "items:\n  a:\n    except:\n      - {pages: /x/, note: n}\n      - pages: /y/\n        note: m\n      - /z/\n    pages: {pages: all, note: o}\n"
	d := Read([]byte(text))
	if got := strings.Join(d.Texts("items", "a", "except"), " "); got != "/x/ /y/ /z/" {
		t.Error(got)
	}
	if got := strings.Join(d.Texts("items", "a", "pages"), " "); got != "all" {
		t.Error(got)
	}
	for query, gone := range map[string]string{
		"/x/": "      - {pages: /x/, note: n}\n", "/y/": "      - pages: /y/\n        note: m\n", "/z/": "      - /z/\n", "/none/": "",
	} {
		d := Read([]byte(text))
		if err := d.DeleteFromList(query, 2, "items", "a", "except"); err != nil {
			t.Error(err)
		}
		if got := string(d.Bytes()); got != strings.Replace(text, gone, "", 1) {
			t.Errorf("without %s:\n%s", query, got)
		}
	}
	d = Read([]byte("metadata:\n  - pages: all\n"))
	v := NewValue{Keys: []string{"property"},
		Vals: []NewValue{{Keys: []string{"og:x"}, Vals: []NewValue{Text("@{page.title}")}}}}
	if err := d.AppendRule(v, "metadata"); err != nil ||
		!strings.Contains(string(d.Bytes()), `property: {"og:x": "@{page.title}"}`) {
		t.Errorf("%v\n%s", err, d.Bytes())
	}
	blocks := Read([]byte(file)).Blocks("items")
	if len(blocks) != 3 || !strings.HasPrefix(blocks["map"], "  map:\n") ||
		!strings.Contains(blocks["map"], "counter     # too") || strings.Contains(blocks["kit"], "map") {
		t.Errorf("%q", blocks)
	}
}
