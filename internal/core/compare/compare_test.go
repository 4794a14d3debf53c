package compare

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/weburl"
)

// side makes a side of pages, given as path and what their bodies hold.
func side(t *testing.T, pages ...string) *Side {
	t.Helper()
	site := weburl.NewSite("https://ternhill.example")
	s := &Side{Name: "side"}
	for i := 0; i < len(pages); i += 2 {
		known := page.Page{Path: pages[i], File: strings.TrimPrefix(pages[i], "/") + "index.html"}
		s.Records = append(s.Records,
			inventory.Take(
				[]byte("<!doctype html><html><head><title>t</title></head><body>"+pages[i+1]+"</body></html>"), known,
				site, nil))
	}
	return s
}

func told(things []Thing) (out []string) {
	for _, x := range things {
		out = append(out, fmt.Sprintf("%s %s %s %s", x.Tag, x.What, x.From+">"+x.To, strings.Join(x.Pages, " ")))
	}
	return out
}

func TestCompare(t *testing.T) {
	const script, style = `<script src="/a.js"></script>`, `<link rel="stylesheet" href="/a.css">`
	for _, c := range []struct {
		name              string
		before, after     []string
		came, went, moved []string
		others            []string
		added, removed    []string
	}{
		{name: "nothing", before: []string{"/", script}, after: []string{"/", script}},
		{name: "came and went, on two pages", before: []string{"/", script, "/b/", script},
			after: []string{"/", style, "/b/", style}, came: []string{"link /a.css > / /b/"},
			went: []string{"script /a.js > / /b/"}},
		{name: "one of two copies went", before: []string{"/", script + script}, after: []string{"/", script},
			went: []string{"script /a.js > /"}},
		{name: "it loads otherwise", before: []string{"/", script},
			after: []string{"/", strings.Replace(script, "src", "defer src", 1)},
			moved: []string{"script /a.js body, blocking>body, defer /"}},
		{name: "inline code of the same length", before: []string{"/", "<script>id = 1</script>"},
			after: []string{"/", "<script>id = 2</script>"}, came: []string{"script inline > /"},
			went: []string{"script inline > /"}},
		{name: "text of the same length", before: []string{"/", "one" + script}, after: []string{"/", "two" + script},
			others: []string{"/"}},
		{name: "data is no load", before: []string{"/", "<template>" + script + "</template>"},
			after: []string{"/", "<template></template>"}, others: []string{"/"}},
		{name: "pages", before: []string{"/", "", "/old/", script}, after: []string{"/", "", "/new/", script},
			added: []string{"/new/"}, removed: []string{"/old/"}},
	} {
		t.Run(c.name, func(t *testing.T) {
			r := Compare(side(t, c.before...), side(t, c.after...), nil)
			for _, x := range []struct {
				what      string
				got, want []string
			}{{"came", told(r.Came), c.came}, {"went", told(r.Went), c.went}, {"moved", told(r.Moved), c.moved}, {
				"others", r.Others, c.others}, {"added", r.Added, c.added}, {"removed", r.Removed, c.removed}} {
				if !slices.Equal(x.got, x.want) {
					t.Errorf("%s: %q, want %q", x.what, x.got, x.want)
				}
			}
			if r.Same() != (c.name == "nothing") {
				t.Errorf("same is %v", r.Same())
			}
		})
	}
}

// TestFindings: a finding that stands in another line is the same; of two alike,
// one can be mended.
func TestFindings(t *testing.T) {
	f := func(name string, line int) check.Finding {
		return check.Finding{Check: name, Page: "/", Line: line, Message: "m"}
	}
	before, after := side(t, "/", ""), side(t, "/", "")
	before.Findings = []check.Finding{f("dead-file", 3), f("double-load", 4), f("double-load", 5)}
	after.Findings = []check.Finding{f("dead-file", 9), f("double-load", 4), f("repeated-id", 1)}
	r := Compare(before, after, nil)
	if len(r.Mended) != 1 || r.Mended[0].Check != "double-load" || len(r.New) != 1 || r.New[0].Check != "repeated-id" {
		t.Errorf("mended %v, new %v", r.Mended, r.New)
	}
}

// TestFindingsAbout: a finding about the same thing is the same, whatever numbers it has in its words; audits of
// old, which do not say what findings are about, are compared by their words.
func TestFindingsAbout(t *testing.T) {
	f := func(about, message string) check.Finding {
		return check.Finding{Check: "title-shared", Page: "/", About: about, Message: message}
	}
	before, after := side(t, "/", ""), side(t, "/", "")
	before.Findings = []check.Finding{f("Visit", "27 pages have the title"), f("Shop", "2 pages have the title")}
	after.Findings = []check.Finding{f("Visit", "26 pages have the title"), f("Book", "2 pages have the title")}
	r := Compare(before, after, nil)
	if len(r.Mended) != 1 || r.Mended[0].About != "Shop" || len(r.New) != 1 || r.New[0].About != "Book" {
		t.Errorf("mended %v, new %v", r.Mended, r.New)
	}
	before.Findings = []check.Finding{f("", "26 pages have the title"), f("", "3 pages")}
	if r = Compare(before, after, nil); len(r.Mended) != 1 || len(r.New) != 1 || r.New[0].About != "Book" {
		t.Errorf("mended %v, new %v", r.Mended, r.New)
	}
}
