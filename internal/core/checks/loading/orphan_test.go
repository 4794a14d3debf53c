package loading

import (
	"strings"
	"testing"
)

// TestNamesInText: which names of files, and which ends of texts, stand in a piece of
// code or a page.
func TestNamesInText(t *testing.T) {
	for _, c := range []struct{ text, names, ends string }{
		{`load("/js/a.js")`, "a.js", "a.js"},
		{`<link href=/css/x.min.css?v=2>`, "x.min.css", ""},
		{`a.jsx b.cssx c.js.map .js`, "", ""},
		{`import('./m.mjs'); "n.js"`, "m.mjs n.js", "m.mjs n.js"},
		{`root + 'search-index' + v`, "", "search-index"},
		{"`${root}/search${v}.js`", "", "search .js"},
		{"`${root}search`", "", "search"},
		{`'pointer-ring'`, "", "pointer-ring"},
		{`pointer = "x y"`, "", ""},
		{``, "", ""},
		{`a.js`, "a.js", ""},
	} {
		var names, ends []string
		mentioned([]byte(c.text), func(n string) { names = append(names, n) })
		endings([]byte(c.text), func(w string) { ends = append(ends, w) })
		if got := strings.Join(names, " "); got != c.names {
			t.Errorf("%s: names %q, want %q", c.text, got, c.names)
		}
		if got := strings.Join(ends, " "); got != c.ends {
			t.Errorf("%s: ends %q, want %q", c.text, got, c.ends)
		}
	}
}
