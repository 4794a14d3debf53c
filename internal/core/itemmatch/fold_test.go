package itemmatch

import (
	"strings"
	"testing"

	"yellowgate/internal/core/snippet"
)

// TestFold: what says the same in other writing is folded into the same, what says
// something else is not.
func TestFold(t *testing.T) {
	for _, c := range []struct {
		a, b string
		same bool
	}{
		{`<p class="x" id='y'>a  b</p>`, "<P id=y\n class=x>\na b", true},
		{`<script defer src="/a.js"></script>`, `<script src=/a.js defer="" type="text/javascript"></script>`, true},
		{`<script defer src="/a.js"></script>`, `<script src=/a.js defer="defer"></script>`, true},
		{`<a href="/?a=1&amp;b=2">x &amp; y</a>`, `<a href="/?a=1&b=2">x & y</a>`, true},
		{`<p title="a&#34;b">é</p>`, `<p title='a"b'>&eacute;</p>`, true},
		{`<script>go("x", 1);</script>`, "<script>\n  go('x',1);\n</script>", true},
		{`<b style="color: red; top: 0"></b>`, `<b style="color:red;top:0;"></b>`, true},
		{`<!-- note --><i>x</i>`, `<i>x</i><!-- other -->`, true},
		{`<ul><li>a<li>b</ul>`, `<ul><li>a</li><li>b</li></ul>`, true},
		{`<img src=a alt="">`, `<img alt src="a"/>`, true},
		{`<p class="x">a</p>`, `<p class="y">a</p>`, false},
		{`<p class="x">a</p>`, `<p class="x">b</p>`, false},
		{`<p>a</p><p>b</p>`, `<p>a</p>`, false},
		{`<script>go(1)</script>`, `<script>go(2)</script>`, false},
		{`<script src=/a.js></script>`, `<script src=/a.js async></script>`, false},
		{`<script src=/a.js></script>`, `<script src=/a.js type=module></script>`, false},
		{`<noscript><img src=a></noscript>`, `<noscript><img src=a>`, false},
		{`<figure><b>x</b></figure>`, `<figure><b>x</b></figurex>`, false},
		{`<svg><path d="M0"/></svg>`, `<svg><path d=M0></path></svg>`, true},
		{`<table><tr><td>x</table>`, `<table><tr><td>x</td></tr></table>`, true},
		{`<p a=1 a=2>`, `<p a=1>`, true},
	} {
		if got := fold([]byte(c.a), asIs).key() == fold([]byte(c.b), asIs).key(); got != c.same {
			t.Errorf("%s and %s: the same is %v, want %v", c.a, c.b, got, c.same)
		}
	}
}

// TestFind looks for pieces with holes in a page.
func TestFind(t *testing.T) {
	const page = `<html><body><p class=a>one</p><script>count("x", 12)</script><p class=a>two</p><div id=box><i>deep</i></div><script>count("y", 7)</script></body>`
	hay := newHaystack(fold([]byte(page), asIs))
	for _, c := range []struct {
		piece string
		want  []string // what stands there begins with
	}{
		{`<p class=a>⬚</p>`, []string{"<p class=a>one", "<p class=a>two"}},
		{`<p class=a>t⬚o</p>`, []string{"<p class=a>two"}},
		{`<script>count(⬚, ⬚)</script>`, []string{`<script>count("x"`, `<script>count("y"`}},
		{`<script>count("y", ⬚)</script>`, []string{`<script>count("y"`}},
		{`<div id=⬚><i>deep</i></div>`, []string{"<div id=box>"}},
		{`<p class=b>⬚</p>`, nil},
		{`<p class=a>one</p><script>count("x", 12)</script>`, []string{"<p class=a>one"}},
		{``, nil},
	} {
		var got []string
		for _, s := range hay.find(fold([]byte(strings.ReplaceAll(c.piece, "⬚", snippet.Hole)), asIs)) {
			got = append(got, page[s.Start:s.End])
		}
		if len(got) != len(c.want) {
			t.Errorf("%s: found %q, want %q", c.piece, got, c.want)
			continue
		}
		for i := range got {
			if !strings.HasPrefix(got[i], c.want[i]) {
				t.Errorf("%s: found %q, want %q", c.piece, got[i], c.want[i])
			}
		}
	}
	if got := hay.findTags(fold([]byte("<div id=box><i>other</i></div>"), asIs)); len(got) != 1 {
		t.Errorf("by its elements alone: %v", got)
	}
	if got := hay.findTags(fold([]byte("<i>other</i>"), asIs)); got != nil {
		t.Errorf("an element that anybody writes tells nothing: %v", got)
	}
}

func TestFits(t *testing.T) {
	for _, c := range []struct {
		pattern, text string
		want          bool
	}{
		{"abc", "abc", true}, {"abc", "abcd", false}, {"a⬚c", "abc", true}, {"a⬚c", "ac", true}, {"a⬚c", "abcd",
			false}, {"⬚", "anything", true},
		{"⬚b⬚", "abc", true}, {"⬚b⬚", "acc", false}, {"a⬚b⬚a", "aba", true}, {"a⬚b⬚a", "ab",
			false}, {"x⬚", "y", false},
	} {
		if got := fits(strings.ReplaceAll(c.pattern, "⬚", snippet.Hole), c.text); got != c.want {
			t.Errorf("%q fits %q: %v, want %v", c.text, c.pattern, got, c.want)
		}
	}
}

func TestAnchor(t *testing.T) {
	for text, want := range map[string]string{
		`<p class="visit-counter">hi</p>`: "visit-counter", `<b>s</b>`: "", "": "", "window.visits = []": "window.visits", "éèàéèà çç": "", "a+longer_word1+b": "longer_word1",
	} {
		if got := anchor(text); got != want {
			t.Errorf("%q: %q, want %q", text, got, want)
		}
	}
}
