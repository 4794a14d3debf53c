package usage

import (
	"fmt"
	"testing"
)

// TestAbsent: which elements scripts take for granted that are not there when they run. Each row was held against
// Chromium: where something is told, the script fails there on null; where nothing is, it may fail all the same.
func TestAbsent(t *testing.T) {
	files := folder{
		"/uses.js": "document.getElementById('box').hidden = true", "/makes.js": "document.body.innerHTML += '<p id=\"box\">'",
		"/asks.js": "if (document.getElementById('box')) document.getElementById('box').hidden = true",
	}
	each := func(ids ...string) (out string) {
		for _, id := range ids {
			out += "<script>document.getElementById('" + id + "').hidden = true</script>"
		}
		return out
	}
	for page, want := range map[string]string{
		"<p>x</p><script src=/uses.js></script>":                                "0 box -1",
		"<p id=box>x</p><script src=/uses.js></script>":                         "",
		"<script src=/uses.js></script><p id=box>x</p>":                         "0 box 45",
		"<script src=/uses.js defer></script><p id=box>x</p>":                   "",
		"<script src=/uses.js defer></script><p>x</p>":                          "0 box -1",
		"<script id=box src=/uses.js></script>":                                 "",
		"<p>x</p><script src=/asks.js></script>":                                "",
		"<p>x</p><script src=/makes.js></script><script src=/uses.js></script>": "",
		"<p>x</p><script src=/uses.js></script><script src=/makes.js></script>": "0 box -1",
		// Unread, or another's: who knows what it makes.
		"<p>x</p><script src=https://count.example/c.js></script><script src=/uses.js></script>":       "",
		"<p>x</p><script src=https://count.example/c.js async></script><script src=/uses.js></script>": "",
		"<p>x</p><script src=/no.js></script><script src=/uses.js></script>":                           "",
		"<p id=b1><p id=b2><p id=b3><p id=b4><p id=b5><p id=b5>" + each("b1", "b2", "b3", "b4", "b5", "b6",
			"b3") + "<p id=b3>": "5 b6 -1",
		// How it is used.
		"<script>document.getElementById('box').b.c = 1; document.getElementById('z').y</script>":                                                       "0 box -1",
		"<script>window.document.getElementById(\"box\").focus()</script>":                                                                              "0 box -1",
		"<script>(document.getElementById('box')).focus()</script>":                                                                                     "0 box -1",
		"<script>var a = document.getElementById('box'); a.focus()</script>":                                                                            "0 box -1",
		"<script>var a = document.getElementById('box'); a = document.body; a.focus()</script>":                                                         "",
		"<script>var a = document.getElementById('box'); if (a) a.focus()</script>":                                                                     "",
		"<script>var a = document.getElementById('box'); a && a.focus(); a ? a.focus() : 1; a?.focus()</script>":                                        "",
		"<script>document.getElementById('box')?.b.c</script>":                                                                                          "",
		"<script>go?.(document.getElementById('box').b); var go</script>":                                                                               "",
		"<p>x</p><script>import('/makes.js')</script><script src=/uses.js></script>":                                                                    "",
		"<p>x</p><script>var s = document.createElement('script'); s.src = '/makes.js'; document.head.append(s)</script><script src=/uses.js></script>": "",
		"<p>x</p><script>import(window.name)</script><script src=/uses.js></script>":                                                                    "",
		"<script>var s = document.createElement('script'); s.src = '/uses.js'; document.head.append(s)</script><p id=box>x":                             "",
		"<script>document.getElementById('box')</script>":                                                                                               "",
		"<script>document.getElementById('box' + 1); document.getElementById('bin').c</script>":                                                         "0 bin -1",
		"<script>try { document.getElementById('box').b } catch (e) {}</script>":                                                                        "",
		"<script>function f() { document.getElementById('box').b }</script>":                                                                            "",
		"<script>addEventListener('click', () => document.getElementById('box').b)</script>":                                                            "",
		"<script>(function () { document.getElementById('box').b = 1 })()</script>":                                                                     "0 box -1",
		"<script>(function () { document.getElementById('box').b = 1 }).call(this)</script>":                                                            "0 box -1",
		"<script>(() => { if (!window.kit) return; document.getElementById('box').b = 1 })()</script>":                                                  "",
		"<script>(() => { for (const x of [1]) { if (x) continue } document.getElementById('box').b })()</script>":                                      "",
		"<script>(async function () { document.getElementById('box').b = 1 })()</script>":                                                               "",
		"<script>document.getElementById('box').b = 'box'</script>":                                                                                     "",
		"<script>document.write('<p id=\"box\">'); document.getElementById('box').b = 1</script>":                                                       "",
		"<script>var o = { getElementById: () => ({}) }; o.getElementById('box').b = 1</script>":                                                        "",
		"<script>document.getElementById('a b').c; document.getElementById(id).d; var id = 'x'</script>":                                                "",
		"<script>document.querySelector('#box').b = 1</script>":                                                                                         "",
	} {
		files["/page.html"] = page
		r, l := files.take("/page.html"), &Library{Read: files.Read}
		got := ""
		for _, x := range l.Absent(r) {
			got += fmt.Sprint(x.Element, " ", x.ID, " ", x.At)
		}
		if got != want {
			t.Errorf("%s\n\t%q, want %q", page, got, want)
		}
	}
}
