package usage

import (
	"strings"
	"testing"
)

// TestLost takes the item kit out of pages and tells what seems to break.
func TestLost(t *testing.T) {
	files := folder{
		"/kit.css": ".kit b{} form{}", "/other.css": ".kit b{} form{}", "/kit.js": "document.querySelector('.slides')", "/kit2.js": "domkit('.slides')", "/lib.js": "window.lib = {}",
		"/uses.js": "lib.go(); document.querySelector('p')", "/asks.js": "if (window.lib) lib.go(); document.querySelector('p')", "/entry.js": "import './chunks/a.js'", "/chunks/a.js": "lib.go(); document.querySelector('p')", "/idle.js": "lib.go(); document.querySelector('.nowhere')",
	}
	kit := func(what string) string { return "<!--yg:kit-->" + what + "<!--/yg:kit-->" }
	style, script, lib := kit("<link rel=stylesheet href=/kit.css>"), kit("<script src=/kit.js></script>"),
		kit("<script src=/lib.js></script>")
	for _, c := range []struct{ before, stays, want string }{
		{style, "<p>", ""},
		{style, "<form>", "form is on the page, and nothing else that it loads has a rule for that"},
		{style, "<p class=kit><b>", ".kit b is on the page"},
		{style, "<b></b><p class=kit>", ""},
		{style, "<form><link rel=stylesheet href=/other.css>", ""},
		{style, "<form><style>form{}</style>", ""},
		{script, "<p>", ""},
		{script, "<p class=slides>", ".slides is on the page, and no other script of the page looks for it"},
		{script, "<p class=slides><script src=/kit2.js></script>", ""},
		{lib, "<p>", ""},
		{lib, "<p><script src=/uses.js></script>", "/uses.js calls lib, which nothing else defines"},
		{lib, "<p><script>lib.go()</script>", "the script in line 1 calls lib"},
		{lib, "<p onclick='lib.go()'>", "an event handler of the page calls lib"},
		{kit("<script>window.lib = { all: document.querySelectorAll('*') }</script>"),
			"<p><script src=/uses.js></script>", "/uses.js calls lib, which nothing else defines"},
		{kit("<script>document.querySelectorAll('*').length; document.querySelector('body').id</script>"), "<p>", ""},
		{lib, "<p><script type=module>import lib from './own.js'; lib.go()</script>", ""},
		{lib, "<p><script type=module>import { go as lib } from './own.js'; lib()</script>", ""},
		{lib, "<p><script src=/asks.js></script>", ""},
		{lib, "<p><script type=module src=/entry.js></script>", "/chunks/a.js calls lib, which nothing else defines"},
		{lib, "<p><script src=/idle.js></script>", ""},
		{lib, "<p><script src=/uses.js></script><script src=/lib.js></script>", ""},
		{kit("<script src=https://v.example/a.js></script>"), "<p>", ""},
	} {
		files["/before.html"], files["/after.html"] = c.before+c.stays, c.stays
		j := &Judge{Library: &Library{Read: files.Read}}
		after := files.take("/after.html")
		var all []string
		for _, l := range j.Lost(files.take("/before.html"), after, Read(after.Source, after.Scan, nil),
			func(item string) bool { return item == "kit" }) {
			all = append(all, l.What)
		}
		if got := strings.Join(all, "; "); c.want == "" && got != "" || !strings.HasPrefix(got, c.want) {
			t.Errorf("%s without %s: %q, want %q", c.stays, c.before, got, c.want)
		}
	}
}

// TestEarlyFile: of a script that imports others, the one that calls is named.
func TestEarlyFile(t *testing.T) {
	files := folder{"/entry.js": "import './chunk.js'", "/chunk.js": "lib.go()", "/lib.js": "window.lib = {}",
		"/page.html": "<script async src=/lib.js></script><script type=module src=/entry.js></script>",
		"/own.html":  "<script async src=/lib.js></script><script type=module src=/chunk.js></script>"}
	l := &Library{Read: files.Read}
	for page, want := range map[string]string{"/page.html": "/chunk.js", "/own.html": ""} {
		if got := l.TooEarly(files.take(page)); len(got) != 1 || got[0].In != want || got[0].Element != 1 {
			t.Errorf("%s: %+v", page, got)
		}
	}
}
