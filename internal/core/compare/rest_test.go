package compare

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pagechange"
	"yellowgate/internal/core/pageedit"
)

// withTexts compares two bodies, whose texts are at hand.
func withTexts(t *testing.T, before, after string) *Result {
	t.Helper()
	sides := [2]*Side{side(t, "/", before), side(t, "/", after)}
	for _, s := range sides {
		for i, e := range s.Records[0].Elements { // as the names of a gate would have it
			if strings.Contains(e.URL, "kit") ||
				strings.Contains(string(s.Records[0].Source.File), "<!--yg:veil-->") && e.Tag == "script" {
				s.Records[0].Elements[i].Item = map[bool]string{true: "kit", false: "veil"}[e.URL != ""]
			}
		}
	}
	return Compare(sides[0], sides[1], func(cuts []Cut) []Changes {
		was, is := cuts[0].Was, cuts[0].Is
		was.File, is.File = sides[0].Records[0].Source.File, sides[1].Records[0].Source.File
		return []Changes{{List: pagechange.Between(was, is), Known: true}}
	})
}

// TestRest: a page is named that differs in something that no gate file speaks of, and only then; what came, went
// and moved is told once.
func TestRest(t *testing.T) {
	const script, kit = `<script src="/a.js"></script>`, `<script src="/kit.js"></script>`
	const veil = `<!--yg:veil--><p id=v>x</p><script>lift(2)</script><!--/yg:veil-->`
	for _, c := range []struct {
		name, before, after string
		others              int
		changes             string
	}{
		{"a script came", "<p>x</p>", "<p>x</p>\n" + script, 0, ""},
		{"a script went", "<p>x</p>\n" + script, "<p>x</p>", 0, ""},
		{"a script came, and a text changed", "<p>x</p>", "<p>y</p>\n" + script, 1, "text p changed"},
		{"white space alone", "<p>x</p>\n", "  <p>x</p>\n\n", 0, ""},
		{"an attribute", "<p>x</p>", "<p id=a>x</p>", 1, "attribute p#a added"},
		{"a class", "<p>x</p>", "<p class=a>x</p>", 0, "class p.a added"},
		{"a script that moved", "<p>x</p>\n" + script, "<p>x</p>\n" + strings.Replace(script, "src", "defer src", 1), 0, ""},
		{"two scripts in another order", script + kit, kit + script, 0, "item kit moved"},
		{"an item's attribute", kit, strings.Replace(kit, "src", "crossorigin src", 1), 0, "attribute script /kit.js added"},
		{"an item came", "<p>x</p>", "<p>x</p>" + veil, 0, ""},
		{"a parameter", veil, strings.Replace(veil, "2", "3", 1), 0, "text script changed"},
	} {
		r := withTexts(t, c.before, c.after)
		var got []string
		for _, g := range r.Changes {
			got = append(got, fmt.Sprint(g.Kind, " ", g.Name, " ", g.How))
		}
		if len(r.Others) != c.others || len(r.Untold) != 0 || strings.Join(got, ", ") != c.changes {
			t.Errorf("%s: others %v, untold %v, changes %q", c.name, r.Others, r.Untold, got)
		}
		if c.others > 0 && (r.Rests[0].Lines == 0 || r.Rests[0].Diff == "") {
			t.Errorf("%s: %+v", c.name, r.Rests)
		}
		if c.name == "a parameter" && (len(r.Changed) != 1 || len(r.Came)+len(r.Went) != 0) {
			t.Errorf("changed %v, came %v, went %v", told(r.Changed), told(r.Came), told(r.Went))
		}
	}
	const meta = `<meta name="description" content="%s"><meta property="og:title" content="same">`
	r := Compare(side(t, "/", fmt.Sprintf(meta, "one")), side(t, "/", fmt.Sprintf(meta, "two")), nil)
	if len(r.Untold) != 1 || len(r.Changes) != 1 || r.Changes[0].Name != "description" ||
		r.Changes[0].Pages[0].Was != "one" || r.Changes[0].Pages[0].Is != "two" {
		t.Errorf("without the texts: untold %v, changes %+v", r.Untold, r.Changes)
	}
	r = Compare(side(t, "/", "<p>x"), side(t, "/", "<p>y"+script), nil)
	if len(r.Untold) != 1 || len(r.Others) != 0 || r.Same() {
		t.Errorf("without the texts: others %v, untold %v", r.Others, r.Untold)
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
