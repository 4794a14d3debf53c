package internal_test

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
)

// notSaid are phrases that a web developer stumbles over, and what to say instead, in messages, help and docs.
var notSaid = map[string]string{
	`looks? another`:         "looks different",
	`leads? on (to|from|\d)`: "redirects",
	`in the middle\b`:        "median, incomplete",
	`in vain`:                "failed",
	`answers with (a|an|no) (error|page|status)`: "responds with",
	`no absolute address`:                        "not an absolute URL",
	`holds up`:                                   "blocks rendering",
	`stays white`:                                "blocks rendering",
	`a mistake in yellowgate`:                    "internal error",
	`all the same\b`:                             "still",
	`in a coding`:                                "Content-Encoding",
	`gate says in\b`:                             "expected on",
	`pages have it`:                              "found on",
	`does not begin with those`:                  "will not start",
	`asked for by`:                               "requested by",
	`browser(s)? ask(s|ed)? for`:                 "requests",
	`hands over|lays into`:                       "writes to",
	`is told of`:                                 "is reported",
}

// TestWords: what users read, in messages, reports and docs, is in the plain English of the trade.
func TestWords(t *testing.T) {
	seen := 0
	all := regexp.MustCompile(`(?i)\b(` + strings.Join(slices.Collect(maps.Keys(notSaid)), "|") + `)`)
	look := func(at, text string) {
		seen++
		text = strings.Join(strings.Fields(text), " ")
		for _, m := range all.FindAllString(text, -1) {
			for not, but := range notSaid {
				if !regexp.MustCompile(`(?i)^(` + not + `)`).MatchString(m) {
					continue
				}
				t.Errorf("%s: %q; say: %s", at, m, but)
			}
		}
	}
	err := filepath.WalkDir(".", func(name string, d fs.DirEntry, err error) error {
		if err != nil || !strings.HasSuffix(name, ".go") || strings.HasSuffix(name, "_test.go") {
			return err
		}
		set := token.NewFileSet()
		file, err := parser.ParseFile(set, name, nil, 0)
		if err != nil {
			return err
		}
		ast.Inspect(file, func(n ast.Node) bool {
			if l, ok := n.(*ast.BasicLit); ok && l.Kind == token.STRING {
				look(set.Position(l.Pos()).String(), l.Value)
			}
			return true
		})
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	docs, _ := filepath.Glob("../docs/*.md")
	templates, _ := filepath.Glob("report/*.html")
	for _, name := range slices.Concat(docs, templates, []string{"../README.md"}) {
		text, err := os.ReadFile(name)
		if err != nil {
			t.Fatal(err)
		}
		look(name, string(text))
	}
	if seen < 5000 {
		t.Errorf("only %d texts were looked at", seen)
	}
}
