package browser_test

import (
	"encoding/json"
	"testing"
	"time"

	"github.com/chromedp/chromedp"

	"yellowgate/internal/core/syntax"
)

// TestLostRulesInBrowser compares what is called a lost rule with the rules that a browser has
// of a stylesheet.
func TestLostRulesInBrowser(t *testing.T) {
	sheets := []string{".a, { }", ", .a { }", ".a, , .b { }", ". a { }", "..a { }", ".1a { }", "#1a { }", "#-1 { }",
		"#-a { }", "#--a { }", ".a > { }", "> .a { }", ".a > > .b { }", ".a: { }", "\"a\" { }", ".a $ .b { }",
		"{ color: red }", "50% { }", ".a, .b { }", "a:hover::before { }", "* { }", "* > * + *~* { }",
		"a[href$='.pdf' i] { }", ":is(.a, .b) > c { }", ".a:not(.b, :hover) { }", ".sm\\:a { }", "#\\31 a { }",
		".-a, ._b, .--c { }", "x-star::part(a) { }", "*|b { }", "&.a { }", ".a { > .b { } & c { } }",
		"<!-- .a { } -->", "/* , */ .a /* . */ { }", "::-webkit-scrollbar { }", ":nth-child(2n + 1 of .a) { }",
		"é { }", ".é, #ü { }", "a , b{}", "a\n>\nb\n{ }", ".a+.b{}", ".a\t{ }", "[a] { }", "[a=b], [a='b'] { }",
		":root { }", "html>/**/body { }", "; .a { }", "@media print { ; .a { } }", "@media print { .a, { } }",
		"@media print { .a { } }", "@layer x { . b { } }"}
	w := newWitness(t, time.Minute)
	w.Do(chromedp.Navigate("about:blank"))
	for _, css := range sheets {
		text, _ := json.Marshal(css)
		rules := w.JS(
			`(() => { const s = new CSSStyleSheet(); s.replaceSync(` + string(text) +
				`); let r = s.cssRules; if (r.length && !r[0].selectorText && r[0].cssRules) r = r[0].cssRules; return r.length })()`)
		if lost := len(syntax.LostRules([]byte(css))); (rules == "0") != (lost > 0) {
			t.Errorf("%s: a browser has %s rules, %d are called lost", css, rules, lost)
		}
	}
}
