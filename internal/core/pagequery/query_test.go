package pagequery

import (
	"strings"
	"testing"

	"yellowgate/internal/core/page"
)

var testPages = map[string]*page.Page{
	"home":   {Path: "/", File: "index.html", Title: "Tern Hill", Lang: "en"},
	"events": {Path: "/events/", Title: "Events"},
	"perseids": {Path: "/events/perseids/", File: "events/perseids/index.html", Title: "Perseids on the lawn",
		Facts: map[string]string{"date": "2026-08-12", "price": "free", "seats": "40"}},
	"archive": {Path: "/events/archive/2019.html", Meta: map[string]string{"robots": "noindex", "og:type": "article"}},
	"old":     {Path: "/old/", Redirect: true},
	"contact": {Path: "/contact", Has: []bool{true}},
}

// TestEval names, for each query, the pages that it chooses.
func TestEval(t *testing.T) {
	for _, c := range []struct{ query, want string }{
		{"all", "archive contact events home perseids"},
		{"none", ""},
		{"/", "home"},
		{"/events/", "events"},
		{"/events", "events"},
		{"/events/index.html", "events"},
		{"/events/*", "perseids"},
		{"/events/*/", "perseids"},
		{"/events/**", "archive events perseids"},
		{"/*", "contact events"},
		{"/**", "archive contact events home perseids"},
		{"/**/*.html", "archive"},
		{"/e*/p*s/", "perseids"},
		{"/event?/", "events"},
		{"/{contact,events}", "contact events"},
		{"/old/", "old"},
		{"/old", "old"},
		{"/o*", ""},
		{"not /events/**", "contact home old"},
		{"/events/** and not /events/archive/**", "events perseids"},
		{"/events/ or /contact and none", "events"},
		{"(/events/ or /contact) and none", ""},
		{"events and not /events/", "archive perseids"},
		{"title", "events home perseids"},
		{"title = Events", "events"},
		{`title = "Tern Hill"`, "home"},
		{"title != Events", "archive contact home perseids"},
		{"title ^= Perse", "perseids"},
		{"title $= lawn", "perseids"},
		{"title *= 'er'", "home perseids"},
		{"title ~= on", "perseids"},
		{"title *= ''", ""},
		{`title matches "^E.*s$"`, "events"},
		{"path = /contact/", "contact"},
		{"path = /old/", "old"},
		{`path matches "^/o"`, ""},
		{"path != /contact/ and not events", "home"},
		{"/old and not fact.price", "old"},
		{"(/o* or /old) and all", ""},
		{"status = 200", "archive contact events home perseids"},
		{"status >= 400 or status < 200", ""},
		{"fact.seats > 39", "perseids"},
		{"fact.seats>=40 and fact.seats<=40.0", "perseids"},
		{"fact.seats < 40", ""},
		{"fact.price > 0", ""},
		{"path^=/events", "archive events perseids"},
		{"lang=en", "home"},
		{"file $= perseids/index.html", "perseids"},
		{"meta.robots *= noindex", "archive"},
		{"meta.og:type", "archive"},
		{"fact.date ^= 2026-08", "perseids"},
		{"fact.price", "perseids"},
		{"has(form.contact)", "contact"},
		{"not not has( form.contact )", "contact"},
	} {
		x := parse(t, c.query)
		if x == nil {
			continue
		}
		var got []string
		for _, name := range []string{"archive", "contact", "events", "home", "old", "perseids"} {
			if x.Eval(testPages[name]) {
				got = append(got, name)
			}
		}
		if g := strings.Join(got, " "); g != c.want {
			t.Errorf("%s chooses %q, want %q", c.query, g, c.want)
		}
	}
}

func parse(t *testing.T, query string) Expr {
	t.Helper()
	x, err := Parse(query)
	if err == nil {
		err = Bind(x, func(name string) Expr {
			if name == "events" {
				g, _ := NewGlob("/events/**")
				return g
			}
			return nil
		}, []string{"events"})
	}
	if err != nil {
		t.Errorf("%s: %v", query, err)
		return nil
	}
	return x
}

func TestErrors(t *testing.T) {
	for _, c := range []struct {
		query string
		at    int
		want  string
	}{
		{"", 0, "empty"},
		{"evnts", 0, `unknown page set "evnts" (did you mean "events"?)`},
		{"/a or", 5, "ends where"},
		{"/a /b", 3, "missing"},
		{"(/a", 0, "never closed"},
		{"/a)", 2, "unexpected"},
		{"titel = x", 0, `unknown field "titel" (did you mean "title"?)`},
		{"title =", 6, "needs a value"},
		{"title = a b", 10, "missing"},
		{"title % x", 6, "missing"},
		{"title = (x)", 8, "quotes"},
		{`title = "x`, 8, "never closed"},
		{"title matches x", 14, "in quotes"},
		{`title matches "("`, 14, "does not compile"},
		{"has form", 0, "parentheses"},
		{"has(a:hover)", 5, ":hover"},
		{"has(a", 3, "never closed"},
		{"Events", 0, "lower-case"},
		{"meta.", 0, "needs a name"},
		{"metas.x", 0, `did you mean "meta"`},
		{"/a{b", 0, "never closed"},
		{"and", 0, "unexpected"},
		{"= x", 0, "operator follows"},
		{"~x", 0, "operators are"},
		{"status > many", 9, `> compares numbers, and "many" is none`},
		{"'x'", 0, "without a field"},
		{strings.Repeat("(", 2000) + "/a", -1, "too long"},
	} {
		x, err := Parse(c.query)
		if err == nil {
			err = Bind(x, func(string) Expr { return nil }, []string{"events"})
		}
		e, ok := err.(*SyntaxError)
		if !ok {
			t.Errorf("%q: no error", c.query)
			continue
		}
		if !strings.Contains(e.Message, c.want) || c.at >= 0 && e.Offset != c.at {
			t.Errorf("%q: at %d: %s; want at %d: …%s…", c.query, e.Offset, e.Message, c.at, c.want)
		}
	}
}

func TestBranch(t *testing.T) {
	for _, c := range []struct{ query, page, want string }{
		{"/ or events", "perseids", "events: /events/**"},
		{"/ or /events/* and not /events/archive/", "perseids", "/events/* and not /events/archive/"},
		{"all", "home", "all"},
	} {
		if got := parse(t, c.query).Branch(testPages[c.page]); got != c.want {
			t.Errorf("%s on %s: %q, want %q", c.query, c.page, got, c.want)
		}
	}
}

// FuzzParse: whatever is parsed prints as something that parses to the same.
func FuzzParse(f *testing.F) {
	for _, s := range []string{"all", "/events/* and not /events/archive/", `title = "a b" or (meta.x ~= y and none)`,
		"has(form.contact[type='x)'])", "not not /a", `"/a b/**"`, `title matches "^a''b"`,
		"fact.date ^= 2026 or evnts", "/{a,b}/?*/[x-z]"} {
		f.Add(s)
	}
	home := testPages["perseids"]
	f.Fuzz(func(t *testing.T, text string) {
		x, err := Parse(text)
		if err != nil {
			if e, ok := err.(*SyntaxError); !ok || e.Offset < 0 || e.Offset > len(text) {
				t.Fatalf("%q: error %v without a position in it", text, err)
			}
			return
		}
		printed := x.String()
		y, err := Parse(printed)
		if err != nil {
			t.Fatalf("%q prints as %q: %v", text, printed, err)
		}
		if again := y.String(); again != printed {
			t.Fatalf("%q prints as %q, that as %q", text, printed, again)
		}
		if x.Eval(home) != y.Eval(home) {
			t.Fatalf("%q and %q differ", text, printed)
		}
	})
}

func BenchmarkEval(b *testing.B) {
	x, err := Parse("/book/** or /events/* and not /events/archive/ or title ^= Visit")
	if err != nil {
		b.Fatal(err)
	}
	for b.Loop() {
		x.Eval(testPages["perseids"])
	}
}

// TestPagesByQuery: a path alone is the page without parameters, wildcards and fields look at the path alone.
func TestPagesByQuery(t *testing.T) {
	pages := []page.Page{{Path: "/"}, {Path: "/?p=2"}, {Path: "/?p=12"}, {Path: "/plays"}, {Path: "/plays?p=2"},
		{Path: "/plays/hamlet/?p=2&s=a+b"}, {Path: "/old?p=2", Redirect: true}}
	for query, want := range map[string]string{
		"/": "/", "/?p=2": "/?p=2", "/plays": "/plays", "/plays/?p=2": "/plays?p=2", "/plays?p=3": "", "'/plays/hamlet?p=2&s=a b'": "/plays/hamlet/?p=2&s=a+b",
		"/plays/**": "/plays /plays?p=2 /plays/hamlet/?p=2&s=a+b", "/plays/*": "/plays/hamlet/?p=2&s=a+b", "/*": "/plays /plays?p=2", "/play?": "/plays /plays?p=2",
		"all": "/ /?p=2 /?p=12 /plays /plays?p=2 /plays/hamlet/?p=2&s=a+b", "query.p = 2": "/?p=2 /plays?p=2 /plays/hamlet/?p=2&s=a+b", "query.p > 2": "/?p=12",
		"query.s": "/plays/hamlet/?p=2&s=a+b", "path = /plays": "/plays /plays?p=2", `path matches "^/$"`: "/ /?p=2 /?p=12", "/old?p=2": "/old?p=2",
	} {
		x, err := Parse(query)
		if err != nil {
			t.Errorf("%s: %v", query, err)
			continue
		}
		var got []string
		for i := range pages {
			if x.Eval(&pages[i]) {
				got = append(got, pages[i].Path)
			}
		}
		if s := strings.Join(got, " "); s != want {
			t.Errorf("%s chooses %q, want %q", query, s, want)
		}
	}
}
