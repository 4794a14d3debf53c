package pagechange_test

import (
	"flag"
	"fmt"
	"io/fs"
	"maps"
	"math/rand/v2"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"unicode/utf16"
	"unicode/utf8"

	"golang.org/x/net/html"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/itemmatch"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/page"
	. "yellowgate/internal/core/pagechange"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/testsize"
)

// said writes changes in one line each.
func said(list []Change) (out []string) {
	for _, c := range list {
		out = append(out,
			fmt.Sprintf("%s%s %s [%s] %s %q > %q", strings.TrimSpace(c.Item+" "),
				map[bool]string{true: " "}[c.Item != ""]+string(c.Kind), c.Name, c.Of, c.How, c.Was, c.Is))
	}
	return out
}

const start = `<!doctype html><html lang="en"><head><title>Plays</title><meta name="description" content="All plays"></head><body>`

// TestBetween: each change is told as what it is.
func TestBetween(t *testing.T) {
	const region = "<!--yg:veil-->\n<div id=\"veil\" style=\"color: red\">Wait</div><script>lift(2)</script><!--/yg:veil-->"
	for _, c := range []struct {
		name, before, after string
		want                []string
	}{
		{"nothing", "<p>a  b</p>", "\n<p>\na b </p>", nil},
		{"marks alone", "<i>a</i>", "<!--yg:a--><i>a</i><!--/yg:a-->",
			[]string{"item a [i] added \"\" > \"<i>a</i>\"", "element i [] removed \"<i>a</i>\" > \"\""}},
		{"a text", "<p>one</p><p>two</p>", "<p>one</p><p>2</p>", []string{`text p [] changed "two" > "2"`}},
		{"white space that is seen", "<pre>a  b</pre>", "<pre>a\nb</pre>", []string{`text pre [] changed "a  b" > "a\nb"`}},
		{"a class", `<p class="a b">x</p>`, `<p class="b c">x</p>`, []string{`class p.b [] changed "a" > "c"`}},
		{"a class more", `<p>x</p>`, `<p class=quiet>x</p>`, []string{`class p.quiet [] added "" > "quiet"`}},
		{"the order of classes", `<p class="a b">x</p>`, `<p class="b a">x</p>`,
			[]string{`attribute p.b [class] changed "a b" > "b a"`}},
		{"an attribute", `<img id=i src=a.png>`, `<img src="a.png" id=i loading=lazy>`,
			[]string{`attribute img a.png [loading] added "" > "lazy"`}},
		{"an empty attribute goes", `<p hidden>x</p>`, `<p>x</p>`, []string{`attribute p [hidden] removed "" > ""`}},
		{"quotes and order", `<p a=1 b='2'>x</p>`, `<p b="2" a="1">x</p>`, nil},
		{"an element", "<p>a</p><p>c</p>", "<p>a</p><p id=b>b</p><p>c</p>",
			[]string{`element p#b [] added "" > "<p id=b>b</p>"`}},
		{"an element with entities", "<p>a</p>", "<p>a</p><i>&lt;b> &amp; c</i>",
			[]string{`element i [] added "" > "<i>&lt;b&gt; &amp; c</i>"`}},
		{"a script says something else", "<script>a = 1</script>", "<script>a = 2</script>",
			[]string{`text script [] changed "a = 1" > "a = 2"`}},
		{"another script", "<script src=/a.js></script>", "<script src=/b.js></script>",
			[]string{`element script /a.js [] removed "<script src=\"/a.js\"></script>" > ""`,
				`element script /b.js [] added "" > "<script src=\"/b.js\"></script>"`}},
		{"a comment", "<!-- a -->", "<!-- b -->", []string{`element  [] changed "<!-- a -->" > "<!-- b -->"`}},
		{"an item comes", "<p>x</p>", "<p>x</p>" + region,
			[]string{
				`item veil [div, script] added "" > "<div id=\"veil\" style=\"color: red\">Wait</div><script>lift(2)</script>"`}},
		{"an item moves", region + "<p>x</p><p>y</p>", "<p>x</p>" + region + "<p>y</p>",
			[]string{`item veil [div, script] moved "in body" > "after </p>"`}},
		{"a parameter", region, strings.Replace(region, "lift(2)", "lift(3)", 1),
			[]string{`veil text script [] changed "lift(2)" > "lift(3)"`}},
		{"a style", region, strings.Replace(region, "red", "blue", 1),
			[]string{`veil attribute div#veil [style] changed "color: red" > "color: blue"`}},
		{"an item's text", region, strings.Replace(region, "Wait", "Soon", 1),
			[]string{`veil text div [] changed "Wait" > "Soon"`}},
		{"an item has more", region, strings.Replace(region, "<script>", "<b>x</b><script>", 1),
			[]string{`veil element b [] added "" > "<b>x</b>"`}},
		{"a spot is filled", "<p>x</p><div data-yg-spot=veil></div>", "<p>x</p>" + region, []string{
			`item veil [div, script] added "" > "<div id=\"veil\" style=\"color: red\">Wait</div><script>lift(2)</script>"`,
			`item veil [spot] removed "<div data-yg-spot=veil></div>" > ""`,
		}},
		{"the title of a drawing", "<svg><title>x</title></svg>", "<svg><title>y</title></svg>",
			[]string{`text title [] changed "x" > "y"`}},
		{"metadata in the body", "<title>x</title>", "",
			[]string{`metadata title [] changed "Plays\nx (in the body)" > "Plays"`}},
	} {
		if got := said(Between(Side{File: []byte(start + c.before)}, Side{File: []byte(start + c.after)})); !slices.Equal(
			got, c.want) {
			t.Errorf("%s:\n%s\nwant\n%s", c.name, strings.Join(got, "\n"), strings.Join(c.want, "\n"))
		}
	}
}

// TestMetadata: keys have the names of the gate file.
func TestMetadata(t *testing.T) {
	was := `<html lang=en><head><meta charset=utf-8><title>A</title><meta name=Description content=d><link rel=canonical href=/a><link rel=stylesheet href=/s.css>`
	is := `<html lang=de><head><meta charset=utf-8><title> A </title><meta property=og:title content=o><meta name=generator content=g><link rel=icon href=/i sizes=16x16><link rel=stylesheet href=/s.css>`
	want := []string{
		`metadata lang [] changed "en" > "de"`, `metadata property.og:title [] added "" > "o"`, `metadata meta.generator [] added "" > "g"`,
		`metadata icon[sizes=16x16] [] added "" > "/i"`, `metadata description [] removed "d" > ""`, `metadata canonical [] removed "/a" > ""`,
	}
	if got := said(Between(Side{File: []byte(was)}, Side{File: []byte(is)})); !slices.Equal(got, want) {
		t.Errorf("%s", strings.Join(got, "\n"))
	}
	const more = `<meta name=description content=d data-x=%s>`
	if got := said(
		Between(Side{File: fmt.Appendf(nil, more, "1")}, Side{File: fmt.Appendf(nil, more, "2")})); !slices.Equal(
		got, []string{`metadata description [] changed "d [data-x=\"1\"]" > "d [data-x=\"2\"]"`}) {
		t.Errorf("another attribute: %q", got)
	}
	latin := Between(Side{File: []byte("<meta charset=iso-8859-1><title>nu\xeet</title>")},
		Side{File: []byte("<meta charset=iso-8859-1><title>nu&#xEE;t</title>")})
	if len(latin) != 0 {
		t.Errorf("an encoding: %v", latin)
	}
}

// TestGroups: the same change of several pages is one, each class for itself, those on most pages first in their kind.
func TestGroups(t *testing.T) {
	var g Groups
	for n, class := range []string{"a", "a", "b"} {
		g.Add(
			fmt.Sprint("/", n),
			[]Change{
				{Kind: Class, Name: "body", How: Added, Is: class},
				{Kind: Metadata, Name: "title", How: Changed, Was: "x", Is: class},
			},
		)
	}
	g.Add(
		"/3",
		[]Change{
			{
				Kind: Text,
				Name: "p",
				Item: "veil",
				How:  Changed,
				Was:  strings.Repeat("owl ", 40) + "1",
				Is:   strings.Repeat("owl ", 40) + "2",
			},
		},
	)
	var got []string
	for _, x := range g.List() {
		sign, text := x.Words()
		got = append(got, fmt.Sprint(x.Section(), ": ", x.Called(), " ", sign, text, " on ", len(x.Pages)))
	}
	want := []string{
		"metadata: title such as x → a on 3", "items: veil, text in p …owl owl owl owl owl 1 → …owl owl owl owl owl 2 on 1",
		"classes: body +a on 2", "classes: body +b on 1",
	}
	if !slices.Equal(got, want) {
		t.Errorf("%q", got)
	}
}

// TestOwned: what belongs to an item without a mark is told as the item's, and what is told elsewhere is not told.
func TestOwned(t *testing.T) {
	page := func(body string, item string) Side {
		s := Side{File: []byte(start + body)}
		if at := strings.Index(string(s.File), "<script src=/kit.js>"); at >= 0 {
			s.Owned = []Owned{
				{Span: markup.Span{Start: at, End: at + len("<script src=/kit.js></script>")}, Item: item},
			}
		}
		return s
	}
	const kit = "<script src=/kit.js></script>"
	for _, c := range []struct {
		name          string
		before, after Side
		want          []string
	}{
		{"it goes", page("<p>x</p>"+kit, "kit"), page("<p>x</p>", ""),
			[]string{`item kit [script] removed "<script src=/kit.js></script>" > ""`}},
		{"it moves", page("<p>x</p>"+kit+"<i>y</i>", "kit"), page(kit+"<p>x</p><i>y</i>", "kit"),
			[]string{`item kit [script] moved "after </p>" > "in body"`}},
		{"it is told elsewhere", page("<p>x</p>"+kit, ""), page("<p>x</p>", ""), nil},
		{"it goes, in UTF-16", wide(page("<p>ñ</p>"+kit, "kit")), wide(page("<p>ñ</p>", "")), []string{
			`item kit [script] removed "<script src=/kit.js></script>" > ""`,
		}},
		{"it gets its mark", page(kit, "kit"), page("<!--yg:kit-->"+kit+"<!--/yg:kit-->", "kit"), nil},
	} {
		if got := said(Between(c.before, c.after)); !slices.Equal(got, c.want) {
			t.Errorf("%s:\n%s\nwant\n%s", c.name, strings.Join(got, "\n"), strings.Join(c.want, "\n"))
		}
	}
}

// wide is a side in UTF-16.
func wide(s Side) Side {
	text := string(s.File)
	at := func(offset int) int { return 2 + 2*len(utf16.Encode([]rune(text[:offset]))) }
	s.File = []byte{0xFF, 0xFE}
	for _, c := range utf16.Encode([]rune(text)) {
		s.File = append(s.File, byte(c), byte(c>>8))
	}
	for i := range s.Owned {
		s.Owned[i].Start, s.Owned[i].End = at(s.Owned[i].Start), at(s.Owned[i].End)
	}
	return s
}

// bag is what a page consists of, without its order: read by the tokenizer alone.
type bag map[string]int

func (b bag) put(n int, what string) {
	if b[what] += n; b[what] == 0 {
		delete(b, what)
	}
}

var marks = regexp.MustCompile(`<!--/?yg:[a-z0-9-]+-->`)

// add adds the pieces of a text n times.
func (b bag) add(n int, text string) {
	z := html.NewTokenizer(strings.NewReader(marks.ReplaceAllString(text, "")))
	for {
		kind := z.Next()
		token := z.Token()
		switch kind {
		case html.ErrorToken:
			return
		case html.TextToken:
			if words := strings.Join(strings.Fields(token.Data), " "); words != "" {
				b.put(n, "text "+words)
			}
		case html.CommentToken:
			b.put(n, "comment "+token.Data)
		case html.StartTagToken, html.SelfClosingTagToken:
			b.put(n, "<"+token.Data)
			for _, a := range token.Attr {
				b.attribute(n, a.Key, a.Val)
			}
		case html.EndTagToken:
			b.put(n, "</"+token.Data)
		}
	}
}

func (b bag) attribute(n int, name, value string) {
	if name != "class" {
		b.put(n, name+"="+value)
		return
	}
	words := strings.Fields(value) // one that is there twice is there
	slices.Sort(words)
	for _, word := range slices.Compact(words) {
		b.put(n, "class "+word)
	}
}

// take puts a change into the page before.
func (b bag) take(c Change) {
	switch {
	case c.How == Moved:
	case c.Kind == Metadata:
		for n, side := range map[int]string{-1: c.Was, 1: c.Is} {
			for value := range strings.SplitSeq(side, "\n") {
				if value != "" {
					b.put(n, "metadata "+c.Name+" "+value)
				}
			}
		}
	case c.Kind == Class:
		b.attribute(-1, "class", c.Was)
		b.attribute(1, "class", c.Is)
	case c.Kind == Attribute:
		if c.How != Added {
			b.attribute(-1, c.Of, c.Was)
		}
		if c.How != Removed {
			b.attribute(1, c.Of, c.Is)
		}
	case c.Kind == Text:
		for n, side := range map[int]string{-1: c.Was, 1: c.Is} {
			if words := strings.Join(strings.Fields(side), " "); words != "" {
				b.put(n, "text "+words)
			}
		}
	default:
		b.add(-1, c.Was)
		b.add(1, c.Is)
	}
}

// differ lists what two bags have not as often.
func differ(got, want bag) string {
	var b strings.Builder
	for what := range maps.Keys(got) {
		if got[what] != want[what] {
			fmt.Fprintf(&b, "%q: %d, want %d\n", what, got[what], want[what])
		}
	}
	for what := range maps.Keys(want) {
		if _, ok := got[what]; !ok {
			fmt.Fprintf(&b, "%q: none, want %d\n", what, want[what])
		}
	}
	return b.String()
}

var described = regexp.MustCompile(
	`(?s)<title>(.*?)</title>|<meta name="(description|robots)" content="([^"]*)">|<link rel="(canonical)" href="([^"]*)">|<html (lang)="([^"]*)"`)

// bagOf takes a page, and its metadata by expressions of its own.
func bagOf(page string) bag {
	b := bag{}
	for _, m := range described.FindAllStringSubmatch(page, -1) {
		switch {
		case m[2]+m[4]+m[6] == "":
			b.put(1, "metadata title "+m[1])
		default:
			b.put(1, "metadata "+m[2]+m[4]+m[6]+" "+m[3]+m[5]+m[7])
		}
	}
	b.add(1, described.ReplaceAllStringFunc(page, func(m string) string {
		if strings.HasPrefix(m, "<html") {
			return "<html"
		}
		return ""
	}))
	return b
}

// edits are what a hand, a tool or a gate may do to a page, at a place that a number chooses.
var edits = []func(r *rand.Rand, page string) string{
	func(r *rand.Rand, page string) string { // a word
		return replaceOne(r, page, `>([a-z ]+)<`, func(m string) string { return ">" + m[1:len(m)-1] + word(r) + "<" })
	},
	func(r *rand.Rand, page string) string {
		return replaceOne(
			r,
			page,
			`<p[^>]*>`,
			func(m string) string { return `<p class="` + word(r) + " " + word(r) + `">` },
		)
	},
	func(r *rand.Rand, page string) string {
		return replaceOne(
			r,
			page,
			`<p[^>]*>`,
			func(m string) string { return strings.TrimSuffix(m, ">") + " data-" + word(r) + `="` + word(r) + `">` },
		)
	},
	func(r *rand.Rand, page string) string { // an element goes
		return replaceOne(r, page, `<p[^>]*>[^<]*</p>`, func(string) string { return "" })
	},
	func(r *rand.Rand, page string) string { // or comes
		return replaceOne(
			r,
			page,
			`</p>`,
			func(m string) string { return m + "\n<div><b>" + word(r) + "</b>" + word(r) + "</div>" },
		)
	},
	func(r *rand.Rand, page string) string { // a script
		return replaceOne(r, page, `<script[^>]*>`, func(string) string { return `<script src="/` + word(r) + `.js">` })
	},
	func(r *rand.Rand, page string) string {
		return replaceOne(
			r,
			page,
			`<title>.*?</title>`,
			func(string) string { return "<title>" + word(r) + "</title>" },
		)
	},
	func(r *rand.Rand, page string) string {
		return replaceOne(r, page, `<meta name="description"[^>]*>`, func(string) string { return "" })
	},
	func(r *rand.Rand, page string) string {
		return replaceOne(
			r,
			page,
			`</title>`,
			func(m string) string { return m + `<meta name="robots" content="` + word(r) + `">` },
		)
	},
	func(r *rand.Rand, page string) string { // a line within what goes over several
		return replaceOne(
			r,
			page,
			`(?:<u>lines|<u>no markup|over lines)\n\d+|  b\(\)|title="a > \d+"|<b>\n\d+`,
			func(m string) string {
				return strings.TrimRight(m, "0123456789\"()") + word(r) + regexp.MustCompile(`["()]*$`).FindString(m)
			},
		)
	},
	func(r *rand.Rand, page string) string { // an item goes
		return replaceOne(r, page, `(?s)<!--yg:veil-->.*?<!--/yg:veil-->`, func(string) string { return "" })
	},
	func(r *rand.Rand, page string) string { // or comes
		return replaceOne(r, page, `</p>`, func(m string) string {
			return m + "<!--yg:veil--><i>" + word(r) + "</i><b class=x>y</b><!--/yg:veil-->"
		})
	},
	func(r *rand.Rand, page string) string { // or moves
		m := regexp.MustCompile(`(?s)<!--yg:veil-->.*?<!--/yg:veil-->`).FindString(page)
		return replaceOne(r, strings.Replace(page, m, "", 1), `<p[^>]*>`, func(p string) string { return m + p })
	},
}

// replaceOne changes one of the places where an expression matches.
func replaceOne(r *rand.Rand, page, expression string, change func(string) string) string {
	all := regexp.MustCompile(expression).FindAllStringIndex(page, -1)
	if len(all) == 0 {
		return page
	}
	m := all[r.IntN(len(all))]
	return page[:m[0]] + change(page[m[0]:m[1]]) + page[m[1]:]
}

func word(r *rand.Rand) string { return []string{"owl", "star", "moon", "dome", "hill"}[r.IntN(5)] }

// long makes a page long: with lines that are alike or not, and with what goes over many lines.
func long(r *rand.Rand, page string) string {
	var b strings.Builder
	fill := strings.Repeat("\na <b> c", 6)
	attrs, attrs2 := "\na\nb\nc\nd\ne\nf", "\ng\nh\ni\nj\nk"
	for k := range 500 {
		switch r.IntN(12) {
		case 0:
			fmt.Fprintf(&b, "\n<!-- many%s\n<u>lines\n%d%s -->", fill, k, fill)
		case 1:
			fmt.Fprintf(&b, "\n<textarea>%s\n<u>no markup\n%d%s</textarea>", fill, k, fill)
		case 2:
			fmt.Fprintf(&b, "\n<script>%s\nif (a < %d)\n  b()%s\n</script>", fill, k, fill)
		case 3:
			fmt.Fprintf(&b, "\n<div%s\n  title=\"a > %d\"%s\n>x</div>", attrs, k, attrs2)
		case 4:
			fmt.Fprintf(&b, "\n<!--yg:note--><b>%s\n%d\n%s</b><!--/yg:note-->", fill, k, fill)
		case 5:
			fmt.Fprintf(&b, "\n<p>words%s\nover lines\n%d%s</p>", strings.Repeat("\nmore", 9), k, strings.Repeat("\nand on", 9))
		case 6:
			b.WriteString("\n<p>the same</p>")
		default:
			fmt.Fprintf(&b, "\n<p class=\"c%d\">line of its own %d\n</p>", k%7, k)
		}
	}
	if b.Len() < 20_000 {
		panic("it is too short")
	}
	return strings.Replace(page, "<p>four", b.String()+"<p>four", 1)
}

// TestChangesGiveAfter: random edits of a page, one to eight of them; the changes that are told, put into the page
// before, give the page after, and what they say stands where they say.
func TestChangesGiveAfter(t *testing.T) {
	page := `<!doctype html><html lang="en"><head><title>Plays</title><meta name="description" content="All"><script src="/a.js"></script></head>
<body><p>one</p><p class="a b">two <i>in</i> three</p><!--yg:veil--><i style="x: y">wait</i><script>lift(2)</script><!--/yg:veil-->
<p>four</p><ul><li>five</li><li>six</li></ul><p>one</p><script>run()</script></body></html>`
	for n := range testsize.Of(800, 2500) {
		r := rand.New(rand.NewPCG(uint64(n), 29))
		page := page
		if n%8 == 0 { // so long that its lines are looked at first
			page = long(r, page)
		}
		before, after := page, page
		for range r.IntN(3) {
			before = edits[r.IntN(len(edits))](r, before)
		}
		for range 1 + r.IntN(8) {
			after = edits[r.IntN(len(edits))](r, after)
		}
		changes := Between(Side{File: []byte(before)}, Side{File: []byte(after)})
		got, want := bagOf(before), bagOf(after)
		for _, c := range changes {
			got.take(c)
		}
		if !maps.Equal(got, want) {
			if len(before) > 2000 {
				before, after = "a long page", "another"
			}
			t.Fatalf("%d:\n%s\n→\n%s\nchanges:\n%s\ndiffer in\n%s", n, before, after,
				strings.Join(said(changes), "\n"), differ(got, want))
		}
		if len(changes) == 0 &&
			strings.Join(strings.Fields(marks.ReplaceAllString(before, "")), "") != strings.Join(
				strings.Fields(marks.ReplaceAllString(after, "")), "") {
			t.Fatalf("%d: nothing is told\n%s\n→\n%s", n, before, after)
		}
	}
}

var foreign = flag.String("pages", "", "a folder of pages, for TestForeignPages")

// TestForeignPages: random edits of pages that nobody here wrote. Their metadata stays as it is.
func TestForeignPages(t *testing.T) {
	if *foreign == "" {
		t.Skip("no folder is named: -pages FOLDER")
	}
	n := 0
	err := filepath.WalkDir(*foreign, func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || filepath.Ext(name) != ".html" {
			return err
		}
		b, err := os.ReadFile(name)
		if err != nil || !utf8.Valid(b) || len(b) > 1<<20 {
			return err
		}
		n++
		r := rand.New(rand.NewPCG(uint64(n), 29))
		before, after := string(b), string(b)
		for range 1 + r.IntN(4) {
			if k := r.IntN(len(edits)); k != 6 && k != 7 && k != 8 {
				after = edits[k](r, after)
			}
		}
		changes := Between(Side{File: []byte(before)}, Side{File: []byte(after)})
		got, want := bag{}, bag{}
		got.add(1, before)
		want.add(1, after)
		for _, c := range changes {
			got.take(c)
		}
		if !maps.Equal(got, want) {
			t.Errorf("%s: %s\ndiffer in\n%s", name, strings.Join(said(changes), "\n"), differ(got, want))
		}
		return nil
	})
	if err != nil || n == 0 {
		t.Errorf("%d pages: %v", n, err)
	}
	t.Logf("%d pages", n)
}

// gateOf makes a gate file from a number: items of each kind, here and there, with other values.
func gateOf(r *rand.Rand) string {
	one := func(list ...string) string { return list[r.IntN(len(list))] }
	pages := func() string { return one("all", "none", "/a/", "/b/", "has(ul)") }
	place := func() string {
		return one("body-start", "body-end", "{before: p}", "{after: p}", "{last-in: ul}", "{instead-of: i}")
	}
	return fmt.Sprintf(
		`yellowgate: 1
site: {url: "https://ternhill.example", name: %s, marks: %s}
metadata: [{pages: %s, title: "%s @{page.title}", description: %s, robots: %s}]
defaults: [{pages: all, canonical: "@{page.url}", lang: %s}]
items:
  kit: {found: "script[src]", pages: %s%s}
  list: {found: ul, pages: %s}
  veil: {code: "<div class=veil style='top: @{far}px'>%s</div><script>lift(@{wait})</script>", params: {far: %d, wait: %d}, pages: %s, place: %s}
  note: {code: "<b>%s</b>", pages: %s, place: %s}
  look: {stylesheet: /%s.css, style-text: "p { top: %dpx }", pages: %s}
  quiet: {classes: {body: %s, p: %s}, pages: %s}
`,
		word(r),
		one("true", "false"),
		pages(),
		word(r),
		word(r),
		one("none", "noindex"),
		one("en", "de"),
		pages(),
		one("", ", load: async", ", place: body-end"),
		pages(),
		word(r),
		r.IntN(3),
		r.IntN(3),
		pages(),
		place(),
		word(r),
		pages(),
		place(),
		word(r),
		r.IntN(3),
		pages(),
		word(r),
		word(r),
		pages(),
	)
}

// TestGatesGiveAfter: two random gate files on a page; the changes that are told, put into what the one makes of it,
// give what the other makes, and nothing of it is called something else but what goes in place of an element.
func TestGatesGiveAfter(t *testing.T) {
	const text = `<!doctype html>
<html><head><title>Plays</title><meta name="description" content="All"><script src="/a.js"></script></head>
<body><p>one</p><p class="a b">two <i>in</i> three</p><ul><li>five</li><li>six</li></ul><p>one</p><script>run()</script></body></html>`
	tried := 0
	for n := range testsize.Of(300, 1500) {
		r := rand.New(rand.NewPCG(uint64(n), 2912))
		known := page.Page{Path: "/a/", File: "a/index.html"}
		var results [2]*pageedit.Result
		var gates [2]*pageedit.Gate
		for i := range results {
			f, problems := gatefile.Parse("g.yaml", []byte(gateOf(r)), nil)
			g, more := pageedit.New(f, "2026-12-01")
			for _, p := range append(problems, more...) {
				if p.Severity == problem.Error {
					t.Fatalf("%v", p)
				}
			}
			gates[i], results[i] = g, g.Page([]byte(text), known)
		}
		if len(results[0].Problems)+len(results[1].Problems) > 0 {
			continue // such a gate is refused
		}
		tried++
		read := func(i int) *itemmatch.Comparison { return itemmatch.Read(results[i].File, results[i], gates[i], nil) }
		changes := Between(read(0).Side(), read(1).Side())
		if n%2 == 0 { // the light way
			changes = Between(itemmatch.SideOf(results[0], gates[0]), itemmatch.SideOf(results[1], gates[1]))
		}
		got, want := bagOf(string(results[0].File)), bagOf(string(results[1].File))
		for _, c := range changes {
			got.take(c)
		}
		if !maps.Equal(got, want) {
			t.Fatalf("%d:\n%s\n→\n%s\nchanges:\n%s\ngive %v\nwant %v", n, results[0].File, results[1].File,
				strings.Join(said(changes), "\n"), got, want)
		}
	}
	if tried < 100 {
		t.Errorf("only %d pairs of gates work", tried)
	}
}

// BenchmarkBetween: a long page that differs everywhere, and one that differs nowhere.
func BenchmarkBetween(b *testing.B) {
	same := strings.Repeat("<p class=a>stars and owls</p>\n", 2000)
	other := strings.Repeat("<p class=b>owls and stars</p>\n", 2000)
	for name, after := range map[string]string{"same": same + "<p>x</p>", "other": other} {
		b.Run(name, func(b *testing.B) {
			b.SetBytes(int64(len(same) + len(after)))
			for b.Loop() {
				Between(Side{File: []byte(start + same)}, Side{File: []byte(start + after)})
			}
		})
	}
}
