package gatefile

import (
	"io/fs"
	"strings"
	"testing"

	"yellowgate/internal/core/problem"
)

// TestIncludes: code with what it includes, where each of its texts comes from, and what is refused.
func TestIncludes(t *testing.T) {
	files := map[string]string{
		"code/a.html":   "<p>\n  @{file:code/b.html label=\"Book a seat\"}</p> @{page.title}\n",
		"code/b.html":   "<a title='@{label}'>@{label | upper}\n@{colour}</a>\n",
		"code/bad.html": "<p>\n@{page.titel}</p>",
		"code/c.html":   "x\n @{file:code/d.html}", "code/d.html": "@{file:code/c.html}",
		"code/latin.html": "<p>\n\xe9</p>", "lib/code/a.html": "<p>lib</p>",
		"code/large.html": strings.Repeat("x", mostCode/2),
	}
	read := func(name string) ([]byte, error) {
		if text, ok := files[name]; ok {
			return []byte(text), nil
		}
		return nil, &fs.PathError{Op: "open", Path: name, Err: fs.ErrNotExist}
	}
	load := func(item string) (*Gate, []problem.Problem) {
		t.Helper()
		g, ps := Parse(
			"g.yaml",
			[]byte("yellowgate: 1\ninclude: lib.yaml\nitems:\n  x: "+item+"\n"),
			func(string, *Gate) ([]Included, error) {
				return []Included{
					{
						Name: "lib/lib.yaml",
						Dir:  "lib",
						Text: []byte("items: {y: {code: '@{file:code/a.html}', pages: all}}"),
					},
				}, nil
			},
		)
		return g, append(ps, g.ReadFiles(Sources{Read: read})...)
	}
	g, ps := load("{code-file: code/a.html, params: {colour: red}, pages: all}")
	if len(ps) > 0 {
		t.Fatal(ps)
	}
	p := g.Items[0].Parts[0]
	const want = "<p>\n  <a title='@{label}'>@{label | upper}\n@{colour}</a></p> @{page.title}\n"
	if p.Text != want || strings.Join(p.Includes, " ") != "code/b.html" {
		t.Errorf("%q, with %q", p.Text, p.Includes)
	}
	filled, failed := p.Template.Fill(
		func(name string) string { return map[string]string{"colour": "red", "page.title": "T"}[name] },
	)
	if filled != "<p>\n  <a title='Book a seat'>BOOK A SEAT\nred</a></p> T\n" || failed != nil {
		t.Errorf("%q, %v", filled, failed)
	}
	for _, piece := range p.Template.Pieces {
		if h := piece.Placeholder; h != nil && !strings.HasPrefix(p.Text[h.Offset:], h.Raw) {
			t.Errorf("%s is not at %d", h.Raw, h.Offset)
		}
	}
	for text, at := range map[string]string{"@{colour}": "code/b.html:2:1", "@{label}": "code/b.html:1:11",
		"</p>": "code/a.html:2:42", "@{page.title}": "code/a.html:2:47"} {
		if got := p.PositionAt(strings.Index(p.Text, text)); got.String() != at {
			t.Errorf("%s stands in %s, want %s", text, got, at)
		}
	}
	if y := g.Item("y").Parts[0]; y.Text != "<p>lib</p>" {
		t.Errorf("an included gate file's include is %q", y.Text)
	}
	for item, want := range map[string]string{
		"{code-file: code/c.html, pages: all}":                                                        `code/d.html:1:1: files include one another in a circle: code/c.html → code/d.html → code/c.html`,
		"{code: '<i>@{file:code/bad.html}</i>', pages: all}":                                          `code/bad.html:2:3: unknown name "page.titel"`,
		"{code: '@{file:code/none.html}', pages: all}":                                                "g.yaml:4:14: code/none.html cannot be included: ",
		"{code: '@{file:code/b.html lable=x}', params: {colour: red}, pages: all}":                    `code/b.html has no parameter "lable" (did you mean "label"?)`,
		"{code: '@{file:code/latin.html}', pages: all}":                                               "it is not UTF-8 (line 2)",
		"{code: '@{file:code/large.html}@{file:code/large.html}@{file:code/large.html}', pages: all}": "larger than 4 MB",
		"{script-text: 'f(\"@{file:code/b.html label=x}\")', pages: all}":                             "",
		"{code: '<p title=\"@{page.attr(a[title=\"x>y\"], title)}\">x</p>', pages: all}":              "",
	} {
		if _, ps := load(item); want == "" && len(ps) > 0 ||
			want != "" && (len(ps) == 0 || !strings.Contains(ps[0].Pos.String()+": "+ps[0].Message, want)) {
			t.Errorf("%s: %v, want %s", item, ps, want)
		}
	}
}
