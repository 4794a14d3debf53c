package snippet

import (
	"encoding/json"
	"fmt"
	"net/url"
	"strings"
	"testing"

	"github.com/tdewolff/parse/v2"
	"github.com/tdewolff/parse/v2/css"
	"github.com/tdewolff/parse/v2/js"
	"golang.org/x/net/html"
)

// TestNoPlace: where no value can be kept from running or leading elsewhere, a placeholder
// is refused before any value is known.
func TestNoPlace(t *testing.T) {
	for code, want := range map[string]string{
		`<a href="https://@{page.title}/x">x</a>`:                                "in the host of a URL",
		`<a href="//@{page.title}">x</a>`:                                        "in the host of a URL",
		`<a href="/\@{page.title}">x</a>`:                                        "in the host of a URL",
		`<a href="https://me:@{page.title}@x.example/">x</a>`:                    "in the host of a URL",
		`<a href="&#47;&#x2f;@{page.title}">x</a>`:                               "in the host of a URL",
		`<a href="javascript:f('@{page.title}')">x</a>`:                          "in a URL that begins with javascript:",
		`<a href=" java&#9;script:f('@{page.title}')">x</a>`:                     "in a URL that begins with javascript:",
		`<iframe src="data:text/html,@{page.title}"></iframe>`:                   "in a URL that begins with data:",
		`<a href="VBSCRIPT:@{page.title}">x</a>`:                                 "in a URL that begins with vbscript:",
		`<img src="blob:@{page.title}" alt="">`:                                  "in a URL that begins with blob:",
		`<img onerror="f('@{page.title}')" src="/x" alt="">`:                     "in an event handler",
		`<img ONLOAD=f(@{page.title}) src="/x" alt="">`:                          "in an event handler",
		`<svg><animate attributeName="href" values="@{page.title}"/></svg>`:      "in an attribute of <animate>",
		`<svg><set attributeName="href" to="@{page.title}"/></svg>`:              "in an attribute of <set>",
		`<svg><animate attributeName="href" from="@{page.title}"/></svg>`:        "in an attribute of <animate>",
		`<svg><animateTransform by="@{page.title}"/></svg>`:                      "in an attribute of <animatetransform>",
		`<svg><script>f("@{page.title}")</script></svg>`:                         "within svg or math",
		`<svg><style>p{margin:@{page.title}}</style></svg>`:                      "within svg or math",
		`<img srcset="@{page.title} 2x" src="/x" alt="">`:                        "in srcset",
		`<link rel="preload" imagesrcset="@{page.title}">`:                       "in imagesrcset",
		`<iframe srcdoc="<p>@{page.title}</p>"></iframe>`:                        "in srcdoc",
		`<meta http-equiv="refresh" content="0;url=@{page.title}">`:              "http-equiv",
		`<meta http-equiv="@{page.title}" content="x">`:                          "in http-equiv",
		`<base href="@{page.title}">`:                                            "in an attribute of <base>",
		`<param name="movie" value="@{page.title}">`:                             "in an attribute of <param>",
		`<script type="@{page.title}" src="/a.js"></script>`:                     "which is not known to hold plain text",
		`<link rel="@{page.title}" href="/x">`:                                   "which is not known to hold plain text",
		`<iframe sandbox="@{page.title}" src="/x"></iframe>`:                     "which is not known to hold plain text",
		`<iframe allow="@{page.title}" src="/x"></iframe>`:                       "which is not known to hold plain text",
		`<p x-data="@{page.title}">x</p>`:                                        "which is not known to hold plain text",
		`<p @click="@{page.title}">x</p>`:                                        "which is not known to hold plain text",
		`<form method="@{page.title}"></form>`:                                   "which is not known to hold plain text",
		`<script type="importmap">{"imports":{"a":"@{page.title}"}}</script>`:    "in an import map or speculation rules",
		`<script type="speculationrules">{"prefetch":[@{page.title}]}</script>`:  "in an import map or speculation rules",
		`<script>a = "\@{page.title}"</script>`:                                  "right after a backslash",
		`<script>a = "\\\@{page.title}"</script>`:                                "right after a backslash",
		`<script>a = "\x2@{page.title}"</script>`:                                "right after a backslash",
		`<script>a = "\u00@{page.title}"</script>`:                               "right after a backslash",
		"<script>a = `\\u{@{page.title}}`</script>":                              "right after a backslash",
		"<script>a = `$@{page.title}`</script>":                                  `right after "$"`,
		`<script>a = "<@{page.title}"</script>`:                                  `right after "<"`,
		`<script>a = "</@{page.title}"</script>`:                                 `right after "</"`,
		`<script>a = "</scr@{page.title}"</script>`:                              `right after "</scr"`,
		`<script>a = "<!-@{page.title}"</script>`:                                `right after "<!-"`,
		`<script type="application/ld+json">{"a": "\@{page.title}"}</script>`:    "does not parse",
		`<style>p{margin:\@{page.title}}</style>`:                                "right after a backslash",
		`<style>p{content:"@{page.title}"}</style>`:                              "in a string or URL of a style",
		`<p style="background:url(@{page.title})">x</p>`:                         "in a string or URL of a style",
		`<p style="margin:&#92;@{page.title}">x</p>`:                             "right after a backslash",
		`<object data="data:image/svg+xml,@{page.title}"></object>`:              "in a URL that begins with data:",
		`<form action="javascript:@{page.title}"></form>`:                        "in a URL that begins with javascript:",
		`<button formaction="javascript:@{page.title}">x</button>`:               "in a URL that begins with javascript:",
		`<svg><use href="//@{page.title}/x"/></svg>`:                             "in the host of a URL",
		`<svg><a xlink:href="javascript:@{page.title}"><text>x</text></a></svg>`: "in a URL that begins with javascript:",
		`<svg><![CDATA[ @{page.title} ]]></svg>`:                                 "in a comment",
		`<math href="javascript:@{page.title}"><mi>x</mi></math>`:                "in a URL that begins with javascript:",
		`<a href="/x" ping="https://@{page.title}/">x</a>`:                       "in the host of a URL",
		`<video poster="//x.example@{page.title}/"></video>`:                     "in the host of a URL",
	} {
		_, problems := item(t, "code: |\n  "+code)
		if len(problems) == 0 || !strings.Contains(problems[0].Message, want) {
			t.Errorf("%s: %v, want %q", code, problems, want)
		}
	}
	for yaml, want := range map[string]string{
		"script: https://@{page.title}/a.js":                        "in the host of a URL",
		"script: //@{page.title}/a.js":                              "in the host of a URL",
		"stylesheet: 'javascript:@{page.title}'":                    "in a URL that begins with javascript:",
		"script: /a.js\nattrs: {type: '@{page.title}'}":             "not known to hold plain text",
		"script: /a.js\nattrs: {onerror: '@{page.title}'}":          "in an event handler",
		"script: /a.js\nattrs: {style: '@{page.title}'}":            "in style",
		"found: 'img'\nattrs: {poster: 'javascript:@{page.title}'}": "in a URL that begins with javascript:",
		"script-text: 'a = \"\\@{page.title}\"'":                    "right after a backslash",
		"style-text: 'p { color: \\@{page.title} }'":                "right after a backslash",
	} {
		_, problems := item(t, yaml)
		if len(problems) == 0 || !strings.Contains(problems[0].Message, want) {
			t.Errorf("%s: %v, want %q", yaml, problems, want)
		}
	}
}

// TestURLValues: what values become in each part of a URL, and which are refused there.
func TestURLValues(t *testing.T) {
	at := func(code string) string { return "code: '" + code + "'" }
	for _, c := range []struct{ yaml, value, want string }{ // want: what stands in the URL, or a part of the error
		{at(`<a href="/@{page.title}">x</a>`), "/evil.example/x.js", "/%2Fevil.example%2Fx.js"},
		{at(`<a href="/@{page.title}">x</a>`), `\evil.example`, "/%5Cevil.example"},
		{at(`<a href="/@{page.title}/x">x</a>`), "..", `make "." or ".."`},
		{at(`<a href="/a/@{page.title}">x</a>`), "..", `make "." or ".."`},
		{at(`<a href="/a/.@{page.title}/b">x</a>`), ".", `make "." or ".."`},
		{at(`<a href="/a/@{page.title}/b">x</a>`), "%2e%2E", `make "." or ".."`},
		{at(`<a href="/a/%2@{page.title}/b">x</a>`), "e.", `make "." or ".."`},
		{at(`<a href="/a/@{page.title}">x</a>`), "b/c", "/a/b%2Fc"},
		{at(`<a href="/a/@{page.title | path}">x</a>`), "b/c", "/a/b/c"},
		{at(`<a href="/@{page.title | path}">x</a>`), "/evil.example/x", "change the host"},
		{at(`<a href="/@{page.title | path}">x</a>`), "a/../../b", `make "." or ".."`},
		{at(`<a href="/a/@{page.title | path}">x</a>`), "b?c#d", "/a/b%3Fc%23d"},
		{at(`<a href="a@{page.title}">x</a>`), ":alert(1)", "a%3Aalert(1)"},
		{at(`<a href="@{page.title}">x</a>`), "javascript:alert(1)", "must not begin with javascript:"},
		{at(`<a href=" @{page.title}">x</a>`), "javascript:alert(1)", "must not begin with javascript:"},
		{at(`<a href="@{page.title}">x</a>`), "https://anywhere.example/x?a=b", "https://anywhere.example/x?a=b"},
		{at(`<a href="@{page.title}">x</a>`), "/visit/", "/visit/"},
		{at(`<a href="@{page.title}">x</a>`), "../up", `make "." or ".."`},
		{at(`<img src="@{page.title}" alt="">`), "https://anywhere.example/x", "leads to anywhere.example"},
		{at(`<img src="@{page.title}" alt="">`), "//anywhere.example/x", "leads to anywhere.example"},
		{at(`<img src="@{page.title}" alt="">`), `/\anywhere.example/x`, "/%5Canywhere.example/x"},
		{at(`<img src="@{page.title}" alt="">`), "https://cdn.ternhill.example/x", "https://cdn.ternhill.example/x"},
		{at(`<img src="@{page.title}" alt="">`), "https://cdn.ternhill.example@evil.example/x", "must not name a user"},
		{at(`<img src="@{page.title}" alt="">`), "https:evil.example/x", "leads to evil.example"},
		{at(`<img src="@{page.title}" alt="">`), "data:image/svg+xml,x", "must not begin with data:"},
		{at(`<a href="/s?q=@{page.title}&amp;r=1">x</a>`), "a&r=2#x", "/s?q=a%26r%3D2%23x&r=1"},
		{at(`<a href="/s#@{page.title}">x</a>`), "a#b", "/s#a%23b"},
		{at(`<a href="mailto:@{page.title}">x</a>`), "a@b.example?bcc=c", "mailto:a@b.example%3Fbcc%3Dc"},
		{at(`<a href="&#106;avascript&colon;void(0)">@{page.title}</a>`), "x", "javascript:void(0)"}, // the author's own
		{"script: '@{page.title}'", "https://evil.example/a.js", "leads to evil.example"},
		{"script: '@{page.title}'", "https://cdn.ternhill.example/a.js", "https://cdn.ternhill.example/a.js"},
		{"script: '@{page.title}'", "ftp://cdn.ternhill.example/a.js", "must not begin with ftp:"},
		{"script: '/@{page.title}.js'", "/evil.example/a", "/base/%2Fevil.example%2Fa.js"},
		{"stylesheet: '/css/@{page.title}.css'", "../../x", "/base/css/..%2F..%2Fx.css"},
		{"script: /a.js\nattrs: {data-src: '@{page.title}'}", "javascript:x", "/base/a.js"},
	} {
		it, problems := item(t, c.yaml)
		if len(problems) > 0 {
			t.Errorf("%s: %v", c.yaml, problems)
			continue
		}
		v := values(map[string]string{"page.title": c.value})
		v.Host = func(host string) bool { return host == "cdn.ternhill.example" }
		text, _, err := it.Render(0, v)
		if err != nil {
			if !strings.Contains(err.Message, c.want) {
				t.Errorf("%s with %q: %s, want %q", c.yaml, c.value, err.Message, c.want)
			}
			continue
		}
		if got := urlIn(text); got != c.want {
			t.Errorf("%s with %q: %s has %q, want %q", c.yaml, c.value, text, got, c.want)
		}
	}
}

// urlIn is the first URL of a piece of HTML.
func urlIn(text string) string {
	z := html.NewTokenizer(strings.NewReader(text))
	for tt := z.Next(); tt != html.ErrorToken; tt = z.Next() {
		for _, a := range z.Token().Attr {
			if a.Key == "href" || a.Key == "src" {
				return a.Val
			}
		}
	}
	return ""
}

// everyPlace is code with a placeholder wherever one may stand.
var everyPlace = []string{
	`<p title="@{page.title}" class=@{page.title} id='@{page.title}' data-x="a @{page.title} b" aria-label=x@{page.title}>@{page.title}</p>`,
	`<a href="/@{page.title}">a</a>`, `<a href='/a/@{page.title}/b'>a</a>`, `<a href=/a/@{page.title | path}>a</a>`, `<a href="a@{page.title}">a</a>`,
	`<a href="/s?q=@{page.title}&amp;r=1">a</a>`, `<a href="/s?@{page.title}=@{page.title}#@{page.title}">a</a>`, `<a href="https://x.example/@{page.title}">a</a>`,
	`<a href="@{page.title}">a</a>`, `<img src="@{page.title}" alt="@{page.title}">`, `<iframe src="@{page.title}"></iframe>`, `<iframe src="/e/@{page.title}"></iframe>`,
	`<form action="/f/@{page.title}"><button formaction="@{page.title}" value="@{page.title}">b</button></form>`, `<object data="/o/@{page.title}"></object>`,
	`<svg viewBox="@{page.title}"><use href="/s.svg#@{page.title}"/><a xlink:href="@{page.title}"><text x="@{page.title}">@{page.title}</text></a></svg>`,
	`<textarea>@{page.title}</textarea>`, `<noscript><img src="/n/@{page.title}" alt="@{page.title}"></noscript>`, `<template><p title="@{page.title}">@{page.title}</p></template>`,
	`<script>f("@{page.title}", '@{page.title}', @{page.title}); g('a@{page.title}b' + "@{page.title}")</script>`,
	"<script>h(`a @{page.title} ${@{page.title}} b`)</script>", `<script type="module">f({a: @{page.title}, "b": "@{page.title}"})</script>`,
	`<script type="application/ld+json">{"a": "@{page.title}", "b": @{page.title}, "c": ["x@{page.title}y"]}</script>`,
	`<style>p { margin: @{page.title}; color: @{page.title} }</style>`, `<p style="color: @{page.title}">s</p>`, `<svg><rect fill="@{page.title}"/></svg>`,
}

// hostileSeeds are values that somebody could bring.
var hostileSeeds = []string{"x", "</script><script>alert(1)</script>", `"; alert(1); "`, `'-alert(1)-'`,
	"${alert(1)}", "{alert(1)}", "`", "\\", "\u2028", "<!--", "<!--<script>", "]]>",
	"--><img src=x onerror=alert(1)>", "&quot;", "a b onclick=x", "javascript:alert(1)", " java\nscript:x", "\x00",
	"\\u0022", "red;x:expression(1)", "//x", "\xff", "//evil.example", "/evil.example", `\\evil.example`, "..", ".",
	"%2e%2e", "../..", "a/../b", "https://evil.example/", "https:evil.example", "http:\\\\evil.example",
	"@evil.example", ":80", "data:text/html,<script>alert(1)</script>", "vbscript:x", "&#106;avascript:alert(1)",
	"&Tab;javascript:x", "/script>", "/script ", "script", "!--", "-->", "*/", "1;background:url(//x)", "#fff",
	"url(//evil.example)", "0022", "u0022", "'", "\n</style>", "x\u202ey", "\uFEFF", "?a#b", "a%00b", "%", "%zz", ";",
	"//evil.example/%2e%2e"}

// FuzzValue: no value can leave the place where its placeholder puts it. What parsers as
// browsers have them make of the code (HTML, then JavaScript, CSS, JSON and URLs) is what they
// make of it with a harmless word, the values apart.
func FuzzValue(f *testing.F) {
	for _, v := range hostileSeeds {
		f.Add(v)
	}
	var items []*Prepared
	for _, code := range everyPlace {
		it, problems := item(f, "code: |\n  "+code)
		if len(problems) > 0 {
			f.Fatalf("%s: %v", code, problems)
		}
		items = append(items, it)
	}
	render := func(it *Prepared, v string) (string, bool) {
		vals := values(map[string]string{"page.title": v})
		vals.Host = func(host string) bool { return host == "x.example" }
		out, _, err := it.Render(0, vals)
		return out, err == nil
	}
	var plain []string
	for _, it := range items {
		out, ok := render(it, "x")
		if !ok {
			f.Fatalf("%s: a harmless word is refused", it.parts[0].Text)
		}
		plain = append(plain, judged(out))
	}
	f.Fuzz(func(t *testing.T, v string) {
		if v == "" {
			return
		}
		for i, it := range items {
			out, ok := render(it, v)
			if !ok {
				continue
			}
			if got := judged(out); got != plain[i] {
				t.Fatalf("%q: the code becomes\n%s\nwhich is\n%s\nwant\n%s", v, out, got, plain[i])
			}
		}
	})
}

// judged is what parsers make of HTML, without the texts and values in it: the tree with
// the names of attributes, the tokens of scripts and styles, the form of JSON, where URLs
// lead to.
func judged(code string) string {
	doc, err := html.Parse(strings.NewReader("<!doctype html><body>" + code))
	if err != nil {
		return err.Error()
	}
	var b strings.Builder
	var walk func(n *html.Node, depth int)
	walk = func(n *html.Node, depth int) {
		if n.Type == html.ElementNode {
			fmt.Fprintf(&b, "%*s%s", depth, "", n.Data)
			for _, a := range n.Attr {
				b.WriteString(" " + a.Key)
				switch kind, _ := kindOfAttr(n.Data, a.Key, nil); {
				case a.Key == "xlink:href" || urlAttrs[a.Key]:
					b.WriteString(leads(a.Val))
				case kind == attrStyle:
					b.WriteString(cssTokens(a.Val))
				}
			}
			b.WriteByte('\n')
			text := ""
			if n.FirstChild != nil && n.FirstChild.Type == html.TextNode {
				text = n.FirstChild.Data
			}
			switch {
			case n.Data == "style":
				b.WriteString(cssTokens(text))
			case n.Data == "script" && strings.Contains(fmt.Sprint(n.Attr), "ld+json"):
				b.WriteString(jsonForm(text))
			case n.Data == "script":
				b.WriteString(jsTokens(text))
			}
		}
		if n.Type == html.CommentNode {
			b.WriteString("comment\n")
		}
		for c := n.FirstChild; c != nil; c = c.NextSibling {
			walk(c, depth+1)
		}
	}
	walk(doc, 0)
	return b.String()
}

func cssTokens(text string) string {
	var b strings.Builder
	l := css.NewLexer(parse.NewInputString(text))
	for tt, _ := l.Next(); tt != css.ErrorToken; tt, _ = l.Next() {
		switch tt {
		case css.HashToken, css.DimensionToken, css.NumberToken, css.PercentageToken:
			tt = css.IdentToken // one value, whichever
		}
		b.WriteString(" " + tt.String())
	}
	return b.String()
}

// jsTokens are the tokens of a script as far as it parses; that it does is part of them.
func jsTokens(text string) string {
	var b strings.Builder
	if _, err := js.Parse(parse.NewInputString(text), js.Options{}); err != nil {
		b.WriteString("does not parse")
	}
	l := js.NewLexer(parse.NewInputString(text))
	for tt, _ := l.Next(); tt != js.ErrorToken; tt, _ = l.Next() {
		b.WriteString(" " + tt.String())
	}
	return b.String()
}

func jsonForm(text string) string {
	var v any
	if err := json.Unmarshal([]byte(strings.ToValidUTF8(text, "?")), &v); err != nil {
		return err.Error()
	}
	var form func(v any) string
	form = func(v any) string {
		switch v := v.(type) {
		case map[string]any:
			out := "{"
			for _, k := range []string{"a", "b", "c"} {
				out += k + form(v[k])
			}
			return fmt.Sprint(out, len(v), "}")
		case []any:
			return fmt.Sprint("[", len(v), form(v[0]), "]")
		}
		return fmt.Sprintf("%T", v)
	}
	return form(v)
}

// leads is where a URL leads from a page of the site, as to what matters: scheme and host
// where they are not any that a value may name.
func leads(raw string) string {
	base, _ := url.Parse("https://ternhill.example/base/dir/page/")
	clean := strings.Map(func(r rune) rune {
		if r == '\t' || r == '\n' || r == '\r' {
			return -1
		}
		if r == '\\' {
			return '/'
		}
		return r
	}, strings.TrimFunc(raw, func(r rune) bool { return r <= ' ' }))
	u, err := base.Parse(clean)
	if err != nil { // browsers take what this parser refuses: look at the bytes
		u = &url.URL{Scheme: "https", Host: "ternhill.example"}
		if m := scheme.FindString(clean); m != "" {
			u.Scheme, u.Host = m[:len(m)-1], ""
		} else if strings.HasPrefix(clean, "//") {
			u.Host = clean
		}
	}
	if u.User != nil {
		return " with a user"
	}
	switch u.Scheme {
	case "http", "https", "mailto", "tel", "sms":
	default:
		return " " + u.Scheme
	}
	if h := u.Hostname(); h != "ternhill.example" && h != "x.example" && h != "" &&
		!strings.HasPrefix(strings.ToLower(clean), u.Scheme+"://") && !strings.HasPrefix(clean, "//") {
		return " " + h
	}
	return ""
}
