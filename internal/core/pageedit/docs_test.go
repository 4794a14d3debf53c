package pageedit

import (
	"cmp"
	"os"
	"path"
	"regexp"
	"strings"
	"testing"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/problem"
)

var example = regexp.MustCompile("(?ms)^```yaml\n(.*?)^```$")

// TestReference runs each example of the gate file's reference: it is read without
// a problem, prepared, and put into effect on a page. Every key of the format has
// to stand in one.
func TestReference(t *testing.T) {
	doc, err := os.ReadFile("../../../docs/gate-file.md")
	if err != nil {
		t.Fatal(err)
	}
	stand := map[string]string{".js": "setup();", ".css": "main { margin: 0 }", ".html": "<p>x</p>",
		"button.html": `<a class="@{colour}" href="@{href}">@{label}</a>`,
		".json":       `{"events": {"js": "/built/e.js"}}`}
	var all strings.Builder
	found := example.FindAllStringSubmatch(string(doc), -1)
	for _, m := range found {
		text := m[1]
		all.WriteString(text)
		if !strings.Contains(text, "yellowgate: 1") {
			text = "yellowgate: 1\n" + text
		}
		if !regexp.MustCompile(`(?m)^site:`).MatchString(text) {
			text += "site: {name: T, url: https://ternhill.example, manifest: build.json}\n"
		}
		f, problems := gatefile.Parse("g.yaml", []byte(text), func(string, *gatefile.Gate) ([]gatefile.Included, error) {
			return []gatefile.Included{
				{Name: "gates/a.yaml", Dir: "gates",
					Text: []byte("items: {a: {code-file: a.html, pages: all}}")}}, nil
		})
		f.ListFacts = map[string]bool{"guides": true, "questions": true}
		problems = append(problems, f.ReadFiles(gatefile.Sources{Read: func(name string) ([]byte, error) {
			return []byte(cmp.Or(stand[path.Base(name)], stand[path.Ext(name)])), nil
		},
			Integrity: func(string) (string, bool) { return "sha384-AAAA", true }})...)
		g, more := New(f, "2026-11-23")
		for _, p := range append(problems, more...) {
			if p.Severity == problem.Error {
				t.Errorf("%v\n%s", p, text)
			}
		}
		for _, path := range []string{"/", "/visit/", "/book/pay/", "/try/"} {
			facts := map[string]string{"name": "N", "date": "2027-01-01", "questions": "1"}
			r := g.Page([]byte(source),
				page.Page{Path: path, File: "x.html", Facts: facts,
					Lists: map[string]any{"guides": []any{"a"},
						"questions": []any{map[string]any{"ask": "a", "answer": "b"}}}})
			for _, p := range r.Problems {
				if p.Severity == problem.Error {
					t.Errorf("%s: %v\n%s", path, p, text)
				}
			}
		}
	}
	for _, shape := range []any{gatefile.Shape{}, gatefile.SiteShape{}, gatefile.ItemShape{}, gatefile.RuleShape{},
		gatefile.PerPageShape{}, gatefile.OpenOf{}, gatefile.ParamOf{}, gatefile.Ask{}, gatefile.BlankShape{},
		gatefile.RequireShape{}, gatefile.SetShape{}, gatefile.PairsShape{}, gatefile.RowsShape{},
		gatefile.OnlyShape{}, gatefile.ParamsOnOf{}, gatefile.NotedQuery{}, gatefile.MatcherShape{},
		gatefile.SocialShape{}, gatefile.BudgetShape{}, gatefile.AcceptShape{}} {
		for _, key := range gatefile.KeysOf(shape) {
			if !regexp.MustCompile(`(^|[\s{])` + regexp.QuoteMeta(key) + `:`).MatchString(all.String()) {
				t.Errorf("the reference has no example of %q", key)
			}
		}
	}
	if len(found) < 15 {
		t.Errorf("%d examples", len(found))
	}
}
