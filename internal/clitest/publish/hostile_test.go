package publish_test

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"unicode"
	"unicode/utf8"

	"golang.org/x/net/html"

	"yellowgate/internal/clitest"
	"yellowgate/internal/testsize"
)

// Texts that would drive a terminal, turn the direction of a line, end it, make a link or a
// formula, or are no UTF-8.
var drivers = []string{"\x1b[31;8mesc", "\x1b]0;title\a", "\u009b31mc1", "del\x7f", "a\rb", "line\nend",
	"\u202eturned\u2066", "para\u2029graph", "bad\xff\xc0", "nul\x01", "[link](https://evil.example)", "=cmd()",
	"<script>alert(1)</script>", "`tick`|pipe", "@mention"}

// TestNoOutputDrives sends hostile file names, page texts, URLs, facts and notes through every
// command and every format, and reads what comes out byte by byte.
func TestNoOutputDrives(t *testing.T) {
	b := clitest.New(t)
	var facts []string
	for i, d := range drivers {
		name := strings.NewReplacer("/", "_", "\x00", "").Replace(d)
		if err := os.MkdirAll(filepath.Join(b.Dir, "site"), 0o755); err != nil {
			t.Fatal(err)
		}
		text := fmt.Sprintf(`<!doctype html>
<html lang="%[1]s"><head><meta charset="utf-8"><title>%[2]s</title><meta name="description" content="%[1]s"><link rel="canonical" href="/%[1]s"><meta name="%[1]s" content="%[1]s">
<script src="https://%[3]d.evil.example/%[1]s.js"></script><link rel="stylesheet" href="/css/%[1]s.css" title="%[1]s"></head>
<body><h1>%[2]s</h1><p id="%[1]s" class="%[1]s" onclick="%[1]s">%[2]s word</p><script>// %[4]s
document.querySelector(".%[4]s")</script><style>.x%[4]s { margin: 0 }</style><dialog id="%[1]s" aria-label="%[1]s">x</dialog>
<!-- yg-spot %[4]s --><div data-yg-spot="%[1]s"></div><iframe src="//%[1]s/"></iframe><script type="application/ld+json">{%[4]s</script></body></html>`,
			html.EscapeString(d), strings.ReplaceAll(html.EscapeString(d), "\n", "\n"), i, strings.NewReplacer("-->",
				"", "</script>", "").Replace(d))
		file := filepath.Join(b.Dir, "site", fmt.Sprintf("%d", i), name+".html")
		os.MkdirAll(filepath.Dir(file), 0o755)
		if err := os.WriteFile(file, []byte(text), 0o644); err != nil {
			continue // a name that this file system does not take
		}
		os.WriteFile(filepath.Join(b.Dir, "site", fmt.Sprintf("%d", i), name+".css"), []byte(".x{}"), 0o644)
		q, _ := json.Marshal(strings.ToValidUTF8(d, "?"))
		facts = append(facts, fmt.Sprintf(`"/%d/": {"x": %s}`, i, q))
	}
	b.Write("site/index.html", clitest.Doc("Home", "<p>word</p>"))
	b.Write("facts.json", "{"+strings.Join(facts, ",\n")+"}")
	b.Write("yellowgate.yaml", `yellowgate: 1
site: {name: "N\e[31m\u202E", url: "https://ternhill.example", source: site, output: public, facts: facts.json}
items:
  counter: {code: "<script>v = 1 // \e[31m\u202E</script>", pages: all, note: "note \e[31m \u202E \x9b"}
  tag: {script: "/js/\e[31m.js", pages: "title contains 'esc'"}
  lib: {found: {text: "word\e[31m"}, pages: none}
accept:
  - {check: title-short, pages: all, because: "x"}
`)
	fine := strings.Replace(b.Read("yellowgate.yaml"),
		"accept:\n  - {check: title-short, pages: all, because: \"x\"}\n", "", 1)
	commands := [][]string{
		{"survey", "site"}, {"survey", "site", "--verbose"}, {"check"}, {"check", "--verbose"}, {"pages"}, {"pages",
			"/**", "--verbose"}, {"diff"}, {"diff", "--summary"}, {"apply"}, {"apply", "--verbose"},
		{"audit"}, {"audit", "--verbose"}, {"audit", "site"}, {"audit", "site", "--verbose"}, {"why", "/", "counter"}, {"why", "/\x1b[31m/", "counter"}, {"where", "counter"}, {"where", "\x1b[31m"}, {"where", "--table"}, {"where", "--key", "title"}, {"where"},
		{"compare", "site", "public"}, {"compare", "site", "public", "--verbose"}, {"suggest"}, {"suggest",
			"--verbose"}, {"find", "esc"}, {"find", "word", "--verbose"}, {"find", "\x1b[31m"}, {"show", "/"}, {
			"show", "/nowhere\x1b[31m\u202e"},
		{"explain", "\x1b[31m"}, {"\x1b[31mcommand"}, {"check", "--\x1b[31m"}, {"check", "--gate", "no\x1b[31m.yaml"}, {"survey", "no\nsuch\x1b[31m"}, {"check", "--at", "\u202e"}, {"audit", "--format", "x\x1b[31m"}, {"pages", "/\x1b[31m"}, {"set", "counter", "--pages", "\x1b[31m", "--dry-run"},
		{"check", "--out", "site/0/" + drivers[0] + ".html"}, {"schema"}, {"demo", "site"},
	}
	for i := range drivers {
		matches, _ := filepath.Glob(filepath.Join(b.Dir, "site", fmt.Sprint(i), "*.html"))
		for _, m := range matches {
			rel, _ := filepath.Rel(b.Dir, m)
			commands = append(commands, []string{"show", rel}, []string{"why", rel, "counter"})
		}
	}
	for _, gate := range []string{b.Read("yellowgate.yaml"), fine} {
		b.Write("yellowgate.yaml", gate)
		for n, c := range commands {
			for i, format := range []string{"text", "json", "ndjson", "csv", "html", "markdown", "junit", "sarif"} {
				if (n+i)%testsize.Of(13, 1) != 0 {
					continue
				}
				args := append(append([]string{}, c...), "--format", format)
				_, out, errout := b.Exec(args...)
				what := fmt.Sprintf("%q", args)
				byteByByte(t, what+" on standard error", errout)
				if format == "text" || format == "markdown" {
					byteByByte(t, what, out)
				} else {
					readable(t, what, format, out)
				}
			}
			if n%testsize.Of(7, 1) != 0 {
				continue
			}
			_, out, errout := b.Exec(append(append([]string{}, c...), "--color", "always")...)
			for _, s := range []string{out, errout} {
				byteByByte(t, fmt.Sprintf("%q in colour", c), own.ReplaceAllString(s, ""))
			}
		}
	}
}

// own are the colours that the program itself uses.
var own = regexp.MustCompile(`\x1b\[(0|1|38;5;\d+|1;38;5;\d+)?m`)

func byteByByte(t *testing.T, what, out string) {
	t.Helper()
	for at := 0; at < len(out); {
		c, n := utf8.DecodeRuneInString(out[at:])
		if c == utf8.RuneError && n == 1 || c != '\n' && unicode.IsControl(c) || c == '\u2028' || c == '\u2029' ||
			unicode.Is(unicode.Bidi_Control, c) {
			t.Errorf("%s: %q in %q", what, out[at:at+n], out[max(0, at-60):min(len(out), at+40)])
			return
		}
		at += n
	}
}

// readable reads a result as the format's own readers do.
func readable(t *testing.T, what, format, out string) {
	t.Helper()
	visible := strings.ReplaceAll(out, "\t", "")
	if format == "csv" {
		visible = strings.ReplaceAll(visible, "\r\n", "\n") // the end of a row (RFC 4180)
	}
	byteByByte(t, what, visible)
	if out == "" || strings.HasPrefix(out, "Yellow Gate") {
		return
	}
	switch {
	case format == "csv":
		rows, err := csv.NewReader(strings.NewReader(out)).ReadAll()
		if err != nil {
			t.Errorf("%s: %v", what, err)
		}
		for _, row := range rows {
			for _, cell := range row {
				if cell != "" && strings.ContainsAny(cell[:1], "=+-@") {
					t.Errorf("%s: the cell %q is a formula", what, cell)
				}
			}
		}
	case format == "junit":
		d := xml.NewDecoder(strings.NewReader(out))
		for {
			if _, err := d.Token(); errors.Is(err, io.EOF) {
				break
			} else if err != nil {
				t.Errorf("%s: %v", what, err)
				break
			}
		}
	case format == "html":
		z := html.NewTokenizer(strings.NewReader(out))
		for tt := z.Next(); tt != html.ErrorToken; tt = z.Next() {
			if text := string(z.Raw()); tt == html.TextToken && strings.Contains(text, "alert(1)") &&
				strings.Contains(text, "<script>alert") {
				t.Errorf("%s: a text of a page is markup", what)
			}
		}
	case strings.HasPrefix(out, "{") || strings.HasPrefix(out, "["):
		d := json.NewDecoder(bytes.NewReader([]byte(out)))
		for {
			var v any
			if err := d.Decode(&v); errors.Is(err, io.EOF) {
				break
			} else if err != nil {
				t.Errorf("%s: %v", what, err)
				break
			}
			if format == "sarif" {
				links(t, what, v)
			}
		}
	}
}

// links looks for messages of SARIF that would show as links.
func links(t *testing.T, what string, v any) {
	switch v := v.(type) {
	case map[string]any:
		if text, ok := v["text"].(string); ok && v["markdown"] == nil &&
			regexp.MustCompile(`(^|[^\\])\[link\]`).MatchString(text) {
			t.Errorf("%s: the message %q makes a link", what, text)
		}
		for _, x := range v {
			links(t, what, x)
		}
	case []any:
		for _, x := range v {
			links(t, what, x)
		}
	}
}
