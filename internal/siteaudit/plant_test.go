package siteaudit_test

import (
	"flag"
	"fmt"
	"io/fs"
	"math/rand"
	"os"
	"path/filepath"
	"regexp"
	"sort"
	"strings"
	"testing"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/checks"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/weburl"
	"yellowgate/internal/demo"
	"yellowgate/internal/project"
	"yellowgate/internal/publish"
	"yellowgate/internal/site"
)

var foreign = flag.String("pages", "", "also plant defects into .html files below this `folder`")

// A plant is a defect: a line that is put before </head> or into the body, or a
// replacement within the page. check is the one that has to find it.
type plant struct {
	check    string
	head     string // a line before </head>
	body     string // a line after the first line of the body
	old, new string // or: what is replaced, on its line
	drop     string // or: a line with this goes; the finding stands elsewhere
	alone    bool   // it hides what stands behind it
}

var plants = []plant{
	{check: "broken-head", head: `<div></div>`}, {check: "meta-in-body", body: `<meta name="author" content="x">`}, {check: "title-repeated", head: "<title>Another</title>"},
	{check: "title-missing", drop: "<title>"}, {check: "description-missing", drop: `<meta name="description"`}, {
		check: "description-repeated", head: `<meta name="description" content="x">`},
	{check: "canonical-repeated", head: `<link rel="canonical" href="https://elsewhere.example/">`}, {
		check: "canonical-missing", drop: `<link rel="canonical"`},
	{check: "canonical-dead", old: `<link rel="canonical" href="https://ternhill.example/`,
		new: `<link rel="canonical" href="https://ternhill.example/no/such/`},
	{check: "robots-conflict", head: `<meta name="robots" content="follow, nofollow">`}, {check: "viewport-missing",
		drop: `<meta name="viewport"`}, {check: "viewport-repeated",
		head: `<meta name="viewport" content="width=device-width, initial-scale=2">`},
	{check: "lang-missing", old: `<html lang="en">`, new: "<html>"}, {check: "lang-unknown", old: `<html lang="en">`,
		new: `<html lang="english">`}, {check: "robots-unknown", head: `<meta name="robots" content="follow, no-folow">`},
	{check: "viewport-fixed", old: "width=device-width", new: "width=1024"}, {check: "dead-relation",
		head: `<link rel="next" href="/no/such/no-such/">`}, {check: "wrong-kind",
		head: `<link rel="stylesheet" href="/js/blocks.js" media="print">`},
	{check: "ignored-element", body: `<script defer>planted = 1</script>`}, {check: "charset-conflict",
		head: `<meta http-equiv="content-type" content="text/html; charset=koi8-r">`}, {check: "icon-missing",
		drop: `<link rel="icon"`}, {check: "social-incomplete", drop: `<meta property="og:image"`},
	{check: "structured-invalid", head: `<script type="application/ld+json">{"@type": "Event",}</script>`}, {
		check: "structured-incomplete",
		body:  `<script type="application/ld+json">{"@context": "https://schema.org", "@type": "Product"}</script>`},
	{check: "blocking-script", head: `<script src="/js/blocks.js"></script>`}, {check: "dead-file",
		head: `<script src="/js/no-such.js" defer></script>`},
	{check: "double-load",
		head: `<script src="/js/planted.js" defer></script><script src="/js/planted.js" defer></script>`},
	{check: "late-style", body: `<link rel="stylesheet" href="/css/planted.css">`}, {check: "insecure-load",
		head: `<script src="http://x.example/a.js" defer integrity="sha256-AAAA" crossorigin="anonymous"></script>`},
	{check: "no-integrity", body: `<script src="https://x.example/a-2.1.js" async></script>`}, {
		check: "unpinned-version",
		head:  `<script src="https://x.example/a@latest/a.js" defer integrity="sha256-AAAA" crossorigin="anonymous"></script>`},
	{check: "twin-library",
		head: `<script src="/lib/planted-1.1.js" defer></script><script src="/lib/planted-1.2.js" defer></script>`}, {check: "unused-preload", head: `<link rel="preload" as="style" href="/css/preloaded.css">`},
	{check: "local-address",
		head: `<script src="https://localhost:3000/menu.js" defer integrity="sha256-AAAA" crossorigin="anonymous"></script>`}, {check: "nameless-meta", head: `<meta nmae="author" content="x">`},
	{check: "integrity-without-crossorigin",
		head: `<script src="https://x.example/b.js" defer integrity="sha256-AAAA"></script>`},
	{check: "old-doctype", old: "<!doctype html>", new: "<!doctype html public '-//W3C//DTD HTML 3.2//EN'>"}, {
		check: "no-zoom", old: "initial-scale=1", new: "initial-scale=1, user-scalable=no"},
	{check: "social-image", head: `<meta property="og:image" content="/img/planted.jpg">`}, {check: "dead-refresh",
		head: `<meta http-equiv="refresh" content="60; url=/no/such/no-such/">`},
	{check: "charset-conflict", head: `<meta http-equiv="content-type" content="text/html; charset=iso-8859-2">`}, {check: "ignored-element", head: `<link rel="canoncal" href="/visit/">`},
	{check: "ignored-element", body: `<script scr="/js/planted.js"></script>`}, {check: "lost-rule",
		head: `<style>.a, { color: navy }</style>`},
	{check: "ignored-element", body: `<p><a id=slashed/>x</p>`}, {check: "ignored-element",
		body: `<p><a id="slashed"/>x</p>`}, {check: "ignored-element", body: `<div class="planted"/>`},
	{check: "ignored-element", body: `<p><b/>x</p>`}, {check: "ignored-element", body: `<textarea name="planted"/>`,
		alone: true}, {check: "ignored-element", body: `<script src="/js/blocks.js"/>`, alone: true},
	{check: "ignored-element", head: `<script src="/js/blocks.js"/>`, alone: true}, {check: "ignored-element",
		body: `<script async>planted = 1</script>`}, {check: "ignored-element",
		head: `<link rel="preload" href="/css/preloaded.css">`},
	{check: "ignored-element", head: `<link rel="stylesheet" href="/css/planted.css" media="sreen">`}, {
		check: "ignored-element", head: `<link rel="stylesheet" href="/css/planted.css" media="(max-widht: 600px)">`},
	{check: "ignored-element",
		head: `<link rel="stylesheet" title="Day" href="/css/planted.css"><link rel="stylesheet" title="Night" href="/css/planted2.css">`},
	{check: "wrong-kind", head: `<script src="/css/part.css" defer></script>`}, {check: "wrong-kind",
		head: `<link rel="preload" as="script" href="/css/part.css">`},
	{check: "lang-unknown", old: `<html lang="en">`, new: `<html lang="en_GB">`}, {check: "placeholder-left",
		old: "<title>", new: "<title>{{ page.title }} "},
	{check: "placeholder-left", old: `<meta name="description" content="`,
		new: `<meta name="description" content="{{ page.description }} `},
	{check: "structured-incomplete",
		body: `<script type="application/ld+json">{"@context": "https://schema.org", "name": "x"}</script>`},
	{check: "structured-incomplete", body: `<script type="application/ld+json">{"@type": "Thing", "name": "x"}</script>`},
	{check: "social-incomplete", head: `<meta name="twitter:card" content="big_picture">`}, {check: "dead-relation",
		head: `<link rel="prev" href="/no/such/no-such/">`},
	{check: "dead-relation", head: `<link rel="alternate" type="application/rss+xml" href="/no/such/no-such.xml">`}, {check: "dead-relation", head: `<link rel="alternate" hreflang="de" href="/no/such/no-such/">`},
	{check: "dead-relation", head: `<link rel="alternate" hreflang="german" href="/">`},
	{check: "dead-relation",
		body: `<script type="application/ld+json">{"@context": "https://schema.org", "@graph": [{"@type": "Thing", "name": "x", "@id": "https://ternhill.example/no/such/no-such/#x", "url": "https://ternhill.example/no/such/no-such/"}]}</script>`}, {check: "nameless-meta", head: `<meta content="x">`},
	{check: "unlabelled-popup", body: `<dialog id="planted">x</dialog>`}, {check: "repeated-id",
		body: `<p id="twice"></p><dialog id="twice" aria-label="x">x</dialog>`},
	{check: "popup-clash",
		body: `<dialog aria-label="a" data-yg-open='[["leaving"]]'></dialog><dialog aria-label="b" data-yg-open='[["leaving"]]'></dialog>`},
	{check: "unused-style", head: `<link rel="stylesheet" href="/css/unused.css" media="print">`}, {
		check: "repeated-rules",
		head:  `<link rel="stylesheet" href="/css/part.css" media="print"><link rel="stylesheet" href="/css/whole.css" media="print">`},
	{check: "tags-in-text", body: `<style><style>p { margin: 0 }</style>`}, {check: "unclosed-tag",
		body: `<!--yg:planted--><i>x<!--/yg:planted-->`},
	{check: "bare-code", body: `<!--yg:planted-->window.visits = 1; count();<!--/yg:planted-->`}, {
		check: "code-breaks-head", head: `<!--yg:planted--><div></div><!--/yg:planted-->`},
	{check: "code-syntax", head: `<style>p { margin: 0 }}</style>`}, {check: "code-syntax",
		body: `<script>if (a { b() }</script>`}, {check: "code-syntax",
		body: `<script type="application/json">{"a": }</script>`},
}

// plantedFiles are stylesheets that defects load.
var plantedFiles = sheets{"/js/blocks.js": "1", "/css/unused.css": ".planted-nowhere { color: red }",
	"/css/part.css": rules, "/css/whole.css": rules + "i{f:6}"}

// thirdParty finds a script of another host.
var thirdParty = regexp.MustCompile(`<script[^>]*src="https?://`)

type sheets map[string]string

func (s sheets) File(path string) (int, int, bool) { text, ok := s[path]; return len(text), 1, ok }
func (s sheets) Text([]byte) int                   { return 1 }

const rules = "body{a:1} html{b:2} head{c:3} *{d:4} body *{e:5} "

// put plants a defect. line is where its finding has to stand, 0 for anywhere; ok
// is false where the page has no place for it.
func (p *plant) put(text string) (out string, line int, ok bool) {
	lines := strings.Split(text, "\n")
	insert := func(i int, s string) {
		out, line, ok = strings.Join(append(append(append([]string{}, lines[:i]...), "  "+s), lines[i:]...), "\n"), i+1, true
	}
	for i, l := range lines {
		switch {
		case p.head != "" && strings.HasPrefix(strings.TrimSpace(l), "</head>"):
			insert(i, p.head)
			return
		case p.body != "" && strings.Contains(l, "<main>"):
			insert(i+1, p.body)
			return
		case p.old != "" && strings.Contains(l, p.old):
			lines[i] = strings.Replace(l, p.old, p.new, 1)
			return strings.Join(lines, "\n"), i + 1, true
		case p.drop != "" && strings.HasPrefix(strings.TrimSpace(l), p.drop) && !strings.Contains(l, "-->"):
			return strings.Join(append(append([]string{}, lines[:i]...), lines[i+1:]...), "\n"), 0, true
		}
	}
	return text, 0, false
}

// fits reports whether the plant is a defect on the page: there is one of what it
// takes away or doubles.
func (p *plant) fits(text string) bool {
	for _, x := range []struct{ what, mark string }{{"description-", `name="description"`},
		{"canonical-", `rel="canonical"`}, {"viewport-", `name="viewport"`}, {"title-", "<title>"},
		{"icon-", `rel="icon"`}} {
		if strings.HasPrefix(p.check, x.what) && strings.Count(text, x.mark) != 1 {
			return false
		}
	}
	return !(strings.Contains(text, `content="noindex"`) && (p.check == "description-missing" || p.check == "canonical-missing"))
}

var digits = regexp.MustCompile(`\d+`)

// look lists what the checks find on a page, without lines, and at which lines.
func look(known *check.Site, text, path string) (counts map[string]int, lines map[string][]int) {
	r := inventory.Take([]byte(text), page.Page{Path: path, File: "x.html"},
		weburl.NewSite("https://ternhill.example"), plantedFiles)
	found, _ := checks.RunPage(&check.Pass{Record: r, Site: known})
	counts, lines = map[string]int{}, map[string][]int{}
	for _, f := range found {
		counts[f.Check+": "+digits.ReplaceAllString(f.Message, "#")]++
		lines[f.Check] = append(lines[f.Check], f.Line)
	}
	return counts, lines
}

// TestPlantedDefects plants every kind of defect into clean pages, one at a time and
// three at once, and looks that each is found by its check, at its line, and that
// nothing else is.
func TestPlantedDefects(t *testing.T) {
	pages := cleanPages(t)
	hasFile := func(p string) bool { return !strings.Contains(p, "no-such") && p != "/favicon.ico" }
	of := check.Known{HasFile: hasFile, HasPage: func(p string) bool { return !strings.Contains(p, "/no/such/") }}
	of.Read = func(p string) ([]byte, bool) {
		text, ok := plantedFiles[p]
		return []byte(text), ok || strings.HasSuffix(p, ".js")
	}
	of.Code = []string{"/css/unused.css", "/css/part.css", "/css/whole.css"}
	known := check.NewSite(of)
	r := rand.New(rand.NewSource(7))
	planted, found := 0, 0
	try := func(path, text string, chosen []*plant) {
		before, _ := look(known, text, path)
		want := map[string]int{}
		line := map[string]int{}
		for _, p := range chosen {
			if !p.fits(text) {
				return
			}
			next, at, ok := p.put(text)
			if !ok {
				return
			}
			for check, l := range line { // what stands below moves
				if at > 0 && l >= at && p.old == "" {
					line[check] = l + 1
				}
				if p.drop != "" {
					line[check] = 0
				}
			}
			text = next
			want[p.check]++
			if len(chosen) == 1 || p.drop == "" {
				line[p.check] = at
			}
		}
		after, lines := look(known, text, path)
		planted += len(chosen)
		if thirdParty.MatchString(text) && want["unused-style"] > 0 { // what that script makes, nobody knows
			delete(want, "unused-style")
			delete(line, "unused-style")
		}
		got := map[string]int{}
		for key, n := range after {
			if d := n - before[key]; d > 0 {
				check, _, _ := strings.Cut(key, ":")
				got[check] += d
			}
		}
		if fmt.Sprint(got) != fmt.Sprint(want) {
			t.Errorf("%s: planted %v, found %v", path, want, got)
			return
		}
		for check, l := range line {
			at := false
			for _, x := range lines[check] {
				at = at || x == l
			}
			if l > 0 && !at {
				t.Errorf("%s: %s was planted in line %d and found in %v", path, check, l, lines[check])
				return
			}
		}
		found += len(chosen)
	}
	paths := make([]string, 0, len(pages))
	for path := range pages {
		paths = append(paths, path)
	}
	sort.Strings(paths)
	for _, path := range paths {
		for i := range plants {
			try(path, pages[path], []*plant{&plants[i]})
		}
		for range 10 {
			var chosen []*plant
			used := map[string]bool{"canonical-missing": true, "canonical-dead": true, "title-missing": true,
				"viewport-missing": true, "description-missing": true} // they stand in each other's way
			for len(chosen) < 3 {
				p := &plants[r.Intn(len(plants))]
				if !p.alone && p.check != "broken-head" && p.check != "code-breaks-head" && !used[p.check] {
					used[p.check] = true
					// What a script that does not parse would do, nobody knows.
					if p.check == "code-syntax" || p.check == "unused-style" {
						used["code-syntax"], used["unused-style"] = true, true
					}
					chosen = append(chosen, p)
				}
			}
			try(path, pages[path], chosen)
		}
	}
	t.Logf("%d defects planted into %d pages, %d found as they should be", planted, len(pages), found)
	if planted < 500 {
		t.Errorf("only %d defects were planted", planted)
	}
}

// cleanPages are the pages of the demo after the gate and, where a folder is given,
// foreign ones, mended so that they are clean.
func cleanPages(t *testing.T) map[string]string {
	dir := t.TempDir()
	if _, err := demo.Write(filepath.Join(dir, "d")); err != nil {
		t.Fatal(err)
	}
	p, _, err := project.Open(filepath.Join(dir, "d", project.GateFileName), project.Options{})
	if err != nil {
		t.Fatal(err)
	}
	if err := p.Walk(); err != nil {
		t.Fatal(err)
	}
	if _, err := publish.Apply(t.Context(), p, publish.Options{}); err != nil {
		t.Fatal(err)
	}
	pages := map[string]string{}
	for _, pg := range p.Pages {
		b, err := site.ReadFile(p.Output, pg.File)
		if err != nil {
			t.Fatal(err)
		}
		if strings.Contains(string(b), "\r\n") || pg.Path == "/sky-camera/" {
			continue
		}
		pages[pg.Path] = string(b)
	}
	if *foreign == "" {
		return pages
	}
	n := 0
	err = filepath.WalkDir(*foreign, func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || filepath.Ext(name) != ".html" || n >= 200 {
			return err
		}
		b, err := os.ReadFile(name)
		if err == nil && strings.Contains(string(b), "</head>") {
			n++
			pages["/foreign/"+filepath.Base(name)] = string(b)
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	return pages
}
