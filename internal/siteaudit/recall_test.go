package siteaudit_test

import (
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io/fs"
	"math/rand"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"yellowgate/internal/core/audit"
	"yellowgate/internal/core/check"
	"yellowgate/internal/demo"
	"yellowgate/internal/project"
	"yellowgate/internal/publish"
	"yellowgate/internal/site"
	"yellowgate/internal/siteaudit"
	"yellowgate/internal/testsize"
)

var (
	recallChanges = flag.Int("recall-changes", testsize.Of(20, 150), "how many changes TestRecall makes")
	recallSeed    = flag.Int64("recall-seed", 12, "the seed of TestRecall")
)

// a changing is a site to which something happens, again and again.
type changing struct {
	t    *testing.T
	r    *rand.Rand
	dir  string
	gone map[string][]byte // files that were taken away
}

// TestRecall changes one thing at a time, at random, and compares the audit that remembers with
// one that does not: any difference is a defect.
func TestRecall(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "tern-hill")
	if _, err := demo.Write(dir); err != nil {
		t.Fatal(err)
	}
	extra := map[string]string{
		"site/css/parts.css": "@import 'more.css';\n.bench { color: red }", "site/css/more.css": ".shelf { color: blue; background: url(/img/none.png) }",
		"site/js/loader.js": "const s = document.createElement('script'); s.src = '/js/late.js'; document.head.append(s);", "site/js/late.js": "late()",
		"site/extra/one/index.html": "<title>One</title><link rel=stylesheet href=/css/parts.css><script src=/js/loader.js></script><p class=bench>One</p>",
		"site/extra/two/index.html": "<title>One</title><p class=bench>Two</p><p class=shelf>x</p><script src=/js/gone.js></script><img src=/img/extra.png>",
		"site/img/extra.png":        "no picture",
	}
	for name, text := range extra {
		write(t, filepath.Join(dir, filepath.FromSlash(name)), text)
	}
	c := &changing{t: t, r: rand.New(rand.NewSource(*recallSeed)), dir: dir, gone: map[string][]byte{}}
	c.apply()
	c.compare(t.Context(), "nothing", true)
	kinds := map[string]int{}
	for n := range *recallChanges {
		what := c.change()
		kinds[strings.Fields(what)[0]]++
		c.compare(t.Context(), fmt.Sprintf("change %d: %s", n+1, what), n%7 == 0)
		if t.Failed() {
			return
		}
	}
	t.Logf("%v", kinds)
}

// open reads the project; an error of the gate file is returned.
func (c *changing) open() (*project.Project, error) {
	p, _, err := project.Open(filepath.Join(c.dir, "yellowgate.yaml"), project.Options{Day: "2026-11-29"})
	if err != nil {
		return nil, err
	}
	return p, p.Walk()
}

func (c *changing) apply() {
	p, err := c.open()
	if err == nil {
		_, err = publish.Apply(context.Background(), p, publish.Options{TakeOver: true})
	}
	var of *project.GateError
	if err != nil && !errors.As(err, &of) {
		c.t.Fatal(err)
	}
}

// compare audits the output with and without what is remembered. twice also looks that nothing
// has to be audited when nothing changed.
func (c *changing) compare(ctx context.Context, what string, twice bool) {
	c.t.Helper()
	look := func(noCache bool) (string, int) {
		p, err := c.open()
		if err != nil {
			return "cannot be opened", 0
		}
		r, err := siteaudit.Audit(ctx, siteaudit.Options{Dir: p.Output, Project: p, NoCache: noCache})
		if err != nil {
			return err.Error(), 0
		}
		text, err := json.MarshalIndent(struct {
			Findings []check.Finding
			Totals   audit.Totals
			Items    []audit.ItemSum
			Pages    []audit.PageSum
			Numbers  []int64
		}{r.Findings, r.Totals, slices.Clone(r.ByItem), r.ByPage, []int64{int64(r.Pages), int64(r.Fragments),
			int64(r.Requests), r.Bytes, r.Unneeded}}, "", " ")
		if err != nil {
			c.t.Fatal(err)
		}
		return string(text), r.Audited
	}
	with, _ := look(false)
	without, _ := look(true)
	if with != without {
		c.t.Errorf("%s: the audit that remembers differs\n%s", what, whereDiffers(with, without))
	}
	if twice {
		if again, audited := look(false); again != without || audited != 0 {
			c.t.Errorf("%s: nothing changed, and %d pages were audited again", what, audited)
		}
	}
}

func whereDiffers(a, b string) string {
	as, bs := strings.Split(a, "\n"), strings.Split(b, "\n")
	for i := range as {
		if i >= len(bs) || as[i] != bs[i] {
			return fmt.Sprintf("line %d\n%s\nwithout:\n%s", i, strings.Join(as[max(i-3, 0):min(i+5, len(as))], "\n"),
				strings.Join(bs[min(max(i-3, 0), len(bs)):min(i+5, len(bs))], "\n"))
		}
	}
	return "one is longer"
}

// files lists files of a kind below a folder of the project.
func (c *changing) files(dir string, endings ...string) (out []string) {
	filepath.WalkDir(filepath.Join(c.dir, dir), func(name string, d fs.DirEntry, err error) error {
		if err == nil && d.Type().IsRegular() && slices.Contains(endings, filepath.Ext(name)) {
			out = append(out, name)
		}
		return nil
	})
	return out
}

func pick[T any](r *rand.Rand, list []T) T { return list[r.Intn(len(list))] }

// edit changes the text of a file.
func (c *changing) edit(name string, with ...string) string {
	b, err := os.ReadFile(name)
	if err != nil {
		c.t.Fatal(err)
	}
	text, add := string(b), pick(c.r, with)
	switch i := strings.Index(text, "</body>"); {
	case filepath.Ext(name) != ".html":
		text += add
	case i < 0 || c.r.Intn(3) == 0 && strings.Contains(text, "</head>"):
		text = strings.Replace(text, "</head>", add+"</head>", 1) + add[:0]
	default:
		text = text[:i] + add + text[i:]
	}
	info, _ := os.Stat(name)
	if err := os.WriteFile(name, []byte(text), 0o644); err != nil {
		c.t.Fatal(err)
	}
	if c.r.Intn(2) == 0 { // a time stamp says nothing
		os.Chtimes(name, info.ModTime(), info.ModTime())
	}
	rel, _ := filepath.Rel(c.dir, name)
	return rel + " with " + add
}

var ofPages = []string{"<p class=bench>b</p>", "<script src=/js/site.js></script>",
	`<a href="#night-letter">letter</a>`, "<title>Again</title>", "<img src=/img/nowhere.png>",
	"<link rel=canonical href=/visit/>", `<meta name=robots content=noindex>`, "<style>.bench { color: green</style>",
	"<script>document.querySelector('.shelf').remove()</script>", "<p>@{page.title}</p>",
	`<script>var later = "/js/new.js"</script>`, `<script>var later = "/css/new.css"</script>`,
	"<link rel=stylesheet href=/css/parts.css>", "<script>location.href = '/'</script>",
	"<!--yg:counter-->x<!--/yg:counter-->", "x"}

// change does one thing and says what.
func (c *changing) change() string {
	switch n := c.r.Intn(20); {
	case n < 4:
		return "output " + c.edit(pick(c.r, c.files("public", ".html")), ofPages...)
	case n < 7:
		return "source " + c.edit(pick(c.r, c.files("site", ".html")), ofPages...)
	case n < 9:
		return "style " +
			c.edit(pick(c.r, c.files(pick(c.r, []string{"public", "site"}), ".css")), "\n.bench { margin: 1px }",
				"\n@import 'parts.css';", "\n.nothing-has-it { color: red }", "\np { background: url(none.gif) }",
				"\n} }", " ")
	case n < 11:
		return "script " +
			c.edit(pick(c.r, c.files(pick(c.r, []string{"public", "site"}), ".js")), "\nimport('/js/late.js')",
				"\ndocument.querySelector('.bench')", "\nwindow.made = 1", "\nfetch('/none')", "\n((", " ")
	case n < 13: // a file goes
		name := pick(c.r, c.files("public", ".css", ".js", ".html", ".png", ".svg"))
		b, err := os.ReadFile(name)
		if err != nil || os.Remove(name) != nil {
			c.t.Fatal("cannot be removed: ", name)
		}
		c.gone[name] = b
		return "gone " + name
	case n < 15: // it comes back, or a new one comes
		for name, b := range c.gone {
			delete(c.gone, name)
			write(c.t, name, string(b))
			return "back " + name
		}
		name := filepath.Join(c.dir, "public",
			pick(c.r,
				[]string{"js/gone.js", "img/none.png", "js/new.js", "css/new.css", "favicon.ico", "new/index.html",
					"css/new.css", "js/new.js"}))
		write(c.t, name, "<title>New</title><p class=shelf>.new { color: red }")
		return "new " + name
	case n < 16:
		c.apply()
		return "apply"
	case n < 17:
		name := filepath.Join(c.dir, "yellowgate.yaml")
		b, err := os.ReadFile(name)
		if err != nil {
			c.t.Fatal(err)
		}
		text := string(b)
		if i := strings.Index(text, "\n# accepted\n"); i >= 0 {
			text = text[:i]
		} else if !strings.Contains(text, "\naccept:") {
			text += "\n# accepted\naccept:\n  - {check: dead-file, pages: /visit/** or /extra/**, note: they know}\n  - {check: title-shared, pages: all, note: so be it}\n"
		}
		write(c.t, name, text+"\n")
		return "gate"
	case n < 18: // what is remembered is damaged
		kept, _ := filepath.Glob(filepath.Join(c.dir, site.OwnDir, "audit-*", "*"))
		if len(kept) == 0 {
			return "damage to nothing"
		}
		name := pick(c.r, kept)
		b, err := os.ReadFile(name)
		if err != nil || len(b) == 0 {
			return "damage to nothing"
		}
		switch c.r.Intn(4) {
		case 0:
			b = b[:c.r.Intn(len(b))]
		case 1:
			b[c.r.Intn(len(b))] ^= byte(1 + c.r.Intn(255))
		case 2:
			os.Remove(name)
			return "damage: " + filepath.Base(name) + " removed"
		case 3:
			other, _ := os.ReadFile(pick(c.r, kept))
			b = other
		}
		if err := os.WriteFile(name, b, 0o644); err != nil {
			c.t.Fatal(err)
		}
		return "damage to " + filepath.Base(name)
	case n < 19: // the record of apply says nothing, but for why an output differs
		records, _ := filepath.Glob(filepath.Join(c.dir, site.OwnDir, "public-*", "record"))
		for _, name := range records {
			os.Remove(name)
		}
		return "record gone"
	default:
		name := filepath.Join(c.dir, "public", "sitemap.xml")
		write(c.t, name,
			"<urlset><url><loc>https://ternhill.example"+pick(c.r, []string{"/", "/visit/", "/extra/one/"})+
				"</loc></url></urlset>")
		return "sitemap"
	}
}
