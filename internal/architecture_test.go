package internal_test

import (
	"go/ast"
	"go/parser"
	"go/scanner"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"
)

// The import rules of docs/architecture.md.
//
// What the core may import from outside: parsing, hashing and differences, and the widths of letters.
var coreMay = []string{
	"golang.org/x/net/html", "golang.org/x/text/", "github.com/andybalholm/cascadia", "github.com/bmatcuk/doublestar/v4",
	"github.com/goccy/go-yaml", "github.com/nlnwa/whatwg-url/url", "github.com/tdewolff/parse/v2", "github.com/zeebo/xxh3",
	"codeberg.org/go-fonts/liberation/", "golang.org/x/image/font", "golang.org/x/image/math/fixed", "github.com/aymanbagabas/go-udiff",
	"github.com/go-playground/locales", "github.com/clipperhouse/uax29/v2/sentences",
}

// What of the standard library it may not: files, processes, the network.
var coreMayNot = []string{"os", "os/exec", "os/signal", "io/ioutil", "net", "net/http", "path/filepath", "syscall",
	"log", "flag"}

// How many packages of ours a package imports at most.
const mostImports = 15

func TestImports(t *testing.T) {
	seen := 0
	ours := map[string]map[string]bool{} // packages of ours that a package imports
	err := filepath.WalkDir(".", func(name string, d fs.DirEntry, err error) error {
		if err != nil || !strings.HasSuffix(name, ".go") || strings.HasSuffix(name, "_test.go") {
			return err
		}
		file, err := parser.ParseFile(token.NewFileSet(), name, nil, parser.ImportsOnly)
		if err != nil {
			return err
		}
		name = filepath.ToSlash(name)
		core, cli := strings.HasPrefix(name, "core/"), strings.HasPrefix(name, "cli/")
		for _, spec := range file.Imports {
			path, err := strconv.Unquote(spec.Path.Value)
			if err != nil {
				return err
			}
			seen++
			if dir := filepath.ToSlash(filepath.Dir(name)); strings.HasPrefix(path, "yellowgate/") {
				if ours[dir] == nil {
					ours[dir] = map[string]bool{}
				}
				ours[dir][path] = true
			}
			switch {
			case path == "yellowgate/internal/cli" || !cli && strings.HasPrefix(path, "yellowgate/internal/cli/"):
				t.Errorf("%s imports cli; nothing inside does", name)
			case core && strings.HasPrefix(path, "yellowgate/") && !strings.HasPrefix(path, "yellowgate/internal/core/"):
				t.Errorf("%s: the core imports %s", name, path)
			case core && strings.Contains(path, ".") && !strings.HasPrefix(path, "yellowgate/") && !allowed(path):
				t.Errorf("%s: the core imports %s, which is no library for parsing or hashing", name, path)
			case core && slices.Contains(coreMayNot, path):
				t.Errorf("%s: the core imports %s; it has no files, no network, no terminal", name, path)
			case strings.HasPrefix(name, "site/") && (strings.HasPrefix(path, "yellowgate/internal/core/gat") || path == "yellowgate/internal/core/pageedit" || path == "yellowgate/internal/project"):
				t.Errorf("%s imports %s; site is folders, and knows no gate file", name, path)
			case strings.HasPrefix(name, "core/check") && path == "yellowgate/internal/core/audit", strings.HasPrefix(
				name, "core/problem/") && strings.HasPrefix(path, "yellowgate/"):
				t.Errorf("%s imports %s, which is built on it", name, path)
			case !cli && strings.HasPrefix(path, "github.com/spf13/"):
				t.Errorf("%s imports %s; commands are cli's", name, path)
			case cli && (strings.HasPrefix(path, "yellowgate/internal/core/markup") || path == "yellowgate/internal/core/pageedit" || path == "yellowgate/internal/core/verdict" || path == "yellowgate/internal/core/snippet"):
				t.Errorf("%s imports %s; cli computes nothing", name, path)
			}
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	for dir, of := range ours {
		if len(of) > mostImports {
			t.Errorf("%s imports %d packages of ours, and %d is the most", dir, len(of), mostImports)
		}
	}
	if seen < 100 {
		t.Errorf("only %d imports were looked at", seen)
	}
}

func allowed(path string) bool {
	for _, p := range coreMay {
		if strings.HasPrefix(path, p) {
			return true
		}
	}
	return false
}

// Functions end within this many lines, but one that is a single table or switch; lines within this many characters,
// but where a text is what is long.
const mostLines, mostBranches, mostCharacters = 60, 25, 120

// TestSizes: no function of the program is long or has many branches, and no line of
// program or tests is long.
func TestSizes(t *testing.T) {
	files := token.NewFileSet()
	functions := 0
	err := filepath.WalkDir(".", func(name string, d fs.DirEntry, err error) error {
		if err != nil || !strings.HasSuffix(name, ".go") {
			return err
		}
		text, err := os.ReadFile(name)
		if err != nil {
			return err
		}
		if longLines(t, name, text); strings.HasSuffix(name, "_test.go") {
			return nil // a test is as long as what it tries
		}
		file, err := parser.ParseFile(files, name, text, parser.ParseComments)
		if err != nil {
			return err
		}
		lines := func(n ast.Node) int { return files.Position(n.End()).Line - files.Position(n.Pos()).Line + 1 }
		for _, d := range file.Decls {
			f, ok := d.(*ast.FuncDecl)
			if !ok || f.Body == nil {
				continue
			}
			functions++
			longest, branches := 0, 0
			for _, s := range f.Body.List {
				longest = max(longest, lines(s))
			}
			ast.Inspect(f.Body, func(n ast.Node) bool {
				switch n.(type) {
				case *ast.IfStmt, *ast.ForStmt, *ast.RangeStmt, *ast.CaseClause, *ast.CommClause:
					branches++
				}
				return true
			})
			if n := lines(f); n > mostLines && longest < n*3/4 {
				t.Errorf("%s: %s has %d lines, and is no table", files.Position(f.Pos()), f.Name.Name, n)
			}
			if branches > mostBranches {
				t.Errorf("%s: %s has %d branches", files.Position(f.Pos()), f.Name.Name, branches)
			}
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	if functions < 1000 {
		t.Errorf("only %d functions were looked at", functions)
	}
}

// longLines reports the lines of a file that are long without a text in quotes that makes them so.
func longLines(t *testing.T, name string, text []byte) {
	file := token.NewFileSet().AddFile(name, -1, len(text))
	var s scanner.Scanner
	s.Init(file, text, nil, 0)
	quoted := map[int]int{} // by line, how much of it is in quotes
	for pos, tok, lit := s.Scan(); tok != token.EOF; pos, tok, lit = s.Scan() {
		if tok == token.STRING {
			for i, part := range strings.Split(lit, "\n") {
				quoted[file.Line(pos)+i] += len(part)
			}
		}
	}
	for i, line := range strings.Split(string(text), "\n") {
		if len([]rune(line)) > mostCharacters && quoted[i+1] < 40 {
			t.Errorf("%s:%d has %d characters", name, i+1, len([]rune(line)))
		}
	}
}

// TestWhereToLook: the paths that docs/architecture.md names are there.
func TestWhereToLook(t *testing.T) {
	text, err := os.ReadFile("../docs/architecture.md")
	if err != nil {
		t.Fatal(err)
	}
	named := regexp.MustCompile("`(internal/[a-z][^` ]*)`").FindAllStringSubmatch(string(text), -1)
	if len(named) < 30 {
		t.Errorf("only %d paths are named", len(named))
	}
	for _, m := range named {
		if _, err := os.Stat(filepath.Join("..", m[1])); err != nil {
			t.Error(err)
		}
	}
}

// TestLinks: what the docs link to is there, headings too.
func TestLinks(t *testing.T) {
	docs, _ := filepath.Glob("../docs/*.md")
	anchors := map[string]map[string]bool{}
	headings := func(name string) map[string]bool {
		if anchors[name] == nil {
			text, err := os.ReadFile(name)
			if err != nil {
				t.Fatal(err)
			}
			anchors[name] = map[string]bool{}
			for _, h := range regexp.MustCompile(`(?m)^#+ (.*)$`).FindAllStringSubmatch(string(text), -1) {
				kept := regexp.MustCompile(`[^\pL\pN_ -]`).ReplaceAllString(strings.ToLower(h[1]), "")
				anchors[name][strings.ReplaceAll(kept, " ", "-")] = true
			}
		}
		return anchors[name]
	}
	for _, doc := range append(docs, "../README.md", "../CHANGELOG.md") {
		text, err := os.ReadFile(doc)
		if err != nil {
			t.Fatal(err)
		}
		for _, m := range regexp.MustCompile(`\]\(([^)#\s]*)(?:#([^)]*))?\)`).FindAllStringSubmatch(string(text), -1) {
			name := doc
			if m[1] != "" {
				name = filepath.Join(filepath.Dir(doc), m[1])
			}
			if strings.Contains(m[1], "://") {
				continue
			}
			if _, err := os.Stat(name); err != nil {
				t.Errorf("%s links to %s, which is not there", doc, m[1])
			} else if m[2] != "" && !headings(name)[m[2]] {
				t.Errorf("%s links to a heading %q that %s does not have", doc, m[2], name)
			}
		}
	}
}
