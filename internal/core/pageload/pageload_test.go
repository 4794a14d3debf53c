package pageload

import (
	"slices"
	"strings"
	"testing"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/itemmatch"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/weburl"
)

const home = "https://ternhill.example/visit/"

// visit is a visit with a tag container: the page loads box.js, that loads tag.js, that a pixel; an
// inline script of the page loads late.css.
func visit() *Record {
	return &Record{URL: home, Requests: []Request{
		{URL: home, Kind: "document", Status: 200},
		{URL: "https://ternhill.example/js/box.js", Kind: "script", Status: 200, Wire: 900,
			Asked: Initiator{By: "page", URL: home, Line: 4}},
		{URL: "https://tags.example/tag.js#x", Kind: "script", Status: 200, Wire: 100,
			Asked: Initiator{By: "script", URL: "https://ternhill.example/js/box.js", Line: 1}},
		{URL: "https://tags.example/p.gif", Kind: "image", Status: 302,
			Asked: Initiator{By: "script", URL: "https://tags.example/tag.js", Line: 2}},
		{URL: "https://count.example/p.gif", Kind: "image", Status: 200,
			Asked: Initiator{By: "redirect", URL: "https://tags.example/p.gif", Request: 3}},
		{URL: "https://ternhill.example/css/late.css", Kind: "style", Status: 404,
			Asked: Initiator{By: "script", URL: home, Line: 6}},
		{URL: "https://ternhill.example/js/box.js", Kind: "script", Status: 200, Cached: true,
			Asked: Initiator{By: "script", URL: "https://nobody.example/x.js", Line: 6}},
	}}
}

// TestLink: chains lead back to the page.
func TestLink(t *testing.T) {
	r := visit()
	base := weburl.NewSite("https://ternhill.example").Page("/visit/", "")
	r.Mistakes = []Mistake{{Kind: "exception", URL: "https://tags.example/tag.js"}, {Kind: "exception", URL: home}}
	r.Settle(base)
	r.Link()
	for i, want := range []string{"", "/js/box.js", "/js/box.js → https://tags.example/tag.js",
		"/js/box.js → https://tags.example/tag.js → https://tags.example/p.gif",
		"/js/box.js → https://tags.example/tag.js → https://tags.example/p.gif → https://count.example/p.gif",
		"/css/late.css", "/js/box.js"} {
		if got := r.Tell(r.Chain(i)); got != want {
			t.Errorf("request %d: %q, want %q", i, got, want)
		}
	}
	var tree []string
	r.Tree(func(i, deep int) { tree = append(tree, strings.Repeat(">", deep)+string(rune('0'+i))) })
	if got := strings.Join(tree, " "); got != "0 >1 >>2 >>>3 >>>>4 >5 >6" {
		t.Errorf("who asked whom: %s", got)
	}
	if got := r.Hosts(); !slices.Equal(got, []string{"count.example", "tags.example"}) {
		t.Errorf("hosts: %v", got)
	}
	if r.Requests[1].Party != "own" || r.Requests[2].Party != "third" || r.Wire() != 1000 {
		t.Errorf("parties and weight: %+v", r.Requests)
	}
	if r.Mistakes[0].Request != 2 || r.Mistakes[1].Request != -1 {
		t.Errorf("mistakes: %+v", r.Mistakes)
	}
	round := &Record{Requests: []Request{{}, {Asked: Initiator{Request: 2}}, {Asked: Initiator{Request: 1}}}}
	if got := round.Chain(1); len(got) != 2 {
		t.Errorf("a circle: %v", got)
	}
	n := 0
	if round.Tree(func(int, int) { n++ }); n != 3 {
		t.Errorf("of a circle %d are visited", n)
	}
	if none := (&Record{}); none.Chain(3) != nil || none.ByID("x") != -1 || none.Places(nil) != "a script" {
		t.Error("an empty record has chains")
	}
	r.Requests[4].SetID("n4")
	if r.ByID("n4") != 4 || r.Requests[4].ID() != "n4" {
		t.Error("a request is not found by its ID")
	}
}

// TestAdopt: elements with who put them there, and the items that requests belong to.
func TestAdopt(t *testing.T) {
	const text = "<!doctype html>\n<head>\n<title>Visit</title>\n<script src=\"/js/box.js\" defer></script>\n</head>\n<body><!--yg:inline-->\n<script>late()</script><!--/yg:inline-->\n<svg><title>no</title></svg>\n</body>\n"
	const dom = "<!doctype html><html><head>\n<title>Come in</title>\n<script src=\"/js/box.js\" defer></script><script src=\"https://tags.example/tag.js\"></script>\n</head>\n<body><!--yg:inline-->\n<script>late()</script><!--/yg:inline-->\n<svg><title>no</title></svg><iframe src=\"https://chat.example/\"></iframe>\n</body></html>"
	file, problems := gatefile.Parse("g.yaml",
		[]byte(
			"yellowgate: 1\nsite: {url: \"https://ternhill.example\"}\nitems:\n  box: {found: {url: /js/box.js}, pages: all}\n  inline: {code: <script>late()</script>, pages: all}\n  tag: {found: {url: \"https://tags.example/**\"}, pages: none}\n  late: {stylesheet: /css/late.css, pages: none}\n"),
		nil)
	g, more := pageedit.New(file, "2026-11-29")
	if ps := append(problems, more...); len(ps) > 0 {
		t.Fatal(ps)
	}
	take := func(html string) *inventory.Record {
		r := itemmatch.Take([]byte(html), page.Page{Path: "/visit/", File: "visit/index.html"}, g, nil).Record
		itemmatch.NameOwners(r, g)
		return r
	}
	r := visit()
	r.Requests[5].Asked.Line = 7 // the inline script's
	r.Mistakes = []Mistake{{Kind: "exception", URL: "https://tags.example/tag.js", Line: 3},
		{Kind: "exception", URL: home, Line: 7}, {Kind: "exception", URL: home, Line: 99}}
	r.Used = []Used{{URL: "https://ternhill.example/js/box.js"}}
	by := func(url string, line int) *By { return &By{URL: url, Line: line} }
	r.Nodes = []Node{{Tag: "title"}, {Tag: "script", URL: "/js/box.js"},
		{Tag: "script", URL: "https://tags.example/tag.js", By: by("https://ternhill.example/js/box.js", 1)},
		{Tag: "script"}, {Tag: "img", URL: "x"}, {Tag: "iframe", URL: "https://chat.example/", By: by(home, 7)}}
	document := take(dom)
	r.Settle(document.Base)
	r.Adopt(document, take(text), g)
	var got []string
	for _, e := range r.Elements {
		s := e.Tag + " " + e.Area + " " + e.Came
		if e.Text {
			s += " text"
		}
		if s += " " + e.Item; e.By != nil {
			s += " " + r.Places(e.By)
		}
		got = append(got, s)
	}
	want := []string{"title head page ", "script head page text box", "script head script tag /js/box.js",
		"script body page text inline", "iframe body script  a script of the page"}
	if !slices.Equal(got, want) {
		t.Errorf("elements:\n%s\nwant\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
	var items []string
	for _, x := range r.Requests {
		items = append(items, x.Item)
	}
	if want := []string{"", "box", "tag", "tag", "tag", "late", "box"}; !slices.Equal(items, want) {
		t.Errorf("requests are of %q, want %q", items, want)
	}
	if r.Mistakes[0].Item != "tag" || r.Mistakes[1].Item != "inline" || r.Mistakes[2].Item != "" ||
		r.Used[0].Item != "box" {
		t.Errorf("mistakes and uses: %+v %+v", r.Mistakes, r.Used)
	}
	alone := visit()
	alone.Settle(document.Base)
	alone.Adopt(document, nil, nil)
	if len(alone.Elements) != 5 || alone.Elements[1].Text {
		t.Errorf("without a text and a gate: %+v", alone.Elements)
	}
}

// TestNames: popups have the item that their id names, and what an item's code asks of third parties is that
// item's, but for what the page itself asks for.
func TestNames(t *testing.T) {
	file, problems := gatefile.Parse("g.yaml",
		[]byte(
			"yellowgate: 1\nsite: {url: \"https://ternhill.example\"}\nitems:\n  letter: {popup: <p>x</p>, label: Letter, open: {after: 3s}, pages: all}\n  count: {code: \"<script>send('https://count.example/p.gif?a=1')</script>\", pages: all}\n  lamp: {script: /js/lamp.js, pages: all}\n"),
		nil)
	g, more := pageedit.New(file, "2026-11-29")
	if ps := append(problems, more...); len(ps) > 0 {
		t.Fatal(ps)
	}
	text := inventory.Take([]byte("<!doctype html><title>x</title>"), page.Page{Path: "/visit/"},
		weburl.NewSite("https://ternhill.example"), nil)
	r := &Record{Dialogs: []Dialog{{ID: "letter"}, {ID: "lamp"}, {ID: "own"}},
		Popups: []Popup{{ID: "own"}, {ID: "letter"}},
		Used:   []Used{{Target: "inline 1"}, {URL: "https://ternhill.example/js/lamp.js"}}}
	for by, u := range map[string]string{"script": "https://count.example/p.gif?b=2",
		"page": "https://count.example/p.gif?c=3"} {
		r.Requests = append(r.Requests, Request{URL: u, Asked: Initiator{By: by, Request: -1}})
	}
	r.Requests = append(r.Requests,
		Request{URL: "https://ternhill.example/js/lamp.js", Asked: Initiator{By: "script", Request: -1}})
	r.Settle(text.Base)
	r.Adopt(text, nil, g)
	if r.Dialogs[0].Item != "letter" || r.Dialogs[1].Item+r.Dialogs[2].Item+r.Popups[0].Item != "" ||
		r.Popups[1].Item != "letter" {
		t.Errorf("%+v %+v", r.Dialogs, r.Popups)
	}
	for _, x := range r.Requests {
		if want := map[string]string{"https://count.example/p.gif?b=2": "count", "/js/lamp.js": "lamp"}[x.Target]; x.Item != want {
			t.Errorf("%s is of %q, want %q", x.Target, x.Item, want)
		}
	}
	if r.Used[0].Target != "inline 1" || r.Used[1].Target != "/js/lamp.js" || r.Used[1].Item != "lamp" {
		t.Errorf("%+v", r.Used)
	}
	r.Adopt(text, nil, nil)
	if r.Dialogs[0].Item != "" {
		t.Error("a dialog has an item, and there is no gate")
	}
}

// TestParsed: what the text names is the page's own request; what it does not was asked for by a script,
// whoever the browser says.
func TestParsed(t *testing.T) {
	text := inventory.Take(
		[]byte(
			"<!doctype html><link rel=stylesheet href=/a.css><img src=/i.png srcset='/i2.png 2x' alt=i><style>p { background: url(/bg.png) }</style><script src=/a.js></script>"),
		page.Page{Path: "/visit/"}, weburl.NewSite("https://ternhill.example"), nil)
	targets := []string{"/visit/", "/a.css", "/i.png", "/i2.png", "/bg.png", "/a.js", "/pixel.gif",
		"https://count.example/p.gif"}
	r := &Record{}
	for _, target := range targets {
		u := target
		if strings.HasPrefix(u, "/") {
			u = "https://ternhill.example" + u
		}
		r.Requests = append(r.Requests, Request{URL: u, Asked: Initiator{By: "page", URL: home, Line: 1}})
	}
	r.Requests = append(r.Requests,
		Request{URL: "https://ternhill.example/late.js", Asked: Initiator{By: "style", URL: home, Line: 1}})
	r.Settle(text.Base)
	r.Adopt(text, text, nil)
	for i, x := range r.Requests {
		want := "page"
		switch {
		case i >= len(targets):
			want = "style"
		case i >= 6:
			want = "script"
		}
		if x.Asked.By != want {
			t.Errorf("%s was asked for by %s, want %s", x.Target, x.Asked.By, want)
		}
	}
}

// TestHas: whether a browser has an item, and who brings it in; an item that the page itself has was
// brought by nobody.
func TestHas(t *testing.T) {
	r := visit()
	r.Settle(weburl.NewSite("https://ternhill.example").Page("/visit/", ""))
	r.Link()
	for i, item := range []string{"", "box", "tag", "pixel", "pixel", "late", "box"} {
		r.Requests[i].Item = item
	}
	r.Items = []string{"classes"}
	r.Elements = []DOMElement{{Tag: "iframe", Item: "chat", Came: "script", By: &By{URL: home, Request: -1}},
		{Tag: "dialog", Item: "letter", Came: "script", By: &By{Request: 2}},
		{Tag: "script", Item: "both", Came: "script", By: &By{Request: 2}},
		{Tag: "script", Item: "both", Came: "page"}}
	for item, want := range map[string]string{"box": "", "tag": "/js/box.js",
		"pixel": "/js/box.js → https://tags.example/tag.js", "late": "a script of the page", "classes": "",
		"chat": "a script of the page", "letter": "/js/box.js → https://tags.example/tag.js", "both": ""} {
		if !r.Has(item) || r.Brought(item) != want {
			t.Errorf("%s: %t, by %q, want %q", item, r.Has(item), r.Brought(item), want)
		}
	}
	if r.Has("nothing") || r.Brought("nothing") != "" {
		t.Error("it has what it has not")
	}
	for want, x := range map[string]Request{"404": {Status: 404}, "": {Status: 200}, "cors": {Failed: CORS},
		"policy": {Failed: Policy, Status: 200}} {
		if got := x.Lost(); got != want {
			t.Errorf("%+v: %q", x, got)
		}
	}
	for _, failed := range []string{NotCalled, Aborted, NotFinished} {
		if x := (&Request{Failed: failed, Status: 500}); x.Lost() != "" {
			t.Errorf("%s is lost", failed)
		}
	}
}

// TestSumOf: what visits come to; those that were not read count for nothing.
func TestSumOf(t *testing.T) {
	one := func(paint, shift float64, more ...Request) *Record {
		return &Record{Requests: append([]Request{{URL: home, Status: 200, Wire: 100}}, more...),
			Measured: Measured{LargestPaint: paint, Shift: shift, Blocking: 10}}
	}
	wrong := one(300, 0.1, Request{Status: 404, Wire: 5}, Request{Failed: NotCalled},
		Request{URL: "https://ternhill.example/favicon.ico", Status: 404, Asked: Initiator{By: "other"}})
	wrong.Mistakes = []Mistake{{Kind: "exception"}, {Kind: "console"}}
	got := SumOf(
		[]*Record{one(100, 0), wrong, one(200, 0.05), one(0, 0),
			{Unread: "it crashed", Requests: make([]Request, 9)}})
	if want := (Summary{Visits: 4, Requests: 7, Failed: 1, Wire: 405, Paint: 200, Shift: got.Shift, Blocking: 40,
		Exceptions: 1}); *got != want || got.Shift < 0.149 || got.Shift > 0.151 {
		t.Errorf("%+v, want %+v", *got, want)
	}
	if SumOf(nil) != nil || SumOf([]*Record{{Unread: "x"}}) != nil {
		t.Error("nothing comes to something")
	}
}
