package cli_test

import (
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"yellowgate/internal/clitest"
	"yellowgate/internal/testsize"
)

// A block is a fenced block of a document: its language, what stands behind that,
// and its text.
type block struct{ language, name, text string }

var fence = regexp.MustCompile("(?ms)^```(\\w+)(?: ([^\n]*))?\n(.*?)^```$")

func blocks(text string) (out []block) {
	for _, m := range fence.FindAllStringSubmatch(text, -1) {
		out = append(out, block{language: m[1], name: m[2], text: m[3]})
	}
	return out
}

var spots = regexp.MustCompile(`<!-- yg-spot [^>]*-->|<div data-yg-spot="[^"]*"></div>`)

// TestRecipes runs every recipe of the document on the demo's pages: the files and
// the gate file are written, check and apply go through, the commands tell what the
// document says, and the audit finds nothing against the gate.
func TestRecipes(t *testing.T) {
	doc, err := os.ReadFile("../../docs/recipes.md")
	if err != nil {
		t.Fatal(err)
	}
	sections := strings.Split(string(doc), "\n## ")
	head := ""
	for _, b := range blocks(sections[0]) {
		if b.language == "yaml" {
			head = b.text
		}
	}
	base := clitest.New(t)
	base.Want(0, clitest.Args("demo", "d"), "27 pages")
	for i, s := range sections[1:] {
		if i%testsize.Of(5, 1) != 0 {
			continue
		}
		title, _, _ := strings.Cut(s, "\n")
		t.Run(title, func(t *testing.T) {
			t.Parallel()
			b := clitest.New(t)
			for _, folder := range []string{"site", "facts"} {
				if err := os.CopyFS(filepath.Join(b.Dir, folder), os.DirFS(filepath.Join(base.Dir, "d", folder))); err != nil {
					t.Fatal(err)
				}
			}
			gate, commands, want, ran := head, []string{}, []string{}, ""
			for _, x := range blocks(s) {
				switch {
				case x.language == "yaml" && x.name == "site":
					gate = strings.Replace(gate, "  facts:", x.text+"  facts:", 1)
				case x.language == "yaml":
					gate += x.text
				case x.language == "sh":
					commands = append(commands, strings.Split(strings.TrimSpace(x.text), "\n")...)
				case x.language == "text":
					want = append(want, strings.Split(strings.TrimSpace(x.text), "\n")...)
				default:
					b.Write(x.name, x.text)
				}
			}
			b.Write("yellowgate.yaml", gate)
			if !strings.Contains(gate, "star-map:") { // a spot without its item is an error
				for _, name := range []string{"site/index.html", "site/visit/index.html"} {
					b.Write(name, spots.ReplaceAllString(b.Read(name), ""))
				}
			}
			b.Want(0, clitest.Args("check", "--fail-on", "error"))
			b.Want(0, clitest.Args("apply", "-q"))
			b.Want(0, clitest.Args("audit", "--fail-on", "never", "--format", "json"))
			for _, c := range commands {
				_, out, errout := b.Exec(shellWords(strings.TrimPrefix(c, "yellowgate "))...)
				ran += out + errout
			}
			flat := strings.Join(strings.Fields(ran), " ")
			for _, line := range want {
				if !strings.Contains(flat, strings.Join(strings.Fields(line), " ")) {
					t.Errorf("%q is not in\n%s", line, ran)
				}
			}
			_, out, _ := b.Exec("audit", "-v")
			for _, check := range []string{"missing-item", "leaked-item", "repeated-item", "misplaced-item",
				"metadata-differs", "late-need"} {
				if strings.Contains(out, "error "+check) && !strings.Contains(out, "stale-output") {
					t.Errorf("the audit finds %s\n%s", check, out)
				}
			}
			if len(commands) == 0 || len(want) == 0 {
				t.Error("the recipe has no command, or does not say what one sees")
			}
		})
	}
	if len(sections) < 22 {
		t.Errorf("%d recipes", len(sections)-1)
	}
}

// shellWords splits a command line at spaces outside of quotes.
func shellWords(s string) (out []string) {
	word, in, quote := "", false, byte(0)
	for i := 0; i < len(s); i++ {
		switch c := s[i]; {
		case quote != 0 && c == quote:
			quote = 0
		case quote != 0:
			word += string(c)
		case c == '\'' || c == '"':
			quote, in = c, true
		case c == ' ':
			if in {
				out = append(out, word)
			}
			word, in = "", false
		default:
			word, in = word+string(c), true
		}
	}
	if in {
		out = append(out, word)
	}
	return out
}
