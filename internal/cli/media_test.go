package cli_test

import (
	"encoding/json"
	"strings"
	"testing"

	"yellowgate/internal/clitest"
)

// richSite has pages with pictures, films, pixels, loaders and fonts.
func richSite(t *testing.T) *clitest.Bench {
	page := func(body string) string {
		return "<!doctype html>\n<html lang=en>\n<head>\n<meta charset=utf-8>\n<title>Tern Hill</title>\n<link rel=stylesheet href=/css/site.css>\n" +
			"<script>(function (d, s, u) { var e = d.createElement(s);\ne.src = u; d.head.append(e) })(document, 'script', 'https://tags.lantern.example/t.js')</script>\n</head>\n<body>\n" + body + "\n</body></html>\n"
	}
	return clitest.New(t, "site/index.html",
		page(
			`<img src=/img/dome.png srcset="/img/dome-2x.png 2x, /img/none.png 3x" alt=Dome>`+
				"\n<video poster=/img/star.png preload=none src=/film/night.mp4></video>\n<p style=\"background: url(/img/star.png)\">x"),
		"site/visit/index.html",
		page(
			"<img src=/img/dome.png alt=Dome>\n<img src=/img/gone.png alt=Gone>\n<noscript><img src=https://count.example/p?id=7 width=1 height=1></noscript>\n<img src='https://count.example/q?id=7'>\n<iframe src=https://maps.example/hill title=Map></iframe>"),
		"site/css/site.css",
		"@font-face { font-family: x; src: url(x.woff2) }\np { background: url(/img/none-too.png) }",
		"site/css/x.woff2", strings.Repeat("f", 900), "site/img/dome.png", strings.Repeat("p", 4000),
		"site/img/dome-2x.png", strings.Repeat("p", 9000), "site/img/star.png", strings.Repeat("p", 100),
		"site/film/night.mp4", strings.Repeat("m", 50000), "yellowgate.yaml",
		"yellowgate: 1\nsite: {source: site, output: public, trust: [tags.lantern.example]}\nitems: {}\n")
}

// TestMedia: what pages show and play is in survey and show, in a line for each kind or all of
// it; pixels and what loaders bring stand among the tags.
func TestMedia(t *testing.T) {
	b := richSite(t)
	out := b.Want(0, clitest.Args("survey", "site"), "https://tags.lantern.example/t.js", "by inline code",
		"https://count.example/q?id=7", "https://count.example/p?id=7",
		"pictures: 5 files, 2 that the site does not have", "film and sound: 2 files",
		"fonts that stylesheets name: 1 file",
		"pictures that stylesheets name: 1 file, 1 that the site does not have", "--verbose lists each")
	if strings.Contains(out, "dome.png") {
		t.Error("pictures are listed one by one:\n" + out)
	}
	b.Want(0, clitest.Args("survey", "site", "--verbose"), "/img/dome.png", "/img/dome-2x.png", "/film/night.mp4",
		"/css/x.woff2", "by /css/site.css")
	b.Want(0, clitest.Args("show", "site/index.html"), "loads https://tags.lantern.example/t.js  third party",
		"pictures: 4 files, 1 that the site does not have", "4 requests")
	b.Want(0, clitest.Args("show", "site/index.html", "--verbose"), "img     /img/dome.png", "or /img/dome-2x.png",
		"or /img/none.png  (no such file)", "on demand", "names /css/x.woff2", "4.0 kB  4.0 kB")
	b.Want(0, clitest.Args("show", "site/visit/index.html"),
		"pixel     https://count.example/p?id=7  third party  in noscript",
		"pixel     https://count.example/q?id=7  third party")

	_, out, _ = b.Exec("show", "site/visit/index.html", "--format", "json")
	var r struct {
		Elements []struct {
			Tag, Inside string
			Pixel       bool
			Loads       []struct {
				Target, Party, Tag string
				Line               int
			}
		}
		Media []struct{ Tag, Target string }
	}
	if err := json.Unmarshal([]byte(out), &r); err != nil {
		t.Fatal(err)
	}
	pixels, loads := 0, ""
	for _, e := range r.Elements {
		if e.Pixel {
			pixels++
		}
		for _, l := range e.Loads {
			loads += l.Tag + " " + l.Target + " " + l.Party
			if l.Line != 8 {
				t.Errorf("it is loaded in line %d", l.Line)
			}
		}
	}
	if pixels != 2 || loads != "script https://tags.lantern.example/t.js third" || len(r.Media) != 2 {
		t.Errorf("%d pixels, loads %s, %d pictures", pixels, loads, len(r.Media))
	}
}

// TestMediaChecks: hosts, missing files and budgets see pictures, pixels and what code loads.
func TestMediaChecks(t *testing.T) {
	b := richSite(t)
	b.Want(0, clitest.Args("apply"))
	b.Want(1, clitest.Args("audit"), "/img/gone.png: the site has no such file",
		"/css/site.css, loaded on 2 pages, names /img/none-too.png: the site has no such file",
		"count.example is not among the trusted hosts", "maps.example is not among the trusted hosts",
		"the site has no such file")
	if _, out, _ := b.Exec("audit"); strings.Contains(out, "tags.lantern.example is not among") ||
		strings.Count(out, "none-too.png") != 2 {
		t.Error(out)
	}
	b.Write("yellowgate.yaml",
		"yellowgate: 1\nsite: {source: site, output: public, trust: [\"*.lantern.example\", count.example]}\nbudgets: [{pages: /, requests: 3, total: 4 kB}, {pages: /visit/, requests: 6}]\n")
	b.Want(1, clitest.Args("audit"), "requests", "index.html")
	b.Write("public/visit/index.html",
		strings.ReplaceAll(b.Read("site/visit/index.html"), "https://tags.lantern.example/t.js",
			"http://tags.lantern.example/t.js"))
	b.Want(1, clitest.Args("audit"), "line 2 of this script loads http://tags.lantern.example/t.js without encryption")
	b.Write("public/visit/index.html",
		strings.ReplaceAll(b.Read("site/visit/index.html"), "https://tags.lantern.example/t.js",
			"https://other.example/t.js"))
	b.Want(1, clitest.Args("audit"),
		"other.example is not among the trusted hosts; line 2 of this script loads https://other.example/t.js")
}

// TestMediaCompared: a picture that came and a loader that went, against a folder and against
// a saved audit, which say the same.
func TestMediaCompared(t *testing.T) {
	b := richSite(t)
	b.Exec("audit", "site", "--format", "json", "--out", "before.json", "--fail-on", "never")
	b.Write("after/x.txt", "")
	for _, f := range []string{"index.html", "visit/index.html", "css/site.css", "css/x.woff2", "img/dome.png",
		"img/dome-2x.png", "img/star.png", "film/night.mp4"} {
		b.Write("after/"+f, b.Read("site/"+f))
	}
	b.Want(0, clitest.Args("compare", "site", "after"), "Nothing changed")
	text := b.Read("site/visit/index.html")
	text = strings.Replace(text, "<img src=/img/dome.png alt=Dome>",
		"<img src=/img/dome.png alt=Dome><img src=/img/star.png alt=Star>", 1)
	text = text[:strings.Index(text, "<script>")] + text[strings.Index(text, "</script>")+9:]
	b.Write("after/visit/index.html", text)
	one := b.Want(0, clitest.Args("compare", "site", "after"), "/img/star.png", "https://tags.lantern.example/t.js")
	two := b.Want(0, clitest.Args("compare", "before.json", "after"), "/img/star.png", "https://tags.lantern.example/t.js")
	pick := func(s string) (lines []string) {
		for line := range strings.Lines(s) {
			if strings.Contains(line, "request") || strings.Contains(line, "star.png") || strings.Contains(line, "lantern") {
				lines = append(lines, strings.TrimSpace(line))
			}
		}
		return lines
	}
	if a, c := strings.Join(pick(one), "\n"), strings.Join(pick(two), "\n"); a != c {
		t.Errorf("against the folder\n%s\nagainst the saved audit\n%s", a, c)
	}
}
