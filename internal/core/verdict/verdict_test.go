package verdict

import (
	"fmt"
	"strings"
	"testing"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/problem"
)

func plan(t *testing.T, yaml string) (*Plan, []problem.Problem) {
	t.Helper()
	g, problems := gatefile.Parse("g.yaml", []byte("yellowgate: 1\n"+yaml), nil)
	if len(problems) > 0 {
		t.Fatalf("%s: %v", yaml, problems)
	}
	return NewPlan(g, "2026-11-23")
}

// TestDecide tells each verdict as "item word reason line".
func TestDecide(t *testing.T) {
	const yaml = `items:
  plain: {script: /a.js, pages: all}
  except: {script: /b.js, pages: all, except: [/x, /visit/]}
  off: {script: /c.js, pages: all, disabled: true}
  both: {script: /d.js, pages: all, except: /visit/}
  put-out: {script: /e.js, pages: all}
  lib: {script: /f.js}
  sub: {script: /g.js, needs: [lib], pages: /visit/}
  deep: {script: /h.js, needs: [sub], pages: /deep/}
  never: {script: /i.js}
per-page:
  /visit/: {in: [both], out: [put-out]}
`
	p, problems := plan(t, yaml)
	if len(problems) > 0 {
		t.Fatal(problems)
	}
	for _, c := range []struct{ path, want string }{
		{"/visit/",
			"plain in pages 3; except out except 4; off out disabled 5; both in per-page 13; put-out out per-page 13; lib in needed 9; sub in pages 9; deep out elsewhere 10; never out elsewhere 11"},
		{"/deep/",
			"plain in pages 3; except in pages 4; off out disabled 5; both in pages 6; put-out in pages 7; lib in needed 9; sub in needed 10; deep in pages 10; never out elsewhere 11"},
	} {
		vs, problems := p.Decide(&page.Page{Path: c.path})
		var got []string
		for _, v := range vs {
			got = append(got, fmt.Sprintf("%s %s %s %d", v.Item.Name, v.Word(), v.Reason, v.Rule.Line))
		}
		if g := strings.Join(got, "; "); g != c.want || len(problems) > 0 {
			t.Errorf("%s: %s\nwant %s\n%v", c.path, g, c.want, problems)
		}
	}
}

func TestOrder(t *testing.T) {
	for _, c := range []struct{ yaml, want, problem string }{
		{"items: {a: {script: /a}, b: {script: /b}}", "a b", ""},
		{"items: {a: {script: /a, needs: [c]}, b: {script: /b}, c: {script: /c}}", "c a b", ""},
		{"items: {a: {script: /a}, b: {script: /b}, c: {script: /c, before: a}}", "c a b", ""},
		{"items: {a: {script: /a, after: [c]}, b: {script: /b}, c: {script: /c}}", "c a b", ""},
		{"items: {a: {script: /a, needs: [b]}, b: {script: /b, after: c}, c: {script: /c, needs: [a]}}", "",
			"items in a circle of needs, before and after: c before b before a before c"},
		{"items: {z: {script: /z, needs: [a]}, a: {script: /a, needs: [a2]}, a2: {script: /b, needs: [a]}}", "",
			"after: a2 before a before a2"},
		{"items: {a: {script: /a, needs: [b]}, b: {script: /b, place: body-end}}", "b a", ""},
		{"items: {a: {script: /a, load: now, place: head-end, needs: [b]}, b: {script: /b}}", "b a",
			"deferred and would run after it"},
		{"items: {a: {script: /a, load: now, place: head-end, needs: [b]}, b: {script: /b, load: now, place: body-end}}",
			"b a", "is later in the page"},
		{"items: {a: {code: <script>a()</script>, needs: [b]}, b: {script: /b, load: async}}", "b a",
			"async script has no order"},
		{"items: {a: {code: <script>a()</script>, needs: [b]}, b: {code: '<script>b()</script>'}}", "b a", ""},
	} {
		p, problems := plan(t, c.yaml)
		var names []string
		for _, i := range p.Order {
			names = append(names, p.Gate.Items[i].Name)
		}
		if got := strings.Join(names, " "); c.want != "" && got != c.want {
			t.Errorf("%s: order %s, want %s", c.yaml, got, c.want)
		}
		if c.problem == "" != (len(problems) == 0) || c.problem != "" && !strings.Contains(problems[0].Message, c.problem) {
			t.Errorf("%s: problems %v, want %q", c.yaml, problems, c.problem)
		}
	}
}

// TestStack: strongest first, and the first that has a value wins.
// TestErrorPage: what says where a page is stands on no error page, unless a query means it.
func TestErrorPage(t *testing.T) {
	p, _ := plan(t, `defaults:
  - {pages: all, canonical: default, title: Tern Hill}
metadata:
  - {pages: "/gone/ and status = 410", canonical: gone}
  - {pages: [all, broken], canonical: broken, except: [/visit/, /visit/404.html]}
sets: {broken: "status >= 500"}
`)
	for _, c := range []struct {
		path, file string
		status     int
		want       string
	}{
		{"/visit/", "visit/index.html", 0, "default"},
		{"/visit/", "visit/index.html", 200, "default"},
		{"/404.html", "404.html", 0, ""},
		{"/visit/404.html", "visit/404.html", 0, "default"},
		{"/lost/", "lost/index.html", 404, ""},
		{"/gone/", "gone/index.html", 410, "gone"},
		{"/x/", "x/index.html", 503, "broken"},
	} {
		pg := &page.Page{Path: c.path, File: c.file}
		if c.status > 0 {
			pg.Answer = &page.Answer{Status: c.status}
		}
		got := ""
		if w := Winner(p.Stack(pg, "canonical", "", func(string) string { return "" })); w != nil {
			got = w.Value
		}
		if got != c.want {
			t.Errorf("%s with %d: the canonical is %q, want %q", c.path, c.status, got, c.want)
		}
		if w := Winner(p.Stack(pg, "title", "", func(string) string { return "" })); w == nil || w.Value != "Tern Hill" {
			t.Errorf("%s has no title", c.path)
		}
	}
}

func TestStack(t *testing.T) {
	const yaml = `defaults:
  - {pages: all, title: default one}
  - {pages: all, title: default two}
metadata:
  - {pages: all, title: "@{page.title} one"}
  - {pages: all, title: "@{fact.none}"}
  - {pages: /visit/, title: two}
per-page: {/only/: {title: last word}, /gone/: {title: none}}
`
	p, _ := plan(t, yaml)
	for _, c := range []struct{ path, own, want string }{
		{"/visit/", "own", "two"}, {"/other/", "own", "own one"}, {"/only/", "own", "last word"}, {"/gone/", "own",
			"none"}, {"/other/", "", "default two"},
	} {
		stack := p.Stack(&page.Page{Path: c.path}, "title", c.own, func(name string) string {
			if name == "page.title" {
				return c.own
			}
			return ""
		})
		w := Winner(stack)
		got := w.Value
		if w.None {
			got = "none"
		}
		if c.own == "" && got == " one" {
			t.Errorf("%s: a placeholder without a value still gave %q", c.path, got)
		} else if got != c.want {
			t.Errorf("%s with %q: %q, want %q", c.path, c.own, got, c.want)
		}
	}
}
