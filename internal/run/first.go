package run

import (
	"bytes"
	"fmt"
	"io"
	"net/url"
	"os"
	"path"
	"path/filepath"
	"regexp"
	"slices"
	"strings"

	"yellowgate/internal/core/gateedit"
	"yellowgate/internal/output"
	"yellowgate/internal/site"
)

// FirstGate is a first gate file for a folder of pages.
type FirstGate struct {
	File  string
	Text  []byte
	Items int
}

// First makes a gate file for a folder in which everything found has a name and
// stays as it is. It does not write over a file.
func First(dir, gateFile string, s *SurveyResult) (*FirstGate, error) {
	if _, err := os.Lstat(gateFile); err == nil {
		return nil, &site.UsageError{Message: gateFile + " exists already", Remedy: "name another file with --gate FILE, or add to this one: yellowgate add"}
	}
	f := &FirstGate{File: gateFile}
	var b bytes.Buffer
	source, err := filepath.Rel(filepath.Dir(gateFile), dir)
	if err != nil {
		source = dir
	}
	source = filepath.ToSlash(source)
	out := "public"
	if source == out {
		out = "gated"
	}
	fmt.Fprintf(&b, "# What loads on which pages. Everything that was found has a name here and stays\n# as it is; change pages, or add except, to decide.\nyellowgate: 1\n\nsite:\n  # name: and url: (the site's address) are for titles and canonicals\n  source: %s\n  output: %s\n\nitems:\n", yamlText(source), out)
	names := map[string]bool{}
	var texts []string
	for _, l := range s.Loads {
		if l.text != "" {
			texts = append(texts, l.text)
		}
	}
	for _, l := range s.Loads {
		matcher := matcherOf(l, texts)
		if matcher == "" {
			continue
		}
		name := nameOf(l, names)
		names[name] = true
		f.Items++
		fmt.Fprintf(&b, "\n  %s:%s\n    found: %s\n    pages: all\n", name, "  # on "+countOf(l.Pages, s.Pages)+weightOf(l), matcher)
	}
	if f.Items == 0 {
		b.Truncate(b.Len() - len("\nitems:\n"))
	}
	f.Text = b.Bytes()
	return f, output.WriteFile(gateFile, func(w io.Writer) error { _, err := w.Write(f.Text); return err })
}

func countOf(n, of int) string {
	if n == of {
		return fmt.Sprintf("all %d pages", n)
	}
	return fmt.Sprintf("%d of %d pages", n, of)
}

func weightOf(l *Load) string {
	switch {
	case l.Dead:
		return ", and the site has no such file"
	case l.Bytes > 0:
		if l.Bytes < 100 {
			return fmt.Sprintf(", %d bytes", l.Bytes)
		}
		return fmt.Sprintf(", %.1f kB", float64(l.Bytes)/1000)
	}
	return ""
}

func yamlText(s string) string {
	d := gateedit.Read(nil)
	if d.Set(gateedit.Text(s), "x") != nil {
		return s
	}
	return strings.TrimPrefix(strings.TrimSpace(string(d.Bytes())), "x: ")
}

// matcherOf is the matcher that finds what was found, as the gate file has it; ""
// where none would find it alone. texts are the inline texts of all pages.
func matcherOf(l *Load, texts []string) string {
	switch {
	case l.Party == "inline":
		if line := ownLine(l.text, texts); line != "" {
			return "{text: " + singleQuoted(regexp.QuoteMeta(line)) + "}"
		}
	case l.Tag == "script" || l.Tag == "link" || l.Tag == "iframe":
		target, _, _ := strings.Cut(l.Target, "?")
		target, _, _ = strings.Cut(target, "#")
		return "{url: " + yamlText(globText(target)) + "}"
	}
	return ""
}

// ownLine is a line of an inline text, or its beginning, that stands in no other text:
// the first of eight letters and more, else the longest.
func ownLine(text string, texts []string) (own string) {
	for x := range strings.Lines(text) {
		line := strings.TrimSpace(x)
		if r := []rune(line); len(r) > 60 {
			line = string(r[:60])
		}
		if len(line) <= len(own) || slices.ContainsFunc(texts, func(other string) bool { return other != text && strings.Contains(other, line) }) {
			continue
		}
		if own = line; len(own) >= 8 {
			break
		}
	}
	return own
}

func singleQuoted(s string) string { return "'" + strings.ReplaceAll(s, "'", "''") + "'" }

// globText writes a URL as a glob that matches it alone.
func globText(s string) string {
	return strings.NewReplacer("*", `\*`, "?", `\?`, "[", `\[`, "{", `\{`).Replace(s)
}

var notName = regexp.MustCompile(`[^a-z0-9]+`)

// nameOf makes up a name: from the file, the host or the first words.
func nameOf(l *Load, taken map[string]bool) string {
	base := ""
	if l.Party == "inline" {
		words := notName.Split(strings.ToLower(l.Target), -1)
		for _, w := range words {
			if len(w) >= 3 && !strings.Contains(base, w) && w != "var" && w != "function" && w != "window" && w != "document" && w != "const" && w != "let" {
				base += "-" + w
			}
			if strings.Count(base, "-") == 2 {
				break
			}
		}
		base = "inline" + base
	} else {
		u, err := url.Parse(l.Target)
		if err != nil {
			u = &url.URL{Path: l.Target}
		}
		base = strings.TrimSuffix(path.Base(u.Path), path.Ext(u.Path))
		if base == "/" || base == "." || base == "index" {
			base = u.Host + path.Dir(u.Path)
		}
		switch {
		case l.Tag == "link" && strings.HasSuffix(u.Path, ".css"):
			base += "-style"
		case l.Tag == "iframe":
			base += "-frame"
		case l.Tag == "link":
			base += "-icon"
		}
	}
	base = strings.Trim(notName.ReplaceAllString(strings.ToLower(base), "-"), "-")
	if base == "" {
		base = l.Tag
	}
	name := base
	for i := 2; taken[name]; i++ {
		name = fmt.Sprintf("%s-%d", base, i)
	}
	return name
}
