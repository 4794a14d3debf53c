// Speed prints how long the commands take, in CPU time (user and system) and in wall time, each as
// a ratio to a plain tool that is run beside it: on a site of 10,000 pages that it builds, and on
// any folder of HTML.
//
//	go run ./scripts/speed [-dir FOLDER] [-pages N] [-rounds N] [-on FOLDER [-gates 5,25]] [-graph FOLDER]
//
// It needs cp, find and grep. Machines are noisy: both sides of a ratio are run in turn, and the
// medians are compared.
package main

import (
	"bytes"
	"flag"
	"fmt"
	"log"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"time"

	"yellowgate/internal/demo"
)

var (
	dir    = flag.String("dir", "", "build the site in this `folder` (default: a temporary one)")
	pages  = flag.Int("pages", 10000, "number of pages")
	rounds = flag.Int("rounds", 5, "how often each command is run")
	only   = flag.Bool("build-only", false, "build the site and stop")
	on     = flag.String("on", "", "measure on the pages of this `folder` instead, with a gate file of six items")
	parts  = flag.Int("parts", 0,
		"audit the site in so many parts, one after another, and join them: time and memory of each step")
	kinds = flag.String("gates", "",
		"measure twelve kinds of gate file with so many `items`, such as 1,5,25,200, on the pages of -on")
	graph = flag.String("graph", "",
		"draw what commands cost against pages, up to -pages, and items, into this `folder`")
	small = flag.Bool("small", false, "build small pages, of 400 bytes")
)

func main() {
	log.SetFlags(0)
	flag.Parse()
	if *graph != "" {
		graphs(*graph, *pages)
		return
	}
	root := *dir
	if root == "" {
		tmp, err := os.MkdirTemp("", "yellowgate-speed")
		check(err)
		defer os.RemoveAll(tmp)
		root = tmp
	}
	root, err := filepath.Abs(root)
	check(err)
	if *on != "" {
		abs, err := filepath.Abs(*on)
		check(err)
		check(os.WriteFile(filepath.Join(root, "yellowgate.yaml"), foreign(abs), 0o644))
		check(os.Symlink(abs, filepath.Join(root, "site")))
		if *kinds != "" {
			var sizes []int
			for n := range strings.SplitSeq(*kinds, ",") {
				size, err := strconv.Atoi(n)
				check(err)
				sizes = append(sizes, size)
			}
			newBench(root).gates(sizes)
			return
		}
		newBench(root).all()
		return
	}
	size := build(root, *pages)
	fmt.Printf("%d pages, %.0f MB of HTML\n\n", *pages, float64(size)/1e6)
	if *only {
		return
	}
	if *parts > 0 {
		newBench(root).inParts(*parts)
		return
	}
	newBench(root).all()
}

// foreign is a gate file for a folder of which nothing is known.
func foreign(source string) []byte {
	return fmt.Appendf(nil, `yellowgate: 1
site: {source: %q, output: public, url: "https://ternhill.example/", name: Tern Hill}
metadata:
  - {pages: 'path matches "/[a-m][^/]*$"', title: "@{page.heading or page.title or page.path} | Tern Hill"}
  - {pages: all, description: "About @{page.path}"}
items:
  counter: {script: "https://count.example/c.js", pages: all, except: '/api/java.base/** or /library/**'}
  notice: {code: '<p class="notice">Open late</p>', place: body-end, pages: 'path matches "/[a-f][^/]*$"'}
  notice-style: {style-text: ".notice { color: red }", pages: 'path matches "/[a-f][^/]*$"'}
  menu: {found: '[src*="menu"]', pages: all, except: /tutorial/**}
  library: {found: '[src*="jquery"]', pages: all, except: /java.xml/**}
  main-style: {found: 'link[rel=stylesheet]', pages: all or path}
`, source)
}

// newBench builds the program into a folder with a site.
func newBench(root string) *bench {
	b := &bench{root: root, program: filepath.Join(root, "yellowgate")}
	compile := exec.Command("go", "build", "-o", b.program, "yellowgate/cmd/yellowgate")
	compile.Env = append(os.Environ(), "CGO_ENABLED=0")
	if out, err := compile.CombinedOutput(); err != nil {
		log.Fatalf("%v\n%s", err, out)
	}
	return b
}

func check(err error) {
	if err != nil {
		log.Fatal(err)
	}
}

// build writes the demo and, below site/bulk, its pages over and over, made
// long: the same bytes every time. It returns the bytes of all pages.
func build(root string, n int) (size int64) {
	if _, err := os.Stat(filepath.Join(root, "yellowgate.yaml")); err != nil {
		_, err := demo.Write(root)
		check(err)
	}
	var models [][]byte
	check(filepath.WalkDir(filepath.Join(root, "site"), func(name string, d os.DirEntry, err error) error {
		if err != nil || !strings.HasSuffix(name, ".html") || strings.Contains(name, "/bulk/") {
			return err
		}
		b, err := os.ReadFile(name)
		models = append(models, b)
		size += int64(len(b))
		return err
	}))
	r := rand.New(rand.NewPCG(1, 2))
	for i := range n - len(models) {
		model := models[i%len(models)]
		at := bytes.Index(model, []byte("</main>"))
		var text []byte
		if *small {
			text = fmt.Appendf(nil,
				"<!doctype html><html lang=en><head><meta charset=utf-8><title>Page %d</title>\n"+
					"<link rel=stylesheet href=/css/site.css></head><body><h1>Page %d</h1><p>%s</p><script "+
					"src=/js/site.js defer></script></body></html>\n", i, i, words[i%len(words)])
		} else {
			text = slices.Concat(model[:at], long(r), model[at:])
		}
		name := filepath.Join(root, "site", "bulk", fmt.Sprintf("%03d", i/100), fmt.Sprintf("page-%02d", i%100),
			"index.html")
		check(os.MkdirAll(filepath.Dir(name), 0o755))
		check(os.WriteFile(name, text, 0o644))
		size += int64(len(text))
	}
	return size
}

var words = strings.Fields(`the dome opens when the sky is clear and the wind is low so that all who came up the hill
may look through the great refractor at rings moons clusters and the faint light of other galaxies while the night goes on`)

// long is the inside of a long page: headings, paragraphs with links, tables,
// lists and listings, 25 kB on average.
func long(r *rand.Rand) []byte {
	var b bytes.Buffer
	want := 4000 + r.IntN(40000)
	sentence := func(n int) {
		for i := range n {
			if i > 0 {
				b.WriteByte(' ')
			}
			b.WriteString(words[r.IntN(len(words))])
		}
	}
	for n := 0; b.Len() < want; n++ {
		fmt.Fprintf(&b, "<h2 id=\"s%d\">", n)
		sentence(4)
		b.WriteString("</h2>\n")
		for range 3 {
			b.WriteString("<p>")
			sentence(20 + r.IntN(40))
			fmt.Fprintf(&b, " <a class=\"ref\" href=\"/bulk/%03d/page-%02d/#s%d\">", r.IntN(100), r.IntN(100),
				r.IntN(9))
			sentence(2)
			b.WriteString("</a> <em>")
			sentence(3)
			b.WriteString("</em>.</p>\n")
		}
		b.WriteString("<table class=\"data\">\n")
		for range 6 {
			fmt.Fprintf(&b, "<tr><td>%d</td><td><code>%x</code></td><td>", r.IntN(1000), r.Uint32())
			sentence(5)
			b.WriteString("</td></tr>\n")
		}
		b.WriteString("</table>\n<pre class=\"listing\">")
		sentence(60)
		b.WriteString("</pre>\n")
	}
	return b.Bytes()
}

type bench struct {
	root, program string
}

func (b *bench) path(name string) string { return filepath.Join(b.root, name) }

func (b *bench) yg(args ...string) []string { return append([]string{b.program}, args...) }

// A cost is what a command took.
type cost struct {
	cpu, wall time.Duration
	memory    int64 // at its peak, in MB
}

// run runs a command.
func (b *bench) run(args []string) cost {
	cmd := exec.Command(args[0], args[1:]...)
	cmd.Dir = b.root
	var errout bytes.Buffer
	cmd.Stderr = &errout
	begun := time.Now()
	err := cmd.Run()
	took := time.Since(begun)
	if code := cmd.ProcessState.ExitCode(); err != nil && code > 1 {
		log.Fatalf("%v: %v\n%s", args, err, errout.String())
	}
	s := cmd.ProcessState
	return cost{s.UserTime() + s.SystemTime(), took, s.SysUsage().(*syscall.Rusage).Maxrss / 1024}
}

// median is the middle of several costs, of each of its numbers; memory is the most.
func median(all []cost) (c cost) {
	middle := func(of func(cost) time.Duration) time.Duration {
		var list []time.Duration
		for _, x := range all {
			list = append(list, of(x))
			c.memory = max(c.memory, x.memory)
		}
		slices.Sort(list)
		return list[len(list)/2]
	}
	c.cpu = middle(func(x cost) time.Duration { return x.cpu })
	c.wall = middle(func(x cost) time.Duration { return x.wall })
	return c
}

// row runs two commands in turn, each after its preparation, and prints a row: the ratio of their
// CPU time, and of their wall time.
func (b *bench) row(work, against, atMost string, mine []string, before func(), other []string,
	beforeOther func()) (a, o cost) {
	var as, others []cost
	for range *rounds {
		if before != nil {
			before()
		}
		as = append(as, b.run(mine))
		if beforeOther != nil {
			beforeOther()
		}
		others = append(others, b.run(other))
	}
	a, o = median(as), median(others)
	fmt.Printf("| %s | %s | %s | %.1f | %.1f | %d ms | %d ms | %.2f | %d MB |\n", work, against, atMost,
		float64(a.cpu)/float64(o.cpu), float64(a.wall)/float64(o.wall), a.cpu.Milliseconds(), o.cpu.Milliseconds(),
		float64(a.wall)/float64(a.cpu), a.memory)
	return a, o
}

func (b *bench) all() {
	fmt.Println(
		"| work | measured against | at most (CPU) | CPU | wall | its CPU | the other's | wall/CPU | peak memory |")
	fmt.Println("|---|---|---|---|---|---|---|---|---|")
	clean := func() {
		check(os.RemoveAll(b.path("public")))
		check(os.RemoveAll(b.path(".yellowgate")))
	}
	forget := func() {
		list, err := filepath.Glob(b.path(".yellowgate/audit-*"))
		check(err)
		for _, dir := range list {
			check(os.RemoveAll(dir))
		}
	}
	// Everything once, so that the files are in memory for both sides.
	b.run([]string{"grep", "-rc", "<nothing", "site/"})
	n := 0
	change := func(every int) func() {
		return func() {
			n++
			i := 0
			check(filepath.WalkDir(b.path("public"), func(name string, d os.DirEntry, err error) error {
				if err != nil || !strings.HasSuffix(name, ".html") {
					return err
				}
				if i++; i%every != 0 {
					return nil
				}
				text, err := os.ReadFile(name)
				check(err)
				return os.WriteFile(name, append(text, fmt.Sprintf("<!-- %d -->\n", n)...), 0o644)
			}))
		}
	}
	copied := []string{"cp", "-rL", "site", "copy"}
	b.row(
		"`apply`, cold output",
		"`cp -r`",
		"3",
		b.yg("apply"),
		clean,
		copied,
		func() { check(os.RemoveAll(b.path("copy"))) },
	)
	check(os.RemoveAll(b.path("copy")))
	check(os.WriteFile(b.path("stamp"), nil, 0o644))
	find := []string{"find", "-L", "site", "-newer", "stamp"}
	b.row("`apply` again, nothing changed", "`find -newer`", "3", b.yg("apply"), nil, find, nil)
	one := func() {
		check(os.RemoveAll(b.path("public/about.html")))
		list, err := filepath.Glob(b.path("public/*.html"))
		check(err)
		check(os.Remove(list[0]))
	}
	b.row("`apply`, one page to write", "`find -newer`", "3", b.yg("apply"), one, find, nil)
	grep := []string{"grep", "-Rc", "<script", "public"}
	const grepped = "`grep -rc '<script'`"
	b.row("`survey`", grepped, "5", b.yg("survey"), nil, grep, nil)
	b.row("`check`", grepped, "15", b.yg("check"), nil, grep, nil)
	b.row("`audit` of the output, first time", grepped, "20", b.yg("audit"), forget, grep, nil)
	b.row("`audit` again, nothing changed", grepped, "5", b.yg("audit"), nil, grep, nil)
	b.row("`audit` again, 1 page in 1,000 changed", grepped, "6", b.yg("audit"), change(1000), grep, nil)
	b.row("`audit` of a folder without a gate file", grepped, "", b.yg("audit", "site"), nil, grep, nil)
	both := []string{
		"sh",
		"-c",
		b.program + " audit site >/dev/null; " + b.program + " audit --no-cache public >/dev/null; true",
	}
	b.row("`compare` of source and output", "one `audit` of each", "1.2", b.yg("compare", "site", "public"), nil,
		both, nil)

	if *on == "" { // the demo's own pages are among them
		check(os.WriteFile(b.path("many.yaml"), many(200, 20), 0o644))
		check(os.WriteFile(b.path("few.yaml"), many(10, 0), 0o644))
		gates := func(file, out string) ([]string, func()) {
			return b.yg("apply", "--gate", file), func() {
				check(os.RemoveAll(b.path(out)))
				check(os.RemoveAll(b.path(".yellowgate")))
			}
		}
		manyArgs, manyClean := gates("many.yaml", "public-many")
		fewArgs, fewClean := gates("few.yaml", "public-few")
		b.row("`apply`, 200 items, 20 with `has()`", "the same with 10 items", "2", manyArgs, manyClean, fewArgs,
			fewClean)
	}
	first, err := filepath.Glob(b.path("public/*.html"))
	check(err)
	a, o := b.row("`show` of one page", "`true`", "+ 30 ms", b.yg("show", "/"+filepath.Base(first[0])), nil,
		[]string{"true"}, nil)
	fmt.Printf("\nshow: + %.1f ms wall\n", float64(a.wall-o.wall)/1e6)
}

// inParts audits the site in parts, one after another, and joins them.
func (b *bench) inParts(of int) {
	fmt.Println("| step | CPU | wall | peak memory |\n|---|---|---|---|")
	step := func(what string, args ...string) {
		c := b.run(b.yg(args...))
		fmt.Printf("| %s | %.1f s | %.1f s | %d MB |\n", what, c.cpu.Seconds(), c.wall.Seconds(), c.memory)
	}
	check(os.RemoveAll(b.path("public")))
	step("`apply`", "apply")
	names := []string{"audit", "--join"}
	for n := 1; n <= of; n++ {
		name := fmt.Sprintf("part-%d.ndjson", n)
		step(fmt.Sprintf("`audit --part %d/%d`", n, of), "audit", "--part", fmt.Sprintf("%d/%d", n, of), "--out",
			name, "--force")
		names = append(names, name)
	}
	step("`audit --join`", names...)
	step("`audit` at once, for comparison", "audit", "--no-cache")
}

// many is a gate file with n items, the first h of them with has(). Each is on
// one page in a hundred, so that what is written stays about the same.
func many(n, h int) []byte {
	var b strings.Builder
	out := "public-few"
	if n > 10 {
		out = "public-many"
	}
	fmt.Fprintf(&b,
		"yellowgate: 1\nsite: {source: site, output: %s}\nitems:\n"+
			"  star-map: {code: '<b>@{height}</b>', params: {height: 1}, place: spot}\n",
		out)
	for i := range n {
		query := fmt.Sprintf("/bulk/%03d/**", i%100)
		if i < h {
			query = fmt.Sprintf("%s and has(table.data-%d)", query, i)
			if i%4 == 0 {
				query = fmt.Sprintf("/bulk/%03d/** or has(form.kind-%d)", i%100, i)
			}
		}
		fmt.Fprintf(&b, "  item-%03d: {script: /js/item-%d.js, pages: '%s'}\n", i, i, query)
	}
	return []byte(b.String())
}
