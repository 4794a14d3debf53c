package markup

import (
	"fmt"
	"math/rand"
	"strings"
	"testing"

	"golang.org/x/net/html"
)

// attrsOf reads the attributes of a start tag as another parser does; the first of a name counts.
func attrsOf(t *testing.T, tag string) map[string]string {
	t.Helper()
	z := html.NewTokenizer(strings.NewReader(tag))
	z.Next()
	token := z.Token()
	if rest := z.Next(); rest != html.ErrorToken {
		t.Fatalf("%q is more than one tag", tag)
	}
	out := map[string]string{}
	for _, a := range token.Attr {
		if _, had := out[a.Key]; !had {
			out[a.Key] = a.Val
		}
	}
	return out
}

// TestSetAttr: an attribute is given, or given another value, whatever way it is written in.
func TestSetAttr(t *testing.T) {
	for _, c := range []struct{ tag, name, value, want string }{
		{`<a>`, "href", "/x", `<a href="/x">`},
		{`<a href="/y">`, "href", "/x", `<a href="/x">`},
		{`<a href='/y'>`, "href", "/x", `<a href='/x'>`},
		{`<a href=/y>`, "href", "/x", `<a href="/x">`},
		{`<a href=/y/>`, "href", "/x", `<a href="/x">`}, // the slash is part of an unquoted value
		{`<br/>`, "id", "x", `<br id="x"/>`},
		{`<input disabled>`, "disabled", "x", `<input disabled="x">`},
		{`<input disabled class=a>`, "disabled", "x", `<input disabled="x" class=a>`},
		{`<input disabled = y>`, "disabled", "x", `<input disabled = "x">`},
		{`<a HREF="/y">`, "href", "/x", `<a HREF="/x">`},
		{`<a href="">`, "href", "/x", `<a href="/x">`},
		{`<a href="/y" href="/z">`, "href", "/x", `<a href="/x" href="/z">`},
		{`<a title='it'>`, "title", `it's "x" & y`, `<a title='it&#39;s "x" &amp; y'>`},
		{`<a title="it">`, "title", `it's "x" & y`, `<a title="it's &#34;x&#34; &amp; y">`},
		{`<a title=it>`, "title", `a b>c`, `<a title="a b>c">`},
		{"<a\n\thref = '/y'\n>", "href", "/x", "<a\n\thref = '/x'\n>"},
	} {
		src := Read([]byte(c.tag))
		e := SetAttr(src.Text, 0, len(src.Text), c.name, c.value, false)
		out, inverse, err := src.Apply([]Edit{e})
		if err != nil || string(out) != c.want {
			t.Errorf("%s: %s=%q makes %s, want %s (%v)", c.tag, c.name, c.value, out, c.want, err)
			continue
		}
		if got := attrsOf(t, string(out))[c.name]; got != c.value {
			t.Errorf("%s: another parser reads %q of %s, want %q", c.tag, got, out, c.value)
		}
		if back := Undo(out, inverse); string(back) != c.tag {
			t.Errorf("%s: undone, it is %s", c.tag, back)
		}
	}
}

// TestRemoveAttr: an attribute is taken out with the space before it, and nothing else.
func TestRemoveAttr(t *testing.T) {
	for _, c := range []struct{ tag, name, want string }{
		{`<a href="/y" id=x>`, "href", `<a id=x>`}, {`<a href='/y'>`, "href", `<a>`}, {`<a id=x href=/y>`, "href",
			`<a id=x>`},
		{`<input disabled>`, "disabled", `<input>`}, {"<a\n  href=/y\n  id=x>", "href", "<a\n  id=x>"}, {
			`<a HREF=/y>`, "href", `<a>`}, {`<a id=x>`, "href", `<a id=x>`},
	} {
		src := Read([]byte(c.tag))
		var edits []Edit
		if e, ok := RemoveAttr(src.Text, 0, c.name); ok {
			edits = append(edits, e)
		}
		if out, _, err := src.Apply(edits); err != nil || string(out) != c.want {
			t.Errorf("%s without %s is %s, want %s (%v)", c.tag, c.name, out, c.want, err)
		}
	}
}

// TestTagChange: attributes set and taken out and classes given at once, on tags made by chance:
// another parser reads what was asked for, everything else is as it was, and a second time
// nothing changes.
func TestTagChange(t *testing.T) {
	r := rand.New(rand.NewSource(12))
	names := []string{"class", "id", "data-a", "defer", "media"}
	values := []string{"", "x", "a b", "it's", `say "x"`, "a&b", "1>0"}
	for range 3000 {
		var tag strings.Builder
		tag.WriteString("<div")
		for _, n := range r.Perm(len(names))[:r.Intn(4)] {
			v := values[r.Intn(len(values))]
			switch r.Intn(4) {
			case 0:
				fmt.Fprintf(&tag, " %s", names[n])
			case 1:
				fmt.Fprintf(&tag, "\n%s='%s'", names[n], strings.ReplaceAll(strings.ReplaceAll(v, "&", "&amp;"), "'", "&#39;"))
			case 2:
				fmt.Fprintf(&tag, " %s = \"%s\"", strings.ToUpper(names[n]),
					strings.ReplaceAll(strings.ReplaceAll(v, "&", "&amp;"), `"`, "&quot;"))
			case 3:
				fmt.Fprintf(&tag, " %s=u%d", names[n], r.Intn(9))
			}
		}
		tag.WriteString(">")
		was := attrsOf(t, tag.String())
		c := &TagChange{}
		want := map[string]string{}
		for k, v := range was {
			want[k] = v
		}
		switch name := names[1+r.Intn(4)]; r.Intn(3) {
		case 0:
			c.Remove = []string{name}
			delete(want, name)
		case 1:
			v := values[r.Intn(len(values))]
			c.Set = []NewAttr{{Name: name, Value: v}}
			want[name] = v
		case 2:
			c.Set = []NewAttr{{Name: name, Bare: true}}
			if _, had := want[name]; !had {
				want[name] = ""
			}
		}
		if r.Intn(2) == 0 {
			c.Classes = []string{"new", "x"}
			for _, class := range c.Classes {
				if !strings.Contains(" "+want["class"]+" ", " "+class+" ") {
					want["class"] = strings.TrimLeft(strings.TrimSpace(want["class"])+" "+class, " ")
				}
			}
		}
		src := Read([]byte(tag.String()))
		out, _, err := src.Apply(c.Edits(src, 0, len(src.Text)))
		if err != nil {
			t.Fatalf("%s: %v", tag.String(), err)
		}
		got := attrsOf(t, string(out))
		if fmt.Sprint(got) != fmt.Sprint(want) {
			t.Fatalf("%q with %+v became %q: %v, want %v", tag.String(), c, out, got, want)
		}
		again := Read(out)
		if twice, _, _ := again.Apply(c.Edits(again, 0, len(out))); string(twice) != string(out) {
			t.Fatalf("%q with %+v twice became %q", tag.String(), c, twice)
		}
	}
}

// TestLines: lines and columns in any order are those of a Locator, which goes forwards.
func TestLines(t *testing.T) {
	r := rand.New(rand.NewSource(3))
	for _, end := range []string{"\n", "\r\n", "\r"} {
		var b strings.Builder
		for b.Len() < 5*linesStep {
			b.WriteString(strings.Repeat("ä☾x", r.Intn(400)))
			if r.Intn(3) > 0 {
				b.WriteString(end)
			}
		}
		b.WriteString("\x80\x80\xff")
		text := []byte(b.String())
		lines := NewLines(text)
		for range 500 {
			offset := r.Intn(len(text) + 1)
			wantLine, wantColumn := NewLocator(text).Locate(offset)
			if line, column := lines.Locate(offset); line != wantLine || column != wantColumn {
				t.Fatalf("offset %d: %d:%d, want %d:%d", offset, line, column, wantLine, wantColumn)
			}
		}
	}
	if line, column := NewLines(nil).Locate(7); line != 1 || column != 1 {
		t.Errorf("of nothing: %d:%d", line, column)
	}
}

// TestRel: the keywords of a rel attribute, and which links load something.
func TestRel(t *testing.T) {
	for _, c := range []struct {
		rel   string
		loads bool
		icon  bool
	}{
		{"stylesheet", true, false}, {"STYLESHEET", true, false}, {"alternate\tstylesheet", true, false}, {
			"shortcut icon", true, true}, {"icon\u00a0x", false, false},
		{"canonical", false, false}, {"", false, false}, {"preconnect dns-prefetch", false, false}, {"modulepreload",
			true, false}, {"next prefetch", true, false}, {"apple-touch-icon", true, false},
	} {
		tag := `<link rel="` + c.rel + `" href=/x>`
		if got := LinkLoads([]byte(tag), 0); got != c.loads {
			t.Errorf("%s loads: %v", tag, got)
		}
		if got := HasRel(c.rel, "icon"); got != c.icon {
			t.Errorf("%q is an icon: %v", c.rel, got)
		}
	}
	src := Read([]byte("<base target=x><template><base href=/t/></template><base href=/b/><base href=/c/>"))
	if href, at := BaseHref(src, Scan(src.Text, nil)); href != "/b/" ||
		at != strings.Index(string(src.Text), "<base href=/b/") {
		t.Errorf("the base is %q at %d", href, at)
	}
}

// TestScriptPhase: when a script runs, by its type, async and defer.
func TestScriptPhase(t *testing.T) {
	for tag, want := range map[string]string{
		"<script>": "0", "<script src=a>": "0", "<script async>": "0", "<script defer>": "0", "<script src=a defer>": "1", "<script src=a async>": "2", "<script src=a defer async>": "2",
		"<script type=module>": "1", "<script type=module src=a>": "1", "<script type=module async>": "2", "<script type=module src=a async>": "2", "<script type=module defer>": "1",
		"<script type=application/json src=a>": "never", "<script type=importmap>": "never", "<script type=' Text/JavaScript ' src=a DEFER>": "1", "<script language=javascript src=a async>": "2", "<script type=text/plain>": "never",
	} {
		phase, ok := ScriptPhase([]byte(tag), 0)
		got := fmt.Sprint(phase)
		if !ok {
			got = "never"
		}
		if got != want {
			t.Errorf("%s runs %s, want %s", tag, got, want)
		}
	}
}
