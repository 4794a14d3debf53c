package compare

import (
	"slices"
	"strings"
	"testing"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pageedit"
)

// TestLines: what is left of a page without what is listed.
func TestLines(t *testing.T) {
	const text = "<p>one</p>\r\n  <!--yg:x-->\n<script>a()</script><!--/yg:x-->\n\n<p>two</p>"
	at := strings.Index(text, "<script>")
	for _, c := range []struct {
		cut  []markup.Span
		want []string
	}{
		{nil, []string{"<p>one</p>", "<script>a()</script>", "<p>two</p>"}},
		{[]markup.Span{{Start: at, End: at + len("<script>a()</script>")}}, []string{"<p>one</p>", "<p>two</p>"}},
		{[]markup.Span{{Start: at, End: at + 8}, {Start: at + 4, End: at + 8}, {Start: 500, End: 900}}, []string{"<p>one</p>", "a()</script>", "<p>two</p>"}},
	} {
		if got := Lines([]byte(text), c.cut); !slices.Equal(got, c.want) {
			t.Errorf("%q, want %q", got, c.want)
		}
	}
}

// TestRest: a page is named that differs in something else than what came, went and moved,
// and only then.
func TestRest(t *testing.T) {
	const script = `<script src="/a.js"></script>`
	for _, c := range []struct {
		name, before, after string
		others              int
	}{
		{"a script came", "<p>x</p>", "<p>x</p>\n" + script, 0},
		{"a script went", "<p>x</p>\n" + script, "<p>x</p>", 0},
		{"a script came, and a text changed", "<p>x</p>", "<p>y</p>\n" + script, 1},
		{"white space alone", "<p>x</p>\n", "  <p>x</p>\n\n", 0},
		{"an attribute", "<p>x</p>", "<p class=a>x</p>", 1},
		{"a script that moved", "<p>x</p>\n" + script, "<p>x</p>\n" + strings.Replace(script, "src", "defer src", 1), 0},
	} {
		texts := [2]string{}
		sides := [2]*Side{}
		for i, body := range []string{c.before, c.after} {
			sides[i] = side(t, "/", body)
			texts[i] = string(sides[i].Records[0].Source.File)
		}
		r := Compare(sides[0], sides[1], func(cuts []Cut) []*Rest {
			if Same([]byte(texts[0]), []byte(texts[1]), cuts[0].Went, cuts[0].Came) {
				return []*Rest{{Page: cuts[0].Path}}
			}
			return []*Rest{{Page: cuts[0].Path, Lines: 1}}
		})
		if len(r.Others) != c.others || len(r.Untold) != 0 {
			t.Errorf("%s: others %v, untold %v", c.name, r.Others, r.Untold)
		}
	}
	r := Compare(side(t, "/", "<p>x"), side(t, "/", "<p>y"+script), nil)
	if len(r.Untold) != 1 || len(r.Others) != 0 || r.Same() {
		t.Errorf("without the texts: others %v, untold %v", r.Others, r.Untold)
	}
}

// TestSame: white space between tags does not count, that within a text does.
func TestSame(t *testing.T) {
	for _, c := range []struct {
		a, b string
		want bool
	}{
		{"<p>a b</p>", "\n<p>\n  a\n  b </p>\n", true}, {"<p>a b</p>", "<p>ab</p>", false}, {"<p>a</p>", "<p>a</p><p>", false}, {"", " \n", true},
		{"<!--yg:x--><i>y</i><!--/yg:x-->", "<i>y</i>", true}, {"a<!--yg:", "a<!--yg:", true}, {"a<!-- b -->", "a", false}, {"<b>x</b>\ty", "<b>x</b>y", true},
	} {
		if got := Same([]byte(c.a), []byte(c.b), nil, nil); got != c.want {
			t.Errorf("%q and %q: %v, want %v", c.a, c.b, got, c.want)
		}
	}
	if n := OneSided([]string{"a", "b", "b"}, []string{"b", "c"}); n != 3 {
		t.Errorf("%d lines on one side, want 3", n)
	}
}

// TestExtras: elements of items that load nothing are among what came and went.
func TestExtras(t *testing.T) {
	f, _ := gatefile.Parse("g.yaml", []byte("yellowgate: 1\nitems: {box: {found: '#box', pages: none}}\n"), nil)
	g, _ := pageedit.New(f, "2026-11-25")
	take := func(body string) *Side {
		src := markup.Read([]byte("<!doctype html><html><head><title>t</title></head><body>" + body + "</body></html>"))
		known := page.Page{Path: "/", File: "index.html"}
		r := inventory.TakeScanned(src, g.ScanAll(src), known, g.Site, nil)
		owned := map[int]string{}
		for at := range g.Owners(src, r.Scan, known) {
			owned[at] = "box"
		}
		r.NoteExtras(owned)
		return &Side{Records: []*inventory.Record{r}}
	}
	r := Compare(take("<div id=box>x</div><p>y</p>"), take("<p>y</p><!--yg:note--><b>new</b><!--/yg:note-->"), nil)
	if got := told(r.Went); !slices.Equal(got, []string{"div of box > /"}) {
		t.Errorf("went: %q", got)
	}
	if got := told(r.Came); !slices.Equal(got, []string{"code of note > /"}) {
		t.Errorf("came: %q", got)
	}
}
