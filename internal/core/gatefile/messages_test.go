package gatefile

import (
	"errors"
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"yellowgate/internal/core/problem"
)

// messages finds, in the package's own text, the formats of what it says of gate files.
func messages(t *testing.T) (formats []string) {
	t.Helper()
	names, err := filepath.Glob("*.go")
	if err != nil {
		t.Fatal(err)
	}
	for _, name := range names {
		if strings.HasSuffix(name, "_test.go") {
			continue
		}
		file, err := parser.ParseFile(token.NewFileSet(), name, nil, 0)
		if err != nil {
			t.Fatal(err)
		}
		literal := func(x ast.Expr) {
			if call, ok := x.(*ast.CallExpr); ok && len(call.Args) > 0 {
				x = call.Args[0] // fmt.Sprintf
			}
			if l, ok := x.(*ast.BasicLit); ok && l.Kind == token.STRING {
				text, err := strconv.Unquote(l.Value)
				if err != nil {
					t.Fatal(err)
				}
				formats = append(formats, text)
			}
		}
		ast.Inspect(file, func(n ast.Node) bool {
			switch n := n.(type) {
			case *ast.CallExpr:
				f, ok := n.Fun.(*ast.SelectorExpr)
				if !ok {
					return true
				}
				if at := map[string]int{"errorf": 1, "firstAt": 2, "problem": 3}[f.Sel.Name]; at > 0 && len(n.Args) > at {
					literal(n.Args[at])
				}
			case *ast.KeyValueExpr:
				if key, ok := n.Key.(*ast.Ident); ok && key.Name == "Message" {
					literal(n.Value)
				}
			}
			return true
		})
	}
	return formats
}

// matching is a pattern for what a format writes.
func matching(format string) *regexp.Regexp {
	p := regexp.QuoteMeta(format)
	p = strings.NewReplacer("%%", "%").Replace(p)
	return regexp.MustCompile("(?s)" + regexp.MustCompile(`%[+#]?[a-z]`).ReplaceAllString(p, ".*"))
}

// TestEveryMessage: for each thing that the reader can say of a gate file there is a gate file of
// which it says that, with a position and, for an error, what to do or what it should be.
func TestEveryMessage(t *testing.T) {
	var said []string
	note := func(ps []problem.Problem) {
		for _, p := range ps {
			said = append(said, p.Message)
			if p.Pos.Line == 0 || p.Message == "" {
				t.Errorf("%+v has no position", p)
			}
		}
	}
	files := map[string]string{"x.html": "<p>x</p>", "dir/y.css": "p{}",
		"m.json": `{"a.js": "/js/a-1.js", "b.css": 3}`, "bad.json": "{", "list.json": "[]", "empty.html": ""}
	sources := Sources{Read: func(name string) ([]byte, error) {
		if text, ok := files[name]; ok {
			return []byte(text), nil
		}
		if name == "locked.html" {
			return nil, errors.New("permission denied")
		}
		return nil, &fs.PathError{Op: "open", Path: name, Err: fs.ErrNotExist}
	}, Integrity: func(path string) (string, bool) { return "sha384-x", path == "/here.js" }}
	include := func(glob string, g *Gate) (out []Included, err error) {
		if text, ok := included[glob]; ok {
			return []Included{{Name: glob, Text: []byte(text)}}, nil
		}
		if glob == "*.none" {
			return nil, nil
		}
		return nil, fs.ErrNotExist
	}
	try := func(text string) {
		g, ps := Parse("g.yaml", []byte(text), include)
		note(ps)
		note(g.ReadFiles(sources))
		note(g.CheckNames([]string{"dead-file", "title-missing"}, nil))
		note(g.Over("9999-12-31"))
	}
	for _, c := range problemCases {
		try(c.text)
	}
	for _, text := range moreMistakes {
		try(head + text)
	}
	for _, format := range messages(t) {
		p := matching(format)
		found := false
		for _, m := range said {
			found = found || p.MatchString(m)
		}
		if !found {
			t.Errorf("no gate file here is one of which is said: %s", format)
		}
	}
}

// included are gate files that others may include.
var included = map[string]string{
	"other.yaml": "yellowgate: 1\nsite: {name: x}\nitems: {a: {code: <p>y</p>}, b: {script: /b.js}}\nstrict: true\n",
	"loop.yaml":  "yellowgate: 1\ninclude: loop.yaml\n",
	"bad.yaml":   "yellowgate: [\n",
}

// moreMistakes are gate files for what problemCases do not say, without the first line.
var moreMistakes = []string{
	"blank-pages: [{path: /a/, lang: maybe}]\nitems: {a: {popup: <p>x</p>, label: '', open: {after: 3s}}, b: {found: [{url: ''}, {text: ''}]}, c: {structured: {}, replaces: {url: /x.js, rendered: true}}}\n",
	"items:\n  a: {found: {rendered: true}, pages: all}\n",
	"include: [other.yaml, loop.yaml, bad.yaml, none.yaml, '*.none']\nitems: {a: {code: <p>x</p>}}\n",
	"accept: [{check: x, note: n}]\nchecks: {deadfile: none}\n",
	"items: {popup-runtime: {code: <p>x</p>}}\n",
	"items: {a: {script: /a.js, load: lazy}, b: {script: [/a.js, /b.js], integrity: sha384-x}, c: {popup: <p>x</p>, label: x, place: spot}, d: {found: b, place: spot, pages: all}}\n",
	"items: {a: {script: not-a-path}, b: {code: x, place: {after: p, before: b}}, c: {code: x, place: after}, d: {code: x, place: nowhere}}\n",
	"site: {manifest: bad.json}\nitems: {a: {script: built:a.js, pages: all}}\n",
	"site: {manifest: m.json}\nitems: {a: {script: built:c.js, pages: all}, b: {code-file: none.html}, c: {code-file: locked.html}, d: {code-file: empty.html}}\n",
	"items: {a: {script: built:a.js}, b: {script: '/@{page.path}.js', integrity: auto}, c: {script: 'https://count.example/c.js', integrity: auto}, d: {script: /none.js, integrity: auto}}\n",
	"site: {name: x}\nsite: {name: y}\n",
	"site: {name: \xff}\n",
	"site: {name: x}\n---\nsite: {name: y}\n",
	"site: {name: *nobody}\n",
	"site: {name: !tag x}\n",
	"site:\n  name:\nitems: {}\n",
	"x: &x {name: y}\nsite: {<<: *x}\n",
	"site: {name: [x]}\nitems: {a: {script: {a: b}}}\nmetadata: [{pages: all, title: {a: b}}]\n",
	"items: {a: {code: '@{n}', params: {n: {kind: number, default: much}, m: }}}\n",
	"items: {a: {popup: <p>x</p>, label: x, open: often}, b: {popup: <p>x</p>, label: x, open: {after: 3s, scroll: 5%}}, c: {popup: <p>x</p>, label: x, open: {again: visit}}, d: {popup: <p>x</p>, label: x, open: {leaving: perhaps}}, e: {popup: <p>x</p>, label: x, open: {scroll: far}}, f: {popup: <p>x</p>, label: x, open: {fragment: 'a b'}}, g: {popup: [<p>x</p>, <p>y</p>], label: x}}\n",
	"items: {a: {classes: {body: 'a\"b'}, pages: all}}\n",
	"site: {url: 'https://ternhill.example/?a#b', also: ['a[b'], ignore: ['a[b', '{a']}\n",
	"site: {origin: 'http://127.0.0.1:8000/app', time-zone: Hill/Tern, history: much}\n",
	"metadata: [{pages: all, canonical: '@{page.url}'}]\n",
	"site: {trust: ['https://tags.lantern.example/x.js', '*'], manifest: ''}\nitems: {a: {questions: [{ask: '', answer: x}], pages: all}}\n",
	"sets: {a: }\n",
	"items: {a: {code: x, pages: /a #b}}\n",
	"metadata: [{pages: all}]\ndefaults: {}\n",
	"items: {a: {found: {url: 'a[b', text: x}}, b: {found: {url: '/a[b'}}, c: {found: https://count.example/c.js}, d: {found: [href]}}\n",
	"items: {a: {code: x, pages: 'path matches \"(\"'}}\n",
	"per-page: {/a/**: {out: a}}\nitems: {a: {code: x}}\n",
	"items: {a: {structured: {type: }, pages: all}, b: {structured: [x], pages: all}, c: {questions: x, pages: all}, d: {questions: [{ask: x}], pages: all}}\n",
	"items: {a: {script: ' '}, b: {found: [data-role], pages: none}, c: {found: {url: /x.js, text: x}, pages: none}}\n",
	"items: {a: {code: '@{n}', params: {n: {value: 3, min: few}}}}\n",
	"site: {name: &x y}\nitems: {a: {code: [" + strings.Repeat("*x, ", 10_001) + "y]}}\n",
	"sets: {a: {pages: /a, like: b}, b: {pages: /b, like: c}, c: {pages: /c, like: a}, d: {like: a}, e: {pages: /e, like: f}}\nitems: {x: {code: x, pages: {note: n}}}\n",
	"words: {en: {book: Book, again: '@{words.book}'}}\nitems: {x: {code: '@{words.bok}', pages: all}}\n",
	"items: {a: {code: x, params: {n: 1}, params-on: [{pages: all}, {m: 3}, {pages: all, m: 3}]}, b: {script: [{only: all}]}, c: {popup: {value: <p>x</p>, only: all}, label: x, open: {after: 3s}}}\n",
	"items: {a: {structured: {name: {from: p}, x: {each: y}}}, b: {questions: {from: p, ask: b}}, c: {structured: {name: '@{row.text(p)}'}}, d: {structured: {name: '@{page.text(p >)}'}}}\n",
	"sets: {a0: /a" + doubling(15) + "}\nitems: {x: {code: x, pages: a15}}\n",
}

// doubling are page sets each of which names the one before twice.
func doubling(n int) string {
	var b strings.Builder
	for i := 1; i <= n; i++ {
		fmt.Fprintf(&b, ", a%d: a%d or a%d", i, i-1, i-1)
	}
	return b.String()
}
