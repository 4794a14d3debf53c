package placeholder

import (
	"reflect"
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
		tmpl, err := Parse(c.text, Scope{})
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
		{"@{}", 0, "a name should stand"}, {"@{page.title", 0, "never closed"}, {"@{page.title page.path}", 13,
			"joined by or"},
		{"@{page.title | cut}", 15, "number of characters"}, {"@{page.title | lowr}", 15,
			`did you mean "lower"`}, {
			`@{"x}`, 2, "never closed"},
	} {
		_, err := Parse(c.text, Scope{})
		e, ok := err.(*Error)
		if !ok || e.Offset != c.at || !strings.Contains(e.Message, c.want) {
			t.Errorf("%s: %+v, want at %d %q", c.text, err, c.at, c.want)
		}
	}
	for text, want := range map[string]string{
		"@{page.text}":                    "asks for a selector: page.text(SELECTOR)",
		"@{page.txt(h1)}":                 `did you mean "page.text"?`,
		"@{page.text(h1}":                 "never closed by )",
		"@{page.text( )}":                 "needs a selector",
		"@{page.attr(img)}":               "needs the name of an attribute",
		"@{page.attr(img, a b)}":          "needs the name of an attribute",
		"@{row.text(td)}":                 "under each",
		"@{file:}":                        "a file should be named",
		"@{file:a.html label}":            "label=Book",
		"@{file:a.html label=}":           "has no value",
		"@{file:a.html b=1 b=2}":          "given twice",
		"@{file:a.html | upper}":          "filters are for values",
		"<p>@{page.title} @{page.text(h1": "never closed by )",
	} {
		if _, err := Parse(text, Scope{Code: true}); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v, want %q", text, err, want)
		}
	}
	if _, err := Parse("@{file:a.html}", Scope{}); err == nil {
		t.Error("a file is included where there is no code")
	}
	// In code only names that exist are placeholders.
	for text, pieces := range map[string]int{"@{color} @{page.title}": 3 - 1, "@media{} @{}": 1, "p{@{x": 1} {
		tmpl, err := Parse(text, Scope{Code: true})
		if err != nil || len(tmpl.Pieces) != pieces {
			t.Errorf("%s: %v, %v", text, tmpl, err)
		}
	}
	if _, err := Parse("@{page.title | lowr}", Scope{Code: true}); err == nil {
		t.Error("a mistake after a name that exists went unnoticed in code")
	}
}

// TestCalls: a selector may hold whatever selectors hold.
func TestCalls(t *testing.T) {
	for text, want := range map[string]Option{
		"@{page.text( main h1:not(.a, .b) )}": {Name: "page.text(main h1:not(.a, .b))",
			Call: &Call{What: "text", Selector: "main h1:not(.a, .b)", Offset: 13}},
		`@{page.text(p[title=")}|'"])|cut 9}`: {Name: `page.text(p[title=")}|'"])`,
			Call: &Call{What: "text", Selector: `p[title=")}|'"]`, Offset: 12}},
		"@{page.attr(img.a, img.b , ALT)}": {Name: "page.attr(img.a, img.b, alt)",
			Call: &Call{What: "attr", Selector: "img.a, img.b", Attr: "alt", Offset: 12}},
		"@{page.all(.tag) or page.title}": {Name: "page.all(.tag)",
			Call: &Call{What: "all", Selector: ".tag", Offset: 11}},
		"@{row.text()}": {Name: "row.text()", Call: &Call{Row: true, What: "text", Offset: 11}},
		"@{row.attr(href)}": {Name: "row.attr(, href)",
			Call: &Call{Row: true, What: "attr", Attr: "href", Offset: 11}},
	} {
		tmpl, err := Parse(text, Scope{Rows: true})
		if err != nil || !reflect.DeepEqual(tmpl.Pieces[0].Placeholder.Options[0], want) {
			t.Errorf("%s: %v %+v, want %+v", text, err, tmpl, want)
		}
	}
	tmpl, err := Parse(`<p>@{file:code/b.html label="Book a seat" n=3}`, Scope{Code: true})
	if err != nil || len(tmpl.Pieces) != 2 {
		t.Fatal(tmpl, err)
	}
	want := Placeholder{
		Offset: 3,
		Raw:    `@{file:code/b.html label="Book a seat" n=3}`,
		File:   "code/b.html",
		Given:  []Option{{Name: "label", Words: "Book a seat"}, {Name: "n", Words: "3"}},
	}
	if got := *tmpl.Pieces[1].Placeholder; !reflect.DeepEqual(got, want) {
		t.Errorf("%+v, want %+v", got, want)
	}
}

func TestCut(t *testing.T) {
	for _, c := range []struct {
		text string
		n    int
		want string
	}{{"abc", 3, "abc"}, {"one two three", 8, "one two…"}, {"one, two", 7, "one…"}, {"overlongword", 5,
		"over…"}, {"été été", 5, "été…"}} {
		if got := Cut(c.text, c.n); got != c.want {
			t.Errorf("Cut(%q, %d) = %q, want %q", c.text, c.n, got, c.want)
		}
	}
}
