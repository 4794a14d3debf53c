package growth_test

import (
	"fmt"
	"maps"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"

	"yellowgate/internal/clitest"
	"yellowgate/internal/samplegates"
	"yellowgate/internal/testsize"
)

// Pages that repeat one thing, whatever it is: twice as much of it may cost twice as much work,
// and hardly more. Work is counted, not timed: the program is built with counters on all its
// statements, those of the parsers among them.

// grown are the pages, by what they repeat. %d is the number of the repetition.
var grown = map[string]string{
	"dialogs":            `<dialog id=a%d aria-label=x>x</dialog>`,
	"dialogs unclosed":   `<dialog>`,
	"marks unclosed":     `<!--yg:a%d-->`,
	"marks":              `<!--yg:a%d--><b>x</b><!--/yg:a%[1]d-->`,
	"svg closed by b":    `<svg><g><b>`,
	"svg nested":         `<svg><foreignObject>`,
	"math":               `<math><mi><p></math>`,
	"templates nested":   `<template>`,
	"templates":          `<template><img src=a%d.png></template>`,
	"noscripts":          `<noscript><img src=a%d.png></noscript>`,
	"titles":             `<title>x%d</title>`,
	"metas":              `<meta name=a%d content=b>`,
	"descriptions":       `<meta name=description content=b%d>`,
	"canonicals":         `<link rel=canonical href=/a%d/>`,
	"bases":              `<base href=/a%d/>`,
	"scripts":            `<script src=/a%d.js></script>`,
	"foreign scripts":    `<script src=https://a%d.example/a.js></script>`,
	"inline scripts":     `<script>var a%d = document.querySelector(".b%[1]d"); a%[1]d.focus()</script>`,
	"loaders":            `<script>var s%d = document.createElement("script"); s%[1]d.src = "/x%[1]d.js"</script>`,
	"stylesheets":        `<link rel=stylesheet href=/a%d.css>`,
	"inline styles":      `<style>.a%d { background: url(a%[1]d.png) }</style>`,
	"pictures":           `<img src=a%d.png srcset="b%[1]d.png 2x" alt=x>`,
	"pixels":             `<img src=a%d.png width=1 height=1>`,
	"style attributes":   `<p style="background: url(a%d.png)">x</p>`,
	"handlers":           `<p onclick="a%d()">x</p>`,
	"classes":            `<p class="a%d b%[1]d c">x</p>`,
	"ids":                `<p id=a%d>x</p>`,
	"one id":             `<p id=a>x</p>`,
	"nested":             `<div><p class=a%d>`,
	"closed by others":   `<b><i></b></i>`,
	"tables":             `<table><tr><td>`,
	"comments":           `<!-- %d -->`,
	"comments unclosed":  `<!--<`,
	"words":              `word%d `,
	"attributes":         `<p a%d=b c%[1]d='d' e>x</p>`,
	"links to fragments": `<a href=#a%d>x</a>`,
	"structured data":    `<script type=application/ld+json>{"@type": "Event", "name": "x%d"}</script>`,
	"policies":           `<meta http-equiv=content-security-policy content="script-src a%d.example">`,
	"iframes":            `<iframe src=/a%d/></iframe>`,
	"spots":              `<!-- yg-spot a%d -->`,
	"placeholders":       `@{page.a%d} `,
	"raw text":           `<textarea><`,
	"annotations":        `<math><annotation-xml encoding=text/html><b>`,
	"unclosed blocks":    `<div class=a1>`,
	"bold left open":     `<p><b></p>`,
	"fonts in cells":     `<table><tr><td><font size=a%d>x</table>`,
	"dashes":             `<!-- ---%d- -->`,
	"svg closed wrongly": `<svg><g></x%d>`,
}

// grownCode repeats one thing within one script or style.
var grownCode = map[string][3]string{
	"calls of one name": {"<script>function f(u) { var s = document.createElement('script'); s.src = u }",
		"f('/a%d.js');", "</script>"},
	"functions of one name":  {"<script>", "a%d = { get: function () { return b.get(c.get(d)) } };", "</script>"},
	"names for names":        {"<script>var a = 0, b = 0;", "a = b + a; b = a + b;", "new Image().src = a + b</script>"},
	"selectors looked for":   {"<script>", "document.querySelector('.a%d .b');", "</script>"},
	"globals":                {"<script>", "window.a%d = b%[1]d;", "</script>"},
	"written markup":         {"<script>document.write('", "<img src=/a%d.png>", "')</script>"},
	"rules":                  {"<style>", ".a%d .b, p > .c%[1]d { d: e }", "</style>"},
	"lost rules":             {"<style>", ".a%d, { b: c }", "</style>"},
	"fonts":                  {"<style>@font-face { src: local(x)", ", url(a%d.woff)", " }</style>"},
	"candidates":             {"<img srcset=\"", "a%d.png %[1]dw, ", "\">"},
	"classes of one element": {"<p class=\"", "a%d ", "\">x</p><style>.a1.a2.a3 { b: c }</style>"},
	"attributes of one tag":  {"<p ", "a%d=b ", ">x</p>"},
	"script with comments":   {"<script>var a = '", "<!--<", "'</script>"},
	"end tags of svg":        {"<svg>", "<g></x%d>", "</svg>"},
	"formatting left open":   {strings.Repeat("<b id=x><i>", 20), "<p>x%d</p>", ""},
	"policy sources": {"<meta http-equiv=content-security-policy content=\"script-src ", "a%d.example ",
		"\"><script src=/a.js></script>"},
	"custom properties": {"<style>:root { ", "--a%d: var(--b%[1]d); ", "} p { margin: var(--a1) }</style>"},
}

// counted builds the program with counters, once; TestMain takes it away.
var counted = sync.OnceValues(func() (string, error) {
	name := filepath.Join(clitest.Dir(), "counted")
	packages := "yellowgate/...,github.com/tdewolff/parse/v2/...,github.com/andybalholm/cascadia,golang.org/x/net/html,github.com/nlnwa/whatwg-url/url"
	out, err := exec.Command("go", "build", "-cover", "-covermode=count", "-coverpkg="+packages, "-o", name,
		"yellowgate/cmd/yellowgate").CombinedOutput()
	if err != nil {
		return "", fmt.Errorf("%v: %s", err, out)
	}
	return name, nil
})

// work is how many statements a command runs.
func work(t *testing.T, counter, dir string, args ...string) (steps float64) {
	t.Helper()
	counts := t.TempDir()
	cmd := exec.Command(counter, args...)
	cmd.Dir, cmd.Env = dir, append(os.Environ(), "GOCOVERDIR="+counts)
	if out, err := cmd.CombinedOutput(); err != nil && cmd.ProcessState.ExitCode() > 1 {
		t.Fatalf("%v: %v\n%s", args, err, out)
	}
	profile := filepath.Join(counts, "profile.txt")
	convert := exec.Command("go", "tool", "covdata", "textfmt", "-i="+counts, "-o="+profile)
	if out, err := convert.CombinedOutput(); err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	text, err := os.ReadFile(profile)
	if err != nil {
		t.Fatal(err)
	}
	for line := range strings.Lines(string(text)) { // file:from,to statements count
		f := strings.Fields(line)
		if len(f) != 3 {
			continue
		}
		statements, _ := strconv.ParseFloat(f[1], 64)
		times, _ := strconv.ParseFloat(f[2], 64)
		steps += statements * times
	}
	return steps
}

// growth measures pages, or whole projects, that repeat one thing.
type growth struct {
	*testing.T
	counter, dir string
	limit        chan bool
	wait         sync.WaitGroup
	nones        sync.Map // text of the files -> func() float64
}

func newGrowth(t *testing.T) *growth {
	counter, err := counted()
	if err != nil {
		t.Skipf("the program cannot be built with counters: %v", err)
	}
	return &growth{T: t, counter: counter, dir: t.TempDir(), limit: make(chan bool, runtime.NumCPU())}
}

// measure is the work of a command on files, given as name and content in turn.
func (g *growth) measure(files []string, args ...string) float64 {
	sub, err := os.MkdirTemp(g.dir, "site")
	if err != nil {
		g.Fatal(err)
	}
	b := clitest.In(g.T, sub)
	for i := 0; i < len(files); i += 2 {
		b.Write(files[i], files[i+1])
	}
	return work(g.T, g.counter, sub, args...)
}

// bare is the work of what has none of a thing, which is the same for many things.
func (g *growth) bare(files, args []string) float64 {
	once, _ := g.nones.LoadOrStore(strings.Join(append(files, args...), "\x00"),
		sync.OnceValue(func() float64 { return g.measure(files, args...) }))
	return once.(func() float64)()
}

// linear looks that twice as much of something is at most a little more than twice the work,
// of which what none of it costs is taken off. files makes the files with so many of it.
func (g *growth) linear(name string, n int, files func(times int) []string, args ...string) {
	g.wait.Go(func() {
		g.limit <- true
		defer func() { <-g.limit }()
		none := g.bare(files(0), args)
		once, twice := g.measure(files(n), args...)-none, g.measure(files(2*n), args...)-none
		if ratio := twice / once; ratio > 2.3 && twice > 1e6 {
			g.Errorf("%s: %.1f million steps for %d, %.1f times as many for twice that", name, once/1e6, n, ratio)
		} else if testing.Verbose() {
			g.Logf("%-24s %8.2f million steps, ×%.2f", name, once/1e6, ratio)
		}
	})
}

// repeated is a text that stands so many times, with its numbers.
func repeated(before, one, after string, times int) string {
	var b strings.Builder
	b.WriteString(before)
	for i := range times {
		if strings.Contains(one, "%") {
			fmt.Fprintf(&b, one, i)
		} else {
			b.WriteString(one)
		}
	}
	return b.String() + after
}

const grownHead = "<!doctype html>\n<html lang=en>\n<head>\n<meta charset=utf-8>\n<meta name=description content=x>\n<title>x</title>\n"

// grownKinds are all kinds of page.
func grownKinds() map[string][3]string {
	kinds := maps.Clone(grownCode)
	for name, one := range grown {
		kinds[name] = [3]string{"", one, ""}
	}
	return kinds
}

// sampled are so many of the cases, or all of them.
func sampled[V any](all map[string]V, n int) map[string]V {
	names := slices.Sorted(maps.Keys(all))
	if n = testsize.Of(n, len(names)); n == len(names) {
		return all
	}
	some := map[string]V{}
	for i := range n {
		name := names[i*len(names)/n]
		some[name] = all[name]
	}
	return some
}

// TestGrowth: an audit of pages that repeat one thing.
func TestGrowth(t *testing.T) {
	g := newGrowth(t)
	for name, k := range sampled(grownKinds(), 2) {
		g.linear(name, 400, func(times int) []string {
			return []string{"site/index.html", repeated(grownHead+k[0], k[1], k[2], times)}
		}, "audit", "site", "--fail-on", "never")
	}
	g.wait.Wait()
}

// TestGrowthGated: the same pages before a gate with items of every kind.
func TestGrowthGated(t *testing.T) {
	g := newGrowth(t)
	const gate = `yellowgate: 1
site: {source: site, output: public}
metadata: [{pages: all, title: "@{page.title} | x", description: "@{page.heading or page.title}", canonical: "https://ternhill.example@{page.path}"}]
items:
  tag: {script: /tag.js, pages: all}
  lib: {found: {url: /a1*.js}, pages: none}
  words: {found: {text: 'a1'}, pages: none}
  deep: {found: "div p.a1, p b, table td", pages: none}
  note: {code: "<p class=note>x</p>", place: {before: p}, pages: "has(p.a1) or has(dialog) or has(div > p)"}
  ends: {code: "<i>end</i>", place: {last-in: div}, each: true, pages: "has(div > div)"}
  data: {structured: {type: Event, name: "@{page.title}"}, pages: all}
`
	for name, k := range sampled(grownKinds(), 1) {
		g.linear(name, 500, func(times int) []string { // 500 are flattened, and so are twice as many
			return []string{"yellowgate.yaml", gate, "site/index.html", repeated(grownHead+k[0], k[1], k[2], times)}
		}, "check", "--fail-on", "never")
	}
	g.wait.Wait()
}

// TestGrowthOfGate: gate files and facts that repeat one thing, and many pages.
func TestGrowthOfGate(t *testing.T) {
	g := newGrowth(t)
	const head = "yellowgate: 1\nsite: {source: site, output: public, facts: facts.json}\n"
	page := grownHead + "<script src=/a.js></script></head><body><p class=a1>x</p></body></html>\n"
	for name, c := range sampled(map[string][3]string{
		"items": {"items:\n  z: {script: /z.js, pages: all}\n",
			"  a%d: {script: /a%[1]d.js, pages: /a%[1]d/**}\n", ""},
		"found items": {"items:\n  z: {script: /z.js, pages: all}\n",
			"  a%d: {found: {url: /a%[1]d/*.js}, pages: none}\n", ""},
		"selectors": {"items:\n  z: {script: /z.js, pages: all}\n",
			"  a%d: {found: \".a%[1]d b\", pages: none}\n", ""},
		"queries": {"items:\n  z:\n    script: /z.js\n    pages:\n      - all\n", "      - has(.a%d)\n", ""},
		"exceptions": {"items:\n  z:\n    script: /z.js\n    pages: all\n    except:\n      - /none/\n",
			"      - /a%d/\n", ""},
		"a chain of needs": {"items:\n  a0: {script: /z.js, pages: all}\n", "  b%d: {script: /b%[1]d.js, needs: [a0]}\n", ""},
		"sets":             {"items: {z: {script: /z.js, pages: all}}\nsets:\n  z: all\n", "  a%d: /a%[1]d/**\n", ""},
		"metadata":         {"metadata:\n  - {pages: all, title: x}\n", "  - {pages: /a%d/, title: y}\n", ""},
		"per-page": {"items: {z: {script: /z.js, pages: all}}\nper-page:\n  /: {out: [z]}\n",
			"  /a%d/: {out: [z]}\n", ""},
		"trust": {
			"strict: false\nitems: {z: {script: /z.js, pages: all}}\naccept:\n  - {check: icon-missing, pages: all, note: x}\n",
			"  - {check: icon-missing, pages: /a%d/, note: x}\n", ""},
	}, 1) {
		g.linear(name, 200, func(times int) []string {
			return []string{"yellowgate.yaml", head + repeated(c[0], c[1], c[2], times), "facts.json", "{}",
				"site/index.html", page}
		}, "check", "--fail-on", "never")
	}
	g.linear("facts", 800, func(times int) []string {
		return []string{"yellowgate.yaml", head + "items: {z: {script: /z.js, pages: all}}\n", "facts.json",
			repeated("{\"/\": {\"x\": 1}", ", \"/a%d/\": {\"x\": %[1]d}", "}", times), "site/index.html", page}
	}, "check", "--fail-on", "never")
	commands := [][]string{{"audit", "site", "--fail-on", "never"}, {"check"}, {"apply"}, {"suggest"},
		{"survey", "site"}, {"where"}, {"find", "a1"}, {"diff", "--summary"}}
	for _, command := range commands[:testsize.Of(1, len(commands))] {
		g.linear("pages of "+command[0], 60, func(times int) []string {
			files := []string{"yellowgate.yaml",
				head + "items: {z: {script: /z.js, pages: all}, a: {found: {url: /a.js}, pages: has(.a1)}}\n",
				"facts.json", "{}", "site/index.html", page, "site/z.js", "", "site/a.js",
				"document.querySelector('.a1')"}
			for i := range times {
				files = append(files, fmt.Sprintf("site/p%d/index.html", i), page)
			}
			return files
		}, command...)
	}
	g.wait.Wait()
}

// TestKindsOfGate: no kind of gate file costs much more work than the cheapest with as many items, what it
// writes into the pages aside: that is read by an audit.
func TestKindsOfGate(t *testing.T) {
	g := newGrowth(t)
	var pages []string
	for i := range 40 {
		pages = append(pages, fmt.Sprintf("site/%c%d.html", 'a'+i%20, i),
			grownHead+"<script src=/a.js></script></head><body class=x>"+
				repeated("", "<p class=a%d>The night of the dome, late on Friday: notice and letter.</p>\n", "", 60)+
				"</body></html>\n")
	}
	commands := [][]string{{"audit", "--no-cache"}, {"check"}}[:testsize.Of(1, 2)]
	for _, items := range []int{25, 5}[:testsize.Of(1, 2)] {
		costs, written := make([]map[string]float64, len(commands)), map[string]float64{}
		var mutex sync.Mutex
		for i := range commands {
			costs[i] = map[string]float64{}
		}
		for _, kind := range samplegates.Kinds {
			for _, most := range []bool{true, false}[:testsize.Of(1, 2)] {
				g.wait.Go(func() {
					g.limit <- true
					defer func() { <-g.limit }()
					b := clitest.New(g.T, append(slices.Clone(pages), "yellowgate.yaml", kind.Gate(items, most), "site/a.js", "")...)
					b.Want(0, clitest.Args("apply"))
					name := fmt.Sprintf("%s, in on most: %v", kind.Name, most)
					mutex.Lock()
					for i := 0; i < len(pages); i += 2 {
						written[name] += float64(len(b.Read(strings.Replace(pages[i], "site/", "public/", 1))))
					}
					mutex.Unlock()
					for i, args := range commands {
						steps := work(g.T, g.counter, b.Dir, args...)
						mutex.Lock()
						costs[i][name] = steps
						mutex.Unlock()
					}
				})
			}
		}
		g.wait.Wait()
		for i, args := range commands {
			cheapest, least := slices.Min(slices.Collect(maps.Values(costs[i]))),
				slices.Min(slices.Collect(maps.Values(written)))
			for _, name := range slices.Sorted(maps.Keys(costs[i])) {
				ratio, most := costs[i][name]/cheapest, 4.0 // a matcher that matches nothing has check read small pages twice
				if args[0] == "audit" {
					ratio, most = ratio*least/written[name], 2.5
				}
				if ratio > most {
					t.Errorf("%s, %d items, %s: %.2f times the cheapest", args[0], items, name, ratio)
				} else if testing.Verbose() {
					t.Logf("%-6s %3d items, %-30s ×%.2f (%.1f million steps)", args[0], items, name, ratio, costs[i][name]/1e6)
				}
			}
		}
	}
}

// FuzzGrowth looks for more of the kind: whatever is repeated on a page, twice as often.
//
//	YELLOWGATE_TESTS=full go test ./internal/clitest/growth -run - -fuzz FuzzGrowth -fuzztime 10m
func FuzzGrowth(f *testing.F) {
	f.Add("", "<p class=a>", "")
	f.Add("<script>var a = [", "{b: function () { return c.d('.e') }},", "]</script>")
	f.Fuzz(func(t *testing.T, before, one, after string) {
		testsize.OnlyFull(t)
		if len(one) == 0 || len(one) > 200 || len(before)+len(after) > 2000 {
			return
		}
		g := newGrowth(t)
		one = strings.ReplaceAll(one, "%", "")
		n := 60_000 / (len(one) + 40)
		at := func(times int) float64 {
			return g.measure([]string{"site/index.html", repeated(grownHead+before, one, after, times)}, "audit",
				"site", "--fail-on", "never")
		}
		none := at(0)
		once, twice := at(n)-none, at(2*n)-none
		if ratio := twice / once; ratio > 2.5 && twice > 3e6 {
			t.Errorf("%q, %q, %q: %.1f million steps for %d, %.1f times as many for twice that", before, one, after,
				once/1e6, n, ratio)
		}
	})
}
