package siteaudit_test

import (
	"bytes"
	"flag"
	"fmt"
	"io/fs"
	"math/rand"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"sort"
	"strings"
	"testing"

	"golang.org/x/net/html"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/checks"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/itemmatch"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/verdict"
	"yellowgate/internal/demo"
	"yellowgate/internal/project"
	"yellowgate/internal/testsize"
)

var everyTampering = flag.Bool("all-tamperings", false, "try every tampering, with three seeds, instead of a sample")

// everyKind is a gate file with every kind of part and of metadata, each in on about half
// of the pages.
const everyKind = `yellowgate: 1
site: {url: "https://ternhill.example", source: site, output: public}
metadata:
  - pages: all
    title: "@{page.heading or page.title or page.path} | gated"
    description: About @{page.path}, for whoever asks.
    canonical: "@{page.url}"
    author: Tern Hill Observatory
    keywords: stars, domes
    viewport: width=device-width
    robots: noarchive
    lang: en
    meta: {review: spring}
    theme-color: "#10162f"
    icon: /img/star-of-the-gate.svg
    property: {"og:locale": en_GB}
    link: {license: /licence/}
    social: {title: "@{page.path}", image: "https://ternhill.example/img/dome.svg"}
items:
  a-script: {script: /js/of-the-gate.js, pages: &half 'path matches "/[a-m][^/]*/?$"'}
  b-script-file: {script-file: b.js, pages: *half}
  c-script-text: {script-text: "window.visitsOfThePage = '@{page.path}'; countThem(visitsOfThePage);", pages: *half}
  d-stylesheet: {stylesheet: /css/of-the-gate.css, pages: *half}
  e-style-file: {style-file: e.css, pages: *half}
  f-style-text: {style-text: ".night-of-the-gate { color: darkblue; margin: 3px }", pages: *half}
  g-code: {code: '<aside class="of-the-gate" data-kind="code"><p>Bring a coat to @{page.path}</p><script>offerCoats(7);</script></aside>', pages: *half}
  h-popup: {popup: "<p>A letter of the gate</p>", label: Letter, open: [{after: 9s}, {fragment: h-popup}], pages: *half}
  i-structured: {structured: {type: Place, name: "@{page.path}", url: "@{page.url}"}, pages: *half}
  j-questions: {questions: [{ask: Is the dome heated?, answer: No.}], pages: *half}
  k-classes: {classes: {body: quiet-of-the-gate}, pages: *half}
  l-found: {found: 'script[src="/found/stays.js"]', pages: *half}
  m-found-moved: {found: 'script[src="/found/moved.js"]', place: body-end, load: now, pages: *half}
  n-found-inline: {found: {text: foundInline}, pages: *half}
  o-replaces: {replaces: 'link[href="/found/replaced.css"]', stylesheet: /css/in-its-stead.css, pages: *half}
  p-several:
    script: /js/several-of-the-gate.js
    script-text: setUpSeveral(40);
    stylesheet: /css/several-of-the-gate.css
    needs: [q-need]
    pages: *half
  q-need: {script: /js/needed-by-several.js, load: now, place: body-start}
  r-spot: {code: '<p class="spot-of-the-gate">Tonight @{n}</p>', params: {n: 3}, place: spot}
blank-pages:
  - {path: /made-by-the-gate/, title: Made, lang: en}
`

// foundOnes stand in the source pages of everyKind.
const foundOnes = `<script src="/found/stays.js" defer></script>
<script src="/found/moved.js" defer></script>
<script>foundInline("a");</script>
<link rel="stylesheet" href="/found/replaced.css">
`

// A tampered page is one whose output was changed on purpose.
type tampered struct {
	what string
	text string
	item string // whose it is, or the metadata key
	// also are checks that may find the same tampering in their own way.
	also []string
	tidy bool // the page says the same in other writing: nothing is to be found
}

// tamperer changes the outputs of one project.
type tamperer struct {
	t       *testing.T
	r       *rand.Rand
	project *project.Project
	pages   []*pageedit.Result
	known   *check.Site
	tried   map[string]int
	missed  int
}

// TestTampering changes outputs in every way that a hand, a tool or a build step might,
// for every kind of part, with marks and without, and looks that each is found by a check
// that names the item, that no other error is found, and none on what is untouched.
func TestTampering(t *testing.T) {
	seeds, share := int64(3), 1.0
	if !*everyTampering {
		seeds, share = 1, float64(testsize.Of(3, 15))/100
	}
	all := 0
	for _, marks := range []bool{true, false} {
		for _, kind := range []string{"demo", "every kind", "foreign"} {
			if kind == "foreign" && *foreign == "" {
				continue
			}
			p := tamperProject(t, kind, marks)
			for seed := range seeds {
				x := newTamperer(t, p, seed)
				for _, r := range x.pages {
					for _, c := range x.changes(r) {
						if x.r.Float64() < share {
							x.try(r, c)
						}
					}
				}
				n := 0
				var kinds []string
				for what, k := range x.tried {
					n += k
					kinds = append(kinds, fmt.Sprintf("%s %d", what, k))
				}
				sort.Strings(kinds)
				t.Logf("%s, marks %v, seed %d: %d tamperings on %d pages, %d missed (%s)", kind, marks, seed, n,
					len(x.pages), x.missed, strings.Join(kinds, ", "))
				all += n
			}
		}
	}
	t.Logf("%d tamperings in all", all)
	if all < testsize.Of(150, 1000) {
		t.Errorf("only %d tamperings were tried", all)
	}
}

func tamperProject(t *testing.T, kind string, marks bool) *project.Project {
	dir := filepath.Join(t.TempDir(), "d")
	if _, err := demo.Write(dir); err != nil {
		t.Fatal(err)
	}
	gate := filepath.Join(dir, project.GateFileName)
	text, err := os.ReadFile(gate)
	if err != nil {
		t.Fatal(err)
	}
	if kind != "demo" {
		text = []byte(everyKind)
		write(t, filepath.Join(dir, "b.js"), "function fileOfTheGate() { return 12 }\nfileOfTheGate();\n")
		write(t, filepath.Join(dir, "e.css"), ".file-of-the-gate { top: 1px }\n")
		for _, f := range []string{"js/of-the-gate.js", "js/several-of-the-gate.js", "js/needed-by-several.js",
			"css/of-the-gate.css", "css/in-its-stead.css", "css/several-of-the-gate.css",
			"img/star-of-the-gate.svg"} {
			write(t, filepath.Join(dir, "site", f), "/* "+f+" */\n")
		}
		if kind == "foreign" {
			if err := os.RemoveAll(filepath.Join(dir, "site")); err != nil {
				t.Fatal(err)
			}
			copyPages(t, *foreign, filepath.Join(dir, "site"), 60)
		}
		addFound(t, filepath.Join(dir, "site"))
	}
	if !marks {
		text = bytes.Replace(text, []byte("source: site"), []byte("marks: false, source: site"), 1)
		text = bytes.Replace(text, []byte("  marks: false, source: site "), []byte("  marks: false\n  source: site "), 1)
	}
	write(t, gate, string(text))
	p, problems, err := project.Open(gate, project.Options{})
	if err != nil {
		if ge, ok := err.(*project.GateError); ok {
			t.Fatal(ge.Problems)
		}
		t.Fatal(err, problems)
	}
	if err := p.Walk(); err != nil {
		t.Fatal(err)
	}
	return p
}

func write(t *testing.T, name, text string) {
	t.Helper()
	if err := os.MkdirAll(filepath.Dir(name), 0o755); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(name, []byte(text), 0o644); err != nil {
		t.Fatal(err)
	}
}

func copyPages(t *testing.T, from, to string, most int) {
	n := 0
	err := filepath.WalkDir(from, func(name string, d fs.DirEntry, err error) error {
		if err != nil || !d.Type().IsRegular() || filepath.Ext(name) != ".html" || n >= most {
			return err
		}
		b, err := os.ReadFile(name)
		if err != nil || len(b) > 200_000 || !bytes.Contains(b, []byte("</head>")) {
			return err
		}
		rel, err := filepath.Rel(from, name)
		if err == nil {
			write(t, filepath.Join(to, rel), string(b))
			n++
		}
		return err
	})
	if err != nil || n == 0 {
		t.Fatal("no pages", err)
	}
}

// addFound gives the source pages what everyKind finds in them.
func addFound(t *testing.T, dir string) {
	err := filepath.WalkDir(dir, func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || filepath.Ext(name) != ".html" {
			return err
		}
		b, err := os.ReadFile(name)
		if err != nil {
			return err
		}
		b = regexp.MustCompile(`<!-- yg-spot .*?-->|<div data-yg-spot.*?</div>`).ReplaceAll(b, nil)
		b = bytes.Replace(b, []byte("</head>"), []byte(foundOnes+"</head>"), 1)
		b = bytes.Replace(b, []byte("</body>"), []byte("<!-- yg-spot r-spot n=5 -->\n</body>"), 1)
		return os.WriteFile(name, b, 0o644)
	})
	if err != nil {
		t.Fatal(err)
	}
}

func newTamperer(t *testing.T, p *project.Project, seed int64) *tamperer {
	x := &tamperer{t: t, r: rand.New(rand.NewSource(seed)), project: p, tried: map[string]int{}}
	x.known = check.NewSite(
		check.Known{HasFile: func(string) bool { return true }, HasPage: func(string) bool { return true }})
	for i := range p.Pages {
		b, err := p.Read(&p.Pages[i])
		if err != nil {
			t.Fatal(err)
		}
		r := p.Gate.Page(bytes.Clone(b), p.Pages[i])
		for _, pr := range r.Problems {
			if pr.Severity == problem.Error {
				t.Fatalf("%s: %v", r.Page.Path, pr.Problem)
			}
		}
		if !r.Fragment && !r.Page.Redirect && r.Source.UTF8() {
			x.pages = append(x.pages, r)
			if errs := x.errors(r, r.File); len(gateErrors(errs)) > 0 {
				t.Errorf("%s, untouched: %v", r.Page.Path, errs)
			}
		}
	}
	return x
}

// errors lists the errors that the audit finds on a page that stands for a source page.
func (x *tamperer) errors(r *pageedit.Result, text []byte) (out []check.Finding) {
	rec := itemmatch.Take(text, r.Page, x.project.Gate, nil)
	found, _ := checks.RunPage(&check.Pass{Record: rec.Record, Site: x.known, Gated: itemmatch.Compare(rec, r)})
	for _, f := range found {
		if f.Severity == problem.Error {
			out = append(out, f)
		}
	}
	return out
}

func gateErrors(fs []check.Finding) (out []check.Finding) {
	for _, f := range fs {
		if checks.Named(f.Check).Family == "gate" {
			out = append(out, f)
		}
	}
	return out
}

func (x *tamperer) try(r *pageedit.Result, c tampered) {
	if c.text == string(r.File) {
		return
	}
	x.tried[c.what]++
	was := map[string]int{}
	key := func(f check.Finding) string {
		return f.Check + " " + f.Item + " " + digits.ReplaceAllString(f.Message, "#")
	}
	for _, f := range x.errors(r, r.File) {
		was[key(f)]++
	}
	named := false
	var other []string
	for _, f := range x.errors(r, []byte(c.text)) {
		if was[key(f)] > 0 {
			was[key(f)]--
			continue
		}
		if f.Page != r.Page.Path {
			x.t.Errorf("a finding of another page: %+v", f)
		}
		_, short, _ := strings.Cut(c.item, ".") // og:title of property.og:title
		names := strings.Contains(f.Message, c.item) || short != "" && strings.Contains(f.Message, short)
		mine := !c.tidy && (f.Item == c.item || f.Item == "" && names)
		named = named || mine
		if !mine && !slices.Contains(c.also, f.Check) {
			other = append(other, fmt.Sprintf("%s %s (line %d): %s", f.Check, f.Item, f.Line, f.Message))
		}
	}
	if !named && !c.tidy || len(other) > 0 {
		if x.missed++; x.missed < 12 {
			x.t.Errorf("%s, %s: %s; found: %v; other errors: %v\n%s", r.Page.Path, c.item, c.what, named, other,
				firstDifference(string(r.File), c.text))
		} else {
			x.t.Fail()
		}
	}
}

func firstDifference(a, b string) string {
	i := 0
	for i < len(a) && i < len(b) && a[i] == b[i] {
		i++
	}
	cut := func(s string) string { return s[max(0, min(i-60, len(s))):min(len(s), i+160)] }
	return fmt.Sprintf("--- was\n%s\n--- is\n%s\n---", cut(a), cut(b))
}

// changes lists what is done to one page.
func (x *tamperer) changes(r *pageedit.Result) (out []tampered) {
	text := string(r.File)
	marks := x.project.Gate.File.Site.Marks
	add := func(what, item, text string, also ...string) {
		out = append(out, tampered{what: what, item: item, text: text, also: also})
	}
	for i := range r.Verdicts {
		v := &r.Verdicts[i]
		if !v.In {
			out = append(out, x.copies(r, v, text, marks)...)
			continue
		}
		x.ofItem(r, i, text, marks, add)
	}
	x.ofFound(r, text, add)
	x.ofMetadata(r, text, add)
	out = append(out, tampered{what: "written by a browser", text: renderedText(x.t, text), tidy: true})
	out = append(out, tampered{what: "white space and quotes", text: retidied(text), tidy: true})
	return out
}

type adder func(what, item, text string, also ...string)

// ofItem changes what one item wrote on a page.
func (x *tamperer) ofItem(r *pageedit.Result, i int, text string, marks bool, add adder) {
	it := r.Verdicts[i].Item
	name := it.Name
	var mine []pageedit.Written
	for _, w := range r.Written {
		if w.Item == i && w.Part != pageedit.FoundPart && strings.Count(text, w.Text) == 1 {
			mine = append(mine, w)
		}
	}
	for _, p := range it.Parts {
		if p.Kind == gatefile.Classes {
			add("a class name deleted", name, strings.Replace(text, strings.Fields(p.Text)[0], "", 1))
		}
	}
	if len(mine) == 0 {
		return
	}
	popup := []string{}
	if it.Popup() != nil {
		popup = []string{"repeated-id", "unlabelled-popup"}
	}
	gone := text
	for _, w := range mine {
		gone = strings.Replace(gone, w.Text, "", 1)
	}
	add("deleted", name, gone, "kept-out-need") // an item that is gone is missed by those that need it
	regions := regexp.MustCompile(`(?s)<!--yg:`+name+`-->.*?<!--/yg:`+name+`-->`).FindAllString(text, -1)
	if marks {
		all := text
		for _, s := range regions {
			all = strings.Replace(all, s, "", 1)
		}
		add("deleted with its marks", name, all)
		s := regions[x.r.Intn(len(regions))]
		add("region doubled", name, strings.Replace(text, s, s+"\n"+s, 1), popup...)
		add("marks alone doubled", name, strings.Replace(text, s, s+"<!--yg:"+name+"--><!--/yg:"+name+"-->", 1))
		add("commented out", name,
			strings.Replace(text, s, "<!-- "+strings.NewReplacer("<!--", "<!- -", "-->", "- ->").Replace(s)+" -->",
				1))
		add("region's content emptied", name, strings.Replace(text, s, "<!--yg:"+name+"--><!--/yg:"+name+"-->", 1))
	}
	w := mine[x.r.Intn(len(mine))]
	if len(mine) > 1 {
		add("one part deleted", name, strings.Replace(text, w.Text, "", 1), "late-need")
	}
	add("part doubled", name, strings.Replace(text, w.Text, w.Text+w.Text, 1), popup...)
	add("in a template", name, strings.Replace(text, w.Text, "<template>"+w.Text+"</template>", 1),
		"code-breaks-head", "broken-head")
	if r.Scan.Breaker.None() || w.Area == markup.Head { // else the body begins in the head, and holds it there as well
		add("moved to the other half", name, moved(text, w.Text, w.Area), "broken-head", "late-need", "meta-in-body",
			"code-breaks-head")
	}
	if s, ok := x.altered(w.Text); ok {
		add("text changed", name, strings.Replace(text, w.Text, s, 1), "late-need", "wrong-integrity", "unreachable-popup")
	}
	if w.Area == markup.Head {
		at := strings.Index(text, "<head")
		at += strings.Index(text[at:], ">") + 1
		add("head broken above it", name, text[:at]+"<div></div>"+text[at:], "broken-head", "misplaced-item",
			"late-need", "metadata-differs")
	}
	for _, need := range it.Needs {
		for n := range r.Verdicts {
			if r.Verdicts[n].Item.Name != need.Value {
				continue
			}
			for _, other := range r.Written {
				if other.Item == n && other.Part >= 0 && strings.Count(text, other.Text) == 1 && runs(other.Text) && runs(w.Text) {
					swapped := strings.Replace(text, w.Text, "\x00", 1)
					swapped = strings.Replace(strings.Replace(swapped, other.Text, w.Text, 1), "\x00", other.Text, 1)
					add("swapped with what it needs", name, swapped, "item-differs", "misplaced-item", "missing-item")
				}
			}
		}
	}
}

func runs(text string) bool {
	return strings.Contains(text, "<script") && !strings.Contains(text, "json")
}

// moved takes a text out and puts it into the other half of the page.
func moved(text, piece string, area markup.Area) string {
	text = strings.Replace(text, piece, "", 1)
	if area == markup.Head {
		return strings.Replace(text, "</body>", piece+"</body>", 1)
	}
	return strings.Replace(text, "</head>", piece+"</head>", 1)
}

var words = regexp.MustCompile(`[a-z]{4,}`)

// altered changes a word of a text: in a script, a style, a text or an attribute.
func (x *tamperer) altered(text string) (string, bool) {
	from := strings.IndexAny(text, "> =") // past the first tag's name
	var at [][]int
	for _, m := range words.FindAllStringIndex(text[max(from, 0):], -1) {
		w := text[max(from, 0)+m[0] : max(from, 0)+m[1]]
		if slices.Contains(
			[]string{"script", "style", "stylesheet", "dialog", "aside", "class", "data", "defer", "function",
				"return", "window", "document", "type", "href", "color", "margin", "const", "else", "true", "false",
				"null", "typeof", "context", "schema", "label", "aria", "iframe", "image", "video", "form", "input",
				"button", "svg", "application", "integrity", "open", "again", "textarea", "visit"}, w) {
			continue
		}
		at = append(at, []int{max(from, 0) + m[0], max(from, 0) + m[1]})
	}
	if len(at) == 0 {
		return "", false
	}
	m := at[x.r.Intn(len(at))]
	return text[:m[1]] + "x" + text[m[1]:], true
}

// copies brings what an item writes elsewhere to a page on which it is out.
func (x *tamperer) copies(r *pageedit.Result, v *verdict.Verdict, text string, marks bool) (out []tampered) {
	name := v.Item.Name
	also := []string{"repeated-id", "popup-clash", "late-need", "kept-out-need", "unlabelled-popup"}
	put := func(what, piece string, area markup.Area) {
		before := "</body>"
		if area == markup.Head {
			before = "</head>"
		}
		if i := strings.LastIndex(text, before); i >= 0 {
			out = append(out, tampered{what: what, item: name, text: text[:i] + piece + text[i:], also: also})
		}
	}
	for _, p := range v.Item.Parts {
		if p.Kind == gatefile.Classes && p.Selector.String() == "body" && !strings.Contains(text, p.Text) {
			out = append(out,
				tampered{what: "class names added where it is out", item: name,
					text: strings.Replace(text, "<body", `<body class="`+p.Text+`"`, 1)})
		}
	}
	donors := []*pageedit.Result{}
	for _, d := range x.pages {
		for _, dv := range d.Verdicts {
			if dv.Item == v.Item && dv.In {
				donors = append(donors, d)
			}
		}
	}
	if len(donors) == 0 {
		return out
	}
	d := donors[x.r.Intn(len(donors))]
	var pieces []pageedit.Written
	for _, w := range d.Written {
		if d.Verdicts[w.Item].Item == v.Item && w.Part != pageedit.FoundPart {
			pieces = append(pieces, w)
		}
	}
	for _, w := range d.Stays() {
		if d.Verdicts[w.Item].Item == v.Item && len(w.Text) < 4000 {
			put("found element copied where it is out", w.Text, w.Area)
			break
		}
	}
	if len(pieces) == 0 {
		return out
	}
	w := pieces[x.r.Intn(len(pieces))]
	put("a part copied without marks", w.Text, w.Area)
	put("copied with marks", "<!--yg:"+name+"-->\n"+w.Text+"<!--/yg:"+name+"-->", w.Area)
	put("marks alone where it is out", "<!--yg:"+name+"--><!--/yg:"+name+"-->", w.Area)
	if inner := regexp.MustCompile(`(?s)<script>[^<]{12,}</script>`).FindString(w.Text); inner != "" &&
		w.Text != inner && strings.Count(w.Text, "<script>") == 1 {
		put("a script of its code copied", inner, w.Area)
	}
	return out
}

// ofFound changes elements that items are found by.
func (x *tamperer) ofFound(r *pageedit.Result, text string, add adder) {
	left := r.Stays()
	for _, w := range r.Written {
		if w.Part == pageedit.FoundPart {
			left = append(left, w)
		}
	}
	for _, w := range left {
		name := r.Verdicts[w.Item].Item.Name
		if len(w.Text) > 4000 || strings.Count(text, w.Text) != 1 {
			continue
		}
		add("found element deleted", name, strings.Replace(text, w.Text, "", 1), "kept-out-need", "late-need")
		add("found element doubled", name, strings.Replace(text, w.Text, w.Text+w.Text, 1))
		add("found element commented out", name, strings.Replace(text, w.Text, "<!-- "+w.Text+" -->", 1),
			"kept-out-need", "late-need")
		if tag := markup.TagAt([]byte(w.Text), 0); tag == markup.TagScript || tag == markup.TagStyle ||
			tag == markup.TagLink {
			add("found element moved to the other half", name, moved(text, w.Text, w.Area), "late-need")
			end := markup.TagEnd([]byte(w.Text), 0)
			add("found element's tag changed", name,
				strings.Replace(text, w.Text, w.Text[:end-1]+` data-changed="1">`+w.Text[end:], 1))
		}
	}
}

// ofMetadata changes what the gate wrote of metadata.
func (x *tamperer) ofMetadata(r *pageedit.Result, text string, add adder) {
	src := markup.Read([]byte(text))
	meta := pageedit.ReadMetadata(src, markup.Scan(src.Text, nil))
	for _, key := range r.Keys() {
		w := verdict.Winner(r.Metadata(key))
		if w == nil || w.Level == verdict.FromSource || w.None {
			continue
		}
		_, at := meta.Values(key)
		if key == "lang" {
			add("metadata deleted", key, regexp.MustCompile(` lang="?[a-z]+"?`).ReplaceAllString(text, ""))
			continue
		}
		if len(at) != 1 {
			x.t.Fatalf("%s: %d elements of %s", r.Page.Path, len(at), key)
		}
		el := at[0]
		piece := text[el.Start:el.End]
		add("metadata deleted", key, text[:el.Start]+text[el.End:])
		add("metadata doubled", key, text[:el.End]+piece+text[el.End:])
		add("metadata moved to the body", key, moved(text, piece, markup.Head), "meta-in-body")
		add("metadata commented out", key, text[:el.Start]+"<!-- "+piece+" -->"+text[el.End:])
		other := strings.Replace(piece, "content=\"", "content=\"x", 1)
		if key == "title" {
			other = strings.Replace(piece, "<title>", "<title>x", 1)
		} else if el.Tag == markup.TagLink {
			other = strings.Replace(piece, "href=\"", "href=\"/x", 1)
		}
		add("metadata changed", key, text[:el.Start]+other+text[el.End:], "canonical-dead", "robots-conflict")
	}
}

// renderedText is a page as a browser writes it: parsed and serialised, comments left out.
func renderedText(t *testing.T, text string) string {
	doc, err := html.ParseWithOptions(strings.NewReader(text), html.ParseOptionEnableScripting(true))
	if err != nil {
		t.Fatal(err)
	}
	var strip func(n *html.Node)
	strip = func(n *html.Node) {
		for c := n.FirstChild; c != nil; {
			next := c.NextSibling
			if c.Type == html.CommentNode {
				n.RemoveChild(c)
			} else {
				slices.Reverse(c.Attr)
				strip(c)
			}
			c = next
		}
	}
	strip(doc)
	var b strings.Builder
	if err := html.Render(&b, doc); err != nil {
		t.Fatal(err)
	}
	return b.String()
}

var attribute = regexp.MustCompile(` ([a-z-]+)="([A-Za-z0-9/._-]+)"`)

// retidied is a page with other white space and quotes.
func retidied(text string) string {
	var b strings.Builder
	src := []byte(text)
	markup.Pieces(src, func(p markup.Piece) bool {
		s := string(src[p.Start:p.End])
		if p.Kind == markup.PieceStartTag {
			s = attribute.ReplaceAllString(s, "\n $1='$2'")
		}
		b.WriteString(s)
		return true
	})
	return b.String()
}
