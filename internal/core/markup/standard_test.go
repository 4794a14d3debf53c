package markup

import (
	"fmt"
	"strings"
	"testing"
)

// TestStandardWins compares the scanner with the HTML standard where the full
// tree of x/net/html departs from it, or gives up; departs leaves such pages out
// of the comparison. tree is what the library has, so that a test fails when it
// comes round.
func TestStandardWins(t *testing.T) {
	for _, c := range []struct{ src, want, tree string }{
		// 13.2.6.4.22: a template may hold svg, and ends with its own end tag.
		{"<body><template><svg><title></title></svg></template><link>", "template@6 body, link@53 body",
			"template@6 body, link@53 body"},
		{"<body><svg><foreignObject><template></template></foreignObject></svg><link>", "template@26 body, link@69 body", ""},
		// The Encoding Standard, 6.1: a byte order mark is no text.
		{"\xef\xbb\xbf<meta><title>t</title>", "meta@3 head, title@9 head", "meta@3 body, title@9 body"},
	} {
		var got []string
		for _, e := range Scan([]byte(c.src), nil).Elements {
			if e.Inside == InPage {
				got = append(got, fmt.Sprintf("%s@%d %s", e.Tag, e.Start, e.Area))
			}
		}
		if g := strings.Join(got, ", "); g != c.want {
			t.Errorf("%q: %s, want %s", c.src, g, c.want)
		}
		if g := strings.Join(fullTree([]byte(c.src)), ", "); g != c.tree {
			t.Errorf("%q: the library's tree has %s, not %s any more", c.src, g, c.tree)
		}
	}
}

// TestScan: the head ends at "|", the body at "^"; and what broke the head.
func TestScan(t *testing.T) {
	for _, c := range []struct{ src, breaker string }{
		{"<head>|</head><body>^</body>", ""},
		{"<title>t</title>|<p>x^", ""},
		{"<head><title>t</title>|<div></div></head><body>x^</body>", "<div>"},
		{"<head>|text</head><body>x^</body>", "text"},
		{"<head>|</head><div></div><body>x^</body>", "<div>"},
		{"<head><!-- </head> --><script>'</head>'</script>|</head><body>x<!-- </body> --><textarea></body></textarea>^</body>",
			""},
		{"<head>|</head><body>x</body>y^</body></html>", ""},
		{"<head>|</head><body>x^</html>", ""},
		{"<head>&#32;\n<meta>|&nbsp;<link>^", ""},
		{"<head>|</head><body>^<svg><script></body>", ""},
	} {
		clean := strings.NewReplacer("|", "", "^", "").Replace(c.src)
		p := Scan([]byte(clean), nil)
		head := strings.Index(c.src, "|")
		body := strings.Index(strings.Replace(c.src, "|", "", 1), "^")
		if p.HeadStop != head || p.BodyStop != body {
			t.Errorf("%s: head ends at %d, body at %d, want %d and %d", clean, p.HeadStop, p.BodyStop, head, body)
		}
		if got := clean[p.Breaker.Start:p.Breaker.End]; got != c.breaker {
			t.Errorf("%s: broken by %q, want %q", clean, got, c.breaker)
		}
	}
}

// TestBogusComments: a browser takes these for comments, up to the first ">" (HTML, 13.2.5.41).
func TestBogusComments(t *testing.T) {
	for _, begin := range []string{"<?xml ", "<?", "</ ", "</3", "<!x ", "<!"} {
		if p := Scan([]byte("<!doctype html><title>t</title>"+begin+"<base href=/a/><link href=b>"), nil); len(
			p.Elements) != 2 || p.Elements[1].Tag != TagLink {
			t.Errorf("%s: %v", begin, p.Elements)
		}
	}
}

// TestMessyForeignContent: where foreign content cannot be followed tag by tag,
// the elements come from a full tree.
func TestMessyForeignContent(t *testing.T) {
	for src, want := range map[string]string{
		"<body><div><svg></div><link>": "link@22 body",
		"<body><svg><foreignObject><p>a<p>b</foreignObject></svg><link></p></p></svg><link>": "link@56 body, link@76 body",
		"<body><svg><g></span></g><title><link></title></svg><style></style>":                "link@32 body, style@52 body",
	} {
		var got []string
		for _, e := range Scan([]byte(src), nil).Elements {
			if e.Inside == InPage {
				got = append(got, fmt.Sprintf("%s@%d %s", e.Tag, e.Start, e.Area))
			}
		}
		if g := strings.Join(got, ", "); g != want {
			t.Errorf("%s: %s, want %s", src, g, want)
		}
	}
}

func TestAttributes(t *testing.T) {
	tag := `<a b=c/d e='f>"g' H="&amp;&copy=1&copy;&notit;&#x41;" i = j k l="" =m=n b=again>`
	want := "b:c/d|e:f>\"g|H:&&copy=1©&notit;A|i:j|k:|l:|=m:n|b:again"
	var got []string
	Attrs([]byte(tag), 0, func(a Attr) bool {
		got = append(got, tag[a.Name.Start:a.Name.End]+":"+DecodeAttr([]byte(tag[a.Value.Start:a.Value.End])))
		return true
	})
	if g := strings.Join(got, "|"); g != want {
		t.Errorf("attributes %s\nwant %s", g, want)
	}
	if v, ok := AttrValue([]byte(tag), 0, "b"); v != "c/d" || !ok {
		t.Errorf("of two attributes b the first counts, not %q", v)
	}
}
