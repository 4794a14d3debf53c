package usage

import (
	"slices"
	"testing"
)

// TestSetsUp: inline code that is another script's settings or queue sets or fills names, or
// calls what is not its own; any other code is none.
func TestSetsUp(t *testing.T) {
	for _, c := range []struct {
		code        string
		sets, calls string // one of them that has to be there, "" for none at all
	}{
		{`window.tq = window.tq || []; tq.push(["start"])`, "tq", "tq"},
		{`settings = { id: 7 }`, "settings", ""},
		{`window["settings"] = { id: 7 }`, "settings", ""},
		{`function tag() { tq.push(arguments) } tag("start", 7)`, "tag", ""},
		{`vendor("init", 7)`, "", "vendor"},
		{`var box = document.querySelector(".box"); box.hidden = true`, "", ""},
		{`fetch("/count")`, "", ""},
		{`document.cookie = "a=1"`, "", ""},
		{`this does not parse`, "", ""},
		{`1 + 1`, "", ""},
	} {
		sets, calls := SetsUp([]byte(c.code))
		if c.sets == "" && len(sets) > 0 || c.sets != "" && !slices.Contains(sets, c.sets) {
			t.Errorf("%s: sets %v, want %q", c.code, sets, c.sets)
		}
		if c.calls != "" && !slices.Contains(calls, c.calls) {
			t.Errorf("%s: calls %v, want %q", c.code, calls, c.calls)
		}
	}
}

// TestKeep: a page may need a thing for a reason that is none of its code's.
func TestKeep(t *testing.T) {
	files := folder{"/kit.css": ".kit{}", "/page.html": "<link rel=stylesheet href=/kit.css><p>x"}
	_, needs := files.needs("/page.html")
	if len(needs) != 1 || needs[0].State != Unused {
		t.Fatalf("%+v", needs)
	}
	needs[0].Keep("the page leads elsewhere")
	if needs[0].State != Used || needs[0].By != "the page leads elsewhere" {
		t.Errorf("%+v", needs[0])
	}
}

// TestBroughtStyles: a stylesheet that a script brings may use what another sets.
func TestBroughtStyles(t *testing.T) {
	files := folder{"/vars.css": ":root { --edge: 1px }", "/late.css": "p { margin: var(--edge) }",
		"/kit.css":   ".kit { }",
		"/page.html": `<link rel=stylesheet href=/vars.css><link rel=stylesheet href=/kit.css><script>var l = document.createElement("link"); l.rel = "stylesheet"; l.href = "/late.css"; document.head.append(l)</script><p>x`}
	_, needs := files.needs("/page.html")
	for _, n := range needs {
		if n.State == Unused && n.Certainty > Possible {
			t.Errorf("%s is %s unneeded, though a script brings a stylesheet", n.Key, n.Certainty)
		}
	}
}
