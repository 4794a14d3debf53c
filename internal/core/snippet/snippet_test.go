package snippet

import (
	"strings"
	"testing"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/problem"
)

// item reads one item of a gate file and makes it ready.
func item(t testing.TB, yaml string) (*Prepared, []problem.Problem) {
	t.Helper()
	g, problems := gatefile.Parse("g.yaml",
		[]byte("yellowgate: 1\nitems:\n  x:\n    "+strings.ReplaceAll(yaml, "\n", "\n    ")+"\n"), nil)
	if len(problems) > 0 {
		t.Fatalf("%s: %v", yaml, problems)
	}
	if strings.Contains(yaml, "integrity") {
		g.ReadFiles(gatefile.Sources{})
	}
	return Prepare(g.Items[0], "/base")
}

// values gives names their values on a page with a list fact.
func values(m map[string]string) *Values {
	pg := &page.Page{Path: "/visit/", Lists: map[string]any{
		"faq":    []any{map[string]any{"ask": "Cold?", "answer": "Bring </script> a coat & hat."}},
		"guides": []any{"Mira", map[string]any{"@type": "Person", "name": "Ode"}}}}
	return &Values{Lookup: func(name string) string { return m[name] }, Page: pg,
		IsList: func(fact string) bool { return fact == "faq" || fact == "guides" || fact == "elsewhere" },
		Built: func(name string) ([]string, bool) {
			if name == "visit" {
				return []string{"/built/v1.js", "/built/v2.js"}, true
			}
			return nil, false
		}}
}

func TestRender(t *testing.T) {
	known := map[string]string{"page.title": `A "b" & <c>`, "fact.n": "3.5", "fact.colour": "#0b1026",
		"page.path": "/a b/", "fact.bundle": "visit", "fact.url": "https://x.example/?a=b&c"}
	for _, c := range []struct{ yaml, place, want string }{
		{"script: /js/a.js", "head-end", `<script src="/base/js/a.js" defer></script>`},
		{"script: /js/a.js\nplace: body-end", "body-end", `<script src="/base/js/a.js"></script>`},
		{"script: //cdn.example/a.js\nload: module", "head-end", `<script src="//cdn.example/a.js" type="module"></script>`},
		{"script: https://cdn.example/a.js?x=1&y=2\nload: async\nattrs: {data-x: '@{page.title}', crossorigin: true}",
			"head-end",
			`<script src="https://cdn.example/a.js?x=1&amp;y=2" async data-x="A &#34;b&#34; &amp; &lt;c&gt;" crossorigin></script>`},
		{"script: https://cdn.example/a.js\nintegrity: sha384-abc", "head-end",
			`<script src="https://cdn.example/a.js" defer integrity="sha384-abc" crossorigin="anonymous"></script>`},
		{"script: https://cdn.example/a.js\nintegrity: sha384-abc\nattrs: {crossorigin: use-credentials}", "head-end",
			`<script src="https://cdn.example/a.js" defer integrity="sha384-abc" crossorigin="use-credentials"></script>`},
		{"script: /a.js\nintegrity: sha384-abc", "head-end",
			`<script src="/base/a.js" defer integrity="sha384-abc"></script>`},
		{"stylesheet: /css/@{fact.n}.css", "head-end", `<link rel="stylesheet" href="/base/css/3.5.css">`},
		{"code: <p>@{page.title}</p>", "body-end", `<p>A &#34;b&#34; &amp; &lt;c&gt;</p>`},
		{"code: <meta name=v content='@{page.title}'>", "head-end", `<meta name=v content='A &#34;b&#34; &amp; &lt;c&gt;'>`},
		{"code: <i title=@{page.title}>x</i>", "body-end", `<i title=A&#32;&#34;b&#34;&#32;&amp;&#32;&lt;c&gt;>x</i>`},
		{"code: <a href=\"@{page.path}\">x</a>", "body-end", `<a href="/a%20b/">x</a>`},
		{"code: <a href=\"/s?u=@{fact.url}\">x</a>", "body-end", `<a href="/s?u=https://x.example/%3Fa%3Db%26c">x</a>`},
		{"code: <style>p{margin:@{fact.n}px;color:@{fact.colour}}</style>", "head-end",
			`<style>p{margin:3.5px;color:#0b1026}</style>`},
		{"code: <script>a = \"@{page.title}\", b = @{fact.n}</script>", "body-end",
			`<script>a = "A \u0022b\u0022 \u0026 \u003Cc\u003E", b = "3.5"</script>`},
		{"code: '<script type=\"application/ld+json\">{\"a\":@{page.title}}</script>'", "body-end",
			`<script type="application/ld+json">{"a":"A \"b\" \u0026 \u003Cc\u003E"}</script>`},
		{"code: <p>@@{page.title} @{lessVar} @{fact.none or 'a word'}</p>", "body-end",
			`<p>@{page.title} @{lessVar} a word</p>`},
		{"code: '<p>@{page.title | cut 5 | lower}</p>'", "body-end", `<p>a…</p>`},
		{"script-text: a(1)", "body-end", "<script>a(1)</script>"},
		{"script-text: |\n  a(@{fact.n},\n    \"@{page.path}\")\nattrs: {nonce: x}\nload: module", "body-end",
			"<script type=\"module\" nonce=\"x\">\na(\"3.5\",\n  \"/a b/\")\n</script>"},
		{"style-text: 'p { margin: @{fact.n}px }'\nmedia: print", "head-end",
			`<style media="print">p { margin: 3.5px }</style>`},
		{"stylesheet: /a.css\nmedia: '(min-width: 40em)'", "head-end",
			`<link rel="stylesheet" href="/base/a.css" media="(min-width: 40em)">`},
		{"params: {delay: 2.5s, n: 3, word: '3', on-off: true}\nscript-text: f(@{delay | ms}, @{delay | s}, @{n}, @{word}, @{on-off}, '@{n}')",
			"body-end", `<script>f(2500, 2.5, 3, "3", true, '3')</script>`},
		{"params: {n: {value: 3, min: 1, max: 9}}\ncode: <p data-n=\"@{n}\">x</p>", "body-end", `<p data-n="3">x</p>`},
		{"script: 'built:@{fact.bundle}'\nload: now", "head-end",
			"<script src=\"/base/built/v1.js\"></script>\n<script src=\"/base/built/v2.js\"></script>"},
		{"structured: {type: Event, name: '@{page.title}', seats: 40, open: true, 'offers': [{price: '3.50'}, x]}",
			"head-end",
			`<script type="application/ld+json">{"@context":"https://schema.org","@type":"Event","name":"A \"b\" \u0026 \u003cc\u003e","seats":40,"open":true,"offers":[{"price":"3.50"},"x"]}</script>`},
		{"structured: {type: Event, guide: '@{fact.guides}'}", "head-end",
			`<script type="application/ld+json">{"@context":"https://schema.org","@type":"Event","guide":["Mira",{"@type":"Person","name":"Ode"}]}</script>`},
		{"structured: {type: Event, guide: '@{fact.elsewhere}'}", "head-end", ""},
		{"questions: [{ask: 'Is it @{fact.n}?', answer: No.}]", "head-end",
			`<script type="application/ld+json">{"@context":"https://schema.org","@type":"FAQPage","mainEntity":[{"@type":"Question","name":"Is it 3.5?","acceptedAnswer":{"@type":"Answer","text":"No."}}]}</script>`},
		{"questions: '@{fact.faq}'", "head-end",
			`<script type="application/ld+json">{"@context":"https://schema.org","@type":"FAQPage","mainEntity":[{"@type":"Question","name":"Cold?","acceptedAnswer":{"@type":"Answer","text":"Bring \u003c/script\u003e a coat \u0026 hat."}}]}</script>`},
		{"popup: <p>Hi</p>\nlabel: The \"letter\"\nopen: [{after: 8s}, {scroll: 60%}, {click: 'a[href=\"#x\"]'}, {fragment: x, pages: /elsewhere/}, {leaving: true}]\nagain: 7d",
			"body-end",
			`<dialog id="x" aria-label="The &#34;letter&#34;" data-yg-open="[[&#34;after&#34;,8],[&#34;scroll&#34;,60],[&#34;click&#34;,&#34;a[href=\&#34;#x\&#34;]&#34;],[&#34;leaving&#34;]]" data-yg-again="604800"><p>Hi</p></dialog>`},
	} {
		it, problems := item(t, c.yaml)
		if len(problems) > 0 {
			t.Errorf("%s: %v", c.yaml, problems)
			continue
		}
		text, ok, err := it.Render(0, values(known))
		if err != nil {
			t.Errorf("%s: %v", c.yaml, err)
			continue
		}
		if ok != (c.want != "") || it.Place(0).Name != c.place || text != c.want {
			t.Errorf("%s:\n%s\nwant at %s\n%s", c.yaml, text, c.place, c.want)
		}
	}
}

// TestRefused: what cannot be made safe, or would do harm, is refused.
func TestRefused(t *testing.T) {
	for _, c := range []struct{ yaml, want string }{
		{"code: <p onclick=\"a('@{page.title}')\">x</p>", "in an event handler"},
		{"code: <p @{page.title}=x>x</p>", "in a tag's or an attribute's name"},
		{"code: <@{page.title}>", "in a tag's or an attribute's name"},
		{"code: <iframe srcdoc=\"@{page.title}\"></iframe>", "in srcdoc"},
		{"code: <!-- @{page.title} --><p>x</p>", "in a comment"},
		{"code: <script>a = /@{page.title}/</script>", "in a regular expression"},
		{"code: <script>// @{page.title}</script>", "in a comment of a script"},
		{"code: <script>a@{page.title} = 1</script>", "within a word"},
		{"code: '<style>p{background:url(@{page.title})}</style>'", "string or URL of a style"},
		{"code: '<script type=\"text/x-template\">@{page.title}</script>'", "data block that is not JSON"},
		{"code: <p>x</p>\nplace: head-end", "would end the head"},
		{"code: <meta name=a content=b>\nplace: body-end", "belongs into the head"},
		{"code: <p>x<!-- never closed", "leaves something open"},
		{"code: <script>a()", "leaves something open"},
		{"code: <!--yg:x--><p>x</p>", "holds a mark"},
		{"code: <p>x</p>\nattrs: {a: b}", "have no tag"},
		{"code: <div><p>x</p>", "leaves <div> open"},
		{"code: <p>x</p></div>", "closes a <div> that it did not open"},
		{"code: 'p { margin: 0 }'", "looks like bare CSS"},
		{"code: document.title = 'x'", "looks like bare JavaScript"},
		{"code: <script>a(</script>", "does not parse"},
		{"code: '<script type=\"application/ld+json\">{a}</script>'", "does not parse"},
		{"code: '<style>p{</style>'", "never closed"},
		{"script-text: <script>a()</script>", "without tags"},
		{"style-text: <style>p{}</style>", "without tags"},
		{"script-text: a = '</script>'", "without tags"},
		{"script-text: 'a = {'", "does not parse"},
		{"style-text: 'p { margin: 0'", "never closed"},
		{"script-text: a('x') // @{page.title}", "in a comment of a script"},
		{"popup: <meta name=a content=b>\nopen: {after: 1s}", "a popup cannot hold this"},
		{"script: /a.js\nattrs: {onload: 'f(\"@{page.title}\")'}", "cannot stand in an event handler"},
	} {
		_, problems := item(t, c.yaml)
		if len(problems) != 1 || !strings.Contains(problems[0].Message, c.want) || problems[0].Pos.Line < 4 {
			t.Errorf("%s: %v, want %q", c.yaml, problems, c.want)
		}
	}
	for yaml, want := range map[string]string{
		"code: <a href=\"@{page.title}\">x</a>":   "javascript:",
		"script: '@{page.title}'":                 "javascript:",
		"code: <style>p{a:@{page.title}}</style>": "a number, a length",
		"code: <p>@{fact.none}</p>":               "has no value",
	} {
		it, _ := item(t, yaml)
		_, _, err := it.Render(0, values(map[string]string{"page.title": "JAVAscript:alert(1)"}))
		if err == nil || !strings.Contains(err.Message, want) {
			t.Errorf("%s: error %v, want %q", yaml, err, want)
		}
	}
}

// TestRuntimeIsSmall: the script that every page with a popup gets.
func TestRuntimeIsSmall(t *testing.T) {
	if n := len(Runtime()); n >= 2000 {
		t.Errorf("the popups' runtime has %d bytes", n)
	}
}

// TestStyleValues: in a style only a number, a length, a colour or a plain word can
// stand; anything else is refused.
func TestStyleValues(t *testing.T) {
	it, problems := item(t, "style-text: 'p { color: @{page.title} }'")
	if len(problems) > 0 {
		t.Fatal(problems)
	}
	for _, v := range []string{"#0b1026", "12", "3.5px", "-2em", "50%", "bold", "night-blue"} {
		if text, _, err := it.Render(0, values(map[string]string{"page.title": v})); err != nil ||
			text != "<style>p { color: "+v+" }</style>" {
			t.Errorf("%s: %s, %v", v, text, err)
		}
	}
	for _, v := range []string{"red; background: url(//x)", "red}", "</style><script>alert(1)</script>", "url(x)",
		"expression(alert(1))", "\\72 ed", "'x'", "a/**/b", "1 2", "@import", "é", "<", "var(--x)", "-"} {
		if text, _, err := it.Render(0, values(map[string]string{"page.title": v})); err == nil {
			t.Errorf("%s stands in %s", v, text)
		}
	}
}
