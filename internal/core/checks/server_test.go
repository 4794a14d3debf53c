package checks

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/itemmatch"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/pageload"
	"yellowgate/internal/core/weburl"
)

// answered is an answer with some fields, written as lines of a head.
func answered(lines ...string) *page.Answer {
	a := &page.Answer{Status: 200, Fields: map[string][]string{}}
	for _, line := range lines {
		name, value, _ := strings.Cut(line, ": ")
		a.Fields[name] = append(a.Fields[name], value)
	}
	return a
}

// TestHeader: what the head of an answer says counts like the elements that say the same.
func TestHeader(t *testing.T) {
	const page1 = "<!doctype html>\n<html lang=en-GB>\n<head>\n<meta charset=utf-8>\n<meta name=viewport content=x>\n<meta name=description content='The stars, seen well from the hill.'>\n<link rel=icon href=/there.svg>\n<title>Visit</title>\n%s</head>\n<body onclick=go()>\n<p>x</p>\n%s</body>\n</html>\n"
	for _, c := range []struct {
		name, head, body string
		fields           []string
		want             string // line and check of each finding
	}{
		{"nothing", "", "", nil, ""},
		{"the same", "", "", []string{"content-type: text/html; charset=UTF8", "content-language: en"}, ""},
		{"a canonical of its own", "", "", []string{`link: </visit/>; rel="canonical"`}, "1 canonical-relative"},
		{"the same canonical", "<link rel=canonical href=https://ternhill.example/visit/>\n", "",
			[]string{`link: <https://ternhill.example/visit/>; rel=canonical`}, ""},
		{"another canonical", "<link rel=canonical href=https://ternhill.example/visit/>\n", "",
			[]string{`link: <https://ternhill.example/>; rel=canonical`},
			"1 canonical-elsewhere, 1 canonical-repeated"},
		{"two in the header", "", "",
			[]string{
				`link: <https://ternhill.example/visit/>; rel=canonical, <https://elsewhere.example/>; rel="canonical"`},
			"1 canonical-repeated"},
		{"a canonical to nowhere", "", "", []string{`link: <https://ternhill.example/gone/>; rel=canonical`},
			"1 canonical-dead"},
		{"a preload to nowhere", "", "",
			[]string{"link: </gone.css>; rel=preload; as=style, </there.css>;rel=preload;as=style"}, "1 dead-file"},
		{"a link that nothing loads", "", "", []string{"link: </gone.css>; rel=next, </gone.svg>; rel=icon"}, ""},
		{"an insecure stylesheet", "", "", []string{"link: <http://fonts.example/a.css>; rel=stylesheet"}, "1 insecure-load"},
		{"policy", "", "<script src=https://count.example/c.js async></script>\n",
			[]string{"content-security-policy: default-src 'self'"}, "10 blocked-by-policy, 12 blocked-by-policy"},
		{"one policy of two", "", "<script src=https://count.example/c.js async></script>\n",
			[]string{"content-security-policy: img-src 'self', script-src-elem 'self'"}, "12 blocked-by-policy"},
		{"a policy that lets it in", "", "<script src=https://count.example/c.js async></script>\n",
			[]string{"content-security-policy: script-src https://count.example 'unsafe-inline'"}, ""},
		{"refresh to nowhere", "", "", []string{"refresh: 5; url=/gone/"}, "1 dead-refresh"},
		{"refresh to a page", "", "", []string{"refresh: 5; url=/visit/"}, ""},
		{"another encoding", "", "", []string{"content-type: text/html; charset=iso-8859-1"}, "4 header-differs"},
		{"another language", "", "", []string{"content-language: fr"}, "2 header-differs"},
		{"several languages", "", "", []string{"content-language: fr, en"}, ""},
	} {
		text := fmt.Sprintf(page1, c.head, c.body)
		known := page.Page{Path: "/visit/", File: "visit/index.html"}
		if c.fields != nil {
			known.Answer = answered(c.fields...)
		}
		pass := &check.Pass{Record: inventory.Take([]byte(text), known, weburl.NewSite("https://ternhill.example"), nil),
			Site: check.NewSite(
				check.Known{HasFile: func(p string) bool { return !strings.Contains(p, "gone") },
					HasPage: func(p string) bool { return p == "/visit/" || p == "/" }})}
		findings, _ := RunPage(pass)
		var got []string
		for _, f := range findings {
			if f.Check == "canonical-missing" || f.Check == "no-integrity" {
				continue
			}
			got = append(got, fmt.Sprint(f.Line, " ", f.Check))
			if f.Message == "" || f.Remedy == "" || f.Column == 0 {
				t.Errorf("%s: a finding without message, remedy or column: %+v", c.name, f)
			}
		}
		if strings.Join(got, ", ") != c.want {
			t.Errorf("%s: %v, want %s", c.name, got, c.want)
		}
	}
	missing, _ := RunPage(
		&check.Pass{
			Record: inventory.Take([]byte("\xef\xbb\xbf<!doctype html><title>x</title>"),
				page.Page{Path: "/", Answer: answered("content-type: text/html; charset=koi8-r")}, weburl.NewSite(""),
				nil)})
	if !slices.ContainsFunc(missing, func(f check.Finding) bool {
		return f.Check == "header-differs" && strings.Contains(f.Message, "byte order mark")
	}) {
		t.Errorf("a byte order mark against the header: %v", missing)
	}
}

// TestAddresses: what the server answered for each address.
func TestAddresses(t *testing.T) {
	home, visit := check.PageAt{Path: "/", File: "index.html"}, check.PageAt{Path: "/visit/", File: "visit/index.html"}
	sitemap := check.PageAt{File: "sitemap.xml"}
	from := func(at ...check.PageAt) []check.PageAt { return at }
	css := func(path string, size int64, fields ...string) check.Address {
		return check.Address{Path: path, Status: 200, File: path[1:], Wire: size, Bytes: size,
			Answer: answered(append(fields, "content-type: text/css")...)}
	}
	gz := css("/z.css", 5000, "content-encoding: gzip")
	gz.Wire = 900
	files := map[string]string{"/index.html": "<p>\n<a href='/old/'>old</a>\n",
		"/sitemap.xml": "<urlset>\n\n<loc>/gone</loc>"}
	for _, c := range []struct {
		name string
		list []check.Address
		want []string
	}{
		{"none", nil, nil},
		{"dead", []check.Address{{Path: "/old/", Page: true, Status: 404, From: from(home, visit), Links: 2}},
			[]string{"index.html:2 dead-page /old/: it answers 404; / and /visit/ lead there"}},
		{"many", []check.Address{{Path: "/old/", Page: true, Status: 500, From: from(visit, home), Links: 9}},
			[]string{"visit/index.html:1 dead-page /old/: it answers 500; /visit/, / and 7 more lead there"}},
		{"listed", []check.Address{{Path: "/gone", Page: true, Status: 410, From: from(sitemap), Links: 1}},
			[]string{"sitemap.xml:3 dead-page /gone: it answers 410; sitemap.xml leads there"}},
		{"silent", []check.Address{{Path: "/x", Page: true, From: from(home), Links: 1}},
			[]string{"index.html:1 dead-page /x: it does not answer; / leads there"}},
		{"circle",
			[]check.Address{
				{Path: "/x", Page: true, Status: 302, To: "/x", Why: "it redirects in a circle", From: from(home),
					Links: 1}}, []string{"index.html:1 dead-page /x: it redirects in a circle; / leads there"}},
		{"nobody leads there", []check.Address{{Path: "/x", Page: true, Status: 404}}, nil},
		{"a file, which dead-file tells", []check.Address{{Path: "/x.js", Status: 404, From: from(home), Links: 1}}, nil},
		{"one step", []check.Address{{Path: "/a", Page: true, To: "/b", Status: 301, From: from(home), Links: 1}}, nil},
		{"two steps",
			[]check.Address{{Path: "/a", Page: true, To: "/b", Status: 301, From: from(home), Links: 1},
				{Path: "/b", Page: true, Status: 308, To: "https://elsewhere.example/"}},
			[]string{
				"index.html:1 slow-redirect /a redirects 2 times before it ends at https://elsewhere.example/; / leads there"}},
		{"a small text", []check.Address{css("/a.css", 1000)}, nil},
		{"one of two", []check.Address{css("/a.css", 4000), gz},
			[]string{"a.css:1 uncompressed /a.css is sent without compression, 4.0 kB"}},
		{"all", []check.Address{css("/a.css", 4000), css("/b.css", 2000)},
			[]string{"a.css:1 uncompressed all 2 stylesheets over 1 kB are sent without compression, 6.0 kB"}},
		{"a picture",
			[]check.Address{
				{Path: "/a.png", File: "a.png", Status: 200, Wire: 9000, Bytes: 9000,
					Answer: answered("content-type: image/png")}}, nil},
		{"a digest, not kept", []check.Address{css("/a.3f9a2b1c.css", 10)},
			[]string{
				"a.3f9a2b1c.css:1 uncached /a.3f9a2b1c.css has a digest in its name, and is sent no Cache-Control"}},
		{"a digest, kept", []check.Address{css("/a.3f9a2b1c.css", 10, "cache-control: public, max-age=31536000")}, nil},
		{"a digest, asked again",
			[]check.Address{css("/a-BxK3f9aQ.css", 10, "cache-control: max-age=31536000, no-cache")},
			[]string{
				"a-BxK3f9aQ.css:1 uncached /a-BxK3f9aQ.css has a digest in its name, and is sent with Cache-Control: max-age=31536000, no-cache"}},
		{"words and dates",
			[]check.Address{css("/a.decorated.css", 10), css("/a-20260101.css", 10), css("/starcalc-1.2.css", 10),
				css("/a.stylesheet2.css", 10)}, nil},
	} {
		s := &check.SitePass{Gathered: NewGathered(),
			Site: check.NewSite(
				check.Known{Addresses: check.NewAddresses(c.list),
					Read: func(p string) ([]byte, bool) { b, ok := files[p]; return []byte(b), ok }})}
		var got []string
		for _, f := range RunSite(s) {
			got = append(got, fmt.Sprintf("%s:%d %s %s", f.File, f.Line, f.Check, f.Message))
		}
		if !slices.Equal(got, c.want) {
			t.Errorf("%s:\n  %s\nwant\n  %s", c.name, strings.Join(got, "\n  "), strings.Join(c.want, "\n  "))
		}
	}
}

// TestMeasuredBudgets: what only a browser measures counts against a budget, the worst of the screens.
func TestMeasuredBudgets(t *testing.T) {
	f, problems := gatefile.Parse("g.yaml",
		[]byte(
			"yellowgate: 1\nbudgets: [{pages: all, wire: 10 kB, requests-made: 3, paint: 1.5s, shift: 0.1, blocking-time: 200ms}]\n"),
		nil)
	g, more := pageedit.New(f, "2026-11-29")
	if ps := append(problems, more...); len(ps) > 0 {
		t.Fatal(ps)
	}
	result := g.Page([]byte("<!doctype html><title>x</title>"), page.Page{Path: "/", File: "index.html"})
	taken := itemmatch.Take(result.File, page.Page{Path: "/", File: "index.html"}, g, nil)
	small := &pageload.Record{Requests: []pageload.Request{{Wire: 9000}},
		Measured: pageload.Measured{LargestPaint: 1400, Shift: 0.1, Blocking: 200}}
	large := &pageload.Record{Requests: []pageload.Request{{Wire: 9000}, {Wire: 2000}, {}, {}},
		Measured: pageload.Measured{LargestPaint: 1501, Shift: 0.2, Blocking: 201}}
	for _, c := range []struct {
		visits []*pageload.Record
		want   []string
	}{
		{nil, nil},
		{[]*pageload.Record{small}, nil},
		{[]*pageload.Record{small, large},
			[]string{"wire: 11.0 kB", "requests-made: 4", "paint: 1.501s, and the budget is 1.5s",
				"shift: 0.2, and the budget is 0.1", "blocking-time: 201ms"}},
		{[]*pageload.Record{{Unread: "it crashed", Measured: pageload.Measured{Shift: 3}}}, nil},
	} {
		findings, _ := RunPage(&check.Pass{Record: taken.Record, Gated: itemmatch.Compare(taken, result), Rendered: c.visits})
		var got []string
		for _, f := range findings {
			if f.Check == "over-budget" {
				got = append(got, f.Message)
			}
		}
		if len(got) != len(c.want) {
			t.Errorf("%q, want %q", got, c.want)
			continue
		}
		for _, want := range c.want {
			if !slices.ContainsFunc(got, func(s string) bool { return strings.HasPrefix(s, want) }) {
				t.Errorf("%q is not in %q", want, got)
			}
		}
	}
	for text, ok := range map[string]bool{"paint: soon": false, "paint: 2 s": true, "shift: -1": false,
		"shift: much": false, "blocking-time: 3": false, "blocking-time: 1min": true} {
		_, problems := gatefile.Parse("g.yaml", []byte("yellowgate: 1\nbudgets: [{pages: all, "+text+"}]\n"), nil)
		if (len(problems) == 0) != ok {
			t.Errorf("%s: %v", text, problems)
		}
	}
}
