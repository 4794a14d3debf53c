// Speed builds a site of 10,000 pages and prints how long the commands take on
// it, each as a ratio to a plain tool that is run beside it.
//
//	go run ./scripts/speed [-dir FOLDER] [-pages N] [-rounds N] [-curve]
//
// It needs cp, find and grep. Machines are noisy: both sides of a ratio are run
// in turn, and the medians are compared.
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
	curve  = flag.Bool("curve", false, "only the audit, on 1,000, 10,000 and 30,000 pages")
)

func main() {
	log.SetFlags(0)
	flag.Parse()
	root := *dir
	if root == "" {
		tmp, err := os.MkdirTemp("", "yellowgate-speed")
		check(err)
		defer os.RemoveAll(tmp)
		root = tmp
	}
	if *curve {
		fmt.Println("| pages | MB of HTML | `audit` | `grep -rc '<script'` | ratio | ms a MB | peak memory |")
		fmt.Println("|---|---|---|---|---|---|---|")
		for _, n := range []int{1000, 10000, 30000} {
			dir := filepath.Join(root, fmt.Sprint(n))
			mb := float64(build(dir, n)) / 1e6
			b := newBench(dir)
			b.run(b.yg("apply"))
			b.run([]string{"grep", "-rc", "<nothing", "site", "public"})
			a, o, m := b.pair(b.yg("audit"), nil, []string{"grep", "-rc", "<script", "site"}, nil)
			fmt.Printf("| %d | %.0f | %d ms | %d ms | %.1f | %.1f | %d MB |\n", n, mb, a.Milliseconds(), o.Milliseconds(), float64(a)/float64(o), float64(a.Milliseconds())/mb, m)
		}
		return
	}
	size := build(root, *pages)
	fmt.Printf("%d pages, %.0f MB of HTML\n\n", *pages, float64(size)/1e6)
	if *only {
		return
	}
	newBench(root).all()
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
		text := slices.Concat(model[:at], long(r), model[at:])
		name := filepath.Join(root, "site", "bulk", fmt.Sprintf("%03d", i/100), fmt.Sprintf("page-%02d", i%100), "index.html")
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
			fmt.Fprintf(&b, " <a class=\"ref\" href=\"/bulk/%03d/page-%02d/#s%d\">", r.IntN(100), r.IntN(100), r.IntN(9))
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

// run runs a command and returns its time and its peak memory.
func (b *bench) run(args []string) (time.Duration, int64) {
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
	return took, cmd.ProcessState.SysUsage().(*syscall.Rusage).Maxrss / 1024
}

// pair runs two commands in turn, each after its preparation, and returns the
// medians and the first one's peak memory.
func (b *bench) pair(mine []string, before func(), other []string, beforeOther func()) (a, o time.Duration, memory int64) {
	var as, os []time.Duration
	for range *rounds {
		if before != nil {
			before()
		}
		t, m := b.run(mine)
		as = append(as, t)
		memory = max(memory, m)
		if beforeOther != nil {
			beforeOther()
		}
		t, _ = b.run(other)
		os = append(os, t)
	}
	slices.Sort(as)
	slices.Sort(os)
	return as[len(as)/2], os[len(os)/2], memory
}

func (b *bench) all() {
	fmt.Println("| work | held against | at most | measured | took | the other | peak memory |")
	fmt.Println("|---|---|---|---|---|---|---|")
	row := func(work, against, atMost string, a, o time.Duration, m int64) {
		fmt.Printf("| %s | %s | %s | %.2f | %d ms | %d ms | %d MB |\n", work, against, atMost, float64(a)/float64(o), a.Milliseconds(), o.Milliseconds(), m)
	}
	clean := func() {
		check(os.RemoveAll(b.path("public")))
		check(os.RemoveAll(b.path(".yellowgate")))
	}
	// Everything once, so that the files are in memory for both sides.
	b.run([]string{"grep", "-rc", "<nothing", "site"})

	a, o, m := b.pair(b.yg("apply"), clean, []string{"cp", "-r", "site", "copy"}, func() { check(os.RemoveAll(b.path("copy"))) })
	row("`apply`, cold output", "`cp -r`", "3.0", a, o, m)

	stamp := b.path("stamp")
	check(os.WriteFile(stamp, nil, 0o644))
	find := []string{"find", "site", "-newer", "stamp"}
	a, o, m = b.pair(b.yg("apply"), nil, find, nil)
	row("`apply` again, nothing changed", "`find -newer`", "4.0", a, o, m)

	n := 0
	touch := func() {
		n++
		name := b.path("site/bulk/050/page-50/index.html")
		text, err := os.ReadFile(name)
		check(err)
		check(os.WriteFile(name, append(text, fmt.Sprintf("<!-- %d -->\n", n)...), 0o644))
	}
	a, o, m = b.pair(b.yg("apply"), touch, find, nil)
	row("`apply`, one page changed", "`find -newer`", "4.0", a, o, m)

	grep := []string{"grep", "-rc", "<script", "site"}
	a, o, m = b.pair(b.yg("survey"), nil, grep, nil)
	row("`survey`", "`grep -rc '<script'`", "3.0", a, o, m)
	a, o, m = b.pair(b.yg("audit"), nil, grep, nil)
	row("`audit`, all checks", "`grep -rc '<script'`", "8.0", a, o, m)
	a, o, m = b.pair(b.yg("audit", "site"), nil, grep, nil)
	row("`audit` of a folder without a gate file", "`grep -rc '<script'`", "8.0", a, o, m)

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
	a, o, m = b.pair(manyArgs, manyClean, fewArgs, fewClean)
	row("`apply`, 200 items, 20 with `has()`", "the same with 10 items", "2.0", a, o, m)

	clean()
	b.run(b.yg("apply"))
	a, o, m = b.pair(b.yg("show", "/bulk/050/page-50/"), nil, []string{"true"}, nil)
	fmt.Printf("| `show` of one page | `true` | + 30 ms | + %.1f ms | %.1f ms | %.1f ms | %d MB |\n",
		float64(a-o)/1e6, float64(a)/1e6, float64(o)/1e6, m)
}

// many is a gate file with n items, the first h of them with has(). Each is on
// one page in a hundred, so that what is written stays about the same.
func many(n, h int) []byte {
	var b strings.Builder
	out := "public-few"
	if n > 10 {
		out = "public-many"
	}
	fmt.Fprintf(&b, "yellowgate: 1\nsite: {source: site, output: %s}\nitems:\n  star-map: {code: '<b>@{height}</b>', params: {height: 1}, place: spot}\n", out)
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
