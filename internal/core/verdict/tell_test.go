package verdict

import (
	"fmt"
	"math/rand"
	"strings"
	"testing"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/page"
)

// someGate is a gate file with everything that can decide a verdict, by chance.
func someGate(r *rand.Rand) string {
	chance := func(of int) bool { return r.Intn(of) == 0 }
	queries := []string{"all", "none", "/a/", "/b/**", "/a/ or /b/", "not /c/", "path matches 'c'", "redirect"}
	list := func() string {
		var qs []string
		for range 1 + r.Intn(2) {
			qs = append(qs, `"`+queries[r.Intn(len(queries))]+`"`)
		}
		return "[" + strings.Join(qs, ", ") + "]"
	}
	days := []string{"2026-01-01", "2026-11-23", "2026-11-24", "2027-05-05"}
	var b strings.Builder
	b.WriteString("yellowgate: 1\nitems:\n")
	const n = 6
	for i := range n {
		fmt.Fprintf(&b, "  i%d:\n    code: <p>%d</p>\n", i, i)
		if !chance(4) {
			fmt.Fprintf(&b, "    pages: %s\n", list())
			if chance(3) {
				fmt.Fprintf(&b, "    except: %s\n", list())
			}
		}
		if chance(8) {
			b.WriteString("    disabled: true\n")
		}
		if chance(5) {
			fmt.Fprintf(&b, "    from: %s\n", days[r.Intn(2)])
		}
		if chance(5) {
			fmt.Fprintf(&b, "    until: %s\n", days[2+r.Intn(2)])
		}
		if chance(3) && i > 0 {
			fmt.Fprintf(&b, "    needs: [i%d]\n", r.Intn(i))
		}
		if chance(5) {
			b.WriteString("    place: spot\n")
		}
	}
	if chance(2) {
		fmt.Fprintf(&b, "per-page:\n  /a/: {in: [i%d]}\n  /b/: {out: [i%d]}\n", r.Intn(n), r.Intn(n))
	}
	return b.String()
}

// FuzzTold: what Steps reports a verdict is what Decide decided: the line that holds is the last,
// it is the reason, and no line before it holds; what is told to change it names a line.
func FuzzTold(f *testing.F) {
	for seed := range int64(200) {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, seed int64) {
		r := rand.New(rand.NewSource(seed))
		text := someGate(r)
		g, problems := gatefile.Parse("g.yaml", []byte(text), nil)
		if len(problems) > 0 {
			return // dates the wrong way round, a place that does not go with something
		}
		for _, day := range []string{"2025-12-31", "2026-11-23", "2027-06-01"} {
			p, _ := NewPlan(g, day)
			for _, path := range []string{"/a/", "/b/", "/b/x/", "/c/"} {
				pg := &page.Page{Path: path, File: path[1:] + "index.html", Redirect: path == "/c/",
					Spots: map[string]bool{"i0": true, "i3": path == "/a/"}}
				vs, _ := p.Decide(pg)
				for i := range vs {
					v := &vs[i]
					steps := p.Steps(v, pg)
					for k, s := range steps {
						if s.Holds != (k == len(steps)-1) {
							t.Fatalf("%s\n%s on %s, day %s: decided %s, told %+v", text, v.Item.Name, path, day, v.Reason, steps)
						}
					}
					if last := steps[len(steps)-1]; last.Condition != string(v.Reason) {
						t.Fatalf("%s\n%s on %s, day %s: decided %s, told %s", text, v.Item.Name, path, day, v.Reason, last.Condition)
					}
					if said := v.Because(pg); !strings.HasPrefix(said, v.Word()+",") || len(v.Change(pg)) == 0 {
						t.Fatalf("%s on %s: %s; %q", v.Item.Name, path, said, v.Change(pg))
					}
				}
			}
		}
	})
}
