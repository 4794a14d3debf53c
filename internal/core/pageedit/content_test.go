package pageedit

import (
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/andybalholm/cascadia"
	"golang.org/x/net/html"

	"yellowgate/internal/core/page"
)

// TestContent: what placeholders read of pages, by their tags and by a full tree, and in any encoding.
func TestContent(t *testing.T) {
	g := gate(t, `site: {url: https://ternhill.example/base}
metadata:
  - pages: all
    title: "@{page.text(.name) or page.title}"
    description: "@{page.text(main p:nth-of-type(2)) | sentence}"
    keywords: "@{page.all(li.tag)}"
    author: "@{page.attr(a.by, TITLE)}"
    meta: {next: "@{page.attr(a.by, href)}", data: "@{page.attr(a.by, data-n)}", all: "@{page.text(html) | cut 12}"}
`)
	body := `<main><h2 class=name>N&amp;ë <b hidden>no</b><br>x<script>y</script></h2><p>One.<p>Two. Three.</main>` +
		`<ul><li class=tag>a<li class=tag>b <i>c</i><li class=tag> </ul><a class=by title=" Ada " data-n="../x" href="../who?n=1#top">w</a>`
	want := map[string]string{
		"title": "N&ë x", "description": "Two.", "keywords": "a, b c", "author": "Ada",
		"meta.next": "https://ternhill.example/base/who?n=1#top", "meta.data": "../x", "meta.all": "N&ë x One…",
	}
	latin := strings.NewReplacer("ë", "\xeb").Replace
	for what, file := range map[string]string{
		"plain":            "<!doctype html><html><head><meta charset=utf-8><title>t</title></head>" + body,
		"misnested":        "<!doctype html><html><meta charset=utf-8>" + body + "<b><p>x</b>y",
		"latin":            latin("<!doctype html><html><meta charset=iso-8859-1>" + body),
		"latin, misnested": latin("<!doctype html><html><meta charset=iso-8859-1>" + body + "<b><p>x</b>y"),
		"undeclared":       "<!doctype html><html>" + body + "<b><p>x</b>y",
	} {
		r := g.Page([]byte(file), page.Page{Path: "/visit/", File: "visit/index.html"})
		for key, value := range want {
			if got := r.Metadata(key); len(got) == 0 || got[0].Value != value {
				t.Errorf("%s: %s is %+v, want %q", what, key, got, value)
			}
		}
	}
}

// TestContentOfSource: what is taken out of a page first is read all the same: values are of the source.
func TestContentOfSource(t *testing.T) {
	g := gate(t, "items: {x: {found: .kit, pages: none}}\nmetadata: [{pages: all, description: '@{page.text(.kit)}'}]\n")
	r := g.Page([]byte(
		"<!doctype html><html><head><meta charset=utf-8><title>t</title><div class=kit>K</div><meta name=a content=b></head><body></body></html>"),
		page.Page{Path: "/a/", File: "a/index.html"})
	if file := string(r.File); !strings.Contains(file, `content="K"`) || strings.Contains(file, "<div") ||
		len(r.Problems) > 0 {
		t.Errorf("%s %v", file, r.Problems)
	}
}

// asked are selectors of all kinds, for pages of whatever sort.
var asked = strings.Split(`h1|h2|title|p|main p|body|html|a[href]|ul li|ul > li|ol li a|dt|dd|dl dt|table tr td|th|td:first-child|tr:nth-child(2) td|
code|pre|pre span|.section|.section > p|div.body h1|#content|[id]|[class~=reference]|a[href^=http]|a[href$=".html"]|a[href*=index]|p:first-of-type|
p:last-of-type|li:last-child|h1 + p|h2 ~ p|div:has(h1)|div:not([class])|p:not(:first-child)|em|b|i|strong|footer|nav|nav a|header|
section h2|article|blockquote|span|span span|small|sub|label|button|option|textarea|script|style|noscript|svg, math|body > *|[title]|.block|.col-first|
div div div div|li li|caption|tt, kbd|h1, h2, h3|[role=main] p`, "|")

// TestContentForeign: what is read of foreign pages is what a full parser and a selector library of others find.
func TestContentForeign(t *testing.T) {
	if *pagesDir == "" {
		t.Skip("-pages names a folder of pages")
	}
	yaml, names := "metadata:\n  - pages: all\n    meta:\n", []string{}
	for i, s := range asked {
		asked[i] = strings.TrimSpace(s)
		names = append(names, "page.text("+asked[i]+")", "page.all("+asked[i]+")", "page.attr("+asked[i]+", class)")
	}
	for i, name := range names {
		yaml += fmt.Sprintf("      n%d: '@{%s}'\n", i, name)
	}
	g := gate(t, yaml)
	pages, values := 0, 0
	_ = filepath.WalkDir(*pagesDir, func(name string, d fs.DirEntry, err error) error {
		if err != nil || !strings.HasSuffix(name, ".html") || pages >= 2500 {
			return nil
		}
		file, err := os.ReadFile(name)
		if err != nil || len(file) > 200<<10 {
			return nil
		}
		pages++
		v := g.Look(file, page.Page{Path: "/a/", File: "a/index.html"})
		if v.Scan.Fragment() {
			return nil
		}
		text := v.Source.String(0, len(v.Source.Text))
		lower := strings.ToLower(text)
		doc, err := html.Parse(
			strings.NewReader(
				strings.Replace(text[:min(len(text), 99)], "DOCTYPE HTML", "DOCTYPE html", 1) +
					text[min(len(text), 99):])) // which it takes for quirks
		if err != nil {
			t.Fatal(err)
		}
		for i, selector := range asked {
			nodes := cascadia.QueryAll(doc, cascadia.MustCompile(selector))
			nodes = slices.DeleteFunc(nodes,
				func(n *html.Node) bool { return !strings.Contains(lower, "<"+n.Data) }) // it has no tag
			stray := slices.ContainsFunc(nodes, func(n *html.Node) bool { // a </p> that ends none makes one, and has no tag
				return n.Data == "p" && n.FirstChild == nil && n.Attr == nil
			})
			var texts, classes []string
			for k, n := range nodes {
				if said := readerText(n); said != "" {
					texts = append(texts, said)
				}
				if k == 0 {
					classes = attrOfNode(n, "class")
				}
			}
			first := texts
			if len(nodes) > 0 {
				if first = nil; readerText(nodes[0]) != "" {
					first = texts[:1]
				}
			}
			for k, want := range [][]string{first, texts, classes} {
				if stray && k != 1 {
					continue
				}
				v.content().left = 1 << 30
				if got := v.Said(names[3*i+k]); !slices.Equal(got, want) {
					for len(got) > 0 && len(want) > 0 && got[0] == want[0] {
						got, want = got[1:], want[1:]
					}
					if len(got) > 0 && len(want) > 0 {
						n := 0
						for n < len(got[0]) && n < len(want[0]) && got[0][n] == want[0][n] {
							n++
						}
						got[0], want[0] = got[0][max(n-20, 0):], want[0][max(n-20, 0):]
					}
					t.Fatalf("%s: %s is\n%.300q (%d), want\n%.300q (%d)", name, names[3*i+k], got[:min(len(got), 1)],
						len(got), want[:min(len(want), 1)], len(want))
				}
				values++
			}
		}
		if v.Unread != "" {
			t.Errorf("%s: %s", name, v.Unread)
		}
		return nil
	})
	t.Logf("%d pages, %d values", pages, values)
}

func attrOfNode(n *html.Node, name string) []string {
	for _, a := range n.Attr {
		if a.Key == name && strings.TrimSpace(a.Val) != "" {
			return []string{strings.TrimSpace(a.Val)}
		}
	}
	return nil
}

// readerText is the text of an element by a parser of others: textContent with spaces where blocks begin and end.
func readerText(n *html.Node) string {
	if n.Data != "title" && n.Data != "textarea" && unshown.MatchString(n.Data) && n.Data != "svg" && n.Data != "select" &&
		n.Data != "head" && n.Data != "object" && n.Data != "video" && n.Data != "audio" && n.Data != "canvas" {
		return ""
	}
	var b strings.Builder
	var walk func(*html.Node)
	walk = func(n *html.Node) {
		if n.Type == html.TextNode {
			b.WriteString(n.Data)
			return
		}
		if n.Type == html.ElementNode {
			hidden := unshown.MatchString(n.Data)
			for _, a := range n.Attr {
				hidden = hidden || a.Key == "hidden" || a.Key == "style" && strings.Contains(
					strings.ReplaceAll(a.Val, " ", "")+";", "display:none;")
			}
			if hidden {
				return
			}
			if !flowing.MatchString(n.Data) {
				b.WriteByte(' ')
				defer b.WriteByte(' ')
			}
		}
		before := b.Len()
		for c := n.FirstChild; c != nil; c = c.NextSibling {
			walk(c)
		}
		if n.Data == "a" && len(attrOfNode(n, "href")) > 0 && attrOfNode(n, "href")[0][0] == '#' {
			if text := b.String(); !regexp.MustCompile(`[\p{L}\p{Nd}]`).MatchString(text[before:]) {
				b.Reset()
				b.WriteString(text[:before])
			}
		}
	}
	for c := n.FirstChild; c != nil; c = c.NextSibling {
		walk(c)
	}
	return strings.Join(
		strings.FieldsFunc(b.String(), func(r rune) bool { return strings.ContainsRune(" \t\n\f\r", r) }), " ")
}

var (
	unshown = regexp.MustCompile(
		`^(script|style|template|noscript|iframe|title|textarea|select|datalist|svg|head|object|video|audio|canvas|rp)$`)
	flowing = regexp.MustCompile(
		`^(a|abbr|acronym|b|bdi|bdo|big|button|cite|code|data|del|dfn|em|font|i|img|input|ins|kbd|label|map|mark|math|output|picture|q|ruby|rt|s|samp|small|source|span|strike|strong|sub|sup|time|tt|u|var|wbr|meta|link|param|track|area|[a-z]+[-_][a-z0-9_-]*)$`)
)

// TestContentGrows: what is read of elements that stand in one another is bounded by the page's length.
func TestContentGrows(t *testing.T) {
	g := gate(t, "metadata: [{pages: all, keywords: '@{page.all(div)}'}]\n")
	for what, between := range map[string]string{"by tags": "", "by a tree": "<b><p></b>"} {
		text := "<!doctype html><meta charset=utf-8><body>" + strings.Repeat("<div>", 300) + strings.Repeat("x ",
			20_000) + between
		r := g.Page([]byte(text), page.Page{Path: "/a/", File: "a/index.html"})
		if r.Unread == "" || len(r.Problems) == 0 ||
			!strings.Contains(r.Problems[len(r.Problems)-1].Message, "stand in one another") {
			t.Errorf("%s: %q %v", what, r.Unread, r.Problems)
		}
	}
}
