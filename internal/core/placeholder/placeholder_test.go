package placeholder

import (
	"strings"
	"testing"
)

func TestFill(t *testing.T) {
	values := map[string]string{"page.title": "Long words in a row", "page.meta.og:type": "article", "fact.n": "3"}
	for _, c := range []struct{ text, want string }{
		{"plain", "plain"},
		{"@{page.title}", "Long words in a row"},
		{"a @{ fact.n } b@{page.meta.og:type}", "a 3 barticle"},
		{`@{fact.none or page.heading or "a word"}`, "a word"},
		{`@{fact.none or 'it "is"'}`, `it "is"`},
		{"@{page.title | cut 12}", "Long words…"},
		{"@{page.title|cut 100|upper}", "LONG WORDS IN A ROW"},
		{"x @@{page.title} y", "x @{page.title} y"},
		{"@ {page.title} @", "@ {page.title} @"},
		{"@{fact.none} x", "missing @{fact.none}"},
	} {
		tmpl, err := Parse(c.text)
		if err != nil {
			t.Errorf("%s: %v", c.text, err)
			continue
		}
		got, missing := tmpl.Fill(func(name string) string { return values[name] })
		if missing != nil {
			got = "missing " + missing.Raw
		}
		if got != c.want {
			t.Errorf("%s: %q, want %q", c.text, got, c.want)
		}
	}
}

func TestErrors(t *testing.T) {
	for _, c := range []struct {
		text string
		at   int
		want string
	}{
		{"ab @{page.titel}", 5, `unknown name "page.titel" in a placeholder (did you mean "page.title"?)`},
		{"@{}", 0, "a name should stand"}, {"@{page.title", 0, "never closed"}, {"@{page.title page.path}", 13, "joined by or"},
		{"@{page.title | cut}", 15, "number of characters"}, {"@{page.title | lowr}", 15, `did you mean "lower"`}, {`@{"x}`, 2, "never closed"},
	} {
		_, err := Parse(c.text)
		e, ok := err.(*Error)
		if !ok || e.Offset != c.at || !strings.Contains(e.Message, c.want) {
			t.Errorf("%s: %+v, want at %d %q", c.text, err, c.at, c.want)
		}
	}
	// In code only names that exist are placeholders.
	for text, pieces := range map[string]int{"@{color} @{page.title}": 3 - 1, "@media{} @{}": 1, "p{@{x": 1} {
		tmpl, err := ParseCode(text)
		if err != nil || len(tmpl.Pieces) != pieces {
			t.Errorf("%s: %v, %v", text, tmpl, err)
		}
	}
	if _, err := ParseCode("@{page.title | lowr}"); err == nil {
		t.Error("a mistake after a name that exists went unnoticed in code")
	}
}

func TestCut(t *testing.T) {
	for _, c := range []struct {
		text string
		n    int
		want string
	}{{"abc", 3, "abc"}, {"one two three", 8, "one two…"}, {"one, two", 7, "one…"}, {"overlongword", 5, "over…"}, {"été été", 5, "été…"}} {
		if got := Cut(c.text, c.n); got != c.want {
			t.Errorf("Cut(%q, %d) = %q, want %q", c.text, c.n, got, c.want)
		}
	}
}
