package syntax

import (
	"fmt"
	"strings"
	"testing"
)

// TestStyleURLs: what a stylesheet names with url(), fonts as "face/URL", each with the line of
// its beginning.
func TestStyleURLs(t *testing.T) {
	for css, want := range map[string]string{
		`a { background: url(a.png) }`:                             "a.png",
		`a { background: url( "a b.png" ) }`:                       "a b.png",
		`a { background: URL('a.png'), url(b.png) }`:               "a.png b.png",
		`a { background: url(data:image/gif;base64,R0) }`:          "data:image/gif;base64,R0",
		`a { fill: url(#in) }`:                                     "",
		`@import url(a.css); @import "b.css"; a { b: url(c.png) }`: "c.png",
		`@import url("a.css") print;`:                              "",
		`@namespace svg url(http://www.w3.org/2000/svg);`:          "",
		`@font-face { src: url(a.woff2), local(x) } @font-face { src: url(b.woff) } p { a: url(c.png) }`: "1/a.woff2 2/b.woff c.png",
		`@media print { @font-face { src: url(a.woff) } p { a: url(b.png) } }`:                           "1/a.woff b.png",
		`a { content: "url(no.png)" } /* url(no.png) */`:                                                 "",
		`a { b: url() ; c: url("") }`:                                                                    "",
		`a { b: image-set(url(a.png) 1x, url(b.png) 2x) }`:                                               "a.png b.png",
		`a { background: url(a.png`:                                                                      "a.png",
		``:                                                                                               "",
	} {
		var got []string
		for _, u := range StyleURLs([]byte(css)) {
			s := u.URL
			if u.Face > 0 {
				s = fmt.Sprint(u.Face, "/", s)
			}
			if !strings.HasPrefix(css[u.Offset:], u.URL) {
				s += fmt.Sprint(" at ", u.Offset)
			}
			got = append(got, s)
		}
		if s := strings.Join(got, " "); s != want {
			t.Errorf("%s: %s, want %s", css, s, want)
		}
	}
}

// TestLostRules: selectors that a browser cannot read, and all sorts that it can: TestLostRulesInBrowser
// asks one.
func TestLostRules(t *testing.T) {
	for css, want := range map[string]string{
		`.a, { }`:                  "a comma with no selector behind it",
		`, .a { }`:                 "a comma with no selector before it",
		`.a, , .b { }`:             "a comma with no selector before it",
		`. a { }`:                  "a full stop with no class behind it",
		`..a { }`:                  "a full stop with no class behind it",
		`.1a { }`:                  ".1a is not a selector",
		`#1a { }`:                  "#1a is not an id that a selector can name: it begins with a number",
		`.a > { }`:                 "a combinator with nothing behind it",
		`> .a { }`:                 "a combinator with nothing before it",
		`.a > > .b { }`:            "two combinators with nothing between them",
		`.a: { }`:                  "a colon with no name behind it",
		`"a" { }`:                  "a text in quotes is not a selector",
		`.a $ .b { }`:              `"$" has no meaning in a selector`,
		`{ color: red }`:           "a rule without a selector",
		`50% { }`:                  "50% is not a selector",
		`@media print { .a, { } }`: "a comma with no selector behind it",
		`@layer x { @supports (a: b) { .a, { } } }`: "a comma with no selector behind it",

		`.a, .b { }`: "", `a:hover::before { }`: "", `*{ }`: "", `* > * + *~* { }`: "", `a[href$=".pdf" i] { }`: "", `:is(.a, .b) > c { }`: "", `.a:not(.b, :hover) { }`: "",
		`.sm\:a { }`: "", `#\31 a { }`: "", `.-a, ._b, .--c { }`: "", `x-star::part(a) { }`: "", `svg|a, *|b { }`: "", `&.a { }`: "", `.a { > .b { } & c { } .d, { } }`: "",
		`@keyframes k { from, 50% { } to { } }`: "", `@font-face { }`: "", `@page :first { }`: "", `@property --x { }`: "", `@media (min-width: 1px) { .a { } }`: "",
		`.a { b: c; } ; .d { }`: "a semicolon stands before the selector, and belongs to it", `<!-- .a { } -->`: "", `/* , */ .a /* . */ { }`: "", `::-webkit-scrollbar { }`: "", `:-ms-input { }`: "", `:nth-child(2n + 1 of .a) { }`: "", "": "",
	} {
		var got []string
		for _, lost := range LostRules([]byte(css)) {
			got = append(got, lost.Message)
		}
		if s := strings.Join(got, "; "); s != want {
			t.Errorf("%s: %q, want %q", css, s, want)
		}
	}
	if l := LostRules([]byte("p { }\n\n  .a, { }")); len(l) != 1 || l[0].Offset != 9 {
		t.Errorf("the place of a lost rule: %+v", l)
	}
}

// FuzzStyles: whatever a stylesheet is, it is read to its end, and offsets lie in it.
func FuzzStyles(f *testing.F) {
	for _, s := range []string{"a{b:url(c)}", "@font-face{src:url('x", ".a,{}", "@media{{{}}}", "#{}", "#-{}"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, css string) {
		for _, u := range StyleURLs([]byte(css)) {
			if u.Offset < 0 || u.Offset > len(css) {
				t.Errorf("%q: %+v", css, u)
			}
		}
		for _, l := range LostRules([]byte(css)) {
			if l.Offset < 0 || l.Offset > len(css) {
				t.Errorf("%q: %+v", css, l)
			}
		}
	})
}
