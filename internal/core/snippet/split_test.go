package snippet

import (
	"fmt"
	"strings"
	"testing"
)

// TestSplit takes vendors' code apart. Each piece is told as "suffix: key=value, …",
// and "box" where it has a container; "whole" is code that stays in one piece.
func TestSplit(t *testing.T) {
	for _, c := range []struct{ code, want string }{
		{`<script src="https://v.example/a.js"></script>`, ": script=https://v.example/a.js load=now"},
		{`<script async src="https://v.example/a.js"></script>`, ": script=https://v.example/a.js load=async"},
		{`<script>window.v = 1;</script>`, ": script-text=window.v = 1;"},
		{`<link rel="stylesheet" href="/v.css"><script src="/v.js" defer></script>`, ": stylesheet=/v.css script=/v.js"},
		{`<style>.v { margin: 0 }</style>`, ": style-text=.v { margin: 0 }"},
		{"<script src=\"/v.js\"></script>\n<noscript><img src=\"https://v.example/p.gif\" alt=\"\"></noscript>",
			`: script=/v.js load=now code=<noscript><img src="https://v.example/p.gif" alt=""></noscript>`},
		{`<div id="v-box"></div><script src="/v.js" async></script>`,
			`: script=/v.js load=async code=<div id="v-box"></div> box`},
		{`<meta name="v-verify" content="1">`, `: code=<meta name="v-verify" content="1"> place=head-end`},
		{"  ", ""},
		{`<div><script>`, "whole"},
		{`<div>`, "whole"},
		{`</div>`, "whole"},
		{`<!-- begin V --><script src="/v.js" defer></script><!-- end V -->`, ": script=/v.js"},
	} {
		pieces, whole := Split(c.code)
		var all []string
		for _, p := range pieces {
			var keys []string
			for i, k := range p.Keys {
				keys = append(keys, fmt.Sprintf("%s=%s", k, strings.TrimSpace(p.Values[i])))
			}
			if p.Box {
				keys = append(keys, "box")
			}
			all = append(all, p.Suffix+": "+strings.Join(keys, " "))
		}
		got := strings.Join(all, " | ")
		if whole {
			got = "whole"
		}
		if got != c.want {
			t.Errorf("%s\n  %s\n  want %s", c.code, got, c.want)
		}
	}
}
