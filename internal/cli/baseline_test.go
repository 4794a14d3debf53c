package cli_test

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"yellowgate/internal/clitest"
	"yellowgate/internal/testsize"
)

// TestBaseline: random changes of a site, of which it is known what they break and mend: held against what was
// before, exactly that is new, whether a side is a folder or a saved audit; a page less, which leaves what it breaks
// alone, and other words are nothing else.
func TestBaseline(t *testing.T) {
	b := clitest.New(t)
	b.Want(0, clitest.Args("demo", "d"))
	b.Dir = filepath.Join(b.Dir, "d")
	if err := os.Rename(filepath.Join(b.Dir, "public"), filepath.Join(b.Dir, "before")); err != nil {
		t.Fatal(err)
	}
	b.Want(0, clitest.Args("audit", "before", "--format", "json", "--out", "before.json", "--fail-on", "never"))
	pages := []string{"visit", "shop", "privacy", "journal/mirror", "members/login", "events/orion", "contact"}
	changes := []struct {
		check  string // that it breaks; "" for none
		change func(text string, n int) string
	}{
		{"dead-file", func(s string, n int) string {
			return strings.Replace(s, "</body>", fmt.Sprintf(`<script defer src="/none-%d.js"></script></body>`, n), 1)
		}},
		{"lang-missing", func(s string, _ int) string { return strings.Replace(s, ` lang="en"`, "", 1) }},
		{"viewport-missing", func(s string, _ int) string {
			return strings.Replace(s, `<meta name="viewport"`, `<meta name="port"`, 1)
		}},
		{"description-repeated", func(s string, n int) string {
			return strings.Replace(s, "</head>",
				fmt.Sprintf(`<meta name="description" content="Again, number %d"></head>`, n), 1)
		}},
		{"structured-invalid", func(s string, n int) string {
			return strings.Replace(s, "</body>",
				fmt.Sprintf(`<script type="application/ld+json">{"a": %d,}</script></body>`, n), 1)
		}},
		{"", func(s string, n int) string {
			return strings.Replace(s, "</h1>", fmt.Sprintf(", number %d</h1>\n\n", n), 1)
		}},
		{"", func(s string, n int) string {
			return strings.Replace(s, "</h1>", fmt.Sprintf("</h1><p class=n%d>More</p>", n), 1)
		}},
	}
	for n := range testsize.Of(3, 15) {
		r := rand.New(rand.NewPCG(uint64(n), 30))
		if err := os.RemoveAll(filepath.Join(b.Dir, "after")); err != nil {
			t.Fatal(err)
		}
		if err := os.CopyFS(filepath.Join(b.Dir, "after"), os.DirFS(filepath.Join(b.Dir, "before"))); err != nil {
			t.Fatal(err)
		}
		var want []string
		for _, k := range r.Perm(len(pages))[:1+r.IntN(4)] {
			c := changes[r.IntN(len(changes))]
			name := "after/" + pages[k] + "/index.html"
			was := b.Read(name)
			b.Write(name, c.change(was, n))
			if b.Read(name) == was {
				t.Fatalf("%s: nothing is changed", name)
			}
			if c.check != "" {
				want = append(want, c.check+" /"+pages[k]+"/")
			}
		}
		if r.IntN(2) == 0 { // a page less, which the sitemap lists
			if err := os.RemoveAll(filepath.Join(b.Dir, "after/journal/owls")); err != nil {
				t.Fatal(err)
			}
			want = append(want, "dead-relation ")
		}
		slices.Sort(want)
		b.Want(0,
			clitest.Args("audit", "after", "--format", "json", "--out", "after.json", "--fail-on", "never",
				"--force"))
		for _, sides := range [][2]string{{"before", "after"}, {"before.json", "after"}, {"before", "after.json"},
			{"before.json", "after.json"}} {
			var c struct {
				New []struct{ Check, Page string }
			}
			if err := json.Unmarshal(
				[]byte(b.Want(0, clitest.Args("compare", sides[0], sides[1], "--format", "json"))), &c); err != nil {
				t.Fatal(err)
			}
			var got []string
			for _, f := range c.New {
				got = append(got, f.Check+" "+f.Page)
			}
			if slices.Sort(got); !slices.Equal(got, want) {
				t.Errorf("%d, %v: new are %q, want %q", n, sides, got, want)
			}
		}
	}
}
