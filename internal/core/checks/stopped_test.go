package checks

import (
	"fmt"
	"slices"
	"testing"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pageload"
	"yellowgate/internal/core/weburl"
)

// TestStoppedThere: what a policy stopped in the browser is told with its directive and who asked, once,
// and not where the text has told it.
func TestStoppedThere(t *testing.T) {
	const text = "<!doctype html>\n<meta http-equiv=\"Content-Security-Policy\" content=\"script-src 'self'\">\n<script src=/box.js></script>\n"
	request := func(target, failed, detail string, asked int) pageload.Request {
		return pageload.Request{URL: "https://ternhill.example" + target, Target: target, Failed: failed,
			Detail: detail, Asked: pageload.Initiator{By: "script", Request: asked}}
	}
	page0, box := request("/", "", "", -1), request("/box.js", "", "", 0)
	late := request("https://data.example/x.js", pageload.Policy, "script-src-elem", 1)
	policy := func(line, request int) pageload.Mistake {
		return pageload.Mistake{Kind: "policy", Message: "script-src does not allow inline code", Line: line,
			Request: request}
	}
	for _, c := range []struct {
		name, more string
		requests   []pageload.Request
		mistakes   []pageload.Mistake
		want       []string
	}{
		{"nothing", "", []pageload.Request{page0, box}, nil, nil},
		{"another failure", "", []pageload.Request{page0, box, request("/gone.js", pageload.NoHost, "", 1)}, nil, nil},
		{"a request of a script", "", []pageload.Request{page0, box, late}, nil,
			[]string{"1 script-src-elem does not allow https://data.example/x.js (requested by /box.js)"}},
		{"twice", "", []pageload.Request{page0, box, late, late}, nil,
			[]string{"1 script-src-elem does not allow https://data.example/x.js (requested by /box.js)"}},
		{"no directive is known", "",
			[]pageload.Request{page0, box, request("https://data.example/y", pageload.Policy, "", 1)}, nil,
			[]string{"1 the page's policy does not allow https://data.example/y (requested by /box.js)"}},
		{"the text has told it", "<script src=https://data.example/x.js></script>",
			[]pageload.Request{page0, box, late}, nil,
			[]string{"4 script-src does not allow https://data.example/x.js (policy in line 2)"}},
		{"inline code of the page", "", []pageload.Request{page0, box}, []pageload.Mistake{policy(9, -1)},
			[]string{"9 script-src does not allow inline code, which a script of the page puts in"}},
		{"inline code of a file", "", []pageload.Request{page0, box}, []pageload.Mistake{policy(9, 1)},
			[]string{"3 script-src does not allow inline code, which /box.js:9 puts in"}},
		{"inline code that the text has told", "<script>go()</script>", []pageload.Request{page0, box},
			[]pageload.Mistake{policy(4, -1)},
			[]string{"4 script-src does not allow inline code (policy in line 2)"}},
		{"an exception", "", []pageload.Request{page0, box},
			[]pageload.Mistake{{Kind: "exception", Message: "Error", Request: -1}}, nil},
	} {
		p := &check.Pass{Record: inventory.Take([]byte(text+c.more), page.Page{Path: "/"},
			weburl.NewSite("https://ternhill.example"), nil),
			Rendered: []*pageload.Record{{Path: "/", Screen: "1280x800", Requests: c.requests, Mistakes: c.mistakes}}}
		findings, _ := RunPage(p)
		var got []string
		for _, f := range findings {
			if f.Check == "blocked-by-policy" {
				got = append(got, fmt.Sprint(f.Line, " ", f.Message))
				if f.Remedy == "" {
					t.Errorf("%s: no remedy", c.name)
				}
			}
		}
		if !slices.Equal(got, c.want) {
			t.Errorf("%s: %q, want %q", c.name, got, c.want)
		}
	}
}

// TestLoadedAgain: what a script puts in that the page, or another script, has loaded already is a second time;
// what is no script and no stylesheet is not.
func TestLoadedAgain(t *testing.T) {
	element := func(tag, what, target, came string) pageload.DOMElement {
		return pageload.DOMElement{Tag: tag, What: what, Target: target, Party: "own", Came: came}
	}
	p := &check.Pass{Record: inventory.Take([]byte("<!doctype html>\n<script src=/a.js></script>"),
		page.Page{Path: "/"}, weburl.NewSite("https://ternhill.example"), nil),
		Rendered: []*pageload.Record{{Path: "/", Screen: "1280x800", Elements: []pageload.DOMElement{
			element("script", "", "/a.js", "page"), element("script", "", "/a.js", "script"), element("script", "",
				"/page.js", "page"), element("script", "", "/page.js", "page"),
			element("link", "stylesheet", "/b.css", "script"), element("link", "stylesheet", "/b.css",
				"script"), element("script", "", "/b.css", "script"),
			element("link", "icon", "/i.png", "page"), element("link", "icon", "/i.png", "script"), element("img", "",
				"/i.png", "script"), element("img", "", "/i.png", "script"),
			{Tag: "script", Party: "inline", Target: "x()", Came: "page"}, {Tag: "script", Party: "inline",
				Target: "x()", Came: "script"}, element("script", "", "", "script"), element("script", "", "", "script"),
		}}}}
	findings, _ := RunPage(p)
	var got []string
	for _, f := range findings {
		if f.Check == "double-load" {
			got = append(got, fmt.Sprint(f.Line, " ", f.Message))
		}
	}
	if want := []string{"1 /b.css is loaded a second time, by a script",
		"2 /a.js is loaded a second time, by a script"}; !slices.Equal(got, want) {
		t.Errorf("%q, want %q", got, want)
	}
}
