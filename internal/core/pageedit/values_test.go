package pageedit

import (
	"strings"
	"testing"

	"yellowgate/internal/core/page"
	"yellowgate/internal/core/problem"
)

// written is what an item's code becomes on a page.
func written(t *testing.T, g *Gate, path, html string, facts map[string]string) (text string, problems []Problem) {
	t.Helper()
	r := g.Page([]byte(html), page.Page{Path: path, File: "x.html", Facts: facts})
	for _, w := range r.Written {
		text += w.Text
	}
	return text, r.Problems
}

// TestParams: which of the values of a parameter counts on a page.
func TestParams(t *testing.T) {
	g := gate(t, `sets: {events: /events/*, night: {pages: fact.night, like: events}}
items:
  x:
    code: "@{a}/@{b}/@{c | s}<script>f(@{b}, @{c | ms}, @{d})</script>"
    params:
      a: "@{fact.a or 'one'}"
      b: "@{fact.b | number}"
      c: {value: 2s, min: 1s, max: 9s}
      d: {value: "@{page.heading}", one-of: [Visit & see, H]}
    params-on:
      - {pages: night, a: night}
      - {pages: events, a: event, c: 3s}
      - {pages: /events/b/, except: fact.a, a: "@{fact.none}", c: "@{fact.c}"}
    pages: all
per-page:
  /events/c/: {params: {x: {a: "@{fact.none}", c: 4s}}}
`)
	for _, c := range []struct{ path, facts, want string }{
		{"/", "b=1,5", "one/1.5/2<script>f(1.5, 2000, \"Visit \\u0026 see\")</script>"},
		{"/", "a=A b=7", "A/7/2"},
		{"/events/a/", "a=A b=7", "event/7/3"},
		{"/events/b/", "b=7 c=5s", "event/7/5"},
		{"/events/b/", "b=7 a=A c=5s", "event/7/3"},
		{"/events/b/", "b=7", "event/7/3"},
		{"/events/c/", "b=7", "event/7/4"},
		{"/events/a/", "b=7 night=1", "night/7/3"},
		{"/else/", "b=7 night=1", "night/7/3"},
		{"/", "b=much", "!@{fact.b | number} cannot be filled in: there is no number"},
		{"/", "a=A", "!@{b} has no value"},
		{"/events/b/", "b=7 c=10s", "!c is at most 9s, not 10s"},
	} {
		facts := map[string]string{}
		for pair := range strings.FieldsSeq(c.facts) {
			name, value, _ := strings.Cut(pair, "=")
			facts[name] = value
		}
		got, problems := written(t, g, c.path, source, facts)
		if why, fails := strings.CutPrefix(c.want, "!"); fails {
			if len(problems) == 0 || problems[0].Severity != problem.Error ||
				!strings.Contains(problems[0].Message, why) || got != "" {
				t.Errorf("%s with %s: %q, %v; want %s", c.path, c.facts, got, problems, why)
			}
		} else if !strings.HasPrefix(got, c.want) || len(problems) > 0 {
			t.Errorf("%s with %s: %q, %v; want %q", c.path, c.facts, got, problems, c.want)
		}
	}
}

// TestMasked: what stands in a placeholder is no markup of the code around it.
func TestMasked(t *testing.T) {
	g := gate(t, `items: {x: {code: '<p title="@{page.attr(h1[id^=">"], id) or "<div>"}">x</p>', pages: all}}`+"\n")
	if got, problems := written(t, g, "/", source, nil); got != `<p title="&lt;div&gt;">x</p>` || len(problems) > 0 {
		t.Errorf("%s %v", got, problems)
	}
}

// TestOnly: a part that is for some of its item's pages.
func TestOnly(t *testing.T) {
	g := gate(t, `items:
  x:
    script: [/a.js, {value: /b.js, only: [/b/, has(form.contact)]}]
    code: {value: <p>b</p>, only: not has(form)}
    structured: {value: {type: Event}, only: /b/}
    place: body-end
    pages: all
`)
	for path, want := range map[string]string{"/a/": "a.js b.js", "/b/": "a.js b.js ld+json"} {
		got, _ := written(t, g, path, source, nil)
		for _, word := range strings.Fields("a.js b.js <p> ld+json") {
			if strings.Contains(got, word) != strings.Contains(want, word) {
				t.Errorf("%s: %s, want %s", path, got, want)
			}
		}
	}
}

// TestWords: words follow the language that the page has, or that the gate gives it.
func TestWords(t *testing.T) {
	g := gate(t, `words:
  en: {book: Book, more: "More of @{page.heading}"}
  de: {book: Buchen}
metadata:
  - {pages: /de/**, lang: de-AT}
  - {pages: /odd/, lang: "@{words.book or 'fr'}"}
  - {pages: all, description: "@{words.more}"}
items:
  x: {code: "@{words.book or 'none'}", pages: all}
`)
	for path, want := range map[string]string{"/": "Book", "/de/": "Buchen", "/odd/": "Book"} {
		got, problems := written(t, g, path, source, nil)
		if path == "/odd/" { // whose language is a word: that of its own language, which is no tag of one
			want = "none"
		}
		if got != want || len(problems) > 0 {
			t.Errorf("%s: %q %v, want %q", path, got, problems, want)
		}
	}
	r := g.Page([]byte(source), page.Page{Path: "/", File: "x.html"})
	if d := r.Metadata("description"); len(d) != 1 || d[0].Value != "More of Visit & see" {
		t.Errorf("%+v", d)
	}
	if d := g.Page([]byte(source), page.Page{Path: "/de/", File: "x.html"}).Metadata("description"); d[0].Stands() {
		t.Errorf("a word that the language lacks is %+v", d)
	}
}

// TestLike: metadata of a set counts for the sets that are like it, and their own counts more.
func TestLike(t *testing.T) {
	g := gate(t, `sets:
  events: /events/*
  night: {pages: /night/* or /events/late/, like: events}
  deep: {pages: /deep/ or /events/deep/, like: night}
metadata:
  - {pages: deep, robots: noindex}
  - {pages: night, title: Night, author: N}
  - {pages: events, title: Event, author: E, keywords: e, robots: nofollow}
  - {pages: /events/late/, author: L}
`)
	for page1, want := range map[string]string{
		"/events/a/":    "Event E e nofollow",
		"/night/a/":     "Night N e nofollow",
		"/events/late/": "Night L e nofollow",
		"/deep/":        "Night N e noindex",
		"/events/deep/": "Night N e noindex",
		"/":             "Old",
	} {
		r := g.Page([]byte(source), page.Page{Path: page1, File: "x.html"})
		got := ""
		for _, key := range []string{"title", "author", "keywords", "robots"} {
			for _, c := range r.Metadata(key) {
				if c.Stands() {
					got += " " + c.Value
					break
				}
			}
		}
		if strings.TrimSpace(got) != want {
			t.Errorf("%s: %s, want %s", page1, got, want)
		}
	}
	c := g.Page([]byte(source), page.Page{Path: "/deep/", File: "x.html"}).Metadata("keywords")
	if told := g.File.Told(c[0].Query); told != "deep, which is like night, which is like events" {
		t.Error(told)
	}
}

// TestRows: structured data of what stands in the page.
func TestRows(t *testing.T) {
	g := gate(t, `items:
  x:
    structured:
      type: ItemList
      keywords: "@{page.all(li) | upper}"
      numbers: "@{page.all(td.n) | number}"
      words: "@{page.all(.none) or 'one'}"
      itemListElement:
        from: tbody tr
        each: {name: "@{row.text(td) or 'none'}", url: "@{row.attr(a, href) or page.path}", id: "@{row.attr(id)}", in: {from: li, each: "@{row.text()}"}}
    pages: /rows/
  y: {questions: {from: dl, ask: dt, answer: "dd, dd p, dt i"}, pages: all}
`)
	table := `<table><tbody><tr id=a><td>A&amp;B <a href=x>x</a><td class=n>1,5<tr id=b><td><ul><li>l</ul></tbody></table>`
	faq := `<dl><dt>One<i>?</i><dd><p>1.</p><p>2.</p><dd>3.<dt>None?<dt>Two?<dd hidden>4.</dl><dl><dd>x<dt>y</dl>`
	for html, want := range map[string]string{
		table: `<script type="application/ld+json">{"@context":"https://schema.org","@type":"ItemList","keywords":["L"],"numbers":[1.5],"words":["one"],` +
			`"itemListElement":[{"name":"A\u0026B x","url":"/rows/x","@id":"a","in":`,
		faq: `<script type="application/ld+json">{"@context":"https://schema.org","@type":"FAQPage","mainEntity":[` +
			`{"@type":"Question","name":"One?","acceptedAnswer":{"@type":"Answer","text":"1. 2. 3."}},` +
			`{"@type":"Question","name":"Two?","acceptedAnswer":{"@type":"Answer","text":"4."}}]}</script>`,
		"<p>x": "",
	} {
		got, problems := written(t, g, "/rows/", "<!doctype html><meta charset=utf-8>"+html, nil)
		if html == table { // the first row has no li: the item writes nothing
			if got != "" || len(problems) > 0 {
				t.Errorf("%s %v", got, problems)
			}
			html += "<b><p>x</b>" // only a tree knows what follows
			got, problems = written(t, g, "/rows/",
				"<!doctype html><meta charset=utf-8>"+strings.Replace(html, "<td class", "<td><li>m<td class", 1),
				nil)
			want = strings.Replace(want, `["L"]`, `["M","L"]`, 1) + `["m"]},{"name":"l","url":"/rows/","@id":"b","in":["l"]}]}</script>`
		}
		if got != want || len(problems) > 0 {
			t.Errorf("%s:\n%s %v, want\n%s", html, got, problems, want)
		}
	}
}
