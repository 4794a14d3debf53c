package cli_test

import (
	"bytes"
	"encoding/json"
	"image"
	"image/png"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"yellowgate/internal/clitest"
	"yellowgate/internal/result"
)

// TestPageWhole: a page with the line behind each element and value, what was taken out, and what is not there.
func TestPageWhole(t *testing.T) {
	b := clitest.New(t)
	b.Want(0, clitest.Args("demo", "d"))
	b.Dir = filepath.Join(b.Dir, "d")
	out := b.Want(0, clitest.Args("show", "/events/perseids/", "--why"), "(the source has Tern Hill Observatory)",
		"per-page", "the page's own", "delay: 3.5s", "note: agreed with the trustees",
		"in, because per-page /events/perseids/ says so", "taken out of the source here: 7",
		"/kit/contact/contact.js", "items not on this page: 19", "out, because it is disabled")
	for _, want := range []string{
		`(?m)^ +\d+ +code +<div class="veil".* page-veil +yellowgate\.yaml:\d+$`, `(?m)^ +\d+ +script +/js/site\.js +the page's own$`,
		`(?m)^ +9 +link +/kit/contact/contact\.css +contact-kit +yellowgate\.yaml:\d+$`, `(?m)^  title +Perseids on the lawn.* metadata +yellowgate\.yaml:\d+$`,
	} {
		if !regexp.MustCompile(want).MatchString(out) {
			t.Errorf("%s is not in\n%s", want, out)
		}
	}
	// Each element that is named stands in the page at that line, and what is taken out stands in the source.
	var w result.WhyPage
	if err := json.Unmarshal(
		[]byte(b.Want(0, clitest.Args("show", "/events/perseids/", "--why", "--format", "json"))), &w); err != nil {
		t.Fatal(err)
	}
	for file, list := range map[string][]result.WhyElement{"public": w.Elements, "site": w.Taken} {
		lines := strings.Split(b.Read(file+"/events/perseids/index.html"), "\n")
		for _, e := range list {
			if at := lines[e.Line-1][e.Column-1:]; !strings.HasPrefix(at, "<") ||
				e.Tag != "code" && !strings.HasPrefix(at, "<"+e.Tag) && !strings.HasPrefix(at, "<!--yg:") {
				t.Errorf("%s:%d:%d is %q, not %s", file, e.Line, e.Column, at, e.Tag)
			}
		}
	}
	if len(w.In)+len(w.Out) != 25 || len(w.Elements) < 12 {
		t.Errorf("%d items in, %d out, %d elements", len(w.In), len(w.Out), len(w.Elements))
	}
	b.Want(0, clitest.Args("why", "/press/"), "items on this page: 3", "items not on this page: 22",
		"yellowgate show /press/ --why")
	b.Want(2, clitest.Args("show", "/press/", "--why", "--source"),
		"--why and --preview show the page as apply would write it")
	b.Want(2, clitest.Args("show", "/press/", "--format", "html"), "unknown format")
	if page := b.Want(0, clitest.Args("show", "/press/", "--why", "--format", "html")); !strings.Contains(page,
		"data:image/svg") ||
		strings.Contains(page, "<a ") ||
		strings.Contains(page, "<link") {
		t.Errorf("the page has no picture, or loads something:\n%s", page)
	}
	b.Want(0, clitest.Args("show", "/sky-camera/", "--why"), "in, because pages chooses the page",
		"; it may stay, and the page's source has none of it")
	b.Want(0, clitest.Args("show", "/contact/"), "code", "chat-room")
}

// TestPageOwn: what a page has by itself, once a key, with the gate deciding nothing.
func TestPageOwn(t *testing.T) {
	b := clitest.New(t)
	b.Write("site/index.html",
		`<!doctype html><html lang="en"><head><title>Own</title><meta name="keywords" content="one"><meta name="keywords" content="two"></head><body>x</body></html>`)
	b.Write("yellowgate.yaml",
		"yellowgate: 1\nsite: {source: site, output: public}\nitems: {a: {code: <b>x</b>, pages: none}}\n")
	out := b.Want(0, clitest.Args("why", "/"), "items not on this page: 1")
	for _, want := range []string{`(?m)^  title +Own +the page's source`, `(?m)^  keywords +one, two +the page's source`} {
		if !regexp.MustCompile(want).MatchString(out) {
			t.Errorf("%s is not in\n%s", want, out)
		}
	}
}

// TestPreview: what lists show of a page, before and after, and what is said of its picture.
func TestPreview(t *testing.T) {
	b := clitest.New(t)
	long := strings.Repeat("Stars and owls over the hill ", 5)
	b.Write("site/index.html",
		`<!doctype html><html lang="en"><head><title>`+long+
			`</title><meta property="og:image" content="https://ternhill.example/dome.png"></head><body><h1>Hi</h1></body></html>`)
	var dome bytes.Buffer
	if err := png.Encode(&dome, image.NewGray(image.Rect(0, 0, 1200, 900))); err != nil {
		t.Fatal(err)
	}
	b.Write("site/dome.png", dome.String())
	b.Write("yellowgate.yaml",
		"yellowgate: 1\nsite: {source: site, output: public, url: 'https://ternhill.example'}\nmetadata: [{pages: /, title: Short, description: '"+
			long+long+"', robots: noindex}]\n")
	out := b.Want(0, clitest.Args("show", "/", "--preview"), "before the gate", "after it", "the title is cut (",
		"the description is cut", "search results do not show it: robots says noindex",
		"1200 × 900 pixels: the middle 628 of its height are shown", "no description")
	if after := out[strings.Index(out, "after it"):]; !strings.Contains(after, "│ Short\n") ||
		strings.Contains(after, "title is cut") {
		t.Errorf("after the gate:\n%s", after)
	}
	for name, says := range map[string]string{
		"https://ternhill.example/none.png": "the site has no such file", "/dome.png": "not a whole address", "https://other.example/a.png": "of another site",
		"https://ternhill.example/index.html": "cannot be read as a picture",
	} {
		b.Write("yellowgate.yaml",
			"yellowgate: 1\nsite: {source: site, output: public, url: 'https://ternhill.example'}\nmetadata: [{pages: /, social: {image: '"+
				name+"'}}]\n")
		b.Want(0, clitest.Args("show", "/", "--preview"), says)
	}
	b.Write("yellowgate.yaml",
		"yellowgate: 1\nsite: {source: site, output: public, url: 'https://ternhill.example'}\nmetadata: [{pages: /, robots: 'max-image-preview:none', property: {'og:image': none}}]\n")
	if out := b.Want(0, clitest.Args("show", "/", "--preview"), "no picture: most show none"); strings.Contains(out,
		"do not show it") {
		t.Errorf("a page that is listed is said not to be:\n%s", out)
	}
}
